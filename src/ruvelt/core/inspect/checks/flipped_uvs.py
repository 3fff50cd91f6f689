"""Islands that are mirrored in the layout, and faces folded over in it."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.uv_facts import faces_of, triangle_uvs, uv_areas
from ruvelt.core.mesh.facts import counted
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.mesh.topology import islands

#: Boxes of islands that share so much lie on one place: a mirrored half that shares the other's texels is meant.
SAME_PLACE = 0.8


class FlippedUvs(Check):
    """Islands that are mirrored in the layout, and faces folded over in it."""

    id: ClassVar[str] = "flipped-uvs"
    label: ClassVar[str] = "Mirrored UVs"
    rank: ClassVar[int] = 6

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        uv = triangle_uvs(model)
        areas = np.nan_to_num(uv_areas(uv))
        label = islands(model, model.uv_layouts[0])[model.triangle_face]
        laid = label >= 0
        if not (areas[laid] < 0).any():
            return None
        count = int(label.max()) + 1
        whole = np.bincount(label[laid], weights=areas[laid], minlength=count)
        low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
        for k in range(3):
            np.minimum.at(low, label[laid], uv[laid, k])
            np.maximum.at(high, label[laid], uv[laid, k])
        upright, mirrored = np.flatnonzero(whole > 0), np.flatnonzero(whole < 0)
        meant = np.zeros(count, bool)
        for i in mirrored:
            over = np.maximum(np.minimum(high[upright], high[i]) - np.maximum(low[upright], low[i]), 0).prod(axis=1)
            both = (high[upright] - low[upright]).prod(axis=1) + (high[i] - low[i]).prod() - over
            meant[i] = bool((over > SAME_PLACE * both).any())
        # Mirrored islands, and faces folded over in an island that is upright.
        odd = laid & (((whole < 0) & ~meant)[label] | ((areas < 0) & (whole > 0)[label]))
        if not odd.any():
            return None
        lost = int(((whole < 0) & ~meant).sum())
        faces = faces_of(model, odd)
        title = f"{counted(lost, 'island')} mirrored in the UVs" if lost else f"{counted(len(faces), 'face')} folded over in the UVs"
        return self.found(title, "Pictures and lettering appear mirrored there.", faces)

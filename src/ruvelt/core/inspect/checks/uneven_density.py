"""Faces on which strokes look coarser or finer than on others."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.uv_facts import triangle_areas, triangle_uvs, uv_areas
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan

#: Texel density may differ by this factor between islands of a sheet before it is worth a word.
DENSITY_FACTOR = 2.0


class UnevenDensity(Check):
    """Faces on which strokes look coarser or finer than on others."""

    id: ClassVar[str] = "uneven-density"
    label: ClassVar[str] = "Uneven texel density"
    rank: ClassVar[int] = 7

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        uv_area = np.abs(uv_areas(triangle_uvs(model)))
        area = triangle_areas(model)
        odd: list[NDArray[np.int32]] = []
        for plan in sheets:
            mine = np.zeros(model.face_count, bool)
            mine[plan.faces] = True
            with np.errstate(invalid="ignore"):
                t = mine[model.triangle_face] & (area > 0) & (uv_area > 0)
            if not t.any():
                continue
            density = np.sqrt(uv_area[t] / area[t])
            mean = np.average(density, weights=area[t])
            picked = np.flatnonzero(t)[(density > mean * DENSITY_FACTOR) | (density < mean / DENSITY_FACTOR)]
            odd.append(model.triangle_face[picked])
        faces = np.unique(np.concatenate(odd)).astype(np.int32) if odd else np.zeros(0, np.int32)
        if not len(faces):
            return None
        title = f"{len(faces)} faces at more than {DENSITY_FACTOR:g}× another density"
        return self.found(title, "Strokes look coarser or finer there. Scale the islands to match.", faces)

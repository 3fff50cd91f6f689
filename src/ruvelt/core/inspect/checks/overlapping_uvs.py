"""Faces that share texels show the same paint."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.samples.sheet import overlap_faces


class OverlappingUvs(Check):
    """Faces that share texels show the same paint."""

    id: ClassVar[str] = "overlapping-uvs"
    label: ClassVar[str] = "Overlapping UVs"
    rank: ClassVar[int] = 5

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        hit = [overlap_faces(model, plan, 1024) for plan in sheets]
        faces = np.unique(np.concatenate(hit)).astype(np.int32) if hit else np.zeros(0, np.int32)
        if not len(faces):
            return None
        advice = "Faces that share texels show the same paint. Move them apart unless that is meant."
        return self.found(f"{len(faces)} faces share texels", advice, faces)

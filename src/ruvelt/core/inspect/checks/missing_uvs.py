"""Faces that have no place on a sheet."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.uv_facts import faces_of, triangle_uvs
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan


class MissingUvs(Check):
    """Faces that have no place on a sheet."""

    id: ClassVar[str] = "missing-uvs"
    label: ClassVar[str] = "Missing UVs"
    rank: ClassVar[int] = 2
    level: ClassVar[str] = "blocks"
    needs_uvs: ClassVar[bool] = False

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        if not model.uv_layouts:
            advice = "Its vertices can be painted as they are. Maps need UVs: unwrap it below, now or later, or bring it in again with UVs."
            return replace(self.found("No UVs", advice, np.arange(model.face_count, dtype=np.int32)), level="warns")
        faces = faces_of(model, np.asarray(np.isnan(triangle_uvs(model)).any(axis=(1, 2))))
        if not len(faces):
            return None
        far = any(note.outcome == "left out" and "squares away" in note.text for note in model.notes)
        advice = (
            "Some lay too far out to be kept. Fold them into the square, or unwrap." if far else "They cannot be painted until they are unwrapped."
        )
        return self.found(f"{len(faces)} faces without UVs", advice, faces)

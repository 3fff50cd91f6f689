"""Faces that reach outside their square."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.uv_facts import faces_of, triangle_uvs
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.tolerances import UV_SLACK


class OutsideSquare(Check):
    """Faces that reach outside their square."""

    id: ClassVar[str] = "outside-square"
    label: ClassVar[str] = "Outside the square"
    rank: ClassVar[int] = 3
    level: ClassVar[str] = "blocks"

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        tile = np.zeros((model.face_count, 2), np.float32)
        for plan in sheets:
            tile[plan.faces] = plan.tile if plan.squares is None else np.nan
        local = triangle_uvs(model) - tile[model.triangle_face][:, None]
        with np.errstate(invalid="ignore"):
            outside = np.asarray(((local < -UV_SLACK) | (local > 1 + UV_SLACK)).any(axis=(1, 2)))
        faces = faces_of(model, outside)
        if not len(faces):
            return None
        advice = "What lies outside takes no paint. Move the islands into the square."
        return self.found(f"{len(faces)} faces reach outside their square", advice, faces)

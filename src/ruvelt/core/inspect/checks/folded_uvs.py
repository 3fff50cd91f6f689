"""Faces whose UVs repeat: paint shows wherever the layout comes back to a place."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.uv_facts import triangle_uvs
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.tolerances import UV_SLACK


class FoldedUvs(Check):
    """Faces whose UVs repeat: paint shows wherever the layout comes back to a place."""

    id: ClassVar[str] = "folded-uvs"
    label: ClassVar[str] = "Folded into the square"
    rank: ClassVar[int] = 4

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        moved = np.zeros(model.face_count, bool)
        for plan in sheets:
            if plan.squares is not None:
                moved[plan.faces] = (plan.squares != 0).any(axis=1)
                # What is at home but reaches over the edge repeats as well.
                uv = triangle_uvs(model) - plan.offsets(model.face_count)[model.triangle_face][:, None]
                with np.errstate(invalid="ignore"):
                    over = np.asarray(((uv < -UV_SLACK) | (uv > 1 + UV_SLACK)).any(axis=(1, 2)))
                mine = np.zeros(model.face_count, bool)
                mine[plan.faces] = True
                moved |= mine & np.isin(np.arange(model.face_count), model.triangle_face[over])
        faces = np.flatnonzero(moved).astype(np.int32)
        if not len(faces):
            return None
        advice = "Their UVs lie beyond the square and repeat: paint shows wherever the layout comes back to a place. Unwrap for paint of their own."
        return self.found(f"{len(faces)} faces folded into the square", advice, faces)

"""Which UV squares a model has: one sheet per material, per part, or per numbered tile."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.fold import whole_squares
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.tolerances import UV_SLACK

#: A prop or creature has a dozen; each one costs memory and a place in every list.
MAX_SHEETS = 400
SheetRule = Literal["auto", "materials", "parts", "tiles"]


@dataclass(frozen=True, eq=False)
class SheetPlan:
    """One UV square. `faces`: (k,) int32 ascending; `tile`: its integer offset in UV space (0, 0 for the first square).

    squares : (k, 2) int32 whole squares that faces lie away, where the layout repeats; None where none does
    """

    name: str
    faces: NDArray[np.int32]
    tile: tuple[int, int] = (0, 0)
    squares: NDArray[np.int32] | None = None

    @property
    def tile_number(self) -> int:
        return 1001 + self.tile[0] + 10 * self.tile[1]

    def offsets(self, face_count: int) -> NDArray[np.int32]:
        """(face_count, 2) int32: where in UV space the square of each face begins; only the rows of `faces` mean anything."""
        found = np.zeros((face_count, 2), np.int32)
        found[self.faces] = self.tile if self.squares is None else self.squares
        return found


def face_tiles(model: Model, layout: TextureCoords) -> NDArray[np.int32]:
    """(f, 2) int32: the UV square that holds each face's mean UV."""
    uv = layout.uvs[np.maximum(layout.corner_uv, 0)].astype(np.float64)
    sums = np.add.reduceat(uv, model.face_starts[:-1].astype(np.intp), axis=0)
    centre = sums / np.diff(model.face_starts)[:, None]
    return np.clip(np.floor(centre), -1000, 1000).astype(np.int32)


def plan_sheets(model: Model, rule: SheetRule = "auto") -> list[SheetPlan]:
    """Divide the faces into sheets. "auto": tiles when UVs run past one square to the right or up, else materials.

    Raises InputError when the model has no UVs, or when tiles are asked for outside 1001–1999.
    """
    if not model.uv_layouts:
        raise InputError("The model has no UVs, so there is no sheet to paint on. Unwrap it on the Model screen first.")
    layout = model.uv_layouts[0]
    tiles = face_tiles(model, layout)
    inside = (tiles >= 0).all(axis=1) & (tiles[:, 0] <= 9) & (tiles[:, 1] <= 99)
    spread = inside.all() and bool((tiles != 0).any())
    if rule == "tiles" and not inside.all():
        raise InputError("Some UVs lie left of or below the first square, so they have no tile number. Choose sheets by material or by part.")
    if rule == "tiles" or (rule == "auto" and spread and _faces_fit_tiles(model, layout, tiles)):
        found = sorted({(int(v), int(u)) for u, v in tiles})
        plans = [SheetPlan(str(1001 + u + 10 * v), np.flatnonzero((tiles == (u, v)).all(axis=1)).astype(np.int32), (u, v)) for v, u in found]
    else:
        labels, names = (model.face_part, model.parts) if rule == "parts" else (model.face_material, tuple(m.name for m in model.materials))
        order = np.argsort(labels, kind="stable").astype(np.int32)
        ends = np.searchsorted(labels[order], np.arange(len(names) + 1))
        plans = [SheetPlan(names[i], np.sort(order[ends[i] : ends[i + 1]])) for i in range(len(names))]
        plans = [replace(p, squares=whole_squares(model, p.faces)) for p in plans if len(p.faces)]
    plans = [p for p in plans if len(p.faces)]
    if len(plans) > MAX_SHEETS:
        raise InputError(
            f"The model would have {len(plans):,} sheets; at most {MAX_SHEETS} can be painted. Join materials in your modelling program, "
            "or choose another way to make sheets."
        )
    return plans


def _faces_fit_tiles(model: Model, layout: TextureCoords, tiles: NDArray[np.int32]) -> bool:
    """Whether faces keep to their own square, as numbered tiles do and repeating UVs do not."""
    corner_tile = np.repeat(tiles, np.diff(model.face_starts), axis=0)
    local = layout.uvs[np.maximum(layout.corner_uv, 0)] - corner_tile
    outside = ((local < -UV_SLACK) | (local > 1 + UV_SLACK)).any(axis=1)
    return float(outside.mean()) < 0.01

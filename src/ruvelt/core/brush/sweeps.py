"""Pictures of tips as a swept stroke reads them: what a tip lays along a step of any length is the difference of two places in a table."""

from __future__ import annotations

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush._rich_kernels import EXTENT, FULL
from ruvelt.core.brush._sweep_kernels import packed_sums
from ruvelt.core.brush.tip_arrays import SweptPictures
from ruvelt.core.brush.tips import Quads

F32 = NDArray[np.float32]
#: Ways in half a turn that tables of a round tip are made for, none further than 0.9° from its table's. Flat ones are gone over further.
WAYS = 96
#: Tables that are kept, and the most texels along a side of a picture they are made from.
KEPT, LARGEST = 32, 512
_NONE = np.zeros((1, 1, 2), np.uint64)


def _wide(side: int) -> int:
    """Rows of a table: finer than a small picture, for turning it blurs it by about a texel."""
    return math.ceil(max(min(2 * side, 256), side) * EXTENT)


def lay_table(picture: F32, angle: float, out: Quads) -> None:
    """out (s, s + 1) : integrals of a (side, side) picture, row 0 at the top, along lines at an angle (radians), from their begin; packed as fours.

    Rows run across the lines, columns along them, both from −EXTENT to EXTENT radii: values in rows' middles, at columns' edges, shares of FULL.
    """
    side, wide = len(picture), len(out)
    step = 2 * EXTENT / wide
    cos, sin, half = math.cos(angle), math.sin(angle), side / 2
    # Texel (j, i) of the turned picture lies at u = (j + ½) step − EXTENT along, w = (i + ½) step − EXTENT across; the picture has y down.
    first = 0.5 * step - EXTENT
    back = np.array(
        [
            [half * step * cos, -half * step * sin, half * (first * cos - first * sin + 1) - 0.5],
            [-half * step * sin, -half * step * cos, half * (1 - first * sin - first * cos) - 0.5],
        ]
    )
    turned = cv2.warpAffine(picture, back, (wide, wide), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    packed_sums(turned, step / FULL, np.empty((wide, wide + 1), np.uint16), out)


class Sweeps:
    """The tables of one tip, made as ways ask for them."""

    def __init__(self, picture: F32, roundness: float) -> None:
        """picture : (side, side) float32 0–1, row 0 at the top; roundness : short over long side it is laid with."""
        self._directions = math.ceil(WAYS / roundness)
        side = min(len(picture), LARGEST)
        self._picture = picture if side == len(picture) else cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA)
        wide = _wide(side)
        self._tables = np.zeros((KEPT, wide, wide + 1), np.uint64)
        #: Ways that have a table, the one that was asked for last at the end.
        self._places: dict[int, int] = {}

    def _place(self, direction: int) -> int:
        place = self._places.pop(direction, None)
        if place is None:
            place = len(self._places) if len(self._places) < KEPT else self._places.pop(next(iter(self._places)))
            lay_table(self._picture, direction * math.pi / self._directions, self._tables[place])
        self._places[direction] = place
        return place

    def parts(self, dabs: F32) -> Iterator[tuple[slice, SweptPictures]]:
        """Rich dabs in order, cut so that each part's tables are there: the part, the (KEPT, s, s + 1) tables, and its (n, 3) turns.

        A turn is which table a dab reads, −1 for one by itself, and cosine and sine of the table's way in the picture.
        """
        sweep, long, short = (dabs[:, c : c + 3] for c in (dab.SWEEP, dab.LONG, dab.SHORT))
        along = np.einsum("ij,ij->i", sweep, long) * dabs[:, dab.FLIP]
        across = np.einsum("ij,ij->i", sweep, short) / dabs[:, dab.ROUNDNESS]
        swept = np.isfinite(along + across) & ((along != 0) | (across != 0))
        along, across = np.where(swept, along, 1), np.where(swept, across, 0)
        directions = np.rint(np.arctan2(across, along) * (self._directions / math.pi)).astype(np.int64) % self._directions
        turns = np.zeros((len(dabs), 3), np.float32)
        turns[:, 0] = -1
        turns[:, 1], turns[:, 2] = np.cos(directions * math.pi / self._directions), np.sin(directions * math.pi / self._directions)
        first, held = 0, set[int]()
        for i in np.flatnonzero(swept):
            direction = int(directions[i])
            if direction not in held and len(held) == KEPT:
                yield slice(first, i), SweptPictures(self._tables, turns[first:i])
                first, held = int(i), set()
            held.add(direction)
            turns[i, 0] = self._place(direction)
        yield slice(first, len(dabs)), SweptPictures(self._tables, turns[first:])


def unswept(dabs: F32) -> SweptPictures:
    """Tables and turns of dabs without a picture."""
    return SweptPictures(_NONE, np.full((len(dabs), 3), -1, np.float32))

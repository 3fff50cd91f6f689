"""Dabs of the flat sheet, mirrored and turned over the surface."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush.settings import Mirror
from ruvelt.core.samples.address import column_of, row_of, slot_at
from ruvelt.core.samples.sheet import SheetSamples


def mirrored_discs(samples: SheetSamples, dabs: NDArray[np.float32], mirror: Mirror) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Discs, then discs around the texels nearest to their mirrored and turned surface points, none where there is no such point.

    With them (n,) which of the mirrored ones each is.
    """
    copy, copies = np.zeros(len(dabs), np.int64), 1
    for axis, on in enumerate((mirror.x, mirror.y, mirror.z)):
        if on and len(dabs):
            flip = np.eye(3)
            flip[axis, axis] = -1
            twin, kept = _moved_discs(samples, dabs, flip)
            # A mirrored tip turns the other way round.
            twin[:, [dab.LONG + 1, dab.SHORT, dab.FLIP]] *= -1
            dabs, copy = np.concatenate([dabs, twin]), np.concatenate([copy, copy[kept] + copies])
        copies *= 2 if on else 1
    turned = [_moved_discs(samples, dabs, turn) for turn in mirror.turns()] if len(dabs) else []
    return (
        np.concatenate([dabs, *(moved for moved, _ in turned)]),
        np.concatenate([copy, *(copy[kept] + copies * (i + 1) for i, (_, kept) in enumerate(turned))]),
    )


def _moved_discs(samples: SheetSamples, dabs: NDArray[np.float32], move: NDArray[np.float64]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Discs around the samples nearest to where a (3, 3) matrix takes the surface points of discs, swept along the twin's own way.

    With them (n,) which discs have such a twin.
    """
    twin = dabs.copy()
    places, direction = slice(dab.X, dab.Z), slice(dab.SWEEP, dab.SWEEP + 2)
    twin[:, places], good = _moved_texels(samples, dabs[:, places], move)
    swept = dabs[:, direction].any(axis=1)
    before, there = _moved_texels(samples, dabs[swept, places] - dabs[swept, direction], move)
    directions = twin[swept, places] - before
    # Over a seam the twin's texels jump, and each is a disc by itself.
    near = there & (np.hypot(*directions.T) <= 2 * dabs[swept, dab.RADIUS])
    twin[swept, direction] = np.where(near[:, None], directions, 0)
    return twin[good], good


def _moved_texels(samples: SheetSamples, places: NDArray[np.float32], move: NDArray[np.float64]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """(n, 2) middles of the texels nearest to where a matrix takes the surface points of texels, and (n,) whether there are any."""
    x, y = (np.clip(v.astype(int), 0, samples.side - 1) for v in places.T)
    slot = slot_at(x, y, samples.chunks_across)
    twin = samples.grid.nearest(samples.positions[slot].astype(np.float64) @ move.T, 4 * samples.spacing)
    column, row = column_of(twin, samples.chunks_across), row_of(twin, samples.chunks_across)
    return np.stack([column + 0.5, row + 0.5], axis=1).astype(np.float32), (samples.owner[slot] >= 0) & (twin >= 0)

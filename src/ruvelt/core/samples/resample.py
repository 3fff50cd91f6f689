"""Values of one set of samples at another: of vertices at texels, and of texels at vertices. What is painted is weighed by its coverage."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples.grid import SampleGrid
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples

U16 = NDArray[np.uint16]
#: How far from a point the other surface is looked for along the normal, shares of the diagonal: the same mesh, and a level of it.
NEAR, LEVEL_NEAR = 1e-4, 0.02
#: Points looked for together.
BLOCK = 1 << 20


class Resampling:
    """From one set of samples to another over the same model; worked out once for any number of planes.

    Three sources with weights for each sample of the new set. Nothing comes through a thin wall: a source faces the way its sample does.
    """

    def __init__(self, old: SurfaceSamples, new: SurfaceSamples) -> None:
        self._old, self._new = old, new
        self._slots = np.flatnonzero(new.covered).astype(np.int64)
        if isinstance(old, SheetSamples) and isinstance(new, VertexSamples):
            self._texels_of = _owners(old, new)
        else:
            self._sources, self._weights = _corners(old, new, self._slots)

    def values(self, whole: U16) -> U16:
        """(k, new slots) uint16 of (k, old slots), coverage last, straight."""
        out = np.zeros((len(whole), self._new.slot_count), np.uint16)
        if isinstance(self._old, SheetSamples) and isinstance(self._new, VertexSamples):
            texel, vertex, area = self._texels_of
            cover = whole[-1, texel].astype(np.float64)
            total = np.bincount(vertex, area, self._new.slot_count)
            weight = np.bincount(vertex, area * cover, self._new.slot_count)
            for k, row in enumerate(whole[:-1]):
                out[k] = np.rint(np.bincount(vertex, area * cover * row[texel], self._new.slot_count) / np.maximum(weight, 1e-30))
            out[-1] = np.rint(weight / np.maximum(total, 1e-30))
            return out
        cover = whole[-1][self._sources].astype(np.float64) * self._weights
        weight = np.maximum(cover.sum(axis=1), 1e-30)
        for k, row in enumerate(whole[:-1]):
            out[k, self._slots] = np.rint((cover * row[self._sources]).sum(axis=1) / weight)
        out[-1, self._slots] = np.rint(cover.sum(axis=1))
        return out


def _corners(old: SurfaceSamples, new: SurfaceSamples, slots: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """(n, 3) old slots and their weights for samples of the new set: the corners of the face of old vertices under each, else the nearest."""
    sources, weights = np.zeros((len(slots), 3), np.int64), np.zeros((len(slots), 3), np.float32)
    weights[:, 0] = 1
    near = _Lifted(old, _apart(old, new))
    if not isinstance(old, VertexSamples):
        sources[:] = near.nearest(new, slots)[:, None]
        return sources, weights
    caster = RayCaster(old.model)
    reach = (NEAR if old.model is new.model else LEVEL_NEAR) * new.model.diagonal
    for first in range(0, len(slots), BLOCK):
        part = slice(first, first + BLOCK)
        places, normals = new.positions[slots[part]].astype(np.float64), new.normals[slots[part]].astype(np.float64)
        hits = caster.cast(places + normals * reach, -normals)
        facing = np.einsum("ij,ij->i", hits.normal, normals) > 0
        met = (hits.triangle >= 0) & (hits.distance <= 2.5 * reach) & facing
        sources[part][met] = old.triangles[hits.triangle[met]]
        weights[part][met] = hits.bary[met]
        if not met.all():
            sources[part][~met] = near.nearest(new, slots[part][~met])[:, None]
    return sources, weights


class _Lifted:
    """The nearest of some samples that face the same way: all are moved along their normals first, so that two sides of paper lie apart."""

    def __init__(self, of: SurfaceSamples, height: float) -> None:
        rows = np.flatnonzero(of.covered).astype(np.int32)
        self._height = np.float32(height)
        self._grid = SampleGrid.build(of.positions + of.normals * self._height, of.normals, rows, of.spacing)

    def nearest(self, to: SurfaceSamples, slots: NDArray[np.int64]) -> NDArray[np.int64]:
        """(n,) the slot nearest to each of the given samples; 0 where there is none at all."""
        places = (to.positions[slots] + to.normals[slots] * self._height).astype(np.float64)
        return np.maximum(np.asarray(self._grid.nearest(places, float(to.model.diagonal)), np.int64), 0)


def _apart(old: SurfaceSamples, new: SurfaceSamples) -> float:
    """How far samples are moved along their normals: as far as the wider of both lie from each other."""
    return max(old.spacing, new.spacing)


def _owners(old: SheetSamples, new: VertexSamples) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """Texels, the vertex whose surroundings each belongs to, and its area; a vertex that no texel belongs to has the nearest one."""
    texels = np.flatnonzero(old.covered)
    if old.model is new.model:
        # On the same mesh a texel belongs to the corner of its triangle that is nearest.
        row = old.owner[texels]
        corners = new.model.positions[new.model.triangles[old.triangles[row]]]
        apart = np.square(corners - old.positions[texels][:, None]).sum(axis=2)
        vertex = new.triangles[old.triangles[row], np.argmin(apart, axis=1)].astype(np.int64)
    else:
        vertex = _Lifted(new, _apart(old, new)).nearest(old, texels)
    area = old.sample_areas(texels.astype(np.int32)).astype(np.float64)
    bare = np.setdiff1d(np.flatnonzero(new.covered), vertex)
    near = _Lifted(old, _apart(old, new)).nearest(new, bare) if len(bare) else bare
    return np.concatenate([texels, near]), np.concatenate([vertex, bare]), np.concatenate([area, np.ones(len(bare))])

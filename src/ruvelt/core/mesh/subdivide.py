"""Levels of subdivision: every face becomes quads around a new vertex in its middle, and values on vertices go up and down with it.

Vertices that were there keep their numbers, then come those on edges, then those in faces: what a coarse level holds is the start of every finer one.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh._subdivide_kernels import Around, number_edges, subdivided_loops, subdivided_places, subdivided_values
from ruvelt.core.mesh.model import MAX_FACES, FaceGroup, Model, Polygons, VertexNumbers

#: Bytes that a vertex of a level takes while it is painted: the mesh, its samples and grid, rays, and one channel of one layer.
VERTEX_BYTES = 420


@dataclass(frozen=True, eq=False)
class Step:
    """How one level follows from the one below it.

    face_starts, vertex : the coarse polygons; ends : (e, 2) int32 their edges; count : of coarse vertices
    """

    face_starts: NDArray[np.int32]
    vertex: NDArray[np.int32]
    ends: NDArray[np.int32]
    count: int

    @property
    def fine_count(self) -> int:
        return self.count + len(self.ends) + len(self.face_starts) - 1

    def up(self, values_u16: NDArray[np.uint16]) -> NDArray[np.uint16]:
        """(k, fine) uint16 of (k, coarse), coverage last: the same on vertices that were there, means between them, of what is there to see."""
        out = np.empty((len(values_u16), self.fine_count), np.uint16)
        subdivided_values(np.ascontiguousarray(values_u16), self.face_starts, self.vertex, self.ends, out)
        return out

    def down(self, values_u16: NDArray[np.uint16]) -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
        """(k, coarse) values of (k, fine) ones, and (2 k, fine) what the finer level has beside them: low words of the differences, then signs."""
        coarse = np.ascontiguousarray(values_u16[:, : self.count])
        apart = values_u16.astype(np.int32) - self.up(coarse)
        return coarse, np.concatenate([(apart & 0xFFFF).astype(np.uint16), (apart < 0).astype(np.uint16)])

    def restored(self, coarse: NDArray[np.uint16], detail: NDArray[np.uint16]) -> NDArray[np.uint16]:
        """(k, fine): the coarse values with the detail over them. To the code what it was where nothing changed beneath; else held to the range."""
        k = len(coarse)
        found = self.up(coarse).astype(np.int32) + detail[:k] - (detail[k:].astype(np.int32) << 16)
        return np.clip(found, 0, 65535).astype(np.uint16)


@dataclass(frozen=True, eq=False)
class _Net:
    """Polygons with their edges. face_starts : (f + 1,); vertex, edge_of : (c,) of each corner; ends : (e, 2); count : of vertices"""

    face_starts: NDArray[np.int32]
    vertex: NDArray[np.int32]
    edge_of: NDArray[np.int32]
    ends: NDArray[np.int32]
    count: int

    @staticmethod
    def of(face_starts: NDArray[np.int32], vertex: NDArray[np.int32], count: int) -> _Net:
        ends, edge_of = _edges(face_starts, vertex)
        return _Net(face_starts, np.ascontiguousarray(vertex), edge_of, ends, count)

    def finer(self) -> _Net:
        c, e = len(self.vertex), len(self.ends)
        loops, edges, ends = np.empty(4 * c, np.int32), np.empty(4 * c, np.int32), np.empty((2 * e + c, 2), np.int32)
        subdivided_loops(self.face_starts, self.vertex, self.edge_of, self.ends, self.count, loops, edges, ends)
        return _Net(np.arange(0, 4 * c + 1, 4, dtype=np.int32), loops, edges, ends, self.count + e + len(self.face_starts) - 1)

    def step(self) -> Step:
        return Step(self.face_starts, self.vertex, self.ends, self.count)


#: Normals of a file that differ by more are two: they are rounded on the way.
SAME_NORMAL_DEG = 1.0


class Subdivision:
    """The levels above a model, each made when it is asked for.

    smooth : Catmull–Clark, else places stay on the old faces; sharp_deg : edges where faces of the model itself meet at more stay sharp, with
    all that comes of them; file_creases : so do those where the file's normals break. Borders stay borders. Models of levels have no UVs and no
    normals of their own; parts, materials and groups follow.
    """

    def __init__(self, model: Model, smooth: bool = True, sharp_deg: float | None = None, file_creases: bool = False) -> None:
        self._smooth = smooth
        # What a layout cut is whole here.
        whole = model.polygons or Polygons(model.face_starts, model.corner_vertex, np.arange(model.face_count, dtype=np.int32))
        self._face_of = whole.face
        own = _Net.of(whole.starts, whole.vertex, model.vertex_count)
        spot_of = np.asarray(model.welded, np.int32)
        count = int(spot_of.max(initial=-1)) + 1
        # Where files split vertices along seams, the net in space is another one.
        self._split = count != model.vertex_count
        if not self._split:
            spot_of = np.arange(count, dtype=np.int32)
        net = _Net.of(whole.starts, spot_of[whole.vertex], count) if self._split else own
        spots = np.zeros((net.count, 3))
        spots[spot_of] = model.positions
        # Edges of one face are borders; where more than two meet, nothing says how it should be smooth.
        sharp = (np.bincount(net.edge_of, minlength=len(net.ends)) != 2).astype(np.uint8)
        if smooth and sharp_deg is not None:
            sharp |= _creased(model.positions, own, net.edge_of, len(net.ends), sharp_deg)
        if smooth and file_creases and model.file_normals is not None and model.polygons is None:
            sharp |= _broken(model.file_normals, own, spot_of, net.edge_of, len(net.ends))
        edge_of = np.empty(len(own.ends), np.int32)
        edge_of[own.edge_of] = net.edge_of
        self._nets, self._own, self._spots, self._sharp = [net], [own], [spots], [sharp]
        self._spot_of, self._edge_spot = [spot_of], [edge_of]
        self._models, self._steps = [model], list[Step]()

    def size(self, level: int) -> tuple[int, int, int]:
        """Faces and vertices of a level, and the bytes that painting it takes."""
        own = self._own[0]
        vertices, edges, faces, corners = own.count, len(own.ends), len(own.face_starts) - 1, len(own.vertex)
        for _ in range(level):
            vertices, edges, faces, corners = vertices + edges + faces, 2 * edges + corners, corners, 4 * corners
        return faces, vertices, vertices * VERTEX_BYTES

    @property
    def made(self) -> int:
        """The highest level that was asked for so far."""
        return len(self._models) - 1

    def step(self, level: int) -> Step:
        """How a level (from 1) follows from the one below it."""
        self._reach(level)
        return self._steps[level - 1]

    def parents(self, level: int) -> NDArray[np.int32]:
        """(f,) int32: the face of the model itself that each face of a level comes of."""
        if not level:
            return np.arange(self._models[0].face_count, dtype=np.int32)
        return np.repeat(np.repeat(self._face_of, np.diff(self._own[0].face_starts)), 4 ** (level - 1))

    def places(self, level: int) -> NDArray[np.int32]:
        """(v,) int32: one number for all vertices of a level that lie at one place."""
        self._reach(level)
        return self._spot_of[level]

    def model(self, level: int) -> Model:
        """Raises InputError for one with more faces than can be opened."""
        self._reach(level)
        return self._models[level]

    def _reach(self, level: int) -> None:
        while len(self._models) <= level:
            self._add()

    def _add(self) -> None:
        net, own, model = self._nets[-1], self._own[-1], self._models[-1]
        if len(own.vertex) > MAX_FACES:
            raise InputError(f"The next level would have {len(own.vertex):,} faces; at most {MAX_FACES:,} can be opened.")
        v, e = net.count, len(net.ends)
        sums = Around(np.zeros((e, 3)), np.zeros(e, np.int32), np.zeros((v, 3)), np.zeros((v, 3)), np.zeros((v, 3)), np.zeros((v, 3), np.int32))
        fine = net.finer()
        spots = np.empty((fine.count, 3))
        subdivided_places(self._spots[-1], net.face_starts, net.vertex, net.edge_of, net.ends, self._sharp[-1], self._smooth, sums, spots)
        sharp = np.zeros(len(fine.ends), np.uint8)
        sharp[: 2 * e] = np.repeat(self._sharp[-1], 2)
        fine_own, spot_of, edge_spot = self._finer_own(fine)
        step = own.step()
        of = self._face_of if not self._steps else np.arange(model.face_count, dtype=np.int32)
        parent = np.repeat(of, np.diff(own.face_starts))
        made = replace(
            model,
            positions=spots[spot_of].astype(np.float32),
            face_starts=fine_own.face_starts,
            corner_vertex=fine_own.vertex,
            face_part=model.face_part[parent],
            face_material=model.face_material[parent],
            groups=tuple(FaceGroup(g.name, np.flatnonzero(np.isin(parent, g.faces)).astype(np.int32)) for g in model.groups),
            uv_layouts=(),
            vertex_colors=None if model.vertex_colors is None else _between(model.vertex_colors, step),
            vertex_numbers=tuple(VertexNumbers(n.name, _numbers_between(n.values, step)) for n in model.vertex_numbers),
            file_normals=None,
            polygons=None,
        )
        self._nets.append(fine)
        self._own.append(fine_own)
        self._spots.append(spots)
        self._sharp.append(sharp)
        self._spot_of.append(spot_of)
        self._edge_spot.append(edge_spot)
        self._models.append(made)
        self._steps.append(step)

    def _finer_own(self, fine: _Net) -> tuple[_Net, NDArray[np.int32], NDArray[np.int32]]:
        """The next net by vertices as they are, the place of each, and the edge in space of each of its edges."""
        net, own, spot_of, edge_spot = self._nets[-1], self._own[-1], self._spot_of[-1], self._edge_spot[-1]
        if not self._split:
            return fine, np.arange(fine.count, dtype=np.int32), np.arange(len(fine.ends), dtype=np.int32)
        v, e, faces = net.count, len(net.ends), len(net.face_starts) - 1
        new = own.finer()
        places = np.concatenate([spot_of, v + edge_spot, v + e + np.arange(faces, dtype=np.int32)]).astype(np.int32)
        turned = (spot_of[own.ends[:, 0]] != net.ends[edge_spot, 0]).astype(np.int32)
        halves = np.stack([2 * edge_spot + turned, 2 * edge_spot + 1 - turned], axis=1).reshape(-1)
        return new, places, np.concatenate([halves, 2 * e + np.arange(len(own.vertex), dtype=np.int32)]).astype(np.int32)


def _edges(face_starts: NDArray[np.int32], vertex: NDArray[np.int32]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """(e, 2) int32 ends of the edges, lower first, in the order in which corners come to them, and (c,) the edge from each corner to the next."""
    count = len(vertex)
    table = np.full(1 << int(2 * max(count, 1) - 1).bit_length(), -1, np.int32)
    ends, which = np.empty(2 * count, np.int32), np.empty(count, np.int32)
    found = int(number_edges(face_starts, np.ascontiguousarray(vertex, np.int32), table, ends, which))
    return ends[: 2 * found].reshape(-1, 2).copy(), which


def _creased(positions: NDArray[np.float32], net: _Net, which: NDArray[np.int32], edges: int, sharp_deg: float) -> NDArray[np.uint8]:
    """(e,) uint8: edges where two faces meet at more than an angle; which : (c,) the edge in space after each corner."""
    face = np.repeat(np.arange(len(net.face_starts) - 1), np.diff(net.face_starts))
    after = np.arange(1, len(net.vertex) + 1)
    after[net.face_starts[1:] - 1] = net.face_starts[:-1]
    p = positions[net.vertex].astype(np.float64)
    # Newell's normals: of polygons whole, flat or not.
    normal = np.add.reduceat(np.cross(p, p[after]), net.face_starts[:-1].astype(np.intp), axis=0)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    order = np.argsort(which, kind="stable")
    pairs = which[order][1:] == which[order][:-1]
    a, b = face[order][:-1][pairs], face[order][1:][pairs]
    found = np.zeros(edges, np.uint8)
    found[which[order][1:][pairs][np.einsum("ij,ij->i", normal[a], normal[b]) < np.cos(np.radians(sharp_deg))]] = 1
    return found


def _broken(normals: NDArray[np.float32], net: _Net, spot_of: NDArray[np.int32], which: NDArray[np.int32], edges: int) -> NDArray[np.uint8]:
    """(e,) uint8: edges at either end of which the normals of the two faces' corners, (c, 3), are not one."""
    after = np.arange(1, len(net.vertex) + 1)
    after[net.face_starts[1:] - 1] = net.face_starts[:-1]
    order = np.argsort(which, kind="stable")
    pairs = np.flatnonzero(which[order][1:] == which[order][:-1])
    a, b = order[pairs], order[pairs + 1]
    # Neighbours go round an edge in opposite senses, unless one of them is turned over.
    turned = spot_of[net.vertex[a]] == spot_of[net.vertex[b]]
    ends = ((a, np.where(turned, b, after[b])), (after[a], np.where(turned, after[b], b)))
    apart = np.zeros(len(pairs), bool)
    for mine, theirs in ends:
        apart |= np.einsum("ij,ij->i", normals[mine], normals[theirs]) < np.cos(np.radians(SAME_NORMAL_DEG))
    found = np.zeros(edges, np.uint8)
    found[which[a[apart]]] = 1
    return found


def _numbers_between(values: NDArray[np.float32], step: Step) -> NDArray[np.float32]:
    """The same of numbers of any range, by codes between the least and the greatest."""
    low, high = values.min(axis=0), values.max(axis=0)
    width = np.where(high > low, high - low, np.float32(1))
    return np.asarray(_between((values - low) / width, step) * width + low, np.float32)


def _between(values: NDArray[np.float32], step: Step) -> NDArray[np.float32]:
    """(fine, k) of (coarse, k) float32 0–1, by way of 16-bit codes as paint goes."""
    rows = np.rint(values.T * 65535).astype(np.uint16)
    full = np.full((1, len(values)), 65535, np.uint16)
    return (step.up(np.concatenate([rows, full]))[:-1].T / np.float32(65535)).astype(np.float32)

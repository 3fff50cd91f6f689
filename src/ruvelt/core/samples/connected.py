"""What hangs together over the surface inside each cell of a grid of cubes.

Samples of a cell belong to one piece when a path over faces joins them there, through UV seams, borders of sheets and vertices that the
file split, and to different pieces however near they lie when none does: the two sides of a wall, or cloth upon cloth.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.samples import _connected_kernels as k
from ruvelt.core.samples.grid import SampleGrid
from ruvelt.core.samples.pieces import GridPieces

I32 = NDArray[np.int32]
F32 = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Cloud:
    """Points of a model's surface. positions : (rows, 3) float32, object space; face : (rows,) int32; rows : (n,) int32 of those that count."""

    model: Model
    positions: F32
    face: I32
    rows: I32


def _tables(room: int) -> tuple[NDArray[np.int64], I32]:
    size = 1 << int(2 * room).bit_length()
    return np.full(size, -1, np.int64), np.empty(size, np.int32)


class Pieces:
    """Pieces of the surface by cell.

    piece_of : (n,) int32 of each point; cell_of : (pieces,) int32; keys : (cells,) int64 of each cell's place, `BITS` bits an axis from x
    node : (pieces, 8) int32, x fastest, of the piece at each corner of its cell. Pieces of neighbouring cells share the node
    at a corner where they hang together around it.
    """

    def __init__(self, cloud: Cloud, low: F32, cell: float) -> None:
        """`low` : (3,) float32, not above any point; `cell` : edge of a cell, object units."""
        inverse = np.float32(1 / cell)
        in_cell = np.empty(len(cloud.rows), np.int32)
        room = 4096
        while True:
            keys = np.empty(room, np.int64)
            cells, cell_number = _tables(room)
            count = int(k.number_cells(cloud.positions, cloud.rows, low, inverse, cells, cell_number, in_cell, keys))
            if count >= 0:
                break
            room *= 4
        self.keys = keys[:count].copy()
        pair_of, pair_cell, pair_face, parent = _pairs(cloud, low, inverse, in_cell, cells, cell_number)
        comp = np.empty(len(parent), np.int32)
        pieces = int(k.number_roots(parent, comp))
        self.piece_of = comp[pair_of]
        self.cell_of = np.empty(pieces, np.int32)
        self.cell_of[comp] = pair_cell
        self.node, self.nodes = _nodes(self.keys, pair_cell, pair_face, comp, pieces)


def _pairs(cloud: Cloud, low: F32, inverse: np.float32, in_cell: I32, cells: NDArray[np.int64], cell_number: I32) -> tuple[I32, I32, I32, I32]:
    """Faces in cells: number of each point's, the cell and face of each, and what they are joined to."""
    model = cloud.model
    links, faces = model.face_links, model.face_count
    pair_of = np.empty(len(cloud.rows), np.int32)
    room = 4096 + len(cloud.rows) // 4
    while True:
        table, number = _tables(room)
        pair_cell, pair_face, parent = np.empty(room, np.int32), np.empty(room, np.int32), np.empty(room, np.int32)
        count = int(k.number_pairs(in_cell, cloud.rows, cloud.face, faces, table, number, pair_of, pair_cell, pair_face, parent))
        if count >= 0:
            pairs = k.FacePairs(table, number, pair_cell, pair_face, parent)
            count = int(k.join_edges(model.positions, links, low, inverse, cells, cell_number, faces, pairs, count))
        if count >= 0:
            return pair_of, pair_cell[:count], pair_face[:count], parent[:count]
        room *= 2


def _nodes(keys: NDArray[np.int64], pair_cell: I32, pair_face: I32, comp: I32, pieces: int) -> tuple[I32, int]:
    corners = np.empty((len(keys), 8), np.int32)
    room = 2 * len(keys) + 4096
    while True:
        places = int(k.number_places(keys, *_tables(room), corners, room))
        if places >= 0:
            break
        room *= 2
    by_face = np.argsort(pair_face, kind="stable").astype(np.int32)
    parent = np.arange(8 * pieces, dtype=np.int32)
    k.join_places(by_face, pair_cell, pair_face, comp, corners, np.full(places, -1, np.int32), np.empty(places, np.int32), parent)
    node = np.empty(8 * pieces, np.int32)
    count = int(k.number_roots(parent, node))
    return node.reshape(pieces, 8), count


def links_along(node: I32, nodes: int, axis: int) -> tuple[NDArray[np.int64], I32]:
    """Neighbours of each node before and after it along an axis: (nodes + 1,) int64 into (links,) int32."""
    start, index = np.zeros(nodes + 1, np.int64), np.empty(node.size, np.int32)
    count = int(k.link_nodes(node, 1 << axis, start, index))
    return start, index[:count].copy()


def pieces_of(cloud: Cloud, grid: SampleGrid) -> GridPieces:
    """What hangs together in the cells of a grid of samples."""
    pieces = Pieces(replace(cloud, rows=grid.slot), grid.low, grid.cell)
    low = (1 << k.BITS) - 1
    keys = pieces.keys[pieces.cell_of]
    place = np.stack([keys & low, (keys >> k.BITS) & low, keys >> (2 * k.BITS)], axis=1)
    # Those on the last border belong to the grid's last cell.
    place = np.ascontiguousarray(np.minimum(place, grid.dims - 1), np.int32)
    holders = np.concatenate([[0], np.cumsum(np.bincount(pieces.node.ravel(), minlength=pieces.nodes))]).astype(np.int64)
    held_by = (np.argsort(pieces.node.ravel(), kind="stable") // 8).astype(np.int32)
    start, room = np.empty(len(place) + 1, np.int64), 12 * len(place) + 64
    while True:
        beside = np.empty(room, np.int32)
        room = int(k.link_pieces(pieces.node, holders, held_by, np.full(len(place), -1, np.int32), start, beside))
        if room <= len(beside):
            return GridPieces(pieces.piece_of, place, start, beside[:room].copy())

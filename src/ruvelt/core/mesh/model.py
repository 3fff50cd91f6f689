"""The mesh being painted: polygons with their parts, materials, face groups, UV layouts and vertex colours."""

from __future__ import annotations

import io
import json
from dataclasses import asdict, dataclass, field, replace
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.facts import Material, Note, SceneNode, counted
from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.mesh.triangulate import triangulate
from ruvelt.core.mesh.z_curve import along_curve
from ruvelt.core.tolerances import CREASE_DEG, UV_LIMIT

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]

#: More than this and a browser cannot show it; refused before anything is allocated.
MAX_FACES = 20_000_000
#: Vertices lie nearer to the origin than this, so that cameras that look at them are within a camera's own limit.
FARTHEST = 1e11
# The header of an .npy is parsed as Python, and CPython up to 3.11.8 counts the depth of that for all threads in one place:
# two at once end in a SystemError (gh-106905).
_READING = Lock()


@dataclass(frozen=True, eq=False)
class FaceGroup:
    """`faces`: (k,) int32 face indices, ascending."""

    name: str
    faces: I32


@dataclass(frozen=True, eq=False)
class TextureCoords:
    """`uvs`: (u, 2) float32, UV space with v up; `corner_uv`: (c,) int32 into `uvs`, -1 where a corner has none.

    number : the file's number of the set, or -1 of a layout that was made here
    """

    name: str
    uvs: F32
    corner_uv: I32
    number: int = -1


@dataclass(frozen=True, eq=False)
class VertexNumbers:
    """Numbers that a file gave its vertices under a name. `values`: (v, k) float32, k 1 or 3, as the file has them."""

    name: str
    values: F32


@dataclass(frozen=True, eq=False)
class Polygons:
    """Polygons as a file had them, where a layout had to cut some: levels of subdivision are made of these.

    starts : (p + 1,) int32; vertex : (c,) int32; face : (p,) int32 the face that stands for each, its first piece
    """

    starts: I32
    vertex: I32
    face: I32


@dataclass(frozen=True, eq=False)
class Model:
    """A polygon mesh in file order.

    positions : (v, 3) float32, object space, Y up
    face_starts : (f + 1,) int32; the corners of face i are face_starts[i] … face_starts[i + 1]
    corner_vertex : (c,) int32
    face_part, face_material : (f,) int32 into `parts` and `materials`
    uv_layouts : the first is painted; the others are kept as the file has them
    vertex_colors : (v, 4) float32 sRGB-encoded RGBA 0–1, or None
    vertex_numbers : what else the file says of each vertex
    file_normals : (c, 3) float32 unit vectors, or None when the file brought none
    nodes : the file's tree, parents before children; none where each part stands by itself
    polygons : those that faces were cut from, if any were
    crease_deg : faces that meet at no more than this are smooth where the file brought no normals; a setting of the project, not of the file
    """

    name: str
    positions: F32
    face_starts: I32
    corner_vertex: I32
    parts: tuple[str, ...]
    face_part: I32
    materials: tuple[Material, ...]
    face_material: I32
    groups: tuple[FaceGroup, ...] = ()
    uv_layouts: tuple[TextureCoords, ...] = ()
    vertex_colors: F32 | None = None
    file_normals: F32 | None = None
    notes: tuple[Note, ...] = field(default=())
    nodes: tuple[SceneNode, ...] = ()
    crease_deg: float = CREASE_DEG
    polygons: Polygons | None = None
    vertex_numbers: tuple[VertexNumbers, ...] = ()

    @property
    def face_count(self) -> int:
        return len(self.face_starts) - 1

    @property
    def vertex_count(self) -> int:
        return len(self.positions)

    @lazy
    def triangle_corners(self) -> I32:
        """(t, 3) int32 corner indices; quads split along the shorter diagonal, larger polygons by ear clipping."""
        return self._triangulated[0]

    @lazy
    def triangle_face(self) -> I32:
        """(t,) int32: the face each triangle belongs to."""
        return self._triangulated[1]

    @lazy
    def _triangulated(self) -> tuple[I32, I32]:
        return triangulate(self.positions, self.face_starts, self.corner_vertex)

    @lazy
    def triangles(self) -> I32:
        """(t, 3) int32 vertex indices."""
        return np.ascontiguousarray(self.corner_vertex[self.triangle_corners])

    @lazy
    def welded(self) -> I32:
        """(v,) int32: one id for all vertices at the same place (files split vertices along seams).

        Ids follow the bytes of the places, low addresses first: stored seams name vertices by them.
        """
        places = np.ascontiguousarray(self.positions + np.float32(0))
        number, first = equal_rows(places)
        x, y, z = places[first].view(">u4").astype(np.uint64).T
        order = np.lexsort((z, (x << np.uint64(32)) | y))
        rank = np.empty(len(first), np.int32)
        rank[order] = np.arange(len(first), dtype=np.int32)
        return rank[number]

    @lazy
    def curve(self) -> I32:
        """(v,) int32 vertices in the order of a Z-curve through space."""
        return along_curve(self.positions)

    @lazy
    def face_links(self) -> I32:
        """See `neighbours.linked_faces`."""
        from ruvelt.core.mesh.neighbours import linked_faces

        return linked_faces(self)

    @property
    def bounds(self) -> tuple[F32, F32]:
        return self.positions.min(axis=0), self.positions.max(axis=0)

    @lazy
    def diagonal(self) -> float:
        low, high = self.bounds
        return float(np.linalg.norm(high.astype(np.float64) - low)) or 1.0

    @lazy
    def width(self) -> float:
        """The longest side of the bounding box, object units; relative brush sizes refer to it."""
        low, high = self.bounds
        return float((high - low).max()) or 1.0

    def checked(self) -> Model:
        """Return self, or raise InputError naming the first thing no later step could work with."""
        if self.face_count < 1 or self.vertex_count < 3:
            raise InputError("The file holds no faces. Export the mesh with its faces (not as points or curves) and bring it in again.")
        if self.face_count > MAX_FACES:
            raise InputError(f"The mesh has {self.face_count:,} faces; at most {MAX_FACES:,} can be opened. Reduce it first.")
        if not np.isfinite(self.positions).all():
            bad = int(np.argmin(np.isfinite(self.positions).all(axis=1)))
            raise InputError(f"Vertex {bad} has a position that is not a number. Repair the mesh and export it again.")
        if np.abs(self.positions).max() > FARTHEST:
            raise InputError(f"A vertex lies more than {FARTHEST:g} units from the origin. Repair or rescale the mesh and export it again.")
        if self.corner_vertex.min() < 0 or self.corner_vertex.max() >= self.vertex_count:
            raise InputError(f"A face points at a vertex that does not exist (there are {self.vertex_count}). Export the mesh again.")
        if np.diff(self.face_starts).min() < 3:
            raise InputError("A face has fewer than three corners. Clean up the mesh and export it again.")
        for layout in self.uv_layouts:
            if not np.isfinite(layout.uvs).all():
                raise InputError(f"UV layout '{layout.name}' holds a value that is not a number. Unwrap again or export again.")
        return self.bounded()

    def bounded(self) -> Model:
        """The model without UVs that lie so far out that no texel could be told from the next; a note and a finding tell of them."""
        layouts, notes = [], list(self.notes)
        for layout in self.uv_layouts:
            far = np.asarray((np.abs(layout.uvs) > UV_LIMIT).any(axis=1))
            if far.any():
                corners = np.where((layout.corner_uv >= 0) & far[np.maximum(layout.corner_uv, 0)], -1, layout.corner_uv).astype(np.int32)
                layout = replace(layout, uvs=np.where(far[:, None], np.float32(0), layout.uvs), corner_uv=corners)
                text = f"{counted(int(far.sum()), 'UV')} lay more than {UV_LIMIT:,.0f} squares away. Fold them into the square, or unwrap."
                notes.append(Note(layout.name, "left out", text))
            layouts.append(layout)
        return self if len(notes) == len(self.notes) else replace(self, uv_layouts=tuple(layouts), notes=tuple(notes))

    def to_bytes(self) -> bytes:
        """An .npz archive with one array a field and a JSON header; `from_bytes` reads it back."""
        arrays = {
            "positions": self.positions,
            "face_starts": self.face_starts,
            "corner_vertex": self.corner_vertex,
            "face_part": self.face_part,
            "face_material": self.face_material,
        }
        for key, optional in (("vertex_colors", self.vertex_colors), ("file_normals", self.file_normals)):
            if optional is not None:
                arrays[key] = optional
        if self.polygons is not None:
            arrays |= {"polygon_starts": self.polygons.starts, "polygon_vertex": self.polygons.vertex, "polygon_face": self.polygons.face}
        arrays |= {f"numbers_{i}": n.values for i, n in enumerate(self.vertex_numbers)}
        for i, group in enumerate(self.groups):
            arrays[f"group_{i}"] = group.faces
        for i, layout in enumerate(self.uv_layouts):
            arrays[f"uvs_{i}"], arrays[f"corner_uv_{i}"] = layout.uvs, layout.corner_uv
        header = {
            "name": self.name,
            "parts": self.parts,
            "materials": [asdict(m) for m in self.materials],
            "groups": [g.name for g in self.groups],
            "vertex_numbers": [n.name for n in self.vertex_numbers],
            "uv_layouts": [[u.name, u.number] for u in self.uv_layouts],
            "notes": [asdict(n) for n in self.notes],
            "nodes": [asdict(n) for n in self.nodes],
        }
        arrays["header"] = np.frombuffer(json.dumps(header).encode(), np.uint8)
        out = io.BytesIO()
        np.savez(out, **arrays)  # type: ignore[arg-type]
        return out.getvalue()

    @staticmethod
    def from_bytes(data: bytes) -> Model:
        with _READING, np.load(io.BytesIO(data), allow_pickle=False) as z:
            header = json.loads(z["header"].tobytes())
            return Model(
                name=header["name"],
                positions=z["positions"],
                face_starts=z["face_starts"],
                corner_vertex=z["corner_vertex"],
                parts=tuple(header["parts"]),
                face_part=z["face_part"],
                materials=tuple(_material(m) for m in header["materials"]),
                face_material=z["face_material"],
                groups=tuple(FaceGroup(n, z[f"group_{i}"]) for i, n in enumerate(header["groups"])),
                uv_layouts=tuple(
                    TextureCoords(u if isinstance(u, str) else u[0], z[f"uvs_{i}"], z[f"corner_uv_{i}"], i if isinstance(u, str) else u[1])
                    for i, u in enumerate(header["uv_layouts"])
                ),
                vertex_colors=z["vertex_colors"] if "vertex_colors" in z else None,
                file_normals=z["file_normals"] if "file_normals" in z else None,
                notes=tuple(Note("File", "left out", n) if isinstance(n, str) else Note(**n) for n in header["notes"]),
                polygons=Polygons(z["polygon_starts"], z["polygon_vertex"], z["polygon_face"]) if "polygon_starts" in z else None,
                vertex_numbers=tuple(VertexNumbers(n, z[f"numbers_{i}"]) for i, n in enumerate(header.get("vertex_numbers", []))),
                nodes=tuple(SceneNode(**{**n, "matrix": tuple(n["matrix"])}) for n in header.get("nodes", [])),
            ).bounded()


def _material(stored: Any) -> Material:
    """A material of a stored model; the first models kept four facts in a row."""
    facts: dict[str, Any] = dict(zip(("name", "base_color", "roughness", "metallic"), stored, strict=True)) if isinstance(stored, list) else stored
    values: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in facts.items()}
    return Material(**values)

"""glTF 2.0 and GLB (Khronos specification). Our own reader, because vertex order, every TEXCOORD set and part names must survive."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import linear_to_srgb_float
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import Material, Note, PictureUse, SceneNode, counted
from ruvelt.core.mesh.model import MAX_FACES, Model, TextureCoords
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.asset import Asset
from ruvelt.core.mesh.readers.companions import Companions
from ruvelt.core.mesh.readers.gltf_buffers import WIDTH, Buffers, item
from ruvelt.core.mesh.readers.gltf_document import Document, Mesh, Node, Primitive, parse
from ruvelt.core.mesh.readers.gltf_draco import DracoParts
from ruvelt.core.mesh.readers.gltf_materials import MaterialReader


def read(data: bytes, name: str, companions: Mapping[str, bytes], allowance: Allowance) -> Asset:
    """Read .glb or .gltf; buffers and pictures may be inside, in data URIs or among `companions`. Nodes become parts, transforms are applied."""
    document, chunk = parse(data)
    return _Loader(document, chunk, Companions(companions), allowance).build(name)


class _Loader:
    def __init__(self, document: Document, chunk: bytes | None, companions: Companions, allowance: Allowance) -> None:
        self.document, self._allowance, self._companions = document, allowance, companions
        self.buffers = Buffers(document, chunk, companions, allowance)
        self.draco = DracoParts(document, self.buffers, allowance)
        self.notes: list[Note] = []

    def _roots(self) -> list[int]:
        document = self.document
        if document.scenes:
            return item(document.scenes, document.scene or 0, "scene").nodes
        children = {c for n in document.nodes for c in n.children}
        return [i for i in range(len(document.nodes)) if i not in children]

    def _walk(self) -> list[tuple[int, int, NDArray[np.float64]]]:
        """Every node that the scene reaches, parents first, as (number, place of its parent in this list or -1, world matrix)."""
        found: list[tuple[int, int, NDArray[np.float64]]] = []
        seen: set[int] = set()
        stack = [(r, -1, np.eye(4)) for r in reversed(self._roots())]
        while stack:
            index, parent, above = stack.pop()
            node = item(self.document.nodes, index, "node")
            if index in seen:
                raise InputError("The glTF's nodes form a loop. Export it again.")
            seen.add(index)
            world = above @ local_matrix(node)
            found.append((index, parent, world))
            stack += [(c, len(found) - 1, world) for c in reversed(node.children)]
        return found

    def _bound(self, node: Node, worlds: dict[int, NDArray[np.float64]], own: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where a skinned mesh stands: where all its joints agree that it does; posed ones stay in their bind pose."""
        if node.skin is None or node.skin >= len(self.document.skins):
            return own
        skin = self.document.skins[node.skin]
        joints = [j for j in skin.joints if j in worlds]
        if not joints or len(joints) != len(skin.joints):
            return own
        inverse = np.tile(np.eye(4), (len(joints), 1, 1))
        if skin.inverseBindMatrices is not None:
            given = self.buffers.array(skin.inverseBindMatrices, 16).astype(np.float64)
            if len(given) < len(joints):
                return own
            inverse = given[: len(joints)].reshape(-1, 4, 4).swapaxes(1, 2)
        placed = np.array([worlds[j] for j in joints]) @ inverse
        size = max(float(np.abs(placed[0]).max()), 1e-9)
        same = np.isfinite(placed).all() and bool((np.abs(placed - placed[0]) <= 1e-3 * size).all())
        return placed[0] if same else own

    def build(self, name: str) -> Asset:
        positions, colors, normals = [], [], []
        uvs: dict[str, dict[int, NDArray[np.float32]]] = {}
        indices: list[NDArray[np.int64]] = []
        part_of, material_of = [], []
        parts: list[str] = []
        nodes: list[SceneNode] = []
        taken: set[str] = set()
        base = faces = 0
        walked = self._walk()
        worlds = {index: world for index, _, world in walked}
        for index, parent, world in walked:
            node = self.document.nodes[index]
            matrix = tuple(float(v) for v in local_matrix(node).T.ravel())
            if node.mesh is None:
                nodes.append(SceneNode(node.name, parent, -1, matrix))
                continue
            mesh: Mesh = item(self.document.meshes, node.mesh, "mesh")
            part = node.name or mesh.name or f"Part {len(parts) + 1}"
            part = part if part not in taken else f"{part} {len(parts) + 1}"
            taken.add(part)
            nodes.append(SceneNode(node.name, parent, len(parts), matrix))
            parts.append(part)
            place = self._bound(node, worlds, world)
            for primitive in mesh.primitives:
                if "POSITION" not in primitive.attributes or primitive.mode not in (4, 5, 6):
                    self.notes.append(Note(part, "left out", "Points or lines: only faces can be painted."))
                    continue
                self._ask(primitive)
                points = self._attribute(primitive, "POSITION", 3).astype(np.float64)
                tri = self._triangles(primitive, len(points))
                faces += len(tri)
                if faces > MAX_FACES:
                    raise InputError(f"The mesh has more than {MAX_FACES:,} faces. Reduce it first.")
                if np.linalg.det(place[:3, :3]) < 0:
                    tri = tri[:, ::-1]
                positions.append((points @ place[:3, :3].T + place[:3, 3]).astype(np.float32))
                normals.append(self._normals(primitive, len(points), place))
                colors.append(self._colors(primitive, len(points)))
                for key in [k for k in primitive.attributes if k.startswith("TEXCOORD_")]:
                    uv = self._attribute(primitive, key, 2).astype(np.float32)
                    if len(uv) != len(points):
                        raise InputError("A UV set has another length than its vertices. Export the file again.")
                    uvs.setdefault(key, {})[base] = np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1)
                indices.append(tri + base)
                part_of.append(np.full(len(tri), len(parts) - 1, np.int32))
                material_of.append(np.full(len(tri), -1 if primitive.material is None else primitive.material, np.int32))
                base += len(points)
        if not indices or not faces:
            raise InputError("The glTF holds no triangles. Export the mesh with its faces.")
        corner_vertex = np.concatenate(indices).reshape(-1).astype(np.int32)
        reader = MaterialReader(self.document, self.buffers.view, self._companions, self.notes)
        materials, face_material, uses = self._materials(np.concatenate(material_of), reader)
        stacked = [n for n in normals if n is not None]
        self._name_what_stays_out()
        model = Model(
            name=name,
            positions=np.concatenate(positions),
            face_starts=np.arange(0, len(corner_vertex) + 1, 3, dtype=np.int32),
            corner_vertex=corner_vertex,
            parts=tuple(parts),
            face_part=np.concatenate(part_of),
            materials=materials,
            face_material=face_material,
            uv_layouts=tuple(_layout(key, found, base, corner_vertex) for key, found in sorted(uvs.items(), key=lambda kv: _number(kv[0]))),
            vertex_colors=_stack_colors(colors, [len(p) for p in positions]),
            file_normals=np.concatenate(stacked)[corner_vertex] if len(stacked) == len(normals) else None,
            notes=tuple(self.notes),
            nodes=tuple(nodes),
        )
        return Asset(model, tuple(reader.pictures), uses, colors_multiply=True)

    def _name_what_stays_out(self) -> None:
        """One note for each kind of thing in the file that has no place here."""
        document = self.document
        morphs = sum(bool(p.targets) for m in document.meshes for p in m.primitives)
        lights = document.extensions.get("KHR_lights_punctual")
        for there, text in (
            (bool(document.skins), "The skin: the mesh stays in its bind pose."),
            (bool(document.animations), f"{counted(len(document.animations), 'animation')}: the mesh stands still."),
            (bool(morphs), "Morph targets: the mesh keeps its base shape."),
            (bool(document.cameras), "Cameras."),
            (isinstance(lights, dict) and bool(lights.get("lights")), "Lights."),
            (bool(document.extensions.get("KHR_materials_variants")), "Variants of materials: each part has its first one."),
        ):
            if there:
                self.notes.append(Note("File", "left out", text))

    def _attribute(self, primitive: Primitive, name: str, width: int) -> NDArray[Any]:
        packed = self.draco.array(primitive, name, width)
        return self.buffers.array(primitive.attributes[name], width) if packed is None else packed

    def _ask(self, primitive: Primitive) -> None:
        """Ask for the memory of a primitive; a mesh that many nodes show counts each time."""
        position = item(self.document.accessors, primitive.attributes["POSITION"], "accessor")
        count = position.count if primitive.indices is None else item(self.document.accessors, primitive.indices, "accessor").count
        self._allowance.take_mesh(position.count, count if primitive.mode == 4 else 3 * count)

    def _triangles(self, primitive: Primitive, count: int) -> NDArray[np.int64]:
        flat = self._flat_indices(primitive, count)
        if flat.size and flat.max() >= count:
            raise InputError(f"A triangle points at vertex {int(flat.max())}, but the mesh has {count}. Export the file again.")
        if primitive.mode == 4:
            return flat[: len(flat) // 3 * 3].reshape(-1, 3)
        k = np.arange(max(len(flat) - 2, 0))
        if primitive.mode == 5:
            return flat[np.stack([k, k + 1 + k % 2, k + 2 - k % 2], axis=1)] if len(k) else np.zeros((0, 3), np.int64)
        return flat[np.stack([k * 0, k + 1, k + 2], axis=1)] if len(k) else np.zeros((0, 3), np.int64)

    def _flat_indices(self, primitive: Primitive, count: int) -> NDArray[np.int64]:
        packed = self.draco.triangles(primitive)
        if packed is not None:
            return packed.reshape(-1)
        return np.arange(count) if primitive.indices is None else self.buffers.array(primitive.indices, 1)[:, 0].astype(np.int64)

    def _normals(self, primitive: Primitive, count: int, world: NDArray[np.float64]) -> NDArray[np.float32] | None:
        if "NORMAL" not in primitive.attributes:
            return None
        found = self._attribute(primitive, "NORMAL", 3).astype(np.float64)
        linear = world[:3, :3]
        if len(found) != count or abs(np.linalg.det(linear)) < 1e-30 or not np.isfinite(found).all():
            return None
        found = found @ np.linalg.inv(linear)
        length = np.linalg.norm(found, axis=1, keepdims=True)
        return (found / length).astype(np.float32) if (length > 0).all() else None

    def _colors(self, primitive: Primitive, count: int) -> NDArray[np.float32] | None:
        if "COLOR_0" not in primitive.attributes:
            return None
        index = primitive.attributes["COLOR_0"]
        width = WIDTH.get(item(self.document.accessors, index, "accessor").type, 0)
        found = self._attribute(primitive, "COLOR_0", width if width in (3, 4) else 4).astype(np.float32)
        if len(found) != count:
            self.notes.append(Note("File", "left out", f"Vertex colours of a part: {len(found):,} for {count:,} vertices. Export it again."))
            return None
        rgb = linear_to_srgb_float(np.clip(found[:, :3], 0, 1)).astype(np.float32)
        alpha = np.clip(found[:, 3:4], 0, 1) if found.shape[1] == 4 else np.ones((count, 1), np.float32)
        return np.concatenate([rgb, alpha], axis=1).astype(np.float32)

    def _materials(
        self, used: NDArray[np.int32], reader: MaterialReader
    ) -> tuple[tuple[Material, ...], NDArray[np.int32], tuple[tuple[PictureUse, ...], ...]]:
        slots = sorted({int(i) for i in used})
        made = []
        for slot in slots:
            if slot >= len(self.document.materials):
                raise InputError(f"The glTF names material {slot}, but has only {len(self.document.materials)}. Export it again.")
            made.append((Material("Default"), ()) if slot < 0 else reader.read(slot))
        return tuple(m for m, _ in made), np.searchsorted(slots, used).astype(np.int32), tuple(u for _, u in made)


def local_matrix(node: Node) -> NDArray[np.float64]:
    """(4, 4) float64 of a node under its parent, for columns."""
    if node.matrix is not None:
        return np.array(node.matrix, np.float64).reshape(4, 4).T
    x, y, z, w = node.rotation
    n = x * x + y * y + z * z + w * w
    s = 2.0 / n if n > 0 else 0.0
    rotation = np.array(
        [
            [1 - s * (y * y + z * z), s * (x * y - z * w), s * (x * z + y * w)],
            [s * (x * y + z * w), 1 - s * (x * x + z * z), s * (y * z - x * w)],
            [s * (x * z - y * w), s * (y * z + x * w), 1 - s * (x * x + y * y)],
        ]
    )
    out = np.eye(4)
    out[:3, :3] = rotation * np.array(node.scale)
    out[:3, 3] = node.translation
    return out


def _layout(key: str, found: dict[int, NDArray[np.float32]], count: int, corner_vertex: NDArray[np.int32]) -> TextureCoords:
    """One UV layout over all vertices; vertices of primitives that lack the set have no UV."""
    uvs = np.zeros((count, 2), np.float32)
    has = np.zeros(count, bool)
    for base, values in found.items():
        uvs[base : base + len(values)] = values
        has[base : base + len(values)] = True
    number = _number(key)
    name = "UV" if number == 0 else f"UV {number + 1}"
    return TextureCoords(name, uvs, np.where(has[corner_vertex], corner_vertex, -1).astype(np.int32), number)


def _number(key: str) -> int:
    tail = key.rsplit("_", 1)[1]
    return int(tail) if tail.isdigit() and len(tail) < 4 else 0


def _stack_colors(colors: list[NDArray[np.float32] | None], counts: list[int]) -> NDArray[np.float32] | None:
    if all(c is None for c in colors):
        return None
    return np.concatenate([c if c is not None else np.ones((n, 4), np.float32) for c, n in zip(colors, counts, strict=True)])


READS = {".glb": read, ".gltf": read}

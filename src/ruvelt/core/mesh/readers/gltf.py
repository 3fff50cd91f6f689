"""glTF 2.0 and GLB (Khronos specification). Our own reader, because vertex order, every TEXCOORD set and part names must survive."""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Mapping
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, ValidationError

from ruvelt.core.color.encoding import linear_to_srgb_float
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import MAX_FACES, Material, Model, TextureCoords
from ruvelt.core.mesh.readers.allowance import Allowance

_COMPONENT = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
Index = Annotated[int, Field(ge=0)]


class _Accessor(BaseModel):
    bufferView: Index | None = None
    byteOffset: Index = 0
    componentType: int
    count: Annotated[int, Field(ge=0, le=4 * MAX_FACES)]
    type: str
    normalized: bool = False
    sparse: dict[str, Any] | None = None


class _View(BaseModel):
    buffer: Index
    byteOffset: Index = 0
    byteLength: Index
    byteStride: Annotated[int, Field(ge=4, le=252)] | None = None


class _Buffer(BaseModel):
    byteLength: Index
    uri: str | None = None


class _Primitive(BaseModel):
    attributes: dict[str, Index]
    indices: Index | None = None
    material: Index | None = None
    mode: int = 4
    extensions: dict[str, Any] = {}


class _Mesh(BaseModel):
    primitives: list[_Primitive]
    name: str = ""


class _Node(BaseModel):
    mesh: Index | None = None
    name: str = ""
    children: list[Index] = []
    matrix: Annotated[list[float], Field(min_length=16, max_length=16)] | None = None
    translation: Annotated[list[float], Field(min_length=3, max_length=3)] = [0, 0, 0]
    rotation: Annotated[list[float], Field(min_length=4, max_length=4)] = [0, 0, 0, 1]
    scale: Annotated[list[float], Field(min_length=3, max_length=3)] = [1, 1, 1]


class _Pbr(BaseModel):
    baseColorFactor: Annotated[list[float], Field(min_length=4, max_length=4)] = [1, 1, 1, 1]
    roughnessFactor: float = 1.0
    metallicFactor: float = 1.0


class _Material(BaseModel):
    name: str = ""
    pbrMetallicRoughness: _Pbr = _Pbr()


class _Scene(BaseModel):
    nodes: list[Index] = []


class _Document(BaseModel):
    accessors: list[_Accessor] = []
    bufferViews: list[_View] = []
    buffers: list[_Buffer] = []
    meshes: list[_Mesh] = []
    nodes: list[_Node] = []
    materials: list[_Material] = []
    scenes: list[_Scene] = []
    scene: Index | None = None
    extensionsRequired: list[str] = []


def read(data: bytes, name: str, companions: Mapping[str, bytes], allowance: Allowance) -> Model:
    """Read .glb or .gltf; buffers may be inside, in data URIs or among `companions`. Nodes become parts, transforms are applied."""
    text, chunk = _split_glb(data) if data[:4] == b"glTF" else (data, None)
    try:
        document = _Document.model_validate(json.loads(text))
    except (ValueError, RecursionError) as error:
        where = ".".join(str(p) for p in error.errors()[0]["loc"]) if isinstance(error, ValidationError) else "JSON"
        raise InputError(f"The glTF description cannot be read (at {where}). Export the file again.") from None
    unsupported = [e for e in document.extensionsRequired if e not in ("KHR_materials_unlit", "KHR_texture_transform", "KHR_mesh_quantization")]
    if unsupported:
        raise InputError(f"The file needs the glTF extension {unsupported[0]}. Export it again without compression or extensions.")
    return _Loader(document, chunk, companions, allowance).build(name)


def _split_glb(data: bytes) -> tuple[bytes, bytes | None]:
    broken = InputError("The GLB is cut off or damaged (its lengths do not fit its size). Export it again.")
    if len(data) < 20:
        raise broken
    version, total = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise InputError(f"This is glTF version {version}; only version 2 can be read. Export it as glTF 2.0.")
    if total > len(data):
        raise broken
    chunks: dict[bytes, bytes] = {}
    at = 12
    while at + 8 <= total:
        length, kind = struct.unpack_from("<I4s", data, at)
        if at + 8 + length > total:
            raise broken
        chunks.setdefault(kind, data[at + 8 : at + 8 + length])
        at += 8 + length
    if b"JSON" not in chunks:
        raise broken
    return chunks[b"JSON"], chunks.get(b"BIN\0")


class _Loader:
    def __init__(self, document: _Document, chunk: bytes | None, companions: Mapping[str, bytes], allowance: Allowance) -> None:
        self.document, self._allowance = document, allowance
        self.buffers = [self._buffer(i, b, chunk, companions) for i, b in enumerate(document.buffers)]

    def _buffer(self, index: int, buffer: _Buffer, chunk: bytes | None, companions: Mapping[str, bytes]) -> bytes:
        if buffer.uri is None:
            if index != 0 or chunk is None:
                raise InputError("The glTF names a buffer that is not in the file. Export it as one .glb file.")
            found = chunk
        elif buffer.uri.startswith("data:"):
            try:
                found = base64.b64decode(buffer.uri.split(",", 1)[1], validate=True)
            except (IndexError, binascii.Error):
                raise InputError("A buffer inside the glTF is damaged. Export it again, as .glb.") from None
        else:
            bare = buffer.uri.replace("\\", "/").split("/")[-1]
            if bare not in companions:
                raise InputError(f"The glTF needs '{bare}' beside it. Choose both files together, or export as one .glb file.")
            found = companions[bare]
        if len(found) < buffer.byteLength:
            raise InputError(f"A buffer holds {len(found):,} of {buffer.byteLength:,} bytes: the file is cut off. Export it again.")
        return found

    def _item(self, items: list[Any], index: int, what: str) -> Any:
        if index >= len(items):
            raise InputError(f"The glTF names {what} {index}, but has only {len(items)}. Export it again.")
        return items[index]

    def array(self, index: int, width: int) -> NDArray[Any]:
        """(count, width) values of an accessor; normalised integers become 0–1 or −1–1 floats."""
        accessor: _Accessor = self._item(self.document.accessors, index, "accessor")
        if accessor.sparse is not None:
            raise InputError("The file uses sparse accessors, which cannot be read. Export it without them.")
        if _WIDTH.get(accessor.type) != width or accessor.componentType not in _COMPONENT:
            raise InputError(f"Accessor {index} is {accessor.type}; {width} values were expected. Export the file again.")
        dtype = np.dtype(_COMPONENT[accessor.componentType]).newbyteorder("<")
        item = dtype.itemsize * width
        if accessor.bufferView is None:
            # The format allows it, and it says zeros; a count that no byte stands for is still only a claim.
            self._allowance.take(accessor.count * item, f"{accessor.count:,} values that the file does not hold")
            return np.zeros((accessor.count, width), dtype)
        view: _View = self._item(self.document.bufferViews, accessor.bufferView, "buffer view")
        buffer: bytes = self._item(self.buffers, view.buffer, "buffer")
        stride = view.byteStride or item
        start = view.byteOffset + accessor.byteOffset
        need = (accessor.count - 1) * stride + item if accessor.count else 0
        if stride < item or accessor.byteOffset + need > view.byteLength or start + need > len(buffer):
            raise InputError(f"Accessor {index} reaches past the end of its data: the file is cut off or damaged. Export it again.")
        if not accessor.count:
            return np.zeros((0, width), dtype)
        found = np.ndarray((accessor.count, width), dtype, buffer, start, (stride, dtype.itemsize))
        if accessor.normalized and dtype.kind in "iu":
            top = float(np.iinfo(_COMPONENT[accessor.componentType]).max)  # type: ignore[type-var]
            return np.asarray(np.maximum(found.astype(np.float64) / top, -1), np.float32)
        return found

    def instances(self) -> list[tuple[_Node, NDArray[np.float64]]]:
        """Every node with a mesh that the scene reaches, with its world matrix."""
        nodes, document = self.document.nodes, self.document
        if document.scenes:
            roots = self._item(document.scenes, document.scene or 0, "scene").nodes
        else:
            children = {c for n in nodes for c in n.children}
            roots = [i for i in range(len(nodes)) if i not in children]
        found, seen = [], set()
        stack = [(r, np.eye(4)) for r in reversed(roots)]
        while stack:
            index, parent = stack.pop()
            node: _Node = self._item(nodes, index, "node")
            if index in seen:
                raise InputError("The glTF's nodes form a loop. Export it again.")
            seen.add(index)
            world = parent @ _local_matrix(node)
            if node.mesh is not None:
                found.append((node, world))
            stack += [(c, world) for c in reversed(node.children)]
        return found

    def build(self, name: str) -> Model:
        positions, colors, normals = [], [], []
        uvs: dict[str, dict[int, NDArray[np.float32]]] = {}
        indices: list[NDArray[np.int64]] = []
        part_of, material_of = [], []
        parts: list[str] = []
        taken: set[str] = set()
        base = faces = 0
        for node, world in self.instances():
            assert node.mesh is not None
            mesh: _Mesh = self._item(self.document.meshes, node.mesh, "mesh")
            part = node.name or mesh.name or f"Part {len(parts) + 1}"
            part = part if part not in taken else f"{part} {len(parts) + 1}"
            taken.add(part)
            parts.append(part)
            for primitive in mesh.primitives:
                if "POSITION" not in primitive.attributes or primitive.mode not in (4, 5, 6):
                    continue
                self._ask(primitive)
                points = self.array(primitive.attributes["POSITION"], 3).astype(np.float64)
                tri = self._triangles(primitive, len(points))
                faces += len(tri)
                if faces > MAX_FACES:
                    raise InputError(f"The mesh has more than {MAX_FACES:,} faces. Reduce it first.")
                if np.linalg.det(world[:3, :3]) < 0:
                    tri = tri[:, ::-1]
                positions.append((points @ world[:3, :3].T + world[:3, 3]).astype(np.float32))
                normals.append(self._normals(primitive, len(points), world))
                colors.append(self._colors(primitive, len(points)))
                for key in [k for k in primitive.attributes if k.startswith("TEXCOORD_")]:
                    uv = self.array(primitive.attributes[key], 2).astype(np.float32)
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
        materials, face_material = self._materials(np.concatenate(material_of))
        stacked = [n for n in normals if n is not None]
        return Model(
            name=name,
            positions=np.concatenate(positions),
            face_starts=np.arange(0, len(corner_vertex) + 1, 3, dtype=np.int32),
            corner_vertex=corner_vertex,
            parts=tuple(parts),
            face_part=np.concatenate(part_of),
            materials=materials,
            face_material=face_material,
            uv_layouts=tuple(_layout(key, found, base, corner_vertex) for key, found in sorted(uvs.items())),
            vertex_colors=_stack_colors(colors, [len(p) for p in positions]),
            file_normals=np.concatenate(stacked)[corner_vertex] if len(stacked) == len(normals) else None,
        )

    def _ask(self, primitive: _Primitive) -> None:
        """Ask for the memory of a primitive; a mesh that many nodes show counts each time."""
        position: _Accessor = self._item(self.document.accessors, primitive.attributes["POSITION"], "accessor")
        count = position.count if primitive.indices is None else self._item(self.document.accessors, primitive.indices, "accessor").count
        self._allowance.take_mesh(position.count, count if primitive.mode == 4 else 3 * count)

    def _triangles(self, primitive: _Primitive, count: int) -> NDArray[np.int64]:
        flat = np.arange(count) if primitive.indices is None else self.array(primitive.indices, 1)[:, 0].astype(np.int64)
        if flat.size and flat.max() >= count:
            raise InputError(f"A triangle points at vertex {int(flat.max())}, but the mesh has {count}. Export the file again.")
        if primitive.mode == 4:
            return flat[: len(flat) // 3 * 3].reshape(-1, 3)
        k = np.arange(max(len(flat) - 2, 0))
        if primitive.mode == 5:
            return flat[np.stack([k, k + 1 + k % 2, k + 2 - k % 2], axis=1)] if len(k) else np.zeros((0, 3), np.int64)
        return flat[np.stack([k * 0, k + 1, k + 2], axis=1)] if len(k) else np.zeros((0, 3), np.int64)

    def _normals(self, primitive: _Primitive, count: int, world: NDArray[np.float64]) -> NDArray[np.float32] | None:
        if "NORMAL" not in primitive.attributes:
            return None
        found = self.array(primitive.attributes["NORMAL"], 3).astype(np.float64)
        linear = world[:3, :3]
        if len(found) != count or abs(np.linalg.det(linear)) < 1e-30 or not np.isfinite(found).all():
            return None
        found = found @ np.linalg.inv(linear)
        length = np.linalg.norm(found, axis=1, keepdims=True)
        return (found / length).astype(np.float32) if (length > 0).all() else None

    def _colors(self, primitive: _Primitive, count: int) -> NDArray[np.float32] | None:
        if "COLOR_0" not in primitive.attributes:
            return None
        index = primitive.attributes["COLOR_0"]
        width = _WIDTH.get(self._item(self.document.accessors, index, "accessor").type, 0)
        found = self.array(index, width if width in (3, 4) else 4).astype(np.float32)
        if len(found) != count:
            return None
        rgb = linear_to_srgb_float(np.clip(found[:, :3], 0, 1)).astype(np.float32)
        alpha = np.clip(found[:, 3:4], 0, 1) if found.shape[1] == 4 else np.ones((count, 1), np.float32)
        return np.concatenate([rgb, alpha], axis=1).astype(np.float32)

    def _materials(self, used: NDArray[np.int32]) -> tuple[tuple[Material, ...], NDArray[np.int32]]:
        slots = sorted({int(i) for i in used})
        made = []
        for slot in slots:
            if slot < 0:
                made.append(Material("Default"))
                continue
            m: _Material = self._item(self.document.materials, slot, "material")
            pbr = m.pbrMetallicRoughness
            r, g, b = (float(c) for c in linear_to_srgb_float(np.clip(pbr.baseColorFactor[:3], 0, 1)))
            made.append(Material(m.name or f"Material {slot + 1}", (r, g, b, pbr.baseColorFactor[3]), pbr.roughnessFactor, pbr.metallicFactor))
        return tuple(made), np.searchsorted(slots, used).astype(np.int32)


def _local_matrix(node: _Node) -> NDArray[np.float64]:
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
    number = int(key.rsplit("_", 1)[1]) if key.rsplit("_", 1)[1].isdigit() else 0
    return TextureCoords("UV" if number == 0 else f"UV {number + 1}", uvs, np.where(has[corner_vertex], corner_vertex, -1).astype(np.int32))


def _stack_colors(colors: list[NDArray[np.float32] | None], counts: list[int]) -> NDArray[np.float32] | None:
    if all(c is None for c in colors):
        return None
    return np.concatenate([c if c is not None else np.ones((n, 4), np.float32) for c, n in zip(colors, counts, strict=True)])

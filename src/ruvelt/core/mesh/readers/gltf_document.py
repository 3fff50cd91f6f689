"""The JSON of glTF 2.0 (Khronos specification). Geometry is checked here; materials are read leniently, for one wrong factor must not lose a file."""

from __future__ import annotations

import json
import struct
from typing import Annotated, Any

from pydantic import BaseModel, Field, ValidationError

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import MAX_FACES

Index = Annotated[int, Field(ge=0)]
#: Required extensions that can be read, or whose absence changes nothing about the geometry.
KNOWN = {
    "EXT_meshopt_compression",
    "EXT_texture_webp",
    "KHR_draco_mesh_compression",
    "KHR_materials_emissive_strength",
    "KHR_materials_unlit",
    "KHR_mesh_quantization",
    "KHR_meshopt_compression",
    "KHR_texture_basisu",
    "KHR_texture_transform",
}


class SparsePart(BaseModel):
    bufferView: Index
    byteOffset: Index = 0
    componentType: int = 5126


class Sparse(BaseModel):
    count: Annotated[int, Field(ge=1, le=4 * MAX_FACES)]
    indices: SparsePart
    values: SparsePart


class Accessor(BaseModel):
    bufferView: Index | None = None
    byteOffset: Index = 0
    componentType: int
    count: Annotated[int, Field(ge=0, le=4 * MAX_FACES)]
    type: str
    normalized: bool = False
    sparse: Sparse | None = None


class View(BaseModel):
    buffer: Index
    byteOffset: Index = 0
    byteLength: Index
    byteStride: Annotated[int, Field(ge=4, le=252)] | None = None
    extensions: dict[str, Any] = {}


class Buffer(BaseModel):
    byteLength: Index
    uri: str | None = None
    extensions: dict[str, Any] = {}


class Primitive(BaseModel):
    attributes: dict[str, Index]
    indices: Index | None = None
    material: Index | None = None
    mode: int = 4
    targets: list[Any] = []
    extensions: dict[str, Any] = {}


class Mesh(BaseModel):
    primitives: list[Primitive]
    name: str = ""


class Node(BaseModel):
    mesh: Index | None = None
    skin: Index | None = None
    name: str = ""
    children: list[Index] = []
    matrix: Annotated[list[float], Field(min_length=16, max_length=16)] | None = None
    translation: Annotated[list[float], Field(min_length=3, max_length=3)] = [0, 0, 0]
    rotation: Annotated[list[float], Field(min_length=4, max_length=4)] = [0, 0, 0, 1]
    scale: Annotated[list[float], Field(min_length=3, max_length=3)] = [1, 1, 1]


class Skin(BaseModel):
    joints: list[Index] = []
    inverseBindMatrices: Index | None = None


class Scene(BaseModel):
    nodes: list[Index] = []


class Document(BaseModel):
    accessors: list[Accessor] = []
    bufferViews: list[View] = []
    buffers: list[Buffer] = []
    meshes: list[Mesh] = []
    nodes: list[Node] = []
    skins: list[Skin] = []
    scenes: list[Scene] = []
    scene: Index | None = None
    materials: list[Any] = []
    textures: list[Any] = []
    images: list[Any] = []
    samplers: list[Any] = []
    animations: list[Any] = []
    cameras: list[Any] = []
    extensions: dict[str, Any] = {}
    extensionsRequired: list[str] = []


def parse(data: bytes) -> tuple[Document, bytes | None]:
    """The description and the binary chunk of .glb or .gltf bytes. Raises InputError when they cannot be read."""
    text, chunk = _split_glb(data) if data[:4] == b"glTF" else (data, None)
    try:
        document = Document.model_validate(json.loads(text))
    except (ValueError, RecursionError) as error:
        where = ".".join(str(p) for p in error.errors()[0]["loc"]) if isinstance(error, ValidationError) else "JSON"
        raise InputError(f"The glTF description cannot be read (at {where}). Export the file again.") from None
    unknown = [e for e in document.extensionsRequired if e not in KNOWN]
    if unknown:
        raise InputError(f"The file needs the glTF extension {unknown[0]}, which cannot be read. Export it again without that.")
    return document, chunk


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


def referenced(data: bytes) -> list[str]:
    """URIs of the buffers and pictures that lie beside a .gltf or .glb."""
    document, _ = parse(data)
    uris = [b.uri for b in document.buffers] + [i.get("uri") for i in document.images if isinstance(i, dict)]
    return [u for u in uris if isinstance(u, str) and not u.startswith("data:")]


REFERS = {".glb": referenced, ".gltf": referenced}

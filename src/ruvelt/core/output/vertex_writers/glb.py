"""GLB (glTF 2.0) with vertex colours: COLOR_0 in linear light, other channels as attributes of their own, or factors where they are even."""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.output.glb_binary import ARRAY, ELEMENTS, FLOAT, UINT, Binary, glb_bytes, scene_document
from ruvelt.core.output.glb_geometry import node_tree, unit_rows
from ruvelt.core.output.vertex_writer import VertexPaint, VertexWriter

#: What a metallic-roughness material has a factor for.
FACTORS = {"roughness": "roughnessFactor", "metallic": "metallicFactor"}


class GlbWriter(VertexWriter):
    id: ClassVar[str] = "glb"
    label: ClassVar[str] = "GLB"
    suffix: ClassVar[str] = ".glb"
    rank: ClassVar[int] = 1

    def encode(self, paint: VertexPaint, bits: int) -> bytes:
        model, binary = paint.model, Binary()
        nodes, worlds = node_tree(model)
        world_of = {n["mesh"]: w for n, w in zip(nodes, worlds, strict=True) if "mesh" in n}
        colours = np.concatenate([srgb_to_linear_float(paint.colours[:, :3] / 65535), paint.colours[:, 3:] / 65535], axis=1).astype(np.float32)
        even = {name: float(values[0]) for name, values in paint.numbers.items() if len(values) and np.ptp(values) == 0}
        varied = {f"_{name.upper().replace('-', '_')}": values for name, values in paint.numbers.items() if name not in FACTORS or name not in even}
        part_of = model.face_part[model.triangle_face]
        primitives: dict[int, list[dict[str, Any]]] = {}
        for part in np.unique(part_of).tolist():
            used, local = np.unique(model.triangles[part_of == part], return_inverse=True)
            columns = {
                "POSITION": model.positions[used],
                "NORMAL": paint.normals[used],
                "COLOR_0": colours[used] if paint.clear else np.ascontiguousarray(colours[used, :3]),
                **{name: values[used, None] for name, values in varied.items()},
            }
            primitives[part] = [_primitive(binary, columns, local.reshape(-1, 3), world_of.get(part, np.eye(4)))]
        pbr: dict[str, Any] = {"baseColorFactor": [1, 1, 1, 1], "roughnessFactor": 1, "metallicFactor": 0}
        pbr |= {FACTORS[name]: round(value, 6) for name, value in even.items() if name in FACTORS}
        material: dict[str, Any] = {"name": "Vertex colours", "pbrMetallicRoughness": pbr}
        if paint.clear:
            material["alphaMode"] = "BLEND"
        return glb_bytes(scene_document(model, nodes, primitives, [material]), binary)


def _primitive(binary: Binary, columns: dict[str, NDArray[np.float32]], indices: NDArray[np.int64], world: NDArray[np.float64]) -> dict[str, Any]:
    """A part in the space of its node, whose world matrix is given."""
    linear, place = world[:3, :3], world[:3, 3]
    if not np.array_equal(world, np.eye(4)):
        moved = (columns["POSITION"].astype(np.float64) - place) @ np.linalg.inv(linear).T
        turned = unit_rows(columns["NORMAL"].astype(np.float64) @ linear)
        columns = {**columns, "POSITION": moved.astype(np.float32), "NORMAL": turned.astype(np.float32)}
        if np.linalg.det(linear) < 0:
            indices = indices[:, ::-1]
    attributes = {}
    for name, values in columns.items():
        kind = "SCALAR" if values.shape[1] == 1 else f"VEC{values.shape[1]}"
        attributes[name] = binary.accessor(np.ascontiguousarray(values, np.float32), kind, FLOAT, ARRAY, name == "POSITION")
    flat = np.ascontiguousarray(indices.ravel(), np.uint32)
    return {"attributes": attributes, "indices": binary.accessor(flat, "SCALAR", UINT, ELEMENTS), "material": 0}

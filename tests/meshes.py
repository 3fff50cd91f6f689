"""Small meshes whose answers are known."""

from __future__ import annotations

import numpy as np

from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model, TextureCoords


def model_of(
    positions: np.ndarray, faces: list[list[int]], uvs: np.ndarray | None = None, corner_uv: list[int] | None = None, **more: object
) -> Model:
    """A model of one part and one material from vertex loops; UVs follow vertices unless `corner_uv` says otherwise."""
    corner_vertex = np.array([v for f in faces for v in f], np.int32)
    starts = np.concatenate([[0], np.cumsum([len(f) for f in faces])]).astype(np.int32)
    layouts = ()
    if uvs is not None:
        layouts = (TextureCoords("UV", np.asarray(uvs, np.float32), np.array(corner_uv if corner_uv is not None else corner_vertex, np.int32)),)
    values: dict[str, object] = {
        "parts": ("Part",),
        "face_part": np.zeros(len(faces), np.int32),
        "materials": (Material("Paint"),),
        "face_material": np.zeros(len(faces), np.int32),
    }
    values.update(more)
    return Model("Test", np.asarray(positions, np.float32), starts, corner_vertex, uv_layouts=layouts, **values)  # type: ignore[arg-type]


def square(size: float = 2.0, margin: float = 0.0) -> Model:
    """One quad in the plane z = 0, centred, facing +Z, over the whole sheet less a margin (UV units)."""
    h, m = size / 2, margin
    positions = [[-h, -h, 0], [h, -h, 0], [h, h, 0], [-h, h, 0]]
    return model_of(np.array(positions), [[0, 1, 2, 3]], np.array([[m, m], [1 - m, m], [1 - m, 1 - m], [m, 1 - m]]))


def split_square() -> Model:
    """A square of 2 × 2 units in z = 0 cut along x = 0 into two islands that lie apart on the sheet: a seam through the middle.

    The right half is turned by a quarter on the sheet, so that nothing about the seam is the same on both sides.
    """
    positions = np.array([[-1, -1, 0], [0, -1, 0], [0, 1, 0], [-1, 1, 0], [1, -1, 0], [1, 1, 0]])
    faces = [[0, 1, 2, 3], [1, 4, 5, 2]]
    left = [[0.05, 0.05], [0.45, 0.05], [0.45, 0.85], [0.05, 0.85]]
    right = [[0.95, 0.05], [0.95, 0.45], [0.15 + 0.0, 0.45], [0.15, 0.05]]
    right = [[u * 0.5 + 0.5, v + 0.5] for u, v in right]
    return model_of(positions, faces, np.array(left + right), [0, 1, 2, 3, 4, 5, 6, 7])


def two_walls(gap: float = 0.02) -> Model:
    """Two parallel squares back to back, facing away from each other, each with half the sheet."""
    g = gap / 2
    front = [[-1, -1, g], [1, -1, g], [1, 1, g], [-1, 1, g]]
    back = [[-1, -1, -g], [-1, 1, -g], [1, 1, -g], [1, -1, -g]]
    uv = [[0.02, 0.02], [0.48, 0.02], [0.48, 0.48], [0.02, 0.48], [0.52, 0.02], [0.52, 0.48], [0.98, 0.48], [0.98, 0.02]]
    return model_of(np.array(front + back), [[0, 1, 2, 3], [4, 5, 6, 7]], np.array(uv), parts=("Front", "Back"), face_part=np.array([0, 1], np.int32))


def globe(segments: int = 48, rings: int = 24, radius: float = 1.0) -> Model:
    """A sphere of quads with triangles at the poles, unrolled onto the sheet with a margin."""
    u, v = np.meshgrid(np.linspace(0, 1, segments + 1), np.linspace(0, 1, rings + 1))
    theta, phi = u * 2 * np.pi, (v - 0.5) * np.pi
    points = radius * np.stack([np.cos(phi) * np.sin(theta), np.sin(phi), np.cos(phi) * np.cos(theta)], -1).reshape(-1, 3)
    points = np.round(points, 6)
    keys: dict[tuple[float, ...], int] = {}
    vertex = np.array([keys.setdefault(tuple(p + 0.0), len(keys)) for p in points])
    faces, corner_uv = [], []
    n = segments + 1
    for r in range(rings):
        for s in range(segments):
            ids = [r * n + s, r * n + s + 1, (r + 1) * n + s + 1, (r + 1) * n + s]
            loop: list[int] = []
            loop_uv: list[int] = []
            for i in ids:
                if vertex[i] not in loop:
                    loop.append(int(vertex[i]))
                    loop_uv.append(i)
            faces.append(loop)
            corner_uv += loop_uv
    uvs = np.stack([u, v], -1).reshape(-1, 2) * 0.9 + 0.05
    return model_of(np.array(list(keys)), faces, uvs, corner_uv)


def tube(radius: float, height: float, segments: int) -> Model:
    """An open cylinder about Y, unrolled over the sheet, its normals smooth from facet to facet."""
    angle = np.arange(segments + 1) / segments * 2 * np.pi
    ring = np.stack([radius * np.cos(angle[:-1]), np.zeros(segments), radius * np.sin(angle[:-1])], axis=1)
    positions = np.concatenate([ring - np.array([0, height / 2, 0]), ring + np.array([0, height / 2, 0])])
    faces, corner_uv = [], []
    for i in range(segments):
        j = (i + 1) % segments
        faces.append([i, i + segments, j + segments, j])
        corner_uv += [i, i + segments + 1, i + segments + 2, i + 1]
    u = 0.02 + 0.96 * np.arange(segments + 1) / segments
    uvs = np.concatenate([np.stack([u, np.full_like(u, 0.2)], axis=1), np.stack([u, np.full_like(u, 0.8)], axis=1)])
    return model_of(positions, faces, uvs, corner_uv)


def cube_obj() -> bytes:
    """A cube with two objects, groups, two materials, quads and a cross of UVs."""
    lines = ["mtllib cube.mtl", "o Lower"]
    lines += [f"v {x} {y} {z}" for z in (-1, 1) for y in (-1, 1) for x in (-1, 1)]
    lines += [f"vt {u / 4:.4f} {v / 4:.4f}" for v in range(5) for u in range(5)]

    def face(corners: list[int], u: int, v: int) -> str:
        places = [v * 5 + u + 1, v * 5 + u + 2, (v + 1) * 5 + u + 2, (v + 1) * 5 + u + 1]
        return "f " + " ".join(f"{c}/{t}" for c, t in zip(corners, places, strict=True))

    lines += ["g sides", "usemtl Wood", face([5, 6, 8, 7], 0, 0), face([6, 2, 4, 8], 1, 0), face([2, 1, 3, 4], 2, 0), face([1, 5, 7, 3], 3, 0)]
    lines += ["o Upper", "g ends", "usemtl Iron", face([7, 8, 4, 3], 0, 2), face([1, 2, 6, 5], 1, 2)]
    return ("\n".join(lines) + "\n").encode()


CUBE_MTL = b"newmtl Wood\nKd 0.2 0.1 0.05\nPr 0.7\nnewmtl Iron\nKd 0.5 0.5 0.5\nPm 1\n"

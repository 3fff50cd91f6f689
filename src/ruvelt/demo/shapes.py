"""Simple swept shapes with clean UVs, and their way into one OBJ file."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

F64 = NDArray[np.float64]


@dataclass
class Patch:
    """A grid of points with a UV rectangle in object units; (rows, columns, 3) points, (rows, columns, 2) UVs."""

    part: str
    material: str
    points: F64
    uv: F64
    group: str = ""


@dataclass
class Shape:
    """Patches of one model."""

    patches: list[Patch] = field(default_factory=list)

    def add(self, part: str, material: str, points: F64, uv: F64, group: str = "") -> None:
        self.patches.append(Patch(part, material, points, uv, group))


def wall(profile: list[tuple[float, float]], segments: int) -> tuple[F64, F64]:
    """A band of revolution about Y from (radius, height) points, bottom up, unrolled: u along the circle, v along the profile."""
    p = np.array(profile)
    run = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(p, axis=0).T))])
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    # The seam lies at the back.
    ring = -np.stack([np.sin(angle), np.zeros_like(angle), np.cos(angle)], axis=1)
    points = p[:, None, :1] * ring + p[:, None, 1:] * np.array([0, 1, 0])
    width = 2 * np.pi * p[:, 0].mean()
    uv = np.stack(np.broadcast_arrays((angle / (2 * np.pi) * width)[None, :], run[:, None]), axis=-1)
    return points, uv


def cap(profile: list[tuple[float, float]], segments: int) -> tuple[F64, F64]:
    """A disc or ring of revolution from (radius, height) points, outside in, laid out as seen from its own side."""
    p = np.array(profile)
    run = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(p, axis=0).T))])
    flat = run[-1] - run + p[-1, 0]
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    ring = np.stack([np.sin(angle), np.zeros_like(angle), np.cos(angle)], axis=1)
    points = p[:, None, :1] * ring + p[:, None, 1:] * np.array([0, 1, 0])
    up = p[-1, 1] >= p[0, 1]
    uv = flat[:, None, None] * np.stack([np.sin(angle), -np.cos(angle) if up else np.cos(angle)], axis=1)[None]
    # Seen from outside either way.
    return (points, uv) if up else (points[:, ::-1], uv[:, ::-1])


def tube(path: F64, radius: float | F64, segments: int, closed: bool = False) -> tuple[F64, F64]:
    """A tube along (n, 3) points with frames that never twist (parallel transport), unrolled."""
    n = len(path)
    ahead = np.roll(path, -1, axis=0) - path
    if not closed:
        ahead[-1] = path[-1] - path[-2]
    behind = np.roll(ahead, 1, axis=0)
    if not closed:
        behind[0] = ahead[0]
    tangent = ahead / np.linalg.norm(ahead, axis=1, keepdims=True) + behind / np.linalg.norm(behind, axis=1, keepdims=True)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    side = np.cross(tangent[0], [0.31, 0.17, 0.93])
    frames = []
    for t in tangent:
        side = side - t * (side @ t)
        side /= np.linalg.norm(side)
        frames.append((side, np.cross(t, side)))
    a, b = (np.array([f[k] for f in frames]) for k in (0, 1))
    if closed:
        path, a, b = (np.concatenate([v, v[:1]]) for v in (path, a, b))
        n += 1
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    r = np.broadcast_to(np.asarray(radius, float), (n,))[:, None, None]
    points = path[:, None] + r * (np.cos(angle)[None, :, None] * a[:, None] + np.sin(angle)[None, :, None] * b[:, None])
    run = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    width = 2 * np.pi * float(np.mean(radius))
    uv = np.stack(np.broadcast_arrays(run[:, None], (angle / (2 * np.pi) * width)[None, :]), axis=-1)
    return points, uv


def placed(points: F64, turn: F64, move: tuple[float, float, float]) -> F64:
    """Points rotated by a 3×3 matrix and moved."""
    moved: F64 = points @ turn.T + np.array(move)
    return moved


def pack(patches: list[Patch], margin: float = 0.012) -> list[F64]:
    """UVs of patches at one density inside the unit square, in shelves; long patches lie down."""
    sizes, turned = [], []
    for patch in patches:
        size = np.ptp(patch.uv.reshape(-1, 2), axis=0)
        turn = size[1] > size[0]
        turned.append(turn)
        sizes.append(size[::-1] if turn else size)
    order = sorted(range(len(patches)), key=lambda i: (-sizes[i][1], i))

    def shelves(scale: float) -> list[tuple[float, float]] | None:
        places: list[tuple[float, float]] = [(0, 0)] * len(patches)
        x = y = margin
        tall = 0.0
        for i in order:
            w, h = sizes[i] * scale
            if x + w + margin > 1:
                x, y, tall = margin, y + tall + margin, 0.0
            if x + w + margin > 1 or y + h + margin > 1:
                return None
            places[i] = (x, y)
            x, tall = x + w + margin, max(tall, h)
        return places

    low, high = 1e-4, 4.0
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if shelves(middle) else (low, middle)
    places = shelves(low)
    assert places is not None
    out = []
    for patch, place, turn in zip(patches, places, turned, strict=True):
        uv = patch.uv - patch.uv.reshape(-1, 2).min(axis=0)
        if turn:
            uv = np.stack([uv[..., 1], uv[..., 0].max() - uv[..., 0]], axis=-1)
        along, down = uv[:-1, 1:] - uv[:-1, :-1], uv[1:, :-1] - uv[:-1, :-1]
        if (along[..., 0] * down[..., 1] - along[..., 1] * down[..., 0]).sum() < 0:  # mirrored: turn it round
            uv = np.stack([uv[..., 0].max() - uv[..., 0], uv[..., 1]], axis=-1)
        out.append(uv * low + place)
    return out


def _smooth_normals(points: F64) -> F64:
    """(rows, columns, 3) unit normals of a grid of points, equal where it closes; by the area of the faces around."""
    across = np.cross(points[1:, 1:] - points[:-1, :-1], points[1:, :-1] - points[:-1, 1:])
    _, which = np.unique(np.round(points.reshape(-1, 3), 6) + 0.0, axis=0, return_inverse=True)
    which = which.reshape(points.shape[:2])
    total = np.zeros((which.max() + 1, 3))
    for corner in (which[:-1, :-1], which[:-1, 1:], which[1:, 1:], which[1:, :-1]):
        np.add.at(total, corner.ravel(), across.reshape(-1, 3))
    total /= np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-12)
    return total[which]  # type: ignore[no-any-return]


def to_obj(shape: Shape, library: str, smooth: bool = False) -> str:
    """OBJ text: parts as objects, patches as groups, quads kept; a point where a profile reaches the axis makes triangles.

    smooth : with normals that are hard only between patches, where UVs are cut: no baked normal is read across a hard edge
    """
    by_material: dict[str, list[int]] = {}
    for i, patch in enumerate(shape.patches):
        by_material.setdefault(patch.material, []).append(i)
    uvs: dict[int, F64] = {}
    for members in by_material.values():
        for i, uv in zip(members, pack([shape.patches[i] for i in members]), strict=True):
            uvs[i] = uv
    lines = [f"mtllib {library}"]
    known: dict[tuple[str, float, float, float], int] = {}
    texels = 0
    part = material = None
    for i, patch in enumerate(shape.patches):
        rows, columns = patch.points.shape[:2]
        ids = np.empty((rows, columns), int)
        for r in range(rows):
            for c in range(columns):
                x, y, z = (float(v) for v in np.round(patch.points[r, c], 6) + 0.0)
                key = (patch.part, x, y, z)
                if key not in known:
                    known[key] = len(known) + 1
                    lines.append(f"v {x:.6f} {y:.6f} {z:.6f}")
                ids[r, c] = known[key]
        lines += ["vt {:.6f} {:.6f}".format(*uv) for uv in uvs[i].reshape(-1, 2)]
        if smooth:
            lines += ["vn {:.6f} {:.6f} {:.6f}".format(*normal) for normal in _smooth_normals(patch.points).reshape(-1, 3)]
        if patch.part != part:
            part = patch.part
            lines.append(f"o {part}")
        lines.append(f"g {patch.group or patch.part.lower().replace(' ', '_')}")
        if patch.material != material:
            material = patch.material
            lines.append(f"usemtl {material}")
        for r in range(rows - 1):
            for c in range(columns - 1):
                corners = [(r, c), (r, c + 1), (r + 1, c + 1), (r + 1, c)]
                words, seen = [], set()
                for a, b in corners:
                    if ids[a, b] not in seen:
                        seen.add(ids[a, b])
                        at = texels + a * columns + b + 1
                        words.append(f"{ids[a, b]}/{at}/{at}" if smooth else f"{ids[a, b]}/{at}")
                if len(words) > 2:
                    lines.append("f " + " ".join(words))
        texels += rows * columns
    return "\n".join(lines) + "\n"

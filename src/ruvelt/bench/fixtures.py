"""A textured sphere on one sheet, in memory: what the benchmarks paint on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ruvelt.core.canvas import Canvas
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.stack.document import AnyLayer
from ruvelt.core.workers import Workers


def sphere(segments: int = 120, rings: int = 60, spread: float = 0.94) -> Model:
    """A sphere of quads over a share of the sheet's width and height."""
    u, v = np.meshgrid(np.linspace(0, 1, segments + 1), np.linspace(0.02, 0.98, rings + 1))
    theta, phi = u * 2 * np.pi, (v - 0.5) * np.pi
    points = np.stack([np.cos(phi) * np.sin(theta), np.sin(phi), np.cos(phi) * np.cos(theta)], -1).reshape(-1, 3).astype(np.float32)
    i = np.arange(rings)[:, None] * (segments + 1) + np.arange(segments)
    quads = np.stack([i, i + 1, i + segments + 2, i + segments + 1], -1).reshape(-1).astype(np.int32)
    count = segments * rings
    uvs = (np.stack([u, v], -1).reshape(-1, 2) * spread + (1 - spread) / 2).astype(np.float32)
    return Model(
        "Sphere",
        points,
        np.arange(0, 4 * count + 1, 4, dtype=np.int32),
        quads,
        ("Sphere",),
        np.zeros(count, np.int32),
        (Material("Paint"),),
        np.zeros(count, np.int32),
        uv_layouts=(TextureCoords("UV", uvs, quads.copy()),),
    )


class BenchScene(Canvas):
    """A canvas on two threads."""

    def __init__(self, side: int, layers: tuple[AnyLayer, ...], model: Model | None = None) -> None:
        super().__init__(model or sphere(), layers, side=side, workers=Workers(2), cache=2 << 30)

    def put(self, name: str, chunks: Sequence[U16]) -> None:
        self.planes[name] = Plane(len(chunks[0]), {c: self.store.put(values) for c, values in enumerate(chunks)})

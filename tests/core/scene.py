"""A sheet, a document and a cache in memory: painting with arrays only, as a notebook would."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ruvelt.core.brush.path import Path, Point
from ruvelt.core.brush.target import Target
from ruvelt.core.canvas import Canvas
from ruvelt.core.mesh.model import Model
from ruvelt.core.stack.document import AnyLayer, ChannelUse, FillLayer, PaintLayer, Settings
from ruvelt.core.workers import SERIAL, Workers


class Scene(Canvas):
    """A canvas of 256 × 256 with layers; values are asked for as codes."""

    def __init__(self, model: Model, layers: tuple[AnyLayer, ...], side: int = 256, settings: Settings | None = None, workers: Workers = SERIAL):
        super().__init__(model, layers, side=side, settings=settings, workers=workers)

    def value(self, channel: str, x: float, y: float, z: float) -> np.ndarray:  # type: ignore[override]
        return self.values_u16(channel, x, y, z)


def paint_layer(layer_id: str = "p", **more: object) -> PaintLayer:
    return PaintLayer(id=layer_id, name=layer_id, **more)  # type: ignore[arg-type]


def fill_layer(layer_id: str, values: Mapping[str, tuple[float, ...]], **more: object) -> FillLayer:
    return FillLayer(id=layer_id, name=layer_id, channels={c: ChannelUse(value=v) for c, v in values.items()}, **more)  # type: ignore[arg-type]


def target(*channels: str, layer: str = "p", mask: str | None = None) -> Target:
    return Target(sheet="s", layer=layer, channels=channels, mask=mask)


def whole(path: Path, points: Sequence[Point]) -> np.ndarray:
    """All dabs of a stroke that begins and ends with these samples."""
    return np.concatenate([path.extend(list(points)), path.finish()])

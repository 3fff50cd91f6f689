"""A sheet, a document and a cache in memory: painting with arrays only, as a notebook would."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ruvelt.core.brush.live import LiveStroke
from ruvelt.core.brush.path import Path, Point
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.normal import NormalField
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import MemoryChunks, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.document import AnyLayer, ChannelUse, Document, FillLayer, PaintLayer, Settings, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.workers import SERIAL, Workers


class Scene:
    """One sheet with layers; strokes applied to it stay."""

    def __init__(self, model: Model, layers: tuple[AnyLayer, ...], side: int = 256, settings: Settings | None = None, workers: Workers = SERIAL):
        self.model, self.workers = model, workers
        self.samples = SheetSamples(model, plan_sheets(model)[0], side, workers)
        self.faces = FaceIndex(model)
        self.store, self.planes = MemoryChunks(), {}
        self.cache = BoundedCache(256 << 20)
        sheet = Sheet(id="s", name="Sheet", plan=0, resolution=side, layers=layers)
        self.document = Document(sheets=(sheet,), settings=settings or Settings())
        self.field = NormalField(self.samples)

    @property
    def lookup(self) -> StoredPlanes:
        return StoredPlanes(self.planes, self.store)

    @property
    def evaluator(self) -> SheetEvaluator:
        return SheetEvaluator(self.document, self.document.sheets[0], self.samples, self.faces, self.lookup, self.cache)

    @property
    def display(self) -> SheetDisplay:
        return SheetDisplay(self.evaluator, self.lookup, self.cache, self.field)

    def live(self, target: Target, paint: Paint, hidden: np.ndarray | None = None, brush: Brush = Brush()) -> LiveStroke:  # noqa: B008 -- frozen
        resolved = resolve_target(self.document, target, paint)
        return LiveStroke(resolved, self.evaluator, self.lookup, paint=paint, brush=brush, hidden=hidden, workers=self.workers)

    def keep(self, live: LiveStroke) -> None:
        """Store what a stroke changed."""
        for name, chunks in live.changes.items():
            components = next(c.components for c in live.target.cells if c.plane == name)
            keys = {c: self.store.put(v) for c, v in chunks.items()}
            self.planes[name] = self.planes.get(name, Plane(components)).with_chunks(keys)

    def put_plane(self, name: str, values: np.ndarray) -> None:
        """Set a plane from (components, slots) uint16."""
        chunks = {c: self.store.put(np.ascontiguousarray(values[:, c * CHUNK : (c + 1) * CHUNK])) for c in range(self.samples.chunk_count)}
        self.planes[name] = Plane(len(values), chunks)

    def image(self, channel: str) -> np.ndarray:
        """The composite of a channel as (side, side, components) uint16, top row first."""
        parts = [self.evaluator.composite(channel, c) for c in range(self.samples.chunk_count)]
        return np.asarray(self.samples.to_image(np.ascontiguousarray(np.concatenate(parts, axis=1).T)))

    def at(self, x: float, y: float, z: float) -> int:
        """The slot nearest to a point in space."""
        slot = int(self.samples.grid.nearest(np.array([[x, y, z]]), 10.0)[0])
        assert slot >= 0
        return slot

    def value(self, channel: str, x: float, y: float, z: float) -> np.ndarray:
        """The composite's codes at the sample nearest to a point."""
        slot = self.at(x, y, z)
        return self.evaluator.composite(channel, slot >> 16)[:, slot & 65535]


def paint_layer(layer_id: str = "p", **more: object) -> PaintLayer:
    return PaintLayer(id=layer_id, name=layer_id, **more)  # type: ignore[arg-type]


def fill_layer(layer_id: str, values: Mapping[str, tuple[float, ...]], **more: object) -> FillLayer:
    return FillLayer(id=layer_id, name=layer_id, channels={c: ChannelUse(value=v) for c, v in values.items()}, **more)  # type: ignore[arg-type]


def target(*channels: str, layer: str = "p", mask: str | None = None) -> Target:
    return Target(sheet="s", layer=layer, channels=channels, mask=mask)


def whole(path: Path, points: Sequence[Point]) -> np.ndarray:
    """All dabs of a stroke that begins and ends with these samples."""
    return np.concatenate([path.extend(list(points)), path.finish()])

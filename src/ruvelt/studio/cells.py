"""Small pictures for the layer grid: what each layer holds in each channel, and its mask."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.mesh_map import SUSPECTS
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.samples.address import CHUNK_SIDE, chunk_of, local_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import SEEN, VertexSamples
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import AnyLayer, ChannelUse, FillLayer, PaintLayer
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.mesh_maps import PREFIX
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.session import Session

#: Pixels a side of a picture, and how many texels a side are read for each pixel.
SIDE, READ = 44, 4
#: A grey that neither dark nor bright paint disappears on.
_GROUND = 96.0
#: A picture never shows less than this share of the sheet's side.
LEAST_SHOWN = 0.2


def cell_pictures(session: Session, sheet_id: str) -> dict[str, str]:
    """PNG data URLs by "layer/channel" and "layer/mask" for cells that hold pixels or masks."""
    with session.lock:
        display = session.display(sheet_id)
        samples, sheet = display.samples, display.evaluator.sheet
        found: dict[str, str] = {}
        for layer, _ in sheet.walk():
            if isinstance(layer, PaintLayer):
                for channel in session.document.channels:
                    plane = session.store.planes.get(plane_id(sheet.id, layer.id, channel.id))
                    if plane is not None and plane.chunks:
                        found[f"{layer.id}/{channel.id}"] = _cached(session, plane.chunks, lambda p=plane: _plane_picture(session, samples, p))
            elif isinstance(layer, FillLayer):
                for channel in session.document.channels:
                    use = layer.channels.get(channel.id)
                    if use is not None and use.on and use.content is not None:
                        key = {"content": (use.content, channel, samples.serial)}
                        url = _cached(session, key, lambda c=channel, u=use: _content_picture(display, c, u))
                        found[f"{layer.id}/{channel.id}"] = url
            if layer.mask is not None and layer.mask.sources:
                found[f"{layer.id}/mask"] = _mask_picture(display.evaluator, samples, layer)
        return found


def map_pictures(session: Session, sheet_id: str) -> dict[str, str]:
    """PNG data URLs of a sheet's mesh maps by id, touch-ups applied."""
    with session.lock:
        display = session.display(sheet_id)
        return {m.id: small_picture(display, PREFIX + m.id) for m in display.evaluator.sheet.mesh_maps if m.id != SUSPECTS}


def small_picture(display: SheetDisplay, channel: str) -> str:
    """PNG data URL of any channel that an evaluator knows, over the whole sheet."""
    evaluator, samples = display.evaluator, display.samples
    chunk, local, covered = _points(samples, _Window(0, 0, _side(samples)))
    values_u16 = {int(c): evaluator.composite(channel, int(c)) for c in np.unique(chunk)}
    values = np.zeros((*chunk.shape, len(next(iter(values_u16.values())))))
    for c, picture in values_u16.items():
        here = chunk == c
        values[here] = picture[:, local[here]].T / 65535
    return _url(np.broadcast_to(values, (*chunk.shape, 3)) * 255, covered.astype(float))


def _cached(session: Session, keys: Any, make: Any) -> str:
    version = hash(tuple(sorted(keys.items())))
    url: str | None = session.cache.get(("cell", version))
    if url is None:
        url = make()
        session.cache.put(("cell", version), url, len(url))
    return url


@dataclass(frozen=True)
class _Window:
    """The square part of a sheet that a picture shows, in texels."""

    left: float
    top: float
    size: float

    def around(self, marks: NDArray[np.bool_]) -> _Window:
        """The square around marked places of a picture of this window: thin strokes on a large sheet would say little."""
        rows, columns = np.nonzero(marks)
        if not len(rows):
            return self
        step = self.size / len(marks)
        middle_x, middle_y = (columns.min() + columns.max() + 1) / 2 * step, (rows.min() + rows.max() + 1) / 2 * step
        size = max(1.1 * step * (max(np.ptp(columns), np.ptp(rows)) + 1), self.size * LEAST_SHOWN)
        if size >= self.size:
            return self
        left, top = (float(np.clip(m - size / 2, 0, self.size - size)) for m in (middle_x, middle_y))
        return _Window(self.left + left, self.top + top, size)


def _side(samples: SurfaceSamples) -> int:
    """Of what a picture shows at most: texels of a sheet, or pixels of a view of the vertices."""
    return samples.side if samples.is_sheet else SEEN


def _points(samples: SurfaceSamples, window: _Window) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """Chunk, place in the chunk and coverage of the texels (or vertices) a picture reads, (SIDE · READ) a side."""
    if isinstance(samples, VertexSamples):
        pixels = ((np.arange(SIDE * READ) + 0.5) * window.size / (SIDE * READ)).astype(np.int64)
        slots = samples.front[np.ix_(int(window.top) + pixels, int(window.left) + pixels)].astype(np.int64)
        shown = np.maximum(slots, 0)
        return chunk_of(shown), local_of(shown), slots >= 0
    assert isinstance(samples, SheetSamples)
    steps = (np.arange(SIDE * READ) + 0.5) * window.size / (SIDE * READ)
    y, x = np.meshgrid((window.top + steps).astype(np.int64), (window.left + steps).astype(np.int64), indexing="ij")
    chunk = (y // CHUNK_SIDE) * samples.chunks_across + x // CHUNK_SIDE
    local = (y % CHUNK_SIDE) * CHUNK_SIDE + x % CHUNK_SIDE
    return chunk, local, samples.owner[chunk * CHUNK_SIDE**2 + local] >= 0


def _content_picture(display: SheetDisplay, channel: Channel, use: ChannelUse) -> str:
    chunk, local, covered = _points(display.samples, _Window(0, 0, _side(display.samples)))
    values = np.zeros((*chunk.shape, channel.components + 1))
    for c in np.unique(chunk):
        assert use.content is not None
        values_u16 = use.content.values(display.evaluator.measures, channel, int(c))
        if values_u16 is not None:
            values[chunk == c] = values_u16[:, local[chunk == c]].T / 65535
    return _url(np.broadcast_to(values[..., :-1], (*chunk.shape, 3)) * 255, values[..., -1] * covered)


def _plane_picture(session: Session, samples: SurfaceSamples, plane: Any) -> str:
    def read(window: _Window) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        chunk, local, covered = _points(samples, window)
        values = np.zeros((*chunk.shape, plane.components))
        for c in np.unique(chunk):
            key = plane.chunks.get(int(c))
            if key is not None:
                here = chunk == c
                values[here] = session.store.blobs.get(key)[:, local[here]].T / 65535
        return values, covered

    whole = _Window(0, 0, _side(samples))
    values, covered = read(whole)
    values, covered = read(whole.around((values[..., -1] > 0) & covered))
    colour = values[..., :-1] if plane.components == 4 else values[..., :1].repeat(3, axis=2)
    return _url(colour * 255, values[..., -1] * covered)


def _mask_picture(evaluator: SheetEvaluator, samples: SurfaceSamples, layer: AnyLayer) -> str:
    assert layer.mask is not None
    mask = layer.mask

    def read(window: _Window) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        chunk, local, covered = _points(samples, window)
        values = np.zeros(chunk.shape)
        for c in np.unique(chunk):
            here = chunk == c
            values_u16 = evaluator.mask_chunk(mask, layer.id, int(c))
            values[here] = values_u16 if isinstance(values_u16, float) else values_u16[local[here]] / 65535
        return values, covered

    whole = _Window(0, 0, _side(samples))
    values, covered = read(whole)
    common = np.median(values[covered]) if covered.any() else 0.0
    values, covered = read(whole.around(covered & (np.abs(values - common) > 0.02)))
    return _url(values[..., None].repeat(3, axis=2) * 255, covered.astype(float))


def _url(colour: NDArray[np.float64], alpha: NDArray[np.float64]) -> str:
    """Pixels by alpha-weighted mean colour; the strongest alpha counts double, so that thin strokes stay visible."""
    block = (SIDE, READ, SIDE, READ)
    weight = alpha.reshape(*block, 1)
    total = weight.sum(axis=(1, 3))
    mean = (colour.reshape(*block, 3) * weight).sum(axis=(1, 3)) / np.maximum(total, 1e-6)
    shown = (total / READ**2 + 2 * weight.max(axis=(1, 3))) / 3
    mixed = mean * shown + _GROUND * (1 - shown)
    _, data = cv2.imencode(".png", np.rint(mixed[..., ::-1]).astype(np.uint8))
    return "data:image/png;base64," + base64.b64encode(data.tobytes()).decode()


def grey_picture(values_u16: NDArray[np.uint16]) -> str:
    """An (h, w) uint16 picture as a PNG data URL."""
    _, data = cv2.imencode(".png", (values_u16 >> 8).astype(np.uint8))
    return "data:image/png;base64," + base64.b64encode(data.tobytes()).decode()

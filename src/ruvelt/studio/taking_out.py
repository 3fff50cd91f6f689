"""A sheet's map taken out for a program outside, with its UV wire and island ids beside it; a copy of what was sent is kept."""

from __future__ import annotations

import hashlib
from pathlib import Path

import cv2
import numpy as np

from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.mesh.topology import islands
from ruvelt.core.output.writer import writer_of
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import Sheet
from ruvelt.studio.geometry import layout_lines
from ruvelt.studio.merging import alone
from ruvelt.studio.session import Session
from ruvelt.studio.trips import SENT, Trip, keep, layout_key, replace_file


def take_out(
    session: Session, folder: Path, sheet_id: str, channel_id: str, layer_id: str | None = None, *, suffix: str = "png", bits: int = 16
) -> Trip:
    """Write a sheet's map, or one layer of it, into a folder, with its UV wire and island ids beside it; repeats replace what was there.

    Raises InputError for vertices, or a layer that lays nothing in the channel.
    """
    with session.lock:
        sheet = session.sheet(sheet_id)
        samples = session.texels(sheet)
        channel = session.document.channel(channel_id)
        if channel is None:
            raise NotFound(f"There is no channel '{channel_id[:40]}' in this project. Choose another.")
        layer = sheet.find(layer_id) if layer_id is not None else None
        if layer_id is not None and layer is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        values = _layer_values(session, sheet_id, layer_id, channel) if layer_id is not None else _map_values(session, sheet_id, channel_id)
        writer = writer_of("tiff" if suffix in ("tif", "tiff") else suffix)
        made = Trip(
            id="-".join([sheet_id, *([layer_id] if layer_id else []), channel_id])[:120],
            project=session.uid,
            project_name=session.store.name,
            sheet=sheet_id,
            sheet_name=sheet.name,
            channel=channel_id,
            channel_name=channel.name,
            layer=layer_id,
            layer_name=layer.name if layer is not None else "",
            side=samples.side,
            bits=16 if bits == 16 else 8,
            suffix=writer.suffix,
            colour_space="sRGB" if channel.kind == "colour" else "data",
            layout=layout_key(session, sheet),
            sha256="",
        )
        data = writer.encode(_image(session, samples, values), made.bits)
        made = made.model_copy(update={"sha256": hashlib.sha256(data).hexdigest()})
        wire, ids = _wire(session, sheet, samples.side), _island_ids(session, samples)
    try:
        (folder / SENT).mkdir(parents=True, exist_ok=True)
        replace_file(folder / f"{made.id}_wire.png", wire)
        replace_file(folder / f"{made.id}_islands.png", ids)
        replace_file(folder / SENT / made.file, data)
        replace_file(folder / made.file, data)
        keep(folder, made)
    except OSError as error:
        raise StorageError(f"The map could not be taken out to '{folder}' ({error.strerror}). Choose another folder or free some space.") from None
    return made


def _map_values(session: Session, sheet_id: str, channel_id: str) -> U16:
    """(components, slots): what all layers come to."""
    evaluator = session.display(sheet_id).evaluator
    evaluator.prepare()
    return np.concatenate(session.workers.map(lambda c: evaluator.composite(channel_id, c), range(evaluator.samples.chunk_count)), axis=1)


def _layer_values(session: Session, sheet_id: str, layer_id: str, channel: Channel) -> U16:
    whole = alone(session, sheet_id, (layer_id,), channel.id)
    if whole is None or not whole[-1].any():
        layer = session.sheet(sheet_id).find(layer_id)
        name = layer.name if layer is not None else layer_id
        raise InputError(f"{name} lays nothing in {channel.name}, so there is nothing to take out. Choose another layer, or the whole map.")
    # A picture with alpha has three components of colour.
    return whole if channel.components == 3 else np.concatenate([whole[:1].repeat(3, axis=0), whole[1:]])


def _image(session: Session, samples: SheetSamples, values: U16) -> U16:
    """(side, side[, components]) with every texel around the islands repeating its nearest, so that edits at borders have room."""
    slots = np.ascontiguousarray(values.T)
    gutter = samples.gutter(None)
    slots[gutter.dst] = slots[gutter.src]
    return np.asarray(samples.to_image(slots if values.shape[0] > 1 else slots[:, 0]), np.uint16)


def _wire(session: Session, sheet: Sheet, side: int) -> bytes:
    """A PNG with the edges of the layout, white on clear."""
    lines, seams = layout_lines(session, session.plans[sheet.plan])
    canvas = np.zeros((side, side), np.uint8)
    for some, strength in ((lines, 150), (seams, 255)):
        ends = np.rint(np.stack([some[:, 0::2], 1 - some[:, 1::2]], axis=-1) * side * 16).astype(np.int32)
        cv2.polylines(canvas, list(ends), False, strength, 1, cv2.LINE_AA, 4)
    return cv2.imencode(".png", np.dstack([np.full((side, side, 3), 255, np.uint8), canvas]))[1].tobytes()


def _island_ids(session: Session, samples: SheetSamples) -> bytes:
    """A PNG with one even colour for each island, clear between them: pressed with a tool outside, it selects an island."""
    labels = islands(session.model, session.model.uv_layouts[0])[np.maximum(samples.face, 0)].astype(np.uint32)
    hue = (labels * np.uint32(2654435761)) >> np.uint32(8)
    colours = np.stack([64 + (hue & 127), 64 + ((hue >> 8) & 127), 64 + ((hue >> 16) & 127), np.full_like(hue, 255)], axis=1).astype(np.uint8)
    colours[~samples.covered] = 0
    return cv2.imencode(".png", np.asarray(samples.to_image(colours)))[1].tobytes()

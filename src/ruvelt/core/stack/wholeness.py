"""Whether a document is whole: everything in it fits its channels, its sheets and its model. Checked before anything is committed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.samples.resolutions import RESOLUTIONS
from ruvelt.core.stack.channels import STANDARD_CHANNELS, Channel
from ruvelt.core.stack.document import MAX_DEPTH, AnyLayer, ChannelUse, Document, Sheet
from ruvelt.core.stack.edits import MAX_LAYERS
from ruvelt.core.stack.references import check_references

MAX_CHANNELS = 32


def check_document(document: Document, plans: int | None = None) -> None:
    """Raises InputError naming the first thing that evaluation could not work with. `plans`: how many sheet plans the model has."""
    channels = {c.id: c for c in document.channels}
    if len(channels) != len(document.channels):
        raise InputError("Two channels have one id. Give each its own.")
    if len(channels) > MAX_CHANNELS:
        raise InputError(f"A project holds at most {MAX_CHANNELS} channels.")
    for standard in STANDARD_CHANNELS:
        if channels.get(standard.id) is None or channels[standard.id].kind != standard.kind:
            raise InputError(f"The channel {standard.name} belongs to every project and cannot be taken away or become another kind.")
    for channel in document.channels:
        _check_value(channel, channel.start, f"the start of {channel.name}")
    _own_ids((s.id for s in document.sheets), "sheets")
    _own_ids((f.id for f in document.settings.finishes), "finishes")
    for finish in document.settings.finishes:
        for channel_id, value in finish.values.items():
            if channel_id in channels:
                _check_value(channels[channel_id], value, f"the finish '{finish.name}' in {channels[channel_id].name}")
    cages = (document.cage_mesh,) if document.cage_mesh else ()
    _own_ids((m.key for m in (*document.high_meshes, *cages)), "high meshes")
    _own_ids((i.key for i in document.images), "images")
    _own_ids((f.id for f in document.face_sets), "face groups")
    if sum(s.of == "vertices" for s in document.sheets) > 1:
        raise InputError("The vertices are painted already: a project has one set of layers on them.")
    for sheet in document.sheets:
        _check_sheet(sheet, channels, plans)


def _own_ids(ids: Iterable[str], what: str) -> None:
    listed = list(ids)
    if len(set(listed)) != len(listed):
        raise InputError(f"Two {what} have one id. Give each its own.")


def _check_sheet(sheet: Sheet, channels: dict[str, Channel], plans: int | None) -> None:
    if sheet.resolution not in RESOLUTIONS:
        raise InputError(f"{sheet.name} cannot have a resolution of {sheet.resolution}. Choose one of {', '.join(map(str, RESOLUTIONS))}.")
    if sheet.of == "texels" and (sheet.plan < 0 or (plans is not None and sheet.plan >= plans)):
        raise InputError(f"{sheet.name} stands for square {sheet.plan + 1} of the UV layout, but the model has {plans}.")
    layers = list(sheet.walk())
    _own_ids((layer.id for layer, _ in layers), f"layers of {sheet.name}")
    if len(layers) > MAX_LAYERS:
        raise InputError(f"A sheet holds at most {MAX_LAYERS} layers.")
    if any(len(above) >= MAX_DEPTH for _, above in layers):
        raise InputError(f"Groups can be nested {MAX_DEPTH - 1} deep. Put the layer further out.")
    _own_ids((m.id for m in sheet.mesh_maps), f"mesh maps of {sheet.name}")
    for layer, _ in layers:
        for channel_id, use in layer.channels.items():
            # What a layer says of a channel that was taken away is kept, in case the channel comes back.
            if channel_id in channels:
                for value in _values(use):
                    _check_value(channels[channel_id], value, f"{_quoted(layer)} in {channels[channel_id].name}")
    check_references(sheet)


def _quoted(layer: AnyLayer) -> str:
    return f"the layer '{layer.name}'"


def _values(use: ChannelUse) -> Iterator[tuple[float, ...]]:
    """Every value of the channel that a layer's part in it names."""
    if use.value is not None:
        yield use.value
    if use.content is not None:
        yield from use.content.constants()


def _check_value(channel: Channel, value: tuple[float, ...], what: str) -> None:
    if len(value) != channel.components:
        many = "three numbers" if channel.components == 3 else "one number"
        raise InputError(f"Wrong number of values for {what}: a {channel.kind} channel takes {many}, and there are {len(value)}.")
    low = -1 if channel.kind == "height" else 0
    if not (np.isfinite(value).all() and min(value) >= low and max(value) <= 1):
        raise InputError(f"A value of {what} lies outside {low} to 1.")

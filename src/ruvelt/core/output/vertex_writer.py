"""What writes vertex paint with its mesh, and the writers there are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.discovery import classes_in
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.writer import ENTRY_POINTS
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.channels import Channel, decode, encode

#: Channels that a material is not whole without.
ALWAYS = ("roughness", "metallic")


@dataclass(frozen=True, eq=False)
class VertexPaint:
    """A model with the values of its vertices, in the file's order.

    normals : (v, 3) float32 unit, object space
    colours : (v, 4) uint16, sRGB-encoded, opacity last; clear : whether any opacity is less than full
    numbers : (v,) float32 by channel, of `ALWAYS` and of every other one that anything is laid in; a colour as three
    """

    model: Model
    normals: NDArray[np.float32]
    colours: NDArray[np.uint16]
    clear: bool
    numbers: Mapping[str, NDArray[np.float32]]


class VertexWriter:
    """A file format for a mesh with values on its vertices. suffix : with its dot; bits : of a colour's component; rank : its place in lists"""

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    suffix: ClassVar[str] = ""
    bits: ClassVar[tuple[int, ...]] = (32,)
    rank: ClassVar[int] = 1000

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    def encode(self, paint: VertexPaint, bits: int) -> bytes:
        """A file of the model and its values; `bits`: of a colour's component, where the format has a choice. The same paint, the same bytes."""
        raise NotImplementedError


@lru_cache(maxsize=1)
def vertex_writers() -> dict[str, VertexWriter]:
    """By id: one file each in `vertex_writers`, and those of plug-ins."""
    found = [w for w in classes_in("ruvelt.core.output.vertex_writers", VertexWriter, ENTRY_POINTS).values() if w.label and w.suffix[:1] == "."]
    return {w.id: w() for w in sorted(found, key=lambda w: (w.rank, w.id))}


def vertex_writer_of(format_id: str) -> VertexWriter:
    """Raises InputError for a format that nothing here writes."""
    if format_id not in vertex_writers():
        raise InputError(f"Nothing here writes vertex colours as '{format_id[:40]}'. Choose one of {', '.join(vertex_writers())}.")
    return vertex_writers()[format_id]


def vertex_paint(display: SheetDisplay) -> VertexPaint:
    """What the layers come to on each vertex. Raises InputError for a sheet."""
    samples, evaluator = display.samples, display.evaluator
    if not isinstance(samples, VertexSamples):
        raise InputError(f"{evaluator.sheet.name} is a sheet; vertex colours are written of vertex paint. Add it on the Model screen.")
    slots = samples.slot_of_vertex

    def values(channel: Channel) -> NDArray[np.uint16]:
        whole = np.concatenate([evaluator.composite(channel.id, c) for c in range(samples.chunk_count)], axis=1)
        return np.ascontiguousarray(whole[:, slots])

    colours, numbers = np.full((len(slots), 4), 65535, np.uint16), dict[str, NDArray[np.float32]]()
    for channel in evaluator.document.channels:
        found = values(channel)
        if channel.id == "base_color":
            colours[:, :3] = found.T
        elif channel.id == "opacity":
            colours[:, 3] = found[0]
        elif channel.id in ALWAYS or (found != encode(channel, channel.start)[:, None]).any():
            letters = ("_r", "_g", "_b") if channel.components == 3 else ("",)
            numbers |= {channel.id + letter: row for letter, row in zip(letters, decode(channel, found).astype(np.float32), strict=True)}
    return VertexPaint(samples.model, samples.normals[slots], colours, bool((colours[:, 3] < 65535).any()), numbers)

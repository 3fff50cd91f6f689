"""What fills one component of a map: a channel, a mesh map, a colour made of others, a luminance, a number, or one minus it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.errors import InputError
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.specular import MADE, diffuse_and_specular
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.channels import Channel, encode

#: "base_color.r", "roughness", "normal.y", a baked "map:curvature", "base_color.l" (luminance), "diffuse.g", a number as "0.5"; "1-" inverts.
COMPONENT = re.compile(r"^((0|1|0\.[0-9]{1,4})|(1-)?(map:)?[a-z][a-z0-9_]{0,39}(\.[rgbxyzl])?)$")
_PLACE = {"r": 0, "g": 1, "b": 2, "x": 0, "y": 1, "z": 2}
#: Rec. 709, of linear light.
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class Part:
    """A component, read. source : a channel, "map:ID", "diffuse", "specular" or "normal"; constant : a number instead of one"""

    source: str
    letter: str
    inverted: bool
    constant: float | None = None

    @property
    def is_colour(self) -> bool:
        return self.letter in ("r", "g", "b") and not self.source.startswith("map:")

    @property
    def reads(self) -> tuple[str, ...]:
        if self.constant is not None:
            return ()
        return ("base_color", "metallic") if self.source in MADE else (self.source,)


@lru_cache(maxsize=512)
def part_of(component: str) -> Part:
    """Raises InputError for what is no component."""
    if not COMPONENT.fullmatch(component):
        raise InputError(f"'{component[:60]}' is nothing that a map can be made of. Use a channel as 'roughness' or 'base_color.r', or a number 0–1.")
    if component[0] in "01" and not component.startswith("1-"):
        return Part("", "", False, float(component))
    source, _, letter = component.removeprefix("1-").partition(".")
    return Part(source, letter, component.startswith("1-"))


def component_codes(display: SheetDisplay, components: Sequence[str], y_down: bool = False) -> list[NDArray[np.uint16]]:
    """(slots,) uint16 of each component of a map over the whole sheet, colours as they are encoded. y_down : normals point down the sheet

    Raises InputError for a channel that is not there.
    """
    parts, samples = [part_of(c) for c in components], display.samples
    for part in parts:
        if part.constant is None:
            channel_of(display, part)
    planes = [np.full(samples.slot_count, round((p.constant or 0) * 65535), np.uint16) for p in parts]
    for chunk in range(samples.chunk_count):
        # Components of one source share it: normals are the costly ones.
        sources: dict[str, tuple[U16, ...]] = {}
        for part, plane in zip(parts, planes, strict=True):
            if part.constant is None:
                found = _of(part, _source(display, part.source, chunk, sources))
                plane[chunk * CHUNK : (chunk + 1) * CHUNK] = 65535 - found if _turned(part, y_down) else found
    return planes


def _turned(part: Part, y_down: bool) -> bool:
    is_y = (part.source == "normal" and part.letter == "y") or (part.source == "map:normal" and part.letter == "g")
    return (is_y and y_down) != part.inverted


def chunk_codes(display: SheetDisplay, component: str, chunk: int) -> NDArray[np.uint16]:
    """(65536,) uint16 of one chunk."""
    part = part_of(component)
    if part.constant is not None:
        return np.full(CHUNK, round(part.constant * 65535), np.uint16)
    found = _of(part, _source(display, part.source, chunk, {}))
    return 65535 - found if part.inverted else found


def channel_of(display: SheetDisplay, part: Part) -> Channel | None:
    """The last channel that a component reads; None for normals and numbers. Raises InputError for one that is not there."""
    if part.source == "normal":
        return None
    found = None
    for source in part.reads:
        found = display.evaluator.channel(source)
        wanted = 2 if part.letter == "l" else _PLACE.get(part.letter, 0)
        if found is None or (part.source not in MADE and wanted >= found.components):
            raise InputError(
                f"The preset asks for '{part.source}{'.' if part.letter else ''}{part.letter}', which this project does not have. Change the preset."
            )
    return found


def _source(display: SheetDisplay, source: str, chunk: int, known: dict[str, tuple[U16, ...]]) -> U16:
    """(components, 65536) uint16 of a channel, of normals, or of a colour made of others."""
    kind = "made" if source in MADE else source
    if kind not in known:
        composite = display.evaluator.composite
        if source == "normal":
            known[kind] = (display.normals(chunk),)
        elif source in MADE:
            known[kind] = diffuse_and_specular(composite("base_color", chunk), composite("metallic", chunk)[0])
        else:
            known[kind] = (composite(source, chunk),)
    return known[kind][MADE.index(source) if source in MADE else 0]


def _of(part: Part, values_u16: U16) -> NDArray[np.uint16]:
    if part.letter == "l":
        return luminance(values_u16, part.source.startswith("map:"))
    return np.asarray(values_u16[_PLACE.get(part.letter, 0)])


def luminance(values_u16: U16, data: bool) -> NDArray[np.uint16]:
    """(n,) uint16 brightness of (3, n) codes: Rec. 709 of linear light, encoded again; of data the same share of the codes."""
    if data:
        return np.asarray(np.rint(np.tensordot(_LUMINANCE, values_u16.astype(np.float32), 1)), np.uint16)
    light = np.tensordot(_LUMINANCE, DECODE_U16[values_u16], 1)
    return np.asarray(np.rint(np.clip(linear_to_srgb_float(light), 0, 1) * 65535), np.uint16)


def blank_code(display: SheetDisplay, component: str) -> int:
    """The code of texels that neither an island nor its padding reaches: the channel's start, a flat normal."""
    part = part_of(component)
    if part.constant is not None:
        return round(part.constant * 65535)
    if part.source == "normal":
        found = 65535 if part.letter == "z" else 32768
    else:
        channel = display.evaluator.channel(part.reads[0])
        found = 0 if channel is None else int(encode(channel, channel.start)[0 if part.letter == "l" else _PLACE.get(part.letter, 0)])
    return 65535 - found if part.inverted else found

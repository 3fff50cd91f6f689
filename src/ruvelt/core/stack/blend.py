"""Blend modes by their names. Formulas: W3C Compositing and Blending Level 1, and for height plain arithmetic around the flat value."""

from __future__ import annotations

from dataclasses import dataclass

from ruvelt.core.errors import InputError
from ruvelt.core.stack.channels import Channel


@dataclass(frozen=True)
class BlendMode:
    """`code` is what kernels see; `kinds` the channel kinds that offer it."""

    id: str
    name: str
    code: int
    kinds: tuple[str, ...] = ("colour", "data", "height")


_ALL = ("colour", "data", "height")
_VALUES = ("colour", "data")

MODES: tuple[BlendMode, ...] = (
    BlendMode("normal", "Normal", 0),
    BlendMode("multiply", "Multiply", 1, _VALUES),
    BlendMode("screen", "Screen", 2, _VALUES),
    BlendMode("overlay", "Overlay", 3, _VALUES),
    BlendMode("soft-light", "Soft light", 4, _VALUES),
    BlendMode("hard-light", "Hard light", 5, _VALUES),
    BlendMode("darken", "Darken", 6, _VALUES),
    BlendMode("lighten", "Lighten", 7, _VALUES),
    BlendMode("color-dodge", "Colour dodge", 8, _VALUES),
    BlendMode("color-burn", "Colour burn", 9, _VALUES),
    BlendMode("add", "Add", 10, _VALUES),
    BlendMode("subtract", "Subtract", 11, _VALUES),
    BlendMode("difference", "Difference", 12, _VALUES),
    BlendMode("hue", "Hue", 13, ("colour",)),
    BlendMode("saturation", "Saturation", 14, ("colour",)),
    BlendMode("color", "Colour", 15, ("colour",)),
    BlendMode("luminosity", "Luminosity", 16, ("colour",)),
    BlendMode("height-add", "Add height", 17, ("height",)),
    BlendMode("height-subtract", "Subtract height", 18, ("height",)),
    BlendMode("max", "Max", 7, ("height",)),
    BlendMode("min", "Min", 6, ("height",)),
)
BY_ID = {mode.id: mode for mode in MODES}


def mode_code(mode_id: str, channel: Channel) -> int:
    """The kernel code; a mode that the channel's kind does not offer (hue on roughness) counts as normal.

    Raises InputError for a name that is no blend mode.
    """
    mode = BY_ID.get(mode_id)
    if mode is None:
        raise InputError(f"'{mode_id}' is not a blend mode. Use one of {', '.join(BY_ID)}.")
    return mode.code if channel.kind in mode.kinds else 0

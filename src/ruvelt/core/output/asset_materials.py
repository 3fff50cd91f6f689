"""What a sheet's material is, for assets: a factor where a channel is even all over, a map where it is not."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.channels import encode

#: Own channels that assets know what to do with, by what they may be called.
COATS = {
    "clearcoat": ("clearcoat", "clear_coat", "coat"),
    "clearcoat_roughness": ("clearcoat_roughness", "clear_coat_roughness", "coat_roughness"),
    "sheen": ("sheen", "sheen_color", "sheen_colour"),
    "sheen_roughness": ("sheen_roughness",),
    "transmission": ("transmission",),
}


@dataclass(frozen=True)
class SheetMaterial:
    """A sheet's material. Of each channel the value (linear light, 0–1) where it is even, None where a map has it.

    alpha : "opaque", "mask" (below `cutoff` nothing shows) or "blend"; flat : whether normals point straight out everywhere
    coats : own channels that are there, as (what it is, the channel's id)
    """

    name: str
    base: tuple[float, ...] | None
    opacity: float | None
    roughness: float | None
    metallic: float | None
    occlusion: float | None
    emission: tuple[float, ...] | None
    flat: bool
    alpha: str
    cutoff: float
    double_sided: bool
    emissive_strength: float
    coats: tuple[tuple[str, str], ...]


def sheet_material(display: SheetDisplay) -> SheetMaterial:
    sheet = display.evaluator.sheet
    opaque = sheet.alpha_mode == "opaque"
    opacity = [65535] if opaque else even(display, "opacity")
    clear = not opaque and (opacity is None or opacity[0] < 65000)
    alpha = sheet.alpha_mode if sheet.alpha_mode in ("mask", "blend") else "blend" if clear else "opaque"

    def number(channel: str) -> float | None:
        found = even(display, channel)
        return None if found is None else found[0] / 65535

    def colour(channel: str) -> tuple[float, ...] | None:
        found = even(display, channel)
        return None if found is None else linear(found)

    coats = [(what, n) for what, names in COATS.items() for n in names if display.evaluator.channel(n) is not None]
    return SheetMaterial(
        sheet.name,
        colour("base_color"),
        None if opacity is None else opacity[0] / 65535,
        number("roughness"),
        number("metallic"),
        number("occlusion"),
        colour("emission"),
        flat(display),
        alpha,
        sheet.alpha_cutoff,
        sheet.double_sided,
        sheet.emissive_strength,
        tuple(coats),
    )


def even(display: SheetDisplay, channel: str) -> list[int] | None:
    """The codes of a channel that has one value on the whole sheet (its start, where no texel is covered); None where it varies."""
    found: U16 | None = None
    for chunk in range(display.samples.chunk_count):
        covered = display.samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK]
        if not covered.any():
            continue
        values_u16 = display.evaluator.composite(channel, chunk)[:, covered]
        if found is None:
            found = values_u16[:, :1].copy()
        if (values_u16 != found).any():
            return None
    if found is None:
        of = display.evaluator.channel(channel)
        return None if of is None else [int(v) for v in encode(of, of.start)]
    return [int(v) for v in found[:, 0]]


def flat(display: SheetDisplay) -> bool:
    """Whether normals point straight out everywhere."""
    for chunk in range(display.samples.chunk_count):
        covered = display.samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK]
        if covered.any() and (np.abs(display.normals(chunk)[:2, covered].astype(np.int32) - 32768) > 1).any():
            return False
    return True


def linear(values_u16: list[int]) -> tuple[float, ...]:
    """Linear light 0–1 of sRGB codes."""
    light: NDArray[np.float64] = srgb_to_linear_float(np.array(values_u16, np.float64) / 65535)
    return tuple(float(v) for v in light)

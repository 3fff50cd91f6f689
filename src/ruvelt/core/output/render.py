"""One map of a sheet as a picture: its components packed, padded, at the size, depth and colour space asked for."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.errors import InputError
from ruvelt.core.output.component import blank_code, component_codes, part_of
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.images import resize
from ruvelt.core.output.presets import ExportPreset, MapSpec
from ruvelt.core.output.writer import MapWriter
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.channels import Channel, decode, encode


def padding_reach(display: SheetDisplay, preset: ExportPreset) -> int | None:
    """Texels of the sheet that the padding reaches; None is without end. `preset.padding` counts pixels of the written picture."""
    if preset.around == "everything":
        return None
    samples = display.sheet_samples
    return 0 if preset.around == "none" else -(-preset.padding * samples.side // (preset.size or samples.side))


def render_map(display: SheetDisplay, spec: MapSpec, preset: ExportPreset) -> NDArray[np.uint16]:
    """(side, side) or (side, side, n) uint16 picture of one map, padded and at the size asked for; top row first, colours encoded as sRGB."""
    samples = display.sheet_samples
    side = spec.size or preset.size or samples.side
    gutter = display.gutter(padding_reach(display, preset))
    blank = ~samples.covered
    blank[gutter.dst] = False
    planes = []
    for component, codes in zip(spec.components, component_codes(display, spec.components, preset.normal_y == "down"), strict=True):
        values_u16 = _stronger(display, component, codes, preset)
        values_u16[gutter.dst] = values_u16[gutter.src]
        values_u16[blank] = blank_code(display, component)
        planes.append(values_u16)
    if preset.around == "clear":
        planes = _with_coverage(planes, samples.covered)
    stacked: U16 = planes[0] if len(planes) == 1 else np.stack(planes, axis=1)
    image: NDArray[np.uint16] = samples.to_image(stacked)  # type: ignore[assignment]
    return resize(image, side, spec.is_colour)


def _stronger(display: SheetDisplay, component: str, values_u16: NDArray[np.uint16], preset: ExportPreset) -> NDArray[np.uint16]:
    channel = _height(display, component)
    if channel is None or preset.height_strength == 1:
        return values_u16
    return np.asarray(encode(channel, decode(channel, values_u16) * preset.height_strength), np.uint16)


def _height(display: SheetDisplay, component: str) -> Channel | None:
    """The channel of a component that holds heights as they are."""
    part = part_of(component)
    channel = display.evaluator.channel(part.source) if part.constant is None and not part.inverted else None
    return channel if channel is not None and channel.kind == "height" else None


def _with_coverage(planes: list[NDArray[np.uint16]], covered: NDArray[np.bool_]) -> list[NDArray[np.uint16]]:
    """Four components, clear where no island is; what lies under clear pixels stays padded."""
    colours = planes[:3] if len(planes) > 1 else planes * 3
    alpha = planes[3] if len(planes) == 4 else np.full(len(covered), 65535, np.uint16)
    return [*colours, np.where(covered, alpha, 0).astype(np.uint16)]


def height_span(display: SheetDisplay, spec: MapSpec, preset: ExportPreset) -> tuple[float, float] | None:
    """Object units that 0 and 1 of a map of heights stand for; None for other maps. Its codes have the preset's strength already."""
    channel = _height(display, spec.components[0]) if len(spec.components) == 1 else None
    if channel is None:
        return None
    settings = display.evaluator.document.settings
    units = settings.height_range * display.samples.model.diagonal / (preset.height_strength or 1.0)
    low, high = (float(decode(channel, np.array([code], np.uint16))[0]) * units for code in (0, 65535))
    return low, high


def map_pixels(display: SheetDisplay, spec: MapSpec, preset: ExportPreset, writer: MapWriter, bits: int) -> NDArray[Any]:
    """The picture as a writer takes it: uint16 codes, or float32 at depths where the format has floating-point numbers.

    Raises InputError for components that the format cannot hold.
    """
    image = render_map(display, spec, preset)
    count = 1 if image.ndim == 2 else image.shape[2]
    if count not in writer.counts:
        raise InputError(f"{writer.label} has no alpha, which {spec.name} needs. Choose another format for it, or take its fourth component out.")
    floating = bits in writer.floats
    space = spec.space(floating)
    if floating:
        return _as_floats(display, spec, preset, image, space == "linear")
    if space == "linear" and spec.is_colour:
        image = np.rint(_as_floats(display, spec, preset, image, True) * 65535).astype(np.uint16)
    return dithered(image) if spec.dither and bits == 8 else image


def _as_floats(display: SheetDisplay, spec: MapSpec, preset: ExportPreset, image: NDArray[np.uint16], linear: bool) -> NDArray[np.float32]:
    values = image.astype(np.float32) / np.float32(65535)
    if linear and spec.is_colour:
        values[..., :3] = DECODE_U16[image[..., :3]]
    span = height_span(display, spec, preset)
    if span is not None and preset.height_units and values.ndim == 2:
        values = np.float32(span[0]) + values * np.float32(span[1] - span[0])
    return values


def dithered(image: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """Codes of 8 bits with noise of one step before rounding, as uint16 again (n · 257); whole steps stay as they are.

    The noise is interleaved gradient noise (Jimenez, SIGGRAPH 2014, Advances in real-time rendering), the same at each run.
    """
    y, x = np.mgrid[: image.shape[0], : image.shape[1]].astype(np.float64)
    noise = np.mod(52.9829189 * np.mod(0.06711056 * x + 0.00583715 * y, 1), 1)
    step = np.floor(image / 257.0 + (noise if image.ndim == 2 else noise[..., None]))
    found: NDArray[np.uint16] = (np.minimum(step, 255) * 257).astype(np.uint16)
    return found


def coverage_image(display: SheetDisplay, side: int) -> NDArray[np.uint8]:
    """(side, side) uint8 255 where texels of islands are, top row first."""
    samples = display.sheet_samples
    whole = np.asarray(samples.to_image(samples.covered.astype(np.uint8) * 255))
    return whole if side == samples.side else np.asarray(cv2.resize(whole, (side, side), interpolation=cv2.INTER_AREA))

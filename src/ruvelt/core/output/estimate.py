"""What an export will come to before it is written: a few chunks of each map go through its encoder, and tell of the rest."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np

from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.output.asset_materials import even
from ruvelt.core.output.component import chunk_codes
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.mapset import PlannedFile
from ruvelt.core.output.presets import MapSpec
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.stack.channels import encode

#: Chunks that are tried, and what packing, padding and writing add to the time of the encoder.
TRIED, BESIDES = 3, 1.4


@dataclass(frozen=True)
class Estimate:
    bytes: int
    seconds: float


def says_something(display: SheetDisplay, spec: MapSpec) -> bool:
    """Whether a channel of a map is anything but its start all over, or a mesh map is in it."""
    return any(touched(display, channel) for channel in spec.channels)


def touched(display: SheetDisplay, channel: str) -> bool:
    """Whether a channel ("normal", "map:ID" too) is anything but its start all over."""
    if channel.startswith("map:"):
        return True
    if channel == "normal":
        sheet = display.evaluator.sheet
        supplied = sheet.normal_map or bool(sheet.normal_pictures) or any(m.id == "normal" for m in sheet.mesh_maps)
        return supplied or touched(display, "height")
    if len(display.evaluator.program(channel).ops) < 2:
        return False
    # A ground that lays each channel's start everywhere says nothing either.
    of, found = display.evaluator.channel(channel), even(display, channel)
    return of is None or found is None or found != [int(v) for v in encode(of, of.start)]


def estimate(one: PlannedFile) -> Estimate:
    """Bytes and seconds of a planned file, as its busiest chunks are."""
    display = one.display
    samples = display.sheet_samples
    covered = samples.covered.reshape(-1, CHUNK).sum(axis=1)
    chunks = np.argsort(-covered, kind="stable")[:TRIED].tolist()
    pixels = one.side * one.side
    share = float(covered.sum()) / max(float(covered[chunks].mean()) * len(covered), 1.0)
    made, seconds = 0.0, 0.0
    for spec in one.specs:
        bits = one.bits(spec)
        for chunk in chunks:
            planes = [chunk_codes(display, c, chunk) for c in spec.components]
            image = np.stack(planes, axis=1).reshape(CHUNK_SIDE, CHUNK_SIDE, -1)
            image = image[..., 0] if len(planes) == 1 else image
            values = DECODE_U16[image] if bits in one.writer.floats else image
            start = time.perf_counter()
            made += len(one.writer.encode(np.ascontiguousarray(values), bits, one.about(spec)))
            seconds += time.perf_counter() - start
    scale = pixels / CHUNK / max(len(chunks), 1)
    # Chunks that few islands lie in are mostly padding, which costs little.
    return Estimate(int(made * scale * min(0.1 + 0.9 * share, 1.0)), seconds * scale * BESIDES)

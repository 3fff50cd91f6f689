"""Map sets: composites to pictures, with padding, packing and a listing. The same inputs give the same bytes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.images import resize
from ruvelt.core.output.presets import ExportPreset, MapSpec, file_stem, with_own_channels
from ruvelt.core.output.vertex_writer import vertex_paint, vertex_writer_of
from ruvelt.core.output.writer import bits_for, writer_of
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.channels import Channel, encode

#: Called between maps with (done, planned, what); raises Cancelled to stop.
Progress = Callable[[int, int, str], None]
_LETTERS = {"r": 0, "g": 1, "b": 2, "x": 0, "y": 1, "z": 2}


@dataclass(frozen=True)
class WrittenFile:
    """One file of an export, as the listing tells it."""

    name: str
    kind: str
    sheet: str | None
    map: str | None
    width: int
    height: int
    bits: int
    bytes: int
    sha256: str
    colour_space: str


def _component(display: SheetDisplay, component: str, normal_y: str) -> NDArray[np.uint16]:
    """(slots,) uint16 of one component of a map over the whole sheet."""
    samples = display.samples
    if component in ("0", "1"):
        return np.full(samples.slot_count, 65535 * int(component), np.uint16)
    channel_id, _, letter = component.partition(".")
    out = np.empty(samples.slot_count, np.uint16)
    index = _LETTERS.get(letter, 0)
    channel = display.evaluator.channel(channel_id)
    if channel_id != "normal" and (channel is None or index >= channel.components):
        raise InputError(f"The preset asks for '{component}', which this project does not have. Change the preset.")
    for chunk in range(samples.chunk_count):
        values_u16 = display.normals(chunk)[index] if channel_id == "normal" else display.evaluator.composite(channel_id, chunk)[index]
        out[chunk * CHUNK : (chunk + 1) * CHUNK] = values_u16
    if ((channel_id == "normal" and letter == "y") or component == "map:normal.g") and normal_y == "down":
        out = 65535 - out
    return out


def _outside(channel: Channel | None, component: str) -> int:
    """The code of texels that neither an island nor its padding reaches: the channel's start, a flat normal."""
    if component in ("0", "1"):
        return 65535 * int(component)
    channel_id, _, letter = component.partition(".")
    if channel_id == "normal":
        return 65535 if letter == "z" else 32768
    return int(encode(channel, channel.start)[_LETTERS.get(letter, 0)]) if channel is not None else 0


def render_map(display: SheetDisplay, spec: MapSpec, preset: ExportPreset) -> NDArray[np.uint16]:
    """(side, side) or (side, side, n) uint16 picture of one map, padded and at the size asked for; top row first.

    `preset.padding` counts texels of the written picture, so it means the same at every size; with `preset.fill` nothing stays empty.
    """
    samples = display.sheet_samples
    side = preset.size or samples.side
    gutter = display.gutter(None if preset.fill else -(-preset.padding * samples.side // side))
    planes = []
    for component in spec.components:
        values_u16 = _component(display, component, preset.normal_y)
        blank = ~samples.covered
        blank[gutter.dst] = False
        values_u16[gutter.dst] = values_u16[gutter.src]
        values_u16[blank] = _outside(display.evaluator.channel(component.split(".")[0]), component)
        planes.append(values_u16)
    stacked: U16 = planes[0] if len(planes) == 1 else np.stack(planes, axis=1)
    image: NDArray[np.uint16] = samples.to_image(stacked)  # type: ignore[assignment]
    return resize(image, side, spec.colour_space == "srgb")


def chosen_maps(display: SheetDisplay, preset: ExportPreset, only: Iterable[str] | None) -> list[MapSpec]:
    """The maps of a preset for this sheet, or those of them whose ids are in `only`; mesh maps that it has not baked are left out."""
    maps = with_own_channels(preset, display.evaluator.document).maps
    baked = {m.id for m in display.evaluator.sheet.mesh_maps}
    wanted = None if only is None else set(only)
    return [m for m in maps if (wanted is None or m.id in wanted) and m.mesh_maps <= baked]


def write_map_set(
    displays: Sequence[SheetDisplay],
    preset: ExportPreset,
    project: str,
    write: Callable[[str, bytes], None],
    *,
    only: Iterable[str] | None = None,
    extra: Callable[[], list[tuple[str, str, bytes]]] | None = None,
    progress: Progress = lambda done, planned, what: None,
) -> list[WrittenFile]:
    """Hand every file of an export to `write(name, bytes)`, the listing last.

    extra : makes whole-asset files as (name, kind, bytes). Raises InputError when two maps would get one name.
    """
    wanted = None if only is None else list(only)
    # Displays are asked for when their turn comes: not all of them need to fit into memory at once.
    plan = [
        (i, d.evaluator.sheet.name, d.sheet_samples.plan.tile_number, spec) for i, d in enumerate(displays) for spec in chosen_maps(d, preset, wanted)
    ]
    if not plan and not preset.vertex_files:
        unbaked = any(m.mesh_maps for m in preset.maps)
        raise InputError("Nothing to write: " + ("bake the sheet's mesh maps first." if unbaked else "choose at least one map and one sheet."))
    names: dict[str, str] = {}
    for _, sheet, tile, spec in plan:
        stem = file_stem(preset, project, sheet, tile, spec.id)
        if stem.lower() in names:
            raise InputError(f"Two maps would be called '{stem}'. Put {{sheet}} and {{map}} into the name template.")
        names[stem.lower()] = stem
    writer, steps = writer_of(preset.format), len(plan) + (1 if extra else 0)
    files: list[WrittenFile] = []
    for done, ((i, sheet, _, spec), stem) in enumerate(zip(plan, names.values(), strict=True)):
        progress(done, steps, f"{sheet}: {spec.name}")
        image = render_map(displays[i], spec, preset)
        bits = bits_for(writer, spec.bits or preset.bits)
        data = writer.encode(image, bits)
        name = stem + writer.suffix
        write(name, data)
        files.append(WrittenFile(name, writer.id, sheet, spec.id, image.shape[1], image.shape[0], bits, len(data), _sha(data), spec.colour_space))
    if extra is not None:
        progress(len(plan), steps, "Whole asset")
        for name, kind, data in extra():
            write(name, data)
            files.append(WrittenFile(name, kind, None, None, 0, 0, 0, len(data), _sha(data), "mixed"))
    write("listing.json", listing(project, preset, files))
    progress(steps, steps, "Done")
    return files


def vertex_files(display: SheetDisplay, preset: ExportPreset, project: str) -> list[tuple[str, str, bytes]]:
    """Vertex paint with its mesh in each of a preset's formats, as (name, kind, bytes). Raises InputError for a sheet or an unknown format."""
    chosen, paint = [vertex_writer_of(f) for f in preset.vertex_files], vertex_paint(display)
    stem = file_stem(preset, project, display.evaluator.sheet.name, 0, "colours")
    return [(stem + w.suffix, w.id, w.encode(paint, preset.bits)) for w in chosen]


def listing(project: str, preset: ExportPreset, files: list[WrittenFile]) -> bytes:
    """What was written, as JSON without times, so that it repeats to the byte."""
    content = {
        "format": "ruvelt-listing",
        "version": 1,
        "project": project,
        "preset": preset.id,
        "normal_y": preset.normal_y,
        "padding": "everything" if preset.fill else preset.padding,
        "files": [f.__dict__ for f in files],
    }
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def _sha(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()

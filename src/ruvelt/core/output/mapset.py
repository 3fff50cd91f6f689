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
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.channels import Channel, decode, encode

#: Called between maps with (done, planned, what); raises Cancelled to stop.
Progress = Callable[[int, int, str], None]
_LETTERS = {"r": 0, "g": 1, "b": 2, "x": 0, "y": 1, "z": 2}


@dataclass(frozen=True)
class Look:
    """What a map set is made of: the sheets as one variant has them. name : the variant's, "" of what is not one of several"""

    displays: Sequence[SheetDisplay]
    name: str = ""


@dataclass(frozen=True)
class WrittenFile:
    """One file of an export, as the listing tells it. variants : those that have it, where several were written"""

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
    variants: tuple[str, ...] = ()


def _component(display: SheetDisplay, component: str, preset: ExportPreset) -> NDArray[np.uint16]:
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
    if ((channel_id == "normal" and letter == "y") or component == "map:normal.g") and preset.normal_y == "down":
        out = 65535 - out
    if channel is not None and channel.kind == "height" and preset.height_strength != 1:
        out = encode(channel, decode(channel, out) * preset.height_strength)
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
        values_u16 = _component(display, component, preset)
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


def map_version(display: SheetDisplay, spec: MapSpec) -> int:
    """Changes whenever a map may change; the same for two variants that differ in nothing it shows."""
    channels = sorted({c.split(".")[0] for c in spec.components if c not in ("0", "1")})
    chunks = range(display.samples.chunk_count)
    return version_of([display.version_of_channel(c, k, True) for c in channels for k in chunks])


def _plan(looks: Sequence[Look], preset: ExportPreset, only: list[str] | None) -> list[_Planned]:
    """Maps to write: of those that are the same in several looks one, for all of them."""
    found: list[_Planned] = []
    for i in range(len(looks[0].displays)):
        # Displays are asked for when their turn comes: not all of them need to fit into memory at once.
        display = looks[0].displays[i]
        sheet, tile = display.evaluator.sheet.name, display.sheet_samples.plan.tile_number
        for spec in chosen_maps(display, preset, only):
            groups: dict[int, list[Look]] = {}
            for look in looks:
                groups.setdefault(map_version(look.displays[i], spec) if len(looks) > 1 else 0, []).append(look)
            for same in groups.values():
                named = tuple(look.name for look in same) if len(looks) > 1 else ()
                found.append(_Planned(i, sheet, tile, spec, same[0], named, same[0].name if len(groups) > 1 else ""))
    return found


@dataclass(frozen=True)
class _Planned:
    """A map to write: of sheet `index`, as `look` shows it. variants : those that have it; label : what its name has for {variant}"""

    index: int
    sheet: str
    tile: int
    spec: MapSpec
    look: Look
    variants: tuple[str, ...]
    label: str


def write_map_set(
    looks: Sequence[Look],
    preset: ExportPreset,
    project: str,
    write: Callable[[str, bytes], None],
    *,
    only: Iterable[str] | None = None,
    extra: Callable[[], list[tuple[str, str, bytes]]] | None = None,
    progress: Progress = lambda done, planned, what: None,
) -> list[WrittenFile]:
    """Hand every file of an export to `write(name, bytes)`, the listing last. Of looks that share a map it is written once.

    extra : makes whole-asset files as (name, kind, bytes). Raises InputError when two maps would get one name.
    """
    plan = _plan(looks, preset, None if only is None else list(only))
    if not plan and not preset.vertex_files:
        unbaked = any(m.mesh_maps for m in preset.maps)
        raise InputError("Nothing to write: " + ("bake the sheet's mesh maps first." if unbaked else "choose at least one map and one sheet."))
    names: dict[str, str] = {}
    for one in plan:
        stem = file_stem(preset, project, one.sheet, one.tile, one.spec.id, one.label)
        if stem.lower() in names:
            same = "Two variants" if one.label else "Two maps"
            raise InputError(
                f"{same} would be called '{stem}'. Put {{sheet}} and {{map}} into the name template, and give variants names of their own."
            )
        names[stem.lower()] = stem
    writer, steps = writer_of(preset.format), len(plan) + (1 if extra else 0)
    files: list[WrittenFile] = []
    for done, (one, stem) in enumerate(zip(plan, names.values(), strict=True)):
        spec = one.spec
        progress(done, steps, ": ".join(p for p in (one.label, one.sheet, spec.name) if p))
        image = render_map(one.look.displays[one.index], spec, preset)
        bits = bits_for(writer, spec.bits or preset.bits)
        data = writer.encode(image, bits)
        name = stem + writer.suffix
        write(name, data)
        size = (image.shape[1], image.shape[0])
        files.append(WrittenFile(name, writer.id, one.sheet, spec.id, *size, bits, len(data), _sha(data), spec.colour_space, one.variants))
    if extra is not None:
        progress(len(plan), steps, "Whole asset")
        for name, kind, data in extra():
            write(name, data)
            files.append(WrittenFile(name, kind, None, None, 0, 0, 0, len(data), _sha(data), "mixed"))
    write("listing.json", listing(project, preset, files))
    progress(steps, steps, "Done")
    return files


def vertex_files(display: SheetDisplay, preset: ExportPreset, project: str, variant: str = "") -> list[tuple[str, str, bytes]]:
    """Vertex paint with its mesh in each of a preset's formats, as (name, kind, bytes). Raises InputError for a sheet or an unknown format."""
    chosen, paint = [vertex_writer_of(f) for f in preset.vertex_files], vertex_paint(display)
    stem = file_stem(preset, project, display.evaluator.sheet.name, 0, "colours", variant)
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
        "files": [{k: v for k, v in f.__dict__.items() if k != "variants" or v} for f in files],
    }
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def _sha(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()

"""Map sets: pictures of sheets, packed and named as a preset says, and a listing. The same inputs give the same bytes, by any number of threads."""

from __future__ import annotations

import hashlib
import json
import zlib
from collections import deque
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.output.component import channel_of, part_of
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.presets import ExportPreset, MapSpec, file_stem, with_own_channels
from ruvelt.core.output.render import height_span, map_pixels, padding_reach
from ruvelt.core.output.vertex_writer import vertex_paint, vertex_writer_of
from ruvelt.core.output.writer import About, MapWriter, bits_for, writer_of
from ruvelt.core.output.writers.exr import Exr
from ruvelt.core.planes.versions import version_of

#: Called between maps with (done, planned, what); raises Cancelled to stop.
Progress = Callable[[int, int, str], None]
#: Changes with what the same channels and preset are written as.
WRITING = 1
#: What a preset says that changes no file of a map.
NOT_IN_PIXELS = {
    "id", "name", "note", "maps", "overrides", "template", "assets", "vertex_files", "tangents", "mips", "dark", "bright", "metal_dark",
}  # fmt: skip
#: Maps in the making at a time.
THREADS = 2


@dataclass(frozen=True)
class Look:
    """What a map set is made of: the sheets as one variant has them. name : the variant's, "" of what is not one of several"""

    displays: Sequence[SheetDisplay]
    name: str = ""


@dataclass(frozen=True)
class WrittenFile:
    """One file of an export, as the listing tells it. variants : those that have it, where several were written

    made_of : changes with whatever the file shows; span : object units that 0 and 1 of heights stand for; maps : of a file that holds several
    """

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
    made_of: str = ""
    span: tuple[float, float] | None = None
    maps: tuple[str, ...] = ()


#: What lies in the folder already under a name, if it was made of the same.
Kept = Callable[[str, str], WrittenFile | None]


def chosen_maps(display: SheetDisplay, preset: ExportPreset, only: Iterable[str] | None) -> list[MapSpec]:
    """The maps of a preset for this sheet: those that are on, or whose ids are in `only`; mesh maps that it has not baked are left out."""
    maps = with_own_channels(preset, display.evaluator.document).of_sheet(display.evaluator.sheet.id).maps
    baked = {m.id for m in display.evaluator.sheet.mesh_maps}
    wanted = None if only is None else set(only)
    return [m for m in maps if (m.on if wanted is None else m.id in wanted) and m.mesh_maps <= baked]


def map_version(display: SheetDisplay, spec: MapSpec) -> int:
    """Changes whenever a map may change; the same for two variants that differ in nothing it shows."""
    chunks = range(display.samples.chunk_count)
    return version_of([display.version_of_channel(c, k, True) for c in sorted(spec.channels) for k in chunks])


_layouts: WeakKeyDictionary[object, int] = WeakKeyDictionary()


def layout_version(display: SheetDisplay) -> int:
    """Changes with where a sheet's triangles lie and how they face."""
    samples = display.sheet_samples
    if samples not in _layouts:
        arrays = (samples.uv, samples.triangle_positions, samples.triangle_normals, samples.triangle_tangents)
        _layouts[samples] = version_of([samples.side, *(zlib.crc32(np.ascontiguousarray(a).data) for a in arrays)])
    return _layouts[samples]


@dataclass(frozen=True)
class PlannedFile:
    """A file to write: maps of sheet `index`, as `look` shows it. variants : those that have it; name : of the file; made_of : see WrittenFile"""

    index: int
    sheet: str
    specs: tuple[MapSpec, ...]
    look: Look
    variants: tuple[str, ...]
    preset: ExportPreset
    writer: MapWriter
    side: int
    name: str
    made_of: str

    @property
    def display(self) -> SheetDisplay:
        return self.look.displays[self.index]

    @property
    def what(self) -> str:
        return ": ".join((self.sheet, *(s.name for s in self.specs[:1])))

    def bits(self, spec: MapSpec) -> int:
        return bits_for(self.writer, spec.bits or self.preset.bits)

    def about(self, spec: MapSpec) -> About:
        return About(spec.space(self.bits(spec) in self.writer.floats), self.preset.quality)


def plan_files(looks: Sequence[Look], preset: ExportPreset, project: str, only: Iterable[str] | None = None) -> list[PlannedFile]:
    """Files to write: of maps that are the same in several looks one, for all of them. Raises InputError when two would have one name."""
    wanted = None if only is None else list(only)
    found: list[PlannedFile] = []
    taken: set[str] = set()
    for i in range(len(looks[0].displays)):
        # Displays are asked for when their turn comes: not all of them need to fit into memory at once.
        own = preset.of_sheet(looks[0].displays[i].evaluator.sheet.id)
        for specs, writer, side in _grouped(chosen_maps(looks[0].displays[i], preset, wanted), own, looks[0].displays[i].sheet_samples.side):
            groups: dict[int, list[Look]] = {}
            for look in looks:
                version = version_of([map_version(look.displays[i], s) for s in specs]) if len(looks) > 1 else 0
                groups.setdefault(version, []).append(look)
            for same in groups.values():
                label = same[0].name if len(groups) > 1 else ""
                one = _planned(i, specs, same, own, writer, side, project, label, len(looks) > 1)
                if one.name.lower() in taken:
                    raise InputError(
                        f"{'Two variants' if label else 'Two maps'} would be called '{one.name.rpartition('.')[0]}'. "
                        "Put {sheet} and {map} into the name template, and give variants names of their own."
                    )
                taken.add(one.name.lower())
                found.append(one)
    return found


def _grouped(maps: list[MapSpec], preset: ExportPreset, side: int) -> list[tuple[tuple[MapSpec, ...], MapWriter, int]]:
    """Maps that share a file: one each, or all of one size where OpenEXR holds several."""
    traits = [(writer_of(m.format or preset.format), m.size or preset.size or side) for m in maps]
    if preset.bundle == "files":
        return [((m,), writer, own) for m, (writer, own) in zip(maps, traits, strict=True)]
    together = sorted(zip(maps, traits, strict=True), key=lambda pair: (not isinstance(pair[1][0], Exr), pair[1][1]))
    found: list[tuple[tuple[MapSpec, ...], MapWriter, int]] = []
    for (writer, own), pairs in groupby(together, key=lambda pair: pair[1]):
        specs = tuple(m for m, _ in pairs)
        found += [(specs, writer, own)] if isinstance(writer, Exr) else [((m,), writer, own) for m in specs]
    return found


def _planned(
    index: int,
    specs: tuple[MapSpec, ...],
    same: list[Look],
    preset: ExportPreset,
    writer: MapWriter,
    side: int,
    project: str,
    label: str,
    several: bool,
) -> PlannedFile:
    display = same[0].displays[index]
    sheet = display.evaluator.sheet.name
    for component in (c for s in specs for c in s.components):
        channel_of(display, part_of(component))
    map_id = specs[0].id if len(specs) == 1 else "maps"
    stem = file_stem(preset, project, sheet, display.sheet_samples.plan.tile_number, map_id, label, side)
    how = preset.model_dump(
        exclude={"id", "name", "note", "maps", "overrides", "template", "assets", "vertex_files", "mips", "dark", "bright", "metal_dark"}
    )
    settings = display.evaluator.document.settings
    versions = [map_version(display, s) for s in specs]
    about = [WRITING, writer.id, side, json.dumps(how), *(s.model_dump_json() for s in specs), settings.height_range]
    made_of = f"{version_of([layout_version(display), *versions, *about]) & (1 << 64) - 1:016x}"
    variants = tuple(look.name for look in same) if several else ()
    return PlannedFile(index, sheet, specs, same[0], variants, preset, writer, side, stem + writer.suffix, made_of)


def encode_file(one: PlannedFile) -> bytes:
    """The bytes of a planned file."""
    made = [(s.id, map_pixels(one.display, s, one.preset, one.writer, one.bits(s)), one.bits(s), one.about(s)) for s in one.specs]
    if len(made) > 1 and isinstance(one.writer, Exr):
        return one.writer.encode_layers(made, one.preset.bundle == "parts")
    _, pixels, bits, about = made[0]
    return one.writer.encode(pixels, bits, about)


def _written(one: PlannedFile, data: bytes) -> WrittenFile:
    first, several = one.specs[0], len(one.specs) > 1
    return WrittenFile(
        one.name,
        one.writer.id,
        one.sheet,
        None if several else first.id,
        one.side,
        one.side,
        one.bits(first),
        len(data),
        sha_of(data),
        "mixed" if several else one.about(first).space,
        one.variants,
        one.made_of,
        None if several else height_span(one.display, first, one.preset),
        tuple(s.id for s in one.specs) if several else (),
    )


def write_map_set(
    looks: Sequence[Look],
    preset: ExportPreset,
    project: str,
    write: Callable[[str, bytes], None],
    *,
    only: Iterable[str] | None = None,
    extra: Callable[[list[WrittenFile]], list[tuple[str, str, bytes]]] | None = None,
    kept: Kept = lambda name, made_of: None,
    threads: int = THREADS,
    progress: Progress = lambda done, planned, what: None,
) -> list[WrittenFile]:
    """Hand every file of an export to `write(name, bytes)`, the listing last. Of looks that share a map it is written once.

    extra : makes whole-asset files of the maps that were written, as (name, kind, bytes); kept : tells of files that need not be written again
    Raises InputError when two maps would get one name, or nothing is left to write.
    """
    plan = [] if preset.vertex_files else plan_files(looks, preset, project, only)
    if not plan and not preset.vertex_files:
        unbaked = any(m.mesh_maps for m in preset.maps)
        raise InputError("Nothing to write: " + ("bake the sheet's mesh maps first." if unbaked else "choose at least one map and one sheet."))
    files = _write_maps(plan, write, kept, threads, progress, len(plan) + (1 if extra else 0))
    if extra is not None:
        progress(len(plan), len(plan) + 1, "Whole asset")
        for name, kind, data in extra(files):
            if any(f.name.lower() == name.lower() for f in files):
                raise InputError(f"Two files would be called '{name}'. Change the name template.")
            write(name, data)
            files.append(WrittenFile(name, kind, None, None, 0, 0, 0, len(data), sha_of(data), "mixed"))
    write("listing.json", listing(project, preset, files))
    progress(len(plan) + 1, len(plan) + 1, "Done")
    return files


def _write_maps(
    plan: list[PlannedFile], write: Callable[[str, bytes], None], kept: Kept, threads: int, progress: Progress, steps: int
) -> list[WrittenFile]:
    """Maps in their order, a few in the making at a time; padding and what all maps need is made before."""
    files: list[WrittenFile] = []
    waiting: deque[tuple[PlannedFile, Future[bytes]]] = deque()
    with ThreadPoolExecutor(threads, thread_name_prefix="export") as pool:

        def settle(most: int) -> None:
            while len(waiting) > most:
                one, made = waiting.popleft()
                data = made.result()
                write(one.name, data)
                files.append(_written(one, data))

        try:
            for done, one in enumerate(plan):
                progress(done, steps, one.what)
                found = kept(one.name, one.made_of)
                if found is not None:
                    settle(0)
                    files.append(replace(found, variants=one.variants))
                    continue
                one.display.evaluator.prepare()
                one.display.gutter(padding_reach(one.display, one.preset))
                waiting.append((one, pool.submit(encode_file, one)))
                # Some more than threads: none of them waits for the oldest to be written.
                settle(2 * threads)
            settle(0)
        finally:
            for _, made in waiting:
                made.cancel()
    return files


def vertex_files(display: SheetDisplay, preset: ExportPreset, project: str, variant: str = "") -> list[tuple[str, str, bytes]]:
    """Vertex paint with its mesh in each of a preset's formats, as (name, kind, bytes). Raises InputError for a sheet or an unknown format."""
    chosen, paint = [vertex_writer_of(f) for f in preset.vertex_files], vertex_paint(display)
    stem = file_stem(preset, project, display.evaluator.sheet.name, 0, "colours", variant)
    return [(stem + w.suffix, w.id, w.encode(paint, preset.bits)) for w in chosen]


def listing(project: str, preset: ExportPreset, files: list[WrittenFile]) -> bytes:
    """What was written, as JSON without times, so that it repeats to the byte. Empty facts are left out."""
    content: dict[str, Any] = {
        "format": "ruvelt-listing",
        "version": 1,
        "project": project,
        "preset": preset.id,
        "normal_y": preset.normal_y,
        "padding": preset.padding if preset.around in ("pixels", "clear") else preset.around,
        "files": [{k: v for k, v in f.__dict__.items() if v or k not in ("variants", "made_of", "span", "maps")} for f in files],
    }
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def sha_of(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()

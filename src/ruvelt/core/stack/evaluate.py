"""Evaluation of a sheet's layers chunk by chunk, with caches whose entries carry the version they were made from."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import replace
from threading import RLock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import ENCODED_CODES, LINEAR_CODES
from ruvelt.core.errors import NotFound
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.address import BLOCKS, CHUNK
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.samples.collar import Joined
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack._blend_kernels import (
    COLOUR,
    CONST,
    CUBE,
    FOLDED,
    PLANE,
    POP,
    PUSH,
    STRAIGHT_MODES,
)
from ruvelt.core.stack.beyond import Beyond, Borders, map_version
from ruvelt.core.stack.blend import NORMAL, code_of, loop_of
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.colour_steps import ColourStep, cube, packed, shares
from ruvelt.core.stack.document import AdjustLayer, Document, Sheet
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.kinds.adjustment import SpreadingAdjust
from ruvelt.core.stack.kinds.step import Source
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.mask_evaluate import WHOLE, MaskEvaluator
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.measures import Images, Measures, no_images
from ruvelt.core.stack.mesh_maps import PREFIX, compile_mesh_map, map_channel
from ruvelt.core.stack.program import Op, Program, compile_channel
from ruvelt.core.stack.resolved import Fold, Overlay, Resolved, State, codes_of, execute, state_at
from ruvelt.core.stack.shaping import table
from ruvelt.core.stack.step_arrays import StepArrays
from ruvelt.core.workers import SERIAL, Workers

#: What masks are looked at as: one value, no colour.
MASK_PREFIX = "mask:"
#: What ranges of adjustments are looked at as: "catch:LAYER:RANGE", the share a range has of what the layer adjusts; without a range, all of them.
CATCH_PREFIX = "catch:"
BASE_COLOR = "base_color"
#: Fewer steps than this are walked sooner than their line is made.
LEAST_FOLDED = 6


def _plain_colours(op: Op) -> bool:
    return op.kind == COLOUR and op.mask is None and op.mode == NORMAL


class SheetEvaluator:
    """Composites of one sheet of one document. Make a new one when the document changes; the cache is shared and outlives it."""

    def __init__(
        self,
        document: Document,
        sheet: Sheet,
        samples: SurfaceSamples,
        faces: FaceIndex,
        planes: PlaneLookup,
        cache: BoundedCache,
        *,
        images: Images = no_images,
        workers: Workers = SERIAL,
        borders: Borders | None = None,
    ) -> None:
        self._borders = borders
        #: The layer that a slider changes while it is dragged.
        self.changing: str | None = None
        self._tried: dict[tuple[str, int], int] = {}
        self._beyond: dict[int, Beyond] = {}
        self._elsewhere: dict[str, int] = {}
        self.document, self.sheet, self.samples = document, sheet, samples
        self.faces, self.cache = faces, cache
        self._planes, self._cache, self._workers = planes, cache, workers
        held = self._images = {i.key for i in document.images}
        self.picture: Images = lambda key: images(key) if key in held else None
        self.measures = Measures(samples, self.picture, cache)
        self.masks = MaskEvaluator(self, faces, planes, cache, workers)
        self._spreading = RLock()
        self._beneath_versions: dict[tuple[str, str], int] = {}
        self._befores: dict[tuple[str, str, bool], Program] = {}
        self._programs: dict[tuple[str, str | None], tuple[Program, int]] = {}

    def channel(self, channel_id: str) -> Channel | None:
        """A channel of the document, a mesh map as "map:ID", or a mask as "mask:LAYER" and one of its sources as "mask:LAYER:SOURCE"."""
        if channel_id.startswith(MASK_PREFIX):
            if self._masked(channel_id) is None:
                return None
            return Channel.model_construct(id=channel_id, name="Mask", kind="data", start=(1.0,))
        if channel_id.startswith(CATCH_PREFIX):
            return Channel.model_construct(id=channel_id, name="Range", kind="data", start=(1.0,)) if self._catching(channel_id) is not None else None
        return map_channel(channel_id) or self.document.channel(channel_id)

    def _masked(self, channel_id: str) -> tuple[str, Mask] | None:
        """The layer and mask that "mask:LAYER" names; of a source the mask that holds it alone."""
        layer_id, _, source_id = channel_id.removeprefix(MASK_PREFIX).partition(":")
        layer = self.sheet.find(layer_id)
        if layer is None or layer.mask is None:
            return None
        if not source_id:
            return layer.id, layer.mask
        alone = next((s for s in layer.mask.sources if s.id == source_id and isinstance(s, Source)), None)
        return None if alone is None else (layer.id, Mask(sources=(alone.model_copy(update={"on": True, "strength": 1.0, "combine": "replace"}),)))

    def _catching(self, channel_id: str) -> tuple[str, str, ColourStep] | None:
        """The layer, range and ranges that "catch:LAYER:RANGE" names."""
        layer_id, _, range_id = channel_id.removeprefix(CATCH_PREFIX).partition(":")
        layer = self.sheet.find(layer_id)
        if not isinstance(layer, AdjustLayer):
            return None
        ranges = tuple(r for r in layer.ranges if r.on or r.id == range_id)
        if range_id and all(r.id != range_id for r in ranges):
            return None
        return layer_id, range_id, ColourStep(layer.adjust, layer.components, ranges, layer.rest)

    def program(self, channel_id: str, always: str | None = None) -> Program:
        return self._program(channel_id, always)[0]

    def _program(self, channel_id: str, always: str | None = None) -> tuple[Program, int]:
        found = self._programs.get((channel_id, always))
        if found is None:
            channel = self.channel(channel_id)
            if channel is None:
                raise NotFound(f"There is no channel '{channel_id}' here. Reload the project.")
            if channel_id.startswith(PREFIX):
                program = compile_mesh_map(self.sheet, channel_id.removeprefix(PREFIX))
            else:
                program = compile_channel(self.document, self.sheet, channel, always)
            found = self._programs[channel_id, always] = (program, version_of(program.ops, program.linear, program.channel))
        return found

    # -- versions ---------------------------------------------------------------------------------------------------------------

    def version(self, channel_id: str, chunk: int) -> int:
        """The version of a composite: changes whenever anything it is made from changes, and only then."""
        if self.changing is None:
            return self._version(channel_id, chunk)
        # What is tried is as it is for as long as it is looked at, and each version is asked for several times.
        found = self._tried.get((channel_id, chunk))
        if found is None:
            found = self._tried[channel_id, chunk] = self._version(channel_id, chunk)
        return found

    def _version(self, channel_id: str, chunk: int) -> int:
        if channel_id.startswith(MASK_PREFIX):
            found = self._masked(channel_id)
            return version_of(found and (found, self.masks.inputs(found[1], found[0], chunk)))
        if channel_id.startswith(CATCH_PREFIX):
            catching = self._catching(channel_id)
            return version_of(catching and (catching[1], catching[2].ranges, self._read_version(catching[0], BASE_COLOR, chunk)))
        program, structure = self._program(channel_id)
        return version_of(structure, self._inputs(program, chunk, 1, len(program.ops)))

    def shown_version(self, channel_id: str, chunk: int) -> int:
        """A version that layers on which nothing was painted here leave alone: two documents with the same one have the same pixels."""
        if channel_id.startswith((MASK_PREFIX, CATCH_PREFIX)):
            return self.version(channel_id, chunk)
        program = self.program(channel_id)
        ops: list[Op] = []
        for op in program.ops:
            painted = op.plane is None or self._planes.key(op.plane, chunk) is not None
            if op.kind == POP and ops[-1].kind == PUSH and ops[-1].layer == op.layer:
                ops.pop()
            elif painted or op.kind != PLANE:
                ops.append(op)
        kept = replace(program, ops=tuple(ops))
        return version_of(kept.ops, kept.linear, kept.channel, self._inputs(kept, chunk, 1, len(ops)))

    def _inputs(self, program: Program, chunk: int, first: int, last: int) -> tuple[Hashable, ...]:
        key = self._planes.key
        parts: list[Hashable] = []
        for op in program.ops[first:last]:
            if op.plane is not None:
                parts.append(key(op.plane, chunk))
            if op.mask is not None:
                parts.append(self.masks.inputs(op.mask, op.layer, chunk))
            if op.content is not None and op.content.picture_key is not None:
                parts.append(op.content.picture_key in self._images)
            if op.spreading is not None:
                parts.append(self._beneath_version(op.layer, program.channel.id))
        return tuple(parts)

    # -- other sheets -----------------------------------------------------------------------------------------------------------

    def elsewhere(self, channel_id: str) -> int:
        if self._borders is None:
            return 0
        if channel_id not in self._elsewhere:
            self._elsewhere[channel_id] = map_version(self.document, self._planes, channel_id)
        return self._elsewhere[channel_id]

    def beyond(self, reach: float) -> tuple[MaskEvaluator, Joined] | None:
        found = self._borders.within(reach) if self._borders is not None else None
        if found is None:
            return None
        collar, joined = found
        if collar.serial not in self._beyond:
            made = Beyond(self.document, self.sheet, collar, self.faces, self._planes, self.cache, self.picture, self._workers)
            self._beyond.setdefault(collar.serial, made)
        return self._beyond[collar.serial].masks, joined

    # -- masks ------------------------------------------------------------------------------------------------------------------

    def mask_chunk(self, mask: Mask, layer_id: str, chunk: int) -> U16 | float:
        """(65536,) uint16 mask of a layer over a chunk (65535 reveals), or one number 0–1 where it is the same everywhere."""
        return self.masks.chunk(mask, layer_id, chunk)

    def prepare(self) -> None:
        """Work out what masks need of the whole sheet, on all threads, before chunks are asked for side by side."""
        shown = self.sheet.shown()
        self.masks.prepare({x.id: x.mask for x, _ in self.sheet.walk() if x.visible and x.id in shown and x.mask is not None and x.mask.on})

    # -- composites -------------------------------------------------------------------------------------------------------------

    def composite(self, channel_id: str, chunk: int) -> U16:
        """(components, 65536) uint16: everything visible blended over the channel's start value. Read only."""
        version = self.version(channel_id, chunk)
        where = ("composite", self.samples.serial, self.sheet.id, channel_id, chunk)
        kept: U16 | None = self._cache.get(where, version)
        if kept is not None:
            return kept
        if channel_id.startswith(MASK_PREFIX):
            made = self._mask_picture(channel_id, chunk)
        elif channel_id.startswith(CATCH_PREFIX):
            made = self._catch_picture(channel_id, chunk)
        else:
            program = self.program(channel_id)
            made = np.empty((program.channel.components, CHUNK), np.uint16)
            self._run_again(program, chunk, made)
        self._cache.put(where, made, made.nbytes, version)
        return made

    def _mask_picture(self, channel_id: str, chunk: int) -> U16:
        found = self._masked(channel_id)
        if found is None:
            raise NotFound(f"There is no channel '{channel_id}' here. Reload the project.")
        layer_id, mask = found
        if ":" in channel_id.removeprefix(MASK_PREFIX):
            out = np.empty((1, CHUNK), np.uint16)
            self.masks.run(mask, layer_id, chunk, WHOLE, {}, out[0])
            return out
        values = self.mask_chunk(mask, layer_id, chunk)
        return np.full((1, CHUNK), round(values * 65535), np.uint16) if isinstance(values, float) else values[None]

    def _catch_picture(self, channel_id: str, chunk: int) -> U16:
        catching = self._catching(channel_id)
        if catching is None:
            raise NotFound("That range is gone; it may have been deleted in another window.")
        layer_id, range_id, step = catching
        read = self.read_by(layer_id, BASE_COLOR, chunk)
        share = shares(step, range_id, read[:-1])
        # Of a colour that covers half of what lies beneath, half is caught.
        share[:] = (share.astype(np.uint32) * read[-1] + 32767) // 65535
        return share[None]

    def keep_composite(self, channel_id: str, chunk: int, values: U16) -> None:
        """Put a composite that a stroke has already worked out under its new version."""
        self._cache.put(("composite", self.samples.serial, self.sheet.id, channel_id, chunk), values, values.nbytes, self.version(channel_id, chunk))

    def _run_again(self, program: Program, chunk: int, out: U16) -> None:
        """A whole program; where one layer is changed time and again, from what lies under it, which is kept."""
        at = program.index_of(self.changing) if self.changing is not None else None
        if at is None or at < 2:
            return self.run(program, chunk, WHOLE, out)
        state = self.state_before(program, at, chunk)
        if not state.blocks.all():
            execute(self.resolve(program, chunk, 1, at), WHOLE, save=state)
            state.blocks[:] = True
        execute(self.resolve(program, chunk, at, len(program.ops)), WHOLE, state=state, out=out)

    def run(self, program: Program, chunk: int, runs: Runs, out: U16) -> None:
        """Evaluate a whole program over runs of a chunk into (components, 65536) `out`."""
        execute(self.resolve(program, chunk, 1, len(program.ops)), runs, out=out)

    def prefix_version(self, program: Program, step: int, chunk: int) -> int:
        return hash((program.ops[:step], program.linear, self._inputs(program, chunk, 1, step)))

    def state_before(self, program: Program, step: int, chunk: int) -> State:
        """What lies under a step of a program: a buffer whose valid blocks are marked, kept between batches and strokes."""
        version = self.prefix_version(program, step, chunk)
        where = ("under", self.samples.serial, self.sheet.id, program.channel.id, chunk)
        state: State | None = self._cache.get(where, version)
        if state is None:
            state = state_at(program, step)
            self._cache.put(where, state, state.values.nbytes, version)
        return state

    def fold(self, program: Program, at: int, chunk: int) -> Fold | None:
        """The steps right above step `at` as one, or None where too few of them can be: on the opaque level, in straight modes."""
        last = at + 1
        while last < len(program.ops) and program.ops[last].kind in (PLANE, CONST) and program.ops[last].mode in STRAIGHT_MODES:
            last += 1
        if last - at - 1 < LEAST_FOLDED or sum({PUSH: 1, POP: -1}.get(op.kind, 0) for op in program.ops[: at + 1]) != 0:
            return None
        where = ("fold", self.samples.serial, self.sheet.id, program.channel.id, chunk)
        version = hash((program.ops[at + 1 : last], program.linear, at, self._inputs(program, chunk, at + 1, last)))
        found: Fold | None = self._cache.get(where, version)
        if found is None:
            values = np.empty((2, program.channel.components, CHUNK), np.float32)
            found = Fold(at + 1, last, self.resolve(program, chunk, at + 1, last), values, np.zeros(BLOCKS, bool))
            self._cache.put(where, found, values.nbytes, version)
        return found

    def cubes_in(self, program: Program, first: int) -> dict[int, int]:
        """Adjustments from step `first` on that can go by a lattice of colours: the first of each run to where it ends, the others to 0."""
        found: dict[int, int] = {}
        at = first
        while at < len(program.ops):
            of, end = program.ops[at].colour, at
            while end < len(program.ops) and _plain_colours(program.ops[end]):
                end += 1
            if end - at > 1 or (end > at and of is not None and of.ranges):
                found |= dict.fromkeys(range(at, end), 0)
                found[at] = end
            at = max(end, at + 1)
        return found

    def resolve(
        self,
        program: Program,
        chunk: int,
        first: int,
        last: int,
        overlay: Overlay | None = None,
        fold: Fold | None = None,
        cubes: dict[int, int] | None = None,
    ) -> Resolved:
        """Steps `first` … `last` with the addresses of their pixels in one chunk; steps that change nothing there are left out.

        With `fold` its steps are replaced by the line they come to, and with `cubes` (of `cubes_in`) adjustments by a lattice of their colours.
        """
        laid = overlay or Overlay()
        kinds, modes, strengths, planes, masks, consts = [CONST], [NORMAL], [1.0], [0], [0], [program.ops[0].value]
        keep: list[NDArray[Any]] = []
        blank = (0.0,) * program.channel.components

        def lay(kind: int, values: NDArray[Any]) -> None:
            """A step that stands for several."""
            keep.append(values)
            for column, entry in zip(
                (kinds, modes, strengths, planes, masks, consts), (kind, NORMAL, 1.0, address_of(values), 0, blank), strict=True
            ):
                column.append(entry)  # type: ignore[attr-defined]

        for index, op in enumerate(program.ops[first:last], first):
            if fold is not None and fold.first <= index < fold.last:
                if index == fold.first:
                    lay(FOLDED, fold.values)
                continue
            if cubes is not None and index in cubes:
                until = cubes[index]
                if until > index:
                    lay(CUBE, cube(tuple((o.colour, o.strength) for o in program.ops[index:until] if o.colour is not None)))
                continue
            address = mask_address = 0
            strength = op.strength
            if op.kind == PLANE:
                values = laid.planes.get(op.plane) if op.plane is not None else None
                if values is None:
                    values = self._laid(op, program.channel, chunk)
                if values is None:
                    continue
                keep.append(values)
                address = address_of(values)
            elif op.table is not None:
                keep.append(table(op.table))
                address = address_of(keep[-1])
            elif op.colour is not None:
                keep.append(packed(op.colour))
                address = address_of(keep[-1])
            if op.mask is not None:
                replaced = laid.masks.get(op.layer)
                found = self.mask_chunk(op.mask, op.layer, chunk) if replaced is None else replaced
                if isinstance(found, float):
                    strength *= found
                else:
                    keep.append(found)
                    mask_address = address_of(found)
            if strength == 0.0 and op.kind not in (PUSH, POP):
                continue
            kinds.append(op.kind)
            modes.append(op.mode)
            strengths.append(strength)
            planes.append(address)
            masks.append(mask_address)
            consts.append(op.value or blank)
        return Resolved(
            program,
            StepArrays(
                np.array(kinds, np.int8),
                np.array([code_of(m) for m in modes], np.int32),
                np.array([loop_of(m) for m in modes], np.int64),
                np.array(strengths, np.float32),
                np.array(planes, np.int64),
                np.array(masks, np.int64),
                np.array(consts, np.float32),
            ),
            keep,
        )

    def _laid(self, op: Op, channel: Channel, chunk: int) -> U16 | None:
        """(components + 1, 65536) uint16 that a step lays down, alpha last; None where there is nothing."""
        if op.content is not None:
            where = ("content", self.samples.serial, self.sheet.id, op.layer, channel.id, chunk)
            version = hash((op.content, channel, op.content.picture_key in self._images))
            found: U16 | None = self._cache.get(where, version)
            if found is None:
                found = op.content.values(self.measures, channel, chunk)
                if found is not None:
                    self._cache.put(where, found, found.nbytes, version)
            return found
        if op.spreading is not None:
            return self._spread(op.layer, op.spreading, channel, chunk)
        assert op.plane is not None
        return self._planes.values(op.plane, chunk) if self._planes.key(op.plane, chunk) is not None else None

    def supplied_normal(self, chunk: int) -> U16 | None:
        """(4, 65536) uint16 normal map that came with the file, alpha last; None where the sheet has none."""
        pictures = self.sheet.normal_pictures
        if not pictures:
            return None
        where = ("file-normal", self.samples.serial, self.sheet.id, chunk)
        version = self.supplied_version
        found: U16 | None = self._cache.get(where, version)
        if found is None:
            laid = [n for n in (self.measures.file_normal(of, chunk) for of in pictures) if n is not None]
            if not laid:
                return None
            found = laid[0]
            for other in laid[1:]:
                found = np.where(other[3] > 0, other, found)
            self._cache.put(where, found, found.nbytes, version)
        return found

    @property
    def supplied_version(self) -> int:
        """The version of the normal map that came with the file, the same in every process: kept pictures go by it."""
        pictures = self.sheet.normal_pictures
        return version_of(pictures, [p.image in self._images for p in pictures])

    # -- what lies beneath a layer ----------------------------------------------------------------------------------------------

    def beneath(self, layer_id: str, channel_id: str, chunk: int) -> U16:
        """(components, 65536) uint16: everything that is laid before a layer, groups around it closed as they are then."""
        program = self._before(layer_id, channel_id)
        out = np.empty((program.channel.components, CHUNK), np.uint16)
        self.run(program, chunk, WHOLE, out)
        return out

    def read_by(self, layer_id: str, channel_id: str, chunk: int) -> U16:
        """(components + 1, 65536) uint16 that an adjustment layer sets out from, coverage last: of its group, of the layer it is clipped to, or of
        all that lies beneath."""
        program = self._before(layer_id, channel_id, inside=True)
        state = state_at(program, len(program.ops))
        execute(self.resolve(program, chunk, 1, len(program.ops)), WHOLE, save=state)
        found = state.values[-1]
        if state.level > 0 and self._looks_through(layer_id):
            found = state.values[0]
            for level in state.values[1:]:
                found[:-1] += (level[:-1] - found[:-1]) * level[-1]
        return codes_of(program, found)

    def _looks_through(self, layer_id: str) -> bool:
        layer = self.sheet.find(layer_id)
        return isinstance(layer, AdjustLayer) and layer.reach == "beneath"

    def _read_version(self, layer_id: str, channel_id: str, chunk: int) -> int:
        program = self._before(layer_id, channel_id, inside=True)
        return version_of(
            program.ops, program.linear, program.channel, self._looks_through(layer_id), self._inputs(program, chunk, 1, len(program.ops))
        )

    def linear(self, channel_id: str) -> bool:
        """Whether values of a channel are mixed as light, not as codes."""
        return self.program(channel_id).linear

    def has_beneath(self, layer_id: str, channel_id: str) -> bool:
        """Whether anything is laid before a layer but the start value: a fill, or a plane on which something was painted."""

        def painted(plane: str | None) -> bool:
            return plane is not None and any(self._planes.key(plane, c) is not None for c in range(self.samples.chunk_count))

        laid = [op for op in self._before(layer_id, channel_id).ops[1:] if op.strength > 0]
        return any(op.kind == CONST or op.content is not None or painted(op.plane) for op in laid)

    def _before(self, layer_id: str, channel_id: str, inside: bool = False) -> Program:
        """What is laid before a layer; see `compile_channel`."""
        found = self._befores.get((layer_id, channel_id, inside))
        if found is None:
            channel = self.channel(channel_id)
            if channel is None:
                raise NotFound(f"There is no channel '{channel_id}' here. Reload the project.")
            found = compile_channel(self.document, self.sheet, channel, until=layer_id, inside=inside)
            self._befores[layer_id, channel_id, inside] = found
        return found

    def beneath_version(self, layer_id: str, channel_id: str, chunk: int) -> int:
        program = self._before(layer_id, channel_id)
        return version_of(program.ops, program.linear, program.channel, self._inputs(program, chunk, 1, len(program.ops)))

    def _beneath_version(self, layer_id: str, channel_id: str) -> int:
        if (layer_id, channel_id) not in self._beneath_versions:
            versions = [self.beneath_version(layer_id, channel_id, c) for c in range(self.samples.chunk_count)]
            self._beneath_versions[layer_id, channel_id] = version_of(versions)
        return self._beneath_versions[layer_id, channel_id]

    def _spread(self, layer_id: str, of: SpreadingAdjust, channel: Channel, chunk: int) -> U16:
        """A chunk of what an adjustment makes of what lies beneath its layer; it covers everything."""
        where = ("spread", self.samples.serial, self.sheet.id, layer_id, channel.id)
        version = hash((of, self._beneath_version(layer_id, channel.id)))
        with self._spreading:
            found: U16 | None = self._cache.get(where, version)
            if found is None:
                parts = self._workers.map(lambda c: self.beneath(layer_id, channel.id, c), range(self.samples.chunk_count))
                flat, linear = np.concatenate(parts, axis=1), self.linear(channel.id)
                flat = LINEAR_CODES[flat] if linear else flat
                blurred = of.spread(self.samples, flat, self._workers)
                blurred = ENCODED_CODES[blurred] if linear else blurred
                found = np.concatenate([blurred, np.full((1, blurred.shape[1]), 65535, np.uint16)])
                self._cache.put(where, found, found.nbytes, version)
        return np.ascontiguousarray(found[:, chunk * CHUNK : (chunk + 1) * CHUNK])

    # -- what has been painted --------------------------------------------------------------------------------------------------

    def coverage(self, channel_id: str, chunk: int) -> NDArray[np.float32]:
        """(65536,) float32, 0 where no layer says anything for the channel: finds texels that nothing has painted."""
        bare = np.ones(CHUNK, np.float32)
        groups: list[NDArray[np.float32]] = []
        for op in self.program(channel_id).ops[1:]:
            if op.kind == PUSH:
                groups.append(bare)
                bare = np.ones(CHUNK, np.float32)
                continue
            alpha: NDArray[np.float32] | float = op.strength
            if op.table is not None or op.colour is not None or op.spreading is not None:
                continue
            if op.kind == PLANE:
                laid = self._laid(op, self.program(channel_id).channel, chunk)
                if laid is None:
                    continue
                alpha = laid[-1].astype(np.float32) * np.float32(op.strength / 65535)
            elif op.kind == POP:
                alpha = (1 - bare) * np.float32(op.strength)
                bare = groups.pop()
            if op.mask is not None:
                shown = self.mask_chunk(op.mask, op.layer, chunk)
                alpha = alpha * (shown if isinstance(shown, float) else shown.astype(np.float32) / np.float32(65535))
            bare = bare * (1 - np.asarray(alpha, np.float32))
        return 1 - bare

"""Display textures: what the viewport draws, 8 bit, chunk by chunk, gutter included, and the patches a stroke changes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.output._pixel_kernels import gutter_runs, pack_runs
from ruvelt.core.output.normal import NormalField
from ruvelt.core.output.vertex_normal import VertexNormalField
from ruvelt.core.planes.addresses import Addresses, address_of
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.address import BLOCKS, CHUNK, CHUNK_SIDE
from ruvelt.core.samples.blocks import Runs, box_of, runs_of
from ruvelt.core.samples.gutter import Gutter
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.evaluate import MASK_PREFIX, SheetEvaluator
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.plane_ids import base_plane_id, normal_map_plane_id
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.core.stroke.touched import Touched

U8 = NDArray[np.uint8]

#: Which components make each texture: (channel, component) for red, green, blue, alpha; None is full.
#: "data" follows glTF 2.0: occlusion in red, roughness in green, metallic in blue.
TEXTURES: dict[str, tuple[tuple[str, int] | None, ...]] = {
    "colour": (("base_color", 0), ("base_color", 1), ("base_color", 2), ("opacity", 0)),
    "data": (("occlusion", 0), ("roughness", 0), ("metallic", 0), ("height", 0)),
    "normal": (("normal", 0), ("normal", 1), ("normal", 2), None),
    "emission": (("emission", 0), ("emission", 1), ("emission", 2), None),
}


@dataclass(frozen=True, eq=False)
class Patch:
    """A rectangle of a texture, texels from the sheet's top left; `data`: its pixels row by row, four bytes each."""

    texture: str
    x: int
    y: int
    width: int
    height: int
    data: bytes

    @property
    def pixels(self) -> U8:
        """(height, width, 4) uint8."""
        return np.frombuffer(self.data, np.uint8).reshape(self.height, self.width, 4)


class SheetDisplay:
    """Textures of one sheet. Make a new one with each new evaluator; the cache is shared."""

    def __init__(self, evaluator: SheetEvaluator, planes: PlaneLookup, cache: BoundedCache, field: NormalField | VertexNormalField) -> None:
        self.evaluator, self.samples, self.field = evaluator, evaluator.samples, field
        self._planes, self._cache = planes, cache
        self._gutter: tuple[int | None, Gutter] | None = None

    @property
    def sheet_samples(self) -> SheetSamples:
        """The samples of a sheet; those of vertices have no maps. Raises InputError for them."""
        if not isinstance(self.samples, SheetSamples):
            name = self.evaluator.sheet.name
            raise InputError(f"{name} has no UV layout, so no map can be made of it. Unwrap the model, or export vertex colours.")
        return self.samples

    @property
    def side(self) -> int:
        """Of the square that views keep a texture of these samples in, pixels."""
        return self.samples.chunks_across * CHUNK_SIDE

    def gutter(self, reach: int | None) -> Gutter:
        """The sheet's padding for an export; kept for the next map of the same reach."""
        if self._gutter is None or self._gutter[0] != reach:
            self._gutter = (reach, self.sheet_samples.gutter(reach))
        return self._gutter[1]

    def stored(self, plane: str) -> U16 | None:
        """(components, slots) of a plane that is kept beside the layers; None where nothing of it is."""
        chunks = range(self.samples.chunk_count)
        parts = {c: self._planes.values(plane, c) for c in chunks if self._planes.key(plane, c) is not None}
        if not parts:
            return None
        empty = np.zeros_like(next(iter(parts.values())))
        return np.concatenate([parts.get(c, empty) for c in chunks], axis=1)

    def layout(self, texture: str) -> tuple[tuple[str, int] | None, ...]:
        """Components of a texture; "channel:ID" shows any one channel, "channel:map:ID" a mesh map, "channel:mask:LAYER" a mask."""
        if texture in TEXTURES:
            return TEXTURES[texture]
        channel = self.evaluator.channel(texture.removeprefix("channel:"))
        if not texture.startswith("channel:") or channel is None:
            raise NotFound(f"There is no texture '{texture}' here. Reload the project.")
        return (*((channel.id, k if channel.components == 3 else 0) for k in range(3)), None)

    @property
    def _units(self) -> float:
        return self.evaluator.document.settings.height_range * self.samples.model.diagonal

    def _channels(self, texture: str) -> list[str]:
        return sorted({part[0] for part in self.layout(texture) if part})

    # -- whole chunks -----------------------------------------------------------------------------------------------------------

    def version(self, texture: str, chunk: int) -> int:
        """The version of a texture's chunk, its gutter included."""
        around = (chunk, *self.samples.gutter_sources.get(chunk, ()))
        return version_of([self._own_version(texture, c) for c in around])

    def _own_version(self, texture: str, chunk: int) -> int:
        return version_of([texture, self.side, *(self.version_of_channel(c, chunk) for c in self._channels(texture))])

    def version_of_channel(self, channel: str, chunk: int, shown: bool = False) -> int:
        """The version of a channel's chunk, of normals too, without its gutter; `shown`: whatever layers are there that show nothing."""
        version = self.evaluator.shown_version if shown else self.evaluator.version
        if channel != "normal":
            return version(channel, chunk)
        parts: list[object] = [version("height", c) for c in self.field.neighbours(chunk)]
        parts += [self._units, self._planes.key(normal_map_plane_id(self.evaluator.sheet.id), chunk), self.evaluator.supplied_version]
        if self._has_baked_normals:
            parts.append(self.evaluator.version("map:normal", chunk))
        return version_of(parts)

    def normals(self, chunk: int, runs: Runs = WHOLE, heights: dict[int, U16] | None = None, out: U16 | None = None) -> U16:
        """(3, 65536) uint16 tangent-space normals of a chunk; `heights` replaces composites (a stroke in progress)."""
        made = np.empty((3, CHUNK), np.uint16) if out is None else out
        given = heights or {}
        around = {c: given[c] if c in given else self.evaluator.composite("height", c) for c in self.field.neighbours(chunk)}
        self.field.run(chunk, runs, around, self._units, self._normal_map(chunk), made)
        return made

    @property
    def _has_baked_normals(self) -> bool:
        return any(m.id == "normal" for m in self.evaluator.sheet.mesh_maps)

    def _normal_map(self, chunk: int) -> U16 | None:
        """(4, 65536) uint16 of the normal map under the relief: one that was supplied for it, else the baked one with its touch-up."""
        if not self.samples.is_sheet:
            return None
        sheet = self.evaluator.sheet.id
        plane, baked = normal_map_plane_id(sheet), base_plane_id(sheet, "normal")
        if self._planes.key(plane, chunk) is not None:
            return self._planes.values(plane, chunk)
        supplied = self.evaluator.supplied_normal(chunk)
        if supplied is not None:
            return supplied
        if not self._has_baked_normals or self._planes.key(baked, chunk) is None:
            return None
        where, version = ("normal-map", sheet, chunk), self.evaluator.version("map:normal", chunk)
        found: U16 | None = self._cache.get(where, version)
        if found is None:
            found = np.concatenate([self.evaluator.composite("map:normal", chunk), self._planes.values(baked, chunk)[-1:]])
            self._cache.put(where, found, found.nbytes, version)
        return found

    def _own(self, texture: str, chunk: int) -> U8:
        """The chunk without its gutter. Read only."""
        version = self._own_version(texture, chunk)
        where = ("display", self.evaluator.sheet.id, texture, chunk)
        found: U8 | None = self._cache.get(where, version)
        if found is None:
            sources = {c: self.normals(chunk) if c == "normal" else self.evaluator.composite(c, chunk) for c in self._channels(texture)}
            found = np.empty((CHUNK, 4), np.uint8)
            self.pack(texture, sources, WHOLE, found)
            self._cache.put(where, found, found.nbytes, version)
        return found

    def pack(self, texture: str, sources: dict[str, U16], runs: Runs, out: U8) -> None:
        found = {channel: address_of(values_u16) for channel, values_u16 in sources.items()}
        self.pack_at(texture, found, runs, out.view(np.uint32).reshape(-1))

    def pack_at(self, texture: str, sources: dict[str, int], runs: Runs, out: NDArray[np.uint32]) -> None:
        """The same from addresses of (components, 65536) uint16 into (65536,) uint32 words."""
        addresses = [0 if part is None else sources[part[0]] + part[1] * 2 * CHUNK for part in self.layout(texture)]
        pack_runs(runs[0], runs[1], *addresses, out)

    def tile(self, texture: str, chunk: int) -> U8:
        """(65536, 4) uint8: a chunk of a texture with its gutter filled."""
        gutter = self.samples.screen_gutter
        out = self._own(texture, chunk).copy()
        textures = np.zeros(self.samples.chunk_count, np.int64)
        textures[chunk] = address_of(out)
        box = np.zeros((self.samples.chunk_count, 4), np.int32)
        everything = np.ones(BLOCKS, np.uint8)
        held = []
        for source in (chunk, *gutter.sources_of.get(chunk, ())):
            if source != chunk:
                held.append(self._own(texture, source))
                textures[source] = address_of(held[-1])
            # Only this chunk may be written; other chunks' texels are read.
            first, last = int(gutter.start[source]), int(gutter.start[source + 1])
            mine = gutter.dst[first:last] >> 16 == chunk
            dst, src = np.ascontiguousarray(gutter.dst[first:last][mine]), np.ascontiguousarray(gutter.src[first:last][mine])
            gutter_runs(dst, src, 0, len(dst), everything, textures, box)
        return out


class LiveDisplay:
    """Follows a stroke in progress: keeps changed chunks of every texture and cuts patches out of them."""

    def __init__(self, display: SheetDisplay, stroke: LiveStroke, textures: tuple[str, ...]) -> None:
        self.display, self.stroke = display, stroke
        changing = set(stroke.target.channels) | ({"normal"} if "height" in stroke.target.channels else set())
        if stroke.target.cells[0].source is not None:
            changing.add(MASK_PREFIX + stroke.target.layer.id)
        channels = {t: display._channels(t) for t in textures}
        self._channels = {t: c for t, c in channels.items() if changing & set(c)}
        self._tiles: dict[tuple[str, int], U8] = {}
        #: Addresses of the tiles of a texture, 0 where there is none yet, and the tiles as words.
        self._at: dict[str, NDArray[np.int64]] = {t: np.zeros(display.samples.chunk_count, np.int64) for t in self._channels}
        self._words: dict[tuple[str, int], NDArray[np.uint32]] = {}
        self._addresses = Addresses()
        self._normals: dict[int, U16] = {}
        #: Composites that the stroke leaves alone: asking the evaluator for them costs more than packing a batch.
        self._still: dict[tuple[str, int], U16] = {}

    def update(self, touched: Touched) -> list[Patch]:
        """Patches for what a batch changed."""
        samples = self.display.samples
        patches: list[Patch] = []
        for texture, channels in self._channels.items():
            blocks, runs = touched.blocks, touched.runs
            if "normal" in channels:
                blocks = self.display.field.reached(blocks)
                runs = {chunk: runs_of(marks, samples.is_sheet) for chunk, marks in blocks.items()}
            box = np.zeros((samples.chunk_count, 4), np.int32)
            box[:, :2] = CHUNK_SIDE
            for chunk, marks in blocks.items():
                self._repack(texture, chunk, runs[chunk])
                box[chunk] = box_of(marks, samples.is_sheet)
            patches += self._with_gutter(texture, blocks, box)
        return patches

    def _tile(self, texture: str, chunk: int) -> U8:
        tile = self._tiles.get((texture, chunk))
        if tile is None:
            tile = self._tiles[texture, chunk] = self.display.tile(texture, chunk)
            self._words[texture, chunk] = tile.view(np.uint32).reshape(-1)
            self._at[texture][chunk] = address_of(tile)
        return tile

    def _repack(self, texture: str, chunk: int, runs: Runs) -> None:
        composites = self.stroke.composites
        sources: dict[str, int] = {}
        for channel in self._channels[texture]:
            if channel == "normal":
                heights = {c: composites["height", c] for c in self.display.field.neighbours(chunk) if ("height", c) in composites}
                if chunk not in self._normals:
                    self._normals[chunk] = self.display.normals(chunk)
                made = self.display.normals(chunk, runs, heights, self._normals[chunk])
                sources[channel] = self._addresses.of((channel, chunk), made)
            else:
                live = composites.get((channel, chunk), self._still.get((channel, chunk)))
                if live is None:
                    live = self._still[channel, chunk] = self.display.evaluator.composite(channel, chunk)
                sources[channel] = self._addresses.of((channel, chunk), live)
        self._tile(texture, chunk)
        self.display.pack_at(texture, sources, runs, self._words[texture, chunk])

    def _with_gutter(self, texture: str, blocks: dict[int, NDArray[np.uint8]], box: NDArray[np.int32]) -> list[Patch]:
        samples, gutter = self.display.samples, self.display.samples.screen_gutter
        textures = self._at[texture]
        for chunk in blocks:
            for c in gutter.targets_of.get(chunk, ()):
                if not textures[c]:
                    self._tile(texture, c)
        for chunk, marks in blocks.items():
            gutter_runs(gutter.dst, gutter.src, int(gutter.start[chunk]), int(gutter.start[chunk + 1]), marks, textures, box)
        patches = []
        for chunk in np.flatnonzero(box[:, 2] > box[:, 0]).tolist():
            left, top, right, bottom = box[chunk].tolist()
            square = self._words[texture, chunk].reshape(CHUNK_SIDE, CHUNK_SIDE)
            x, y = chunk % samples.chunks_across * CHUNK_SIDE, chunk // samples.chunks_across * CHUNK_SIDE
            patches.append(Patch(texture, x + left, y + top, right - left, bottom - top, square[top:bottom, left:right].tobytes()))
        return patches

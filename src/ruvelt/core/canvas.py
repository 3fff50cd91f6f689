"""A model with one sheet of layers, all in memory: the core by itself, in scripts, notebooks and tests."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.baker import Baker
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BakeSource
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh, wanted_beside
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.output.asset import asset_files
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.mapset import Look, WrittenFile, vertex_files, write_map_set
from ruvelt.core.output.normal import NormalField
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.output.vertex_normal import VertexNormalField
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16, MemoryChunks, Plane
from ruvelt.core.samples.address import CHUNK, chunk_of, local_of
from ruvelt.core.samples.resolutions import side_for
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.adjustments import Adjustment
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.channels import decode
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, ChannelUse, Document, FillLayer, MeshMap, PaintLayer, Settings, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import base_plane_id
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.core.workers import SERIAL, Workers

Values = Mapping[str, Sequence[float]]
SHEET = "s"


class Canvas:
    """Layers come front first; a layer is known by its id. What is laid stays; nothing is written but by `export`.

    side : texels a side, one of `RESOLUTIONS`; cache : bytes kept of what can be made again
    Raises InputError for a model without UVs or another size.
    """

    def __init__(
        self,
        model: Model,
        layers: Sequence[AnyLayer] = (),
        *,
        side: int = 1024,
        settings: Settings | None = None,
        workers: Workers = SERIAL,
        cache: int = 512 << 20,
    ) -> None:
        self.model, self.workers = model, workers
        self._lay_out(side)
        self.faces = FaceIndex(model)
        self.store, self.planes = MemoryChunks(), dict[str, Plane]()
        self.cache = BoundedCache(cache)
        self.document = Document(sheets=(self._new_sheet(side, tuple(layers)),), settings=settings or Settings())

    def _lay_out(self, side: int) -> None:
        if not self.model.uv_layouts:
            raise InputError(f"'{self.model.name}' has no UVs to paint on. Unwrap it first, or paint its vertices (VertexCanvas).")
        self.samples = SheetSamples(self.model, plan_sheets(self.model)[0], side, self.workers)
        self.field: NormalField | VertexNormalField = NormalField(self.samples)

    def _new_sheet(self, side: int, layers: tuple[AnyLayer, ...]) -> Sheet:
        return Sheet(id=SHEET, name=self.model.name[:80] or "Sheet", plan=0, resolution=side, layers=layers)

    @classmethod
    def open(cls, path: Path | str, *, side: int = 1024, workers: Workers = SERIAL) -> Canvas:
        """A canvas on the first sheet of a mesh file; files that it names are looked for beside it. Raises InputError for one that cannot be read."""
        path = Path(path)
        try:
            data = path.read_bytes()
            beside = {name: (path.parent / name).read_bytes() for name in wanted_beside(data, path.name) if (path.parent / name).is_file()}
        except OSError as error:
            raise InputError(f"'{path}' cannot be read ({error.strerror}). Check the path.") from None
        return cls(read_mesh(data, path.name, beside), side=side, workers=workers)

    # -- what there is ----------------------------------------------------------------------------------------------------------

    @property
    def sheet(self) -> Sheet:
        return self.document.sheets[0]

    @property
    def lookup(self) -> StoredPlanes:
        return StoredPlanes(self.planes, self.store)

    @property
    def evaluator(self) -> SheetEvaluator:
        return SheetEvaluator(self.document, self.sheet, self.samples, self.faces, self.lookup, self.cache, workers=self.workers)

    @property
    def display(self) -> SheetDisplay:
        return SheetDisplay(self.evaluator, self.lookup, self.cache, self.field)

    def layer(self, layer_id: str) -> AnyLayer:
        found = self.sheet.find(layer_id)
        if found is None:
            raise NotFound(f"There is no layer '{layer_id}' here.")
        return found

    def image(self, channel: str) -> U16:
        """(side, side, components) uint16 composite of a channel, top row first; "map:ID" is a mesh map."""
        parts = [self.evaluator.composite(channel, c) for c in range(self.samples.chunk_count)]
        return np.asarray(self.samples.to_image(np.ascontiguousarray(np.concatenate(parts, axis=1).T)), np.uint16)

    def at(self, x: float, y: float, z: float) -> int:
        """The slot of the sample nearest to a point in object space. Raises NotFound far from the surface."""
        slot = int(self.samples.grid.nearest(np.array([[x, y, z]]), float(self.model.diagonal))[0])
        if slot < 0:
            raise NotFound("Nothing of the surface lies near that point.")
        return slot

    def values_u16(self, channel: str, x: float, y: float, z: float) -> U16:
        """(components,) uint16 composite of a channel at the sample nearest to a point."""
        slot = self.at(x, y, z)
        return np.asarray(self.evaluator.composite(channel, chunk_of(slot))[:, local_of(slot)], np.uint16)

    def value(self, channel: str, x: float, y: float, z: float) -> tuple[float, ...]:
        """The same in the channel's own range: colours 0–1 as they are encoded, height −1 … 1."""
        found = self.evaluator.channel(channel)
        if found is None:
            raise NotFound(f"There is no channel '{channel}' here.")
        return tuple(round(float(v), 4) for v in decode(found, self.values_u16(channel, x, y, z)))

    # -- what is done -----------------------------------------------------------------------------------------------------------

    def add(self, layer: AnyLayer) -> str:
        """Put a layer in front of all others; gives its id. Raises InputError for an id that is taken."""
        if self.sheet.find(layer.id) is not None:
            raise InputError(f"There is a layer '{layer.id}' already. Give this one another id.")
        self._set_layers((layer, *self.sheet.layers))
        return layer.id

    def paint_layer(self, layer_id: str, **more: object) -> str:
        return self.add(PaintLayer.model_validate({"id": layer_id, "name": layer_id, **more}))

    def fill_layer(self, layer_id: str, values: Values, **more: object) -> str:
        uses = {channel: ChannelUse(value=tuple(v)) for channel, v in values.items()}
        return self.add(FillLayer.model_validate({"id": layer_id, "name": layer_id, "channels": uses, **more}))

    def adjust(self, layer_id: str, adjustment: Adjustment, channels: Iterable[str] = ("base_color",), **more: object) -> str:
        """An adjustment layer over all there is."""
        uses = {channel: ChannelUse() for channel in channels}
        return self.add(AdjustLayer.model_validate({"id": layer_id, "name": layer_id, "adjust": adjustment, "channels": uses, **more}))

    def mask(self, layer_id: str, mask: Mask | None) -> None:
        layer = self.layer(layer_id).model_copy(update={"mask": mask})
        self._set_layers(tuple(layer if one.id == layer_id else one for one in self.sheet.layers))

    def _set_layers(self, layers: tuple[AnyLayer, ...]) -> None:
        self._set_sheet(self.sheet.model_copy(update={"layers": layers}))

    def _set_sheet(self, sheet: Sheet) -> None:
        self.document = self.document.model_copy(update={"sheets": (sheet,)})

    def live(self, target: Target, paint: Paint, hidden: NDArray[np.bool_] | None = None, brush: Brush = Brush()) -> LiveStroke:  # noqa: B008 -- frozen
        """A stroke that begins: lay dabs with it, then `keep` it."""
        resolved = resolve_target(self.document, target, paint)
        return LiveStroke(resolved, self.evaluator, self.lookup, paint=paint, brush=brush, hidden=hidden, workers=self.workers)

    def keep(self, live: LiveStroke) -> None:
        """Store what a stroke changed."""
        for name, chunks in live.changes.items():
            components = next(c.components for c in live.target.cells if c.plane == name)
            keys = {c: self.store.put(v) for c, v in chunks.items()}
            self.planes[name] = self.planes.get(name, Plane(components)).with_chunks(keys)

    def stroke(self, layer_id: str, points: Iterable[Sequence[float]], values: Values, brush: Brush | None = None) -> None:
        """Lay values along points in object space, with the brush's size in its own unit; a fourth number is pressure, 0–1."""
        brush = brush or Brush()
        paint = Paint(values={channel: tuple(v) for channel, v in values.items()})
        live = self.live(Target(sheet=SHEET, layer=layer_id, channels=tuple(values)), paint, brush=brush)
        path = SurfacePath(brush, self.samples, live.drags)
        samples = [Point((float(p[0]), float(p[1]), float(p[2])), float(p[3]) if len(p) > 3 else 1.0) for p in points]
        live.dabs(np.concatenate([path.extend(samples), path.finish()]), brush.mirror)
        self.keep(live)

    def flood(self, layer_id: str, values: Values, picks: Iterable[FacePick] | None = None, strength: float = 1.0) -> None:
        """Cover picked faces (None: all) with values."""
        paint = Paint(values={channel: tuple(v) for channel, v in values.items()})
        live = self.live(Target(sheet=SHEET, layer=layer_id, channels=tuple(values)), paint)
        live.flood(picks, strength, self.faces)
        self.keep(live)

    def bake(self, *maps: str, high: Sequence[Model] = (), settings: BakeSettings | None = None) -> None:
        """Measure mesh maps of the model itself, or of high meshes over it; masks and "map:ID" read them from then on."""
        settings = settings or BakeSettings()
        made: dict[str, dict[int, U16]] = {}

        def arrived(map_id: str, chunk: int, values_u16: U16) -> None:
            made.setdefault(map_id, {})[chunk] = values_u16

        Baker(self.samples, BakeSource(self.model, tuple(high)), settings, self.workers).bake(maps, arrived=arrived)
        entries = {m.id: m for m in self.sheet.mesh_maps}
        for map_id, chunks in made.items():
            components = len(next(iter(chunks.values())))
            self.planes[base_plane_id(SHEET, map_id)] = Plane(components, {c: self.store.put(v) for c, v in chunks.items()})
            entries[map_id] = MeshMap(id=map_id, source="high" if high else "model")
        self._set_sheet(self.sheet.model_copy(update={"mesh_maps": tuple(entries.values())}))

    def put_plane(self, name: str, values: U16) -> None:
        """Set a plane from (components, slots) uint16, alpha last."""
        chunks = {c: self.store.put(np.ascontiguousarray(values[:, c * CHUNK : (c + 1) * CHUNK])) for c in range(self.samples.chunk_count)}
        self.planes[name] = Plane(len(values), chunks)

    def export(self, folder: Path | str, preset: str = "separate-maps", **changes: object) -> list[WrittenFile]:
        """Write a map set into a folder, with a listing; `changes` go over the built-in preset. Raises InputError for a preset there is not."""
        found = next((p for p in BUILT_IN if p.id == preset), None)
        if found is None:
            raise InputError(f"There is no export preset '{preset}'. Use one of {', '.join(p.id for p in BUILT_IN)}.")
        chosen = found.model_validate({**found.model_dump(), **changes})
        folder = Path(folder)
        folder.mkdir(parents=True, exist_ok=True)

        def write(name: str, data: bytes) -> None:
            (folder / name).write_bytes(data)

        looks = [Look([self.display])]
        name = self.model.name or "model"
        if chosen.vertex_files:
            return write_map_set([Look([])], chosen, name, write, extra=lambda written: vertex_files(self.display, chosen, name))
        extra = (lambda written: asset_files(looks, chosen, name, written)) if chosen.assets else None
        return write_map_set(looks, chosen, name, write, extra=extra)


class VertexCanvas(Canvas):
    """The same on the model's vertices, which need no UVs. `side` says nothing; `export` writes the preset "vertex-colours"."""

    samples: VertexSamples  # type: ignore[assignment]

    def _lay_out(self, side: int) -> None:
        self.samples = VertexSamples(self.model)
        self.field = VertexNormalField(self.samples)

    def _new_sheet(self, side: int, layers: tuple[AnyLayer, ...]) -> Sheet:
        return Sheet(id=SHEET, name="Vertices", of="vertices", resolution=side_for(self.model.vertex_count), layers=layers)

    def image(self, channel: str) -> U16:
        raise InputError("Vertices make no picture. Ask for `vertex_values`.")

    def vertex_values(self, channel: str) -> U16:
        """(vertices, components) uint16 composite of a channel, in the model's own order."""
        parts = [self.evaluator.composite(channel, c) for c in range(self.samples.chunk_count)]
        return np.ascontiguousarray(np.concatenate(parts, axis=1)[:, self.samples.slot_of_vertex].T)

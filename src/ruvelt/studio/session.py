"""An open project: its model, samples and evaluators in memory over its store. One writer at a time."""

from __future__ import annotations

import math
import time
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from threading import RLock
from typing import Any, overload

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush.camera import Camera
from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.live import LiveStroke, Touched
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.snapping import EdgeGraph
from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.errors import Conflict, InputError, NotFound, RuveltError
from ruvelt.core.inspect.check import Finding
from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.readers.allowance import DEFAULT_BYTES
from ruvelt.core.mesh.seams import Edges
from ruvelt.core.mesh.sheets import SheetPlan, plan_sheets
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.images import decode_image
from ruvelt.core.output.normal import NormalField
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK_SIDE, chunk_of, local_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.beyond import Borders
from ruvelt.core.stack.channels import decode
from ruvelt.core.stack.document import AnyLayer, Document, GroupLayer, Sheet
from ruvelt.core.stack.edits import AddLayer, AnyEdit, ReplaceDocument, apply_edit, check_alone, check_modes
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.kinds.sources.layer import LayerSource
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stack.plane_ids import high_plane_id, image_plane_id
from ruvelt.core.stack.wholeness import check_document
from ruvelt.core.workers import Workers
from ruvelt.store.pictures import PictureStore
from ruvelt.store.project_store import Changes, ProjectStore
from ruvelt.store.views import ViewStore
from ruvelt.studio.memory import TEXEL_BYTES, Kept, Memory, held_bytes
from ruvelt.studio.pictures import Pictures

#: Chunks read and evaluated together when many tiles are asked for.
GROUP = 16
#: Rays across a view that find what of a sheet it shows.
SEEN_ACROSS = 48
#: Raised whenever the way from a document to pixels changes, so that pictures made the old way are not shown.
PICTURES = 3
#: What Embree keeps of a triangle, as measured from outside.
RAY_BYTES = 120
#: Closing a project waits no longer than this for its pictures.
REFRESH_SECONDS = 2.0


@dataclass(frozen=True)
class Limits:
    """Memory and threads given to projects. `memory_bytes` bounds all that is kept of open projects, whatever their size."""

    memory_bytes: int = 4 << 30
    threads: int | None = None
    #: What one import may take beyond its file.
    import_bytes: int = DEFAULT_BYTES


@dataclass(eq=False)
class _SheetWork:
    """What is worked out of one sheet, for a resolution and a model; all of it can be made again."""

    resolution: int
    model: str
    samples: SheetSamples
    field: NormalField
    borders: Borders
    used: float
    display: tuple[int, SheetDisplay] | None = None


class Displays(Sequence[SheetDisplay]):
    """Displays of sheets one after the other: none is held here, so that a project of many sheets fits the memory it is given."""

    def __init__(self, session: Session, sheets: Sequence[str]) -> None:
        self._session, self._sheets = session, sheets

    def __len__(self) -> int:
        return len(self._sheets)

    @overload
    def __getitem__(self, index: int) -> SheetDisplay: ...

    @overload
    def __getitem__(self, index: slice) -> Displays: ...

    def __getitem__(self, index: int | slice) -> SheetDisplay | Displays:
        if isinstance(index, slice):
            return Displays(self._session, self._sheets[index])
        return self._session.display(self._sheets[index])


class _Surface:
    """A model and what follows from it alone."""

    def __init__(self, model: Model, rule: str, laid_out: bool) -> None:
        self.model, self._rule, self._laid_out = model, rule, laid_out
        self._faces: tuple[Edges, FaceIndex] | None = None

    def faces(self, seams: Edges) -> FaceIndex:
        if self._faces is None or self._faces[0] != seams:
            self._faces = (seams, FaceIndex(self.model, seams))
        return self._faces[1]

    @lazy
    def plans(self) -> list[SheetPlan]:
        return plan_sheets(self.model, self._rule) if self._laid_out else []  # type: ignore[arg-type]

    @lazy
    def findings(self) -> list[Finding]:
        return find_problems(self.model, self.plans)


class Session:
    """Use-cases on one open project. Methods that change it take `revision`: what the caller last saw; a stale one is refused."""

    def __init__(
        self,
        folder: Path,
        cache: BoundedCache,
        workers: Workers,
        clock: Callable[[], float],
        who: str = "another Ruvelt",
        memory: Memory | None = None,
    ) -> None:
        # A session by itself keeps within what its cache was given.
        self.memory = memory or Memory(cache.limit, cache)
        self.store = ProjectStore(folder, cache, clock, who)
        self.cache, self.workers = _Scoped(cache, self.store.uid), workers
        self.lock = RLock()
        self._sheets: dict[str, _SheetWork] = {}
        #: Sheets that a running stroke or bake works on; they are not let go of.
        self.pinned: Counter[str] = Counter()
        self._caster: tuple[tuple[int, ...], str, RayCaster] | None = None
        self._edge_graph: tuple[RayCaster, EdgeGraph] | None = None
        self._high: dict[str, Model] = {}
        self._kept_surface: tuple[str, _Surface] | None = None
        self.pictures, self.views = Pictures(PictureStore(folder)), ViewStore(folder)
        self.memory.add(self)

    @property
    def uid(self) -> str:
        return str(self.store.uid)

    @property
    def document(self) -> Document:
        return self.store.document

    @property
    def revision(self) -> int:
        return int(self.store.revision)

    @property
    def _surface(self) -> _Surface:
        """The model and what follows from it; made anew when another UV layout came, or an undo took one back."""
        key = self.surface_key
        with self.lock:
            if self._kept_surface is None or self._kept_surface[0] != key:
                model = self._creased(Model.from_bytes(self.store.blobs.get_bytes(self.store.model_key)))
                self._kept_surface = (key, _Surface(model, self.store.sheet_rule, bool(self.document.sheets)))
            return self._kept_surface[1]

    @property
    def model(self) -> Model:
        return self._surface.model

    @property
    def surface_key(self) -> str:
        """What everything made from the model depends on: its content, and the crease angle, which normals follow."""
        return f"{self.store.model_key}@{self.document.settings.crease_deg:g}"

    def _creased(self, model: Model) -> Model:
        return replace(model, crease_deg=self.document.settings.crease_deg)

    @property
    def faces(self) -> FaceIndex:
        return self._surface.faces(self.document.seams)

    @property
    def plans(self) -> list[SheetPlan]:
        return self._surface.plans

    @property
    def findings(self) -> list[Finding]:
        return self._surface.findings

    def high_model(self, key: str) -> Model:
        """A high mesh that bakes measure, read once."""
        blob = self.store.planes[high_plane_id(key)].chunks[0]
        with self.lock:
            found = self._high.get(blob)
            if found is None or found.crease_deg != self.document.settings.crease_deg:
                self._high[blob] = self._creased(found or Model.from_bytes(self.store.blobs.get_bytes(blob)))
            return self._high[blob]

    @property
    def planes(self) -> StoredPlanes:
        return StoredPlanes(self.store.planes, self.store.blobs)

    def sheet(self, sheet_id: str) -> Sheet:
        found = self.document.sheet(sheet_id)
        if found is None:
            raise NotFound(f"There is no sheet '{sheet_id}' in this project.")
        return found

    # -- what is computed from the project --------------------------------------------------------------------------------------

    def samples(self, sheet: Sheet) -> SheetSamples:
        return self._work(sheet).samples

    def _work(self, sheet: Sheet) -> _SheetWork:
        key = self.surface_key
        with self.lock:
            work = self._sheets.get(sheet.id)
            if work is None or (work.resolution, work.model) != (sheet.resolution, key):
                self._sheets.pop(sheet.id, None)
                model, plan = self.model, self.plans[sheet.plan]
                self.memory.fit(sheet.resolution**2 * TEXEL_BYTES)
                samples = SheetSamples(model, plan, sheet.resolution, self.workers)
                self.pictures.recall(self._scope(sheet), samples)
                work = self._sheets[sheet.id] = _SheetWork(sheet.resolution, key, samples, NormalField(samples), Borders(samples, self.plans), 0.0)
            work.used = time.monotonic()
            return work

    def display(self, sheet_id: str) -> SheetDisplay:
        """Display (and through it the evaluator) of a sheet as the document stands now."""
        with self.lock:
            sheet = self.sheet(sheet_id)
            work = self._work(sheet)
            if work.display is None or work.display[0] != self.revision:
                work.display = (self.revision, self._display(self.document, sheet))
            return work.display[1]

    def displays(self, sheets: Iterable[str] | None = None) -> Displays:
        """Displays of sheets (None: of all), each made when it is asked for."""
        return Displays(self, [s.id for s in self.document.sheets] if sheets is None else list(sheets))

    def _display(self, document: Document, sheet: Sheet) -> SheetDisplay:
        work = self._work(sheet)
        evaluator = SheetEvaluator(
            document, sheet, work.samples, self.faces, self.planes, self.cache, images=self.image, workers=self.workers, borders=work.borders
        )
        return SheetDisplay(evaluator, self.planes, self.cache, work.field)

    # -- what is kept (an Owner of studio/memory.py) -----------------------------------------------------------------------------

    def kept(self) -> list[Kept]:
        """What is kept of this project and can be made again. The model is there for all of it, so it goes only with the project.

        Other sessions' threads ask for it: it takes no lock and makes nothing.
        """
        found = [
            Kept(f"sheet:{k}", held_bytes([w.samples, w.field, w.borders]) - self._shared_bytes, w.used, self.pinned[k] > 0)
            for k, w in list(self._sheets.items())
        ]
        found += [Kept("high", held_bytes([self._high]), 0.0)] if self._high else []
        caster = self._caster
        rays = 0 if caster is None else caster[2].triangle_count * RAY_BYTES
        surface = held_bytes([self._kept_surface, self._edge_graph, caster]) + rays
        return [*found, Kept("model", surface, math.inf, True)]

    @property
    def _shared_bytes(self) -> int:
        return 0 if self._kept_surface is None else held_bytes([self._kept_surface[1].model])

    def let_go(self, name: str) -> None:
        if name == "high":
            self._high = {}
        else:
            self._sheets.pop(name.removeprefix("sheet:"), None)

    def trial(self, sheet_id: str, edit: AnyEdit) -> SheetDisplay:
        """A sheet as it would be after an edit that is not taken: what a slider shows while it is dragged."""
        with self.lock:
            check_alone(edit)
            check_modes(self.document, edit)
            document, _ = apply_edit(self.document, edit)
            check_document(document, len(self.plans))
            sheet = document.sheet(sheet_id)
            if sheet is None or sheet.resolution != self.sheet(sheet_id).resolution:
                raise InputError("Only changes of layers can be tried before they are taken.")
            return self._display(document, sheet)

    def seen_chunks(self, sheet_id: str, camera: Camera) -> list[int]:
        """Chunks of a sheet that a view shows, found by a screen of rays."""
        x, y = np.meshgrid((np.arange(SEEN_ACROSS) + 0.5) / SEEN_ACROSS * camera.width, (np.arange(SEEN_ACROSS) + 0.5) / SEEN_ACROSS * camera.height)
        hits = self.caster().cast(*camera.rays(np.stack([x.ravel(), y.ravel()], axis=1)))
        met = hits.triangle >= 0
        samples = self.samples(self.sheet(sheet_id))
        row = np.full(len(self.model.triangles), -1, np.int32)
        row[samples.triangles] = np.arange(len(samples.triangles), dtype=np.int32)
        rows = row[hits.triangle[met]]
        uv = np.einsum("nc,nck->nk", hits.bary[met][rows >= 0], samples.uv[rows[rows >= 0]])
        texel = samples.texels_at(uv) // CHUNK_SIDE
        return [int(c) for c in np.unique(texel[:, 1] * samples.chunks_across + texel[:, 0])]

    def image(self, key: str) -> U16 | None:
        """A picture of the project, (h, w, 4) uint16; None when it is gone."""
        plane = self.store.planes.get(image_plane_id(key))
        blob = plane.chunks.get(0) if plane is not None else None
        if blob is None:
            return None
        found: U16 | None = self.cache.get(("image", blob))
        if found is None:
            try:
                found = decode_image(self.store.blobs.get_bytes(blob), key, upright=False)
            except InputError:
                # Its checksums were right, its pixels are not.
                return None
            self.cache.put(("image", blob), found, found.nbytes)
        return found

    def prefetch(self, sheet_id: str, chunks: Iterable[int] | None = None) -> None:
        """Read the chunks that a sheet's visible layers need, in bulk."""
        sheet = self.sheet(sheet_id)
        wanted = None if chunks is None else set(chunks)
        shown = _visible_planes(sheet)
        keys = [
            key
            for name, plane in self.store.planes.items()
            if name.split("/")[0] == sheet.id and name.split("/")[1] in shown
            for chunk, key in plane.chunks.items()
            if wanted is None or chunk in wanted
        ]
        self.store.blobs.prefetch(keys, self.workers)

    def _scope(self, sheet: Sheet) -> str:
        """What pictures of a sheet depend on beside their stamps."""
        return f"{PICTURES}/{self.surface_key}/{self.store.sheet_rule}/{sheet.plan}/{sheet.resolution}"

    def tiles(self, sheet_id: str, wanted: list[tuple[str, int]]) -> list[NDArray[np.uint8]]:
        """Display tiles by (texture, chunk): kept pictures where they are current, the others evaluated and kept for the next opening."""
        display, scope = self.display(sheet_id), self._scope(self.sheet(sheet_id))
        stamps = {w: display.stamp(*w) for w in wanted}
        made = self.pictures.store.get(scope, stamps, self.workers)
        # Read, evaluated and let go in groups, so that pixels are used while they are warm.
        missing = [w for w in wanted if w not in made]
        chunks = sorted({chunk for _, chunk in missing})
        for first in range(0, len(chunks), GROUP):
            group = set(chunks[first : first + GROUP])
            _ = display.samples.screen_gutter
            self.prefetch(sheet_id, group)
            display.evaluator.prepare()
            mine = [w for w in missing if w[1] in group]
            tiles = self.workers.map(lambda w: display.tile(*w), mine)
            made.update(zip(mine, tiles, strict=True))
            self.pictures.keep(scope, [(*w, stamps[w], tile) for w, tile in zip(mine, tiles, strict=True)])
        if missing:
            self.pictures.keep_sources(scope, display.samples.gutter_sources)
        # What the first stroke will need is made ready while the pictures are looked at.
        self.pictures.later(lambda: _lay_out(display.samples))
        return [made[w] for w in wanted]

    def _refresh_pictures(self) -> None:
        """Bring kept pictures that strokes and edits have overtaken up to date, as far as a short while allows."""
        until = time.monotonic() + REFRESH_SECONDS
        self.pictures.settle()
        self.pictures.store.forget(self._scope(sheet) for sheet in self.document.sheets)
        for sheet in self.document.sheets:
            if sheet.id not in self._sheets:
                continue
            display, scope = self.display(sheet.id), self._scope(sheet)
            for (texture, chunk), stamp in self.pictures.store.names(scope).items():
                with suppress(NotFound):
                    now = display.stamp(texture, chunk)
                    if now != stamp and time.monotonic() < until:
                        self.pictures.keep(scope, [(texture, chunk, now, display.tile(texture, chunk))])

    @property
    def hidden_faces(self) -> NDArray[np.bool_] | None:
        parts = self.document.hidden_parts
        return np.isin(self.model.face_part, parts) if parts else None

    def caster(self) -> RayCaster:
        """Rays against what is visible."""
        with self.lock:
            hidden = self.document.hidden_parts
            key = self.surface_key
            if self._caster is None or self._caster[:2] != (hidden, key):
                faces = self.hidden_faces
                self._caster = (hidden, key, RayCaster(self.model, None if faces is None else ~faces))
            return self._caster[2]

    def edge_graph(self) -> EdgeGraph:
        """The sharp edges of the model, seen as far as it is visible."""
        with self.lock:
            caster = self.caster()
            if self._edge_graph is None or self._edge_graph[0] is not caster:
                self._edge_graph = (caster, EdgeGraph(self.model, caster))
            return self._edge_graph[1]

    # -- changes ----------------------------------------------------------------------------------------------------------------

    def check_revision(self, revision: int | None) -> None:
        """Raises Conflict when the caller has not seen the newest state. None means: whatever it is."""
        if revision is not None and revision != self.revision:
            raise Conflict("The project was changed in another window, so this step was not taken. The view is up to date now; try again.")

    def edit(self, edit: AnyEdit, label: str, revision: int | None = None) -> None:
        """Take an edit of the document. Raises InputError for one that would leave it less than whole, or that pixels must come along with."""
        with self.lock:
            self.check_revision(revision)
            check_alone(edit)
            check_modes(self.document, edit)
            self.store.commit(label, edit=edit, plans=len(self.plans))

    def undo(self, revision: int | None = None) -> str:
        with self.lock:
            self.check_revision(revision)
            return self.store.undo()

    def redo(self, revision: int | None = None) -> str:
        with self.lock:
            self.check_revision(revision)
            return self.store.redo()

    def hide_parts(self, parts: Iterable[int]) -> None:
        count = len(self.model.parts)
        wanted = tuple(sorted(set(parts)))
        if any(not 0 <= p < count for p in wanted):
            raise InputError(f"A part to hide does not exist; the model has {count} parts.")
        with self.lock:
            self.store.set_hidden_parts(wanted)

    def live(self, target: Target, paint: Paint, brush: Brush = Brush()) -> LiveStroke:  # noqa: B008 -- frozen
        """A stroke about to happen on a target."""
        resolved = resolve_target(self.document, target, paint)
        display = self.display(target.sheet)
        return LiveStroke(resolved, display.evaluator, self.planes, paint=paint, brush=brush, hidden=self.hidden_faces, workers=self.workers)

    def store_stroke(self, live: LiveStroke, label: str, script: Mapping[str, Any]) -> Touched:
        """Commit what a stroke changed as one step of history, and keep its composites, settled, under their new versions.

        Says which blocks settling changed.
        """
        settled = live.settle()
        jobs = [(plane, chunk, values) for plane, chunks in live.changes.items() for chunk, values in chunks.items()]
        keys = self.workers.map(lambda job: self.store.blobs.put(job[2], self.store.key(job[0], job[1])), jobs)
        changes: dict[str, dict[int, str | None]] = {}
        for (plane, chunk, _), key in zip(jobs, keys, strict=True):
            changes.setdefault(plane, {})[chunk] = key
        self.store.commit(label, changes=changes, components={c.plane: c.components for c in live.target.cells}, script=script)
        evaluator = self.display(live.target.sheet.id).evaluator
        if live.local:
            for (channel, chunk), values in live.composites.items():
                evaluator.keep_composite(channel, chunk, values)
        return settled

    def flood(
        self,
        target: Target,
        paint: Paint,
        picks: tuple[FacePick, ...] | None,
        strength: float,
        revision: int | None = None,
        gradient: Gradient | None = None,
    ) -> None:
        """Cover picked faces (None: the whole sheet) at a strength with the paint; along a gradient from its first values to its second."""
        with self.lock:
            self.check_revision(revision)
            live = self.live(target, paint)
            touched = live.flood(picks, strength, self.faces, gradient)
            if not touched.blocks:
                raise InputError("Nothing there belongs to the target's sheet, or it is hidden. Pick a visible place on that sheet.")
            what = "sheet" if picks is None else " and ".join(sorted({p.by for p in picks}))
            script = {
                "flood": {
                    "picks": None if picks is None else [p.model_dump() for p in picks],
                    "strength": strength,
                    **({} if gradient is None else {"gradient": gradient.model_dump()}),
                },
                "target": target.model_dump(exclude_defaults=True),
                "paint": paint.model_dump(exclude_defaults=True),
                "hidden": list(self.document.hidden_parts),
            }
            self.store_stroke(live, f"Flood {what}", script)

    def duplicate_layer(self, sheet_id: str, layer_id: str, revision: int | None = None, to_sheet: str | None = None) -> str:
        """Copy a layer, with what is painted on it, in front of itself or onto another sheet (then without pixels of other resolutions)."""
        with self.lock:
            self.check_revision(revision)
            sheet = self.sheet(sheet_id)
            layer = sheet.find(layer_id)
            if layer is None:
                raise NotFound("That layer is gone; it may have been deleted in another window.")
            goal = self.sheet(to_sheet or sheet_id)
            names = IdMaker(goal)
            copy, pairs = _copied(layer, names)
            into, index = (None, 0) if goal is not sheet else _position(sheet, layer_id)
            changes: dict[str, dict[int, str | None]] = {}
            components: dict[str, int] = {}
            copies: dict[str, str] = {}
            if goal is sheet:
                for old, new in pairs:
                    for name, plane in self.store.planes.items():
                        owner, rest = name.split("/")[1], name.split("/")[2:]
                        if name.split("/")[0] == sheet.id and owner == old and rest:
                            renamed = "/".join([sheet.id, new, *rest])
                            changes[renamed], components[renamed] = dict(plane.chunks), plane.components
                            copies[renamed] = name
            edit = AddLayer(sheet=goal.id, layer=_with_own_references(copy, dict(pairs)), into=into, index=index)
            script = {"copies": copies} if copies else None
            self.store.commit(f"Duplicate {layer.name}", edit=edit, changes=changes, components=components, script=script)
            return copy.id

    def restore_version(self, number: int, revision: int | None = None) -> str:
        """Bring a named version back as a new step, so that it can be undone like any other."""
        with self.lock:
            self.check_revision(revision)
            name, document, planes = self.store.version_state(number)
            changes = difference(self.store.planes, planes)
            components = {p: plane.components for p, plane in planes.items()}
            self.store.commit(f"Back to {name}", edit=ReplaceDocument(document=document), changes=changes, components=components)
            return name

    # -- looking ----------------------------------------------------------------------------------------------------------------

    def pick(self, sheet_id: str, slot: int) -> dict[str, list[float]]:
        """Painted values at a sample, by channel, in the channels' own ranges."""
        display = self.display(sheet_id)
        found = {}
        for channel in self.document.channels:
            codes = display.evaluator.composite(channel.id, chunk_of(slot))[:, local_of(slot)]
            found[channel.id] = [round(float(v), 6) for v in decode(channel, codes)]
        if any(m.id == "id" for m in display.evaluator.sheet.mesh_maps):
            codes = display.evaluator.composite("map:id", chunk_of(slot))[:, local_of(slot)]
            found["map:id"] = [round(float(v), 6) for v in codes / 65535]
        return found

    def unpainted(self, sheet_id: str, channel_id: str) -> tuple[int, NDArray[np.int32]]:
        """How many covered texels no layer says anything about in a channel, and the (k,) faces they lie on."""
        display = self.display(sheet_id)
        faces = display.samples.face.reshape(display.samples.chunk_count, -1)

        def find(chunk: int) -> NDArray[np.int32]:
            bare = (faces[chunk] >= 0) & (display.evaluator.coverage(channel_id, chunk) <= 0)
            found: NDArray[np.int32] = faces[chunk][bare]
            return found

        everywhere = np.concatenate(self.workers.map(find, range(display.samples.chunk_count)))
        return len(everywhere), np.unique(everywhere).astype(np.int32)

    def close(self, last: bool = False) -> None:
        """Let go of the files; with `last` the project is about to be removed, and its pictures with it."""
        with self.lock:
            if not last:
                with suppress(RuveltError):
                    self._refresh_pictures()
            self.pictures.close()
            self.store.close()
            self.memory.remove(self)


def _lay_out(samples: SheetSamples) -> None:
    _ = samples.screen_gutter, samples.grid


class _Scoped(BoundedCache):
    """The shared cache as one project sees it: its keys never meet another project's."""

    def __init__(self, shared: BoundedCache, scope: str) -> None:
        self._shared, self._scope = shared, scope

    @property
    def limit(self) -> int:  # type: ignore[override]
        return self._shared.limit

    @property
    def held(self) -> int:  # type: ignore[override]
        return self._shared.held

    def get(self, key: Any, stamp: Any = None) -> Any | None:
        return self._shared.get((self._scope, key), stamp)

    def put(self, key: Any, value: Any, size: int, stamp: Any = None) -> None:
        self._shared.put((self._scope, key), value, size, stamp)


class IdMaker:
    """Ids of new layers: short, and free on the sheet."""

    def __init__(self, sheet: Sheet) -> None:
        self._taken = {layer.id for layer, _ in sheet.walk()}
        self._next = len(self._taken) + 1

    def new(self) -> str:
        while f"l{self._next}" in self._taken:
            self._next += 1
        made = f"l{self._next}"
        self._taken.add(made)
        return made


def _copied(layer: AnyLayer, ids: IdMaker, top: bool = True) -> tuple[AnyLayer, list[tuple[str, str]]]:
    """A layer under new ids, with (old, new) of it and everything inside."""
    new = ids.new()
    pairs = [(layer.id, new)]
    values: dict[str, Any] = {"id": new}
    if top:
        values["name"] = f"{layer.name} copy"[:80]
    if isinstance(layer, GroupLayer):
        inner = []
        for child in layer.layers:
            copy, more = _copied(child, ids, False)
            inner.append(copy)
            pairs += more
        values["layers"] = tuple(inner)
    return layer.model_copy(update=values), pairs


def _with_own_references(layer: AnyLayer, ids: Mapping[str, str]) -> AnyLayer:
    """A copy whose masks read the copies of what they read, where those were copied too."""
    values: dict[str, Any] = {}
    if layer.mask is not None:
        steps = [s.model_copy(update={"layer": ids.get(s.layer or "", s.layer)}) if isinstance(s, LayerSource) else s for s in layer.mask.sources]
        values["mask"] = layer.mask.model_copy(update={"sources": tuple(steps)})
    if isinstance(layer, GroupLayer):
        values["layers"] = tuple(_with_own_references(x, ids) for x in layer.layers)
    return layer.model_copy(update=values)


def _position(sheet: Sheet, layer_id: str) -> tuple[str | None, int]:
    above = next(a for layer, a in sheet.walk() if layer.id == layer_id)
    group = sheet.find(above[-1]) if above else None
    siblings = group.layers if isinstance(group, GroupLayer) else sheet.layers
    return (above[-1] if above else None), [x.id for x in siblings].index(layer_id)


def _visible_planes(sheet: Sheet) -> set[str]:
    """Ids of layers whose pixels show."""
    hidden: set[str] = {layer.id for layer, _ in sheet.walk()} - sheet.shown()
    for layer, above in sheet.walk():
        if not layer.visible or any(a in hidden for a in above):
            hidden.add(layer.id)
    return {layer.id for layer, _ in sheet.walk()} - hidden


def difference(old: Mapping[str, Plane], new: Mapping[str, Plane]) -> Changes:
    """What turns one set of planes into another."""
    changes: dict[str, dict[int, str | None]] = {}
    for name in {*old, *new}:
        before = dict(old[name].chunks) if name in old else {}
        after = dict(new[name].chunks) if name in new else {}
        changed = {c: after.get(c) for c in {*before, *after} if before.get(c) != after.get(c)}
        if changed:
            changes[name] = changed
    return changes

"""Bakes of an open project: high meshes, mesh maps, suspects. Strokes go on while a bake runs; old maps stay until new ones are whole."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ruvelt.core.bake.baker import Baker, Straight
from ruvelt.core.bake.cage import Cage
from ruvelt.core.bake.from_normal import FROM_NORMAL, hollows, turned_normals
from ruvelt.core.bake.grain import Answers
from ruvelt.core.bake.mesh_map import SUSPECTS, baked_map
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import FAR_LIMIT, MISSED, OTHER_PART, BakeSource, needed_bytes
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.readers.allowance import DEFAULT_BYTES, Allowance
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.curvature import curvature_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.scratch import scratch_folder
from ruvelt.core.stack.basics import Frozen, Id
from ruvelt.core.stack.document import HighMesh, MeshMap, Sheet, safe_id
from ruvelt.core.stack.edits import AnyEdit, Batch, SetHighMeshes, SetSheet
from ruvelt.core.stack.mesh_maps import PREFIX, in_order, map_kinds, map_name
from ruvelt.core.stack.plane_ids import base_plane_id, high_plane_id, normal_map_plane_id, touch_up_plane_id
from ruvelt.core.workers import Workers
from ruvelt.studio.repaint import image_to_plane
from ruvelt.studio.session import Session
from ruvelt.studio.versions import difference

Progress = Callable[[int, int, str], None]
#: The map that says by hand where rays leave straight.
STRAIGHT = "straight"
#: Share of the free memory that a bake may take.
MEMORY_SHARE = 0.75


class BakeRequest(Frozen):
    """Which maps of which sheets (none: all) to bake, from what, and how."""

    maps: Annotated[tuple[str, ...], Field(min_length=1, max_length=20)]
    sheets: Annotated[tuple[Id, ...], Field(max_length=200)] = ()
    source: Literal["high", "model", "normal-map"] = "high"
    settings: BakeSettings = BakeSettings()


@dataclass
class Arrival:
    """A piece of a map that a running bake has finished: its content key, components and compressed values."""

    sheet: str
    map: str
    chunk: int
    key: str
    shape: int
    packed: bytes


@dataclass(frozen=True)
class Stage:
    """Progress of one sheet among all."""

    progress: Progress
    before: int
    planned: int

    def tell(self, done: int, what: str) -> None:
        self.progress(self.before + done, self.planned, what)


@dataclass
class BakeRun:
    """What a bake has made so far. Windows ask for what arrived since they last asked."""

    arrivals: list[Arrival] = field(default_factory=list)
    #: Where the newest piece of a sheet, map and chunk stands among them.
    newest: dict[tuple[str, str, int], int] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)

    def since(self, first: int) -> list[Arrival]:
        with self.lock:
            return self.arrivals[first:]


# -- high meshes ----------------------------------------------------------------------------------------------------------------


def available_bytes() -> int:
    """Memory that can be had without pushing other programs out; a large number where the system does not tell."""
    try:
        lines = Path("/proc/meminfo").read_text().splitlines()
        return next(int(line.split()[1]) * 1024 for line in lines if line.startswith("MemAvailable"))
    except (OSError, StopIteration, ValueError):
        return 1 << 50


def check_memory(triangles: int) -> None:
    """Raises InputError when baking from that many triangles would not fit."""
    needed, there = needed_bytes(triangles), available_bytes()
    if needed > there * MEMORY_SHARE:
        raise InputError(
            f"Baking from {triangles:,} triangles needs about {needed / 2**30:.1f} GiB of memory, and {there / 2**30:.1f} GiB are free. "
            "Close other programs, or bring in a high mesh with fewer triangles."
        )


def bake_source(session: Session, kind: str, tell: Callable[[str], None] = lambda what: None, sheet: Sheet | None = None) -> BakeSource:
    """What a bake of the kind "high" or "model" measures, from the model or the level of a sheet's vertices; `tell` hears of each mesh read."""
    document, high, cage = session.document, [], None
    if kind == "high":
        for mesh in document.high_meshes:
            tell(f"Reading {mesh.name}")
            high.append(session.surfaces.high_model(mesh.key))
        if high and document.cage_mesh is not None:
            tell(f"Reading {document.cage_mesh.name}")
            cage = session.surfaces.high_model(document.cage_mesh.key)
    return BakeSource(session.model if sheet is None else session.surfaces.of(sheet).model, high, cage)


def pair_table(session: Session, settings: BakeSettings) -> dict[str, Any]:
    """Which parts a bake would measure against which, as rows to look at and change, and the high parts that no row has."""
    source = bake_source(session, "high")
    if not source.projects:
        return {"rows": [], "high": [], "alone": []}
    names, pairing = source.part_names, source.pairing(settings)
    # Parts of one name are one row: what is said of a name is said of all that have it.
    rows = {
        low: {
            "low": low,
            "to": "everything" if partners is None else "parts" if partners else "nothing",
            "high": list(dict.fromkeys(names[i] for i in partners or ())),
            "said": said,
        }
        for low, partners, said in zip(source.low.parts, pairing.partners, pairing.said, strict=True)
    }
    return {"rows": list(rows.values()), "high": list(dict.fromkeys(names)), "alone": list(dict.fromkeys(names[i] for i in pairing.alone))}


@dataclass(frozen=True)
class MeshUpload:
    """A mesh file as it came, what lies beside it, and how much memory reading it may take."""

    data: bytes
    filename: str
    companions: Mapping[str, bytes] | None = None
    import_bytes: int = DEFAULT_BYTES


def _read(upload: MeshUpload, progress: Progress) -> Model:
    def tell() -> None:
        progress(0, 3, "Reading the mesh")

    tell()
    return read_mesh(upload.data, upload.filename, upload.companions, Allowance(upload.import_bytes, tell))


def add_high_mesh(session: Session, upload: MeshUpload, progress: Progress) -> str:
    """Add high mesh as one step of history; returns its key. UVs are not needed."""
    model = _read(upload, progress)
    check_memory(sum(m.triangles for m in session.document.high_meshes) + len(model.triangles))
    progress(1, 3, "Looking where it lies")
    BakeSource(session.model, (model,))
    progress(2, 3, "Storing it")
    with session.lock:
        document = session.document
        entry = _entry(session, model)
        edit = SetHighMeshes(meshes=(*document.high_meshes, entry), cage=document.cage_mesh)
        _commit_mesh(session, model, entry.key, edit, f"Add high mesh {entry.name}")
    progress(3, 3, "Done")
    return entry.key


def add_cage(session: Session, upload: MeshUpload, progress: Progress) -> str:
    """Take a mesh like the model as the cage that rays come from, as one step of history; returns its key. Raises InputError for another mesh."""
    model = _read(upload, progress)
    progress(1, 3, "Comparing it with the model")
    Cage(session.model, "file", 0.0, session.model.crease_deg, model)
    progress(2, 3, "Storing it")
    with session.lock:
        document = session.document
        entry = _entry(session, model)
        edit = SetHighMeshes(meshes=document.high_meshes, cage=entry)
        _commit_mesh(session, model, entry.key, edit, f"Add cage {entry.name}", document.cage_mesh)
    progress(3, 3, "Done")
    return entry.key


def remove_cage(session: Session, revision: int | None = None) -> None:
    with session.lock:
        session.check_revision(revision)
        document = session.document
        if document.cage_mesh is None:
            raise NotFound("That cage is gone already.")
        plane = high_plane_id(document.cage_mesh.key)
        session.store.commit("Take the cage away", edit=SetHighMeshes(meshes=document.high_meshes), changes={plane: {0: None}})


def _entry(session: Session, model: Model) -> HighMesh:
    """The document's entry of a mesh, under a key that no other has."""
    document = session.document
    taken = {m.key for m in (*document.high_meshes, *([document.cage_mesh] if document.cage_mesh else []))}
    key, number = safe_id(model.name), 2
    while key in taken:
        key, number = f"{safe_id(model.name)}-{number}", number + 1
    return HighMesh(key=key, name=(model.name.strip() or key)[:80], triangles=len(model.triangles))


def _commit_mesh(session: Session, model: Model, key: str, edit: SetHighMeshes, label: str, gone: HighMesh | None = None) -> None:
    plane = high_plane_id(key)
    changes: dict[str, dict[int, str | None]] = {plane: {0: session.store.blobs.put_bytes(model.to_bytes())}}
    if gone is not None:
        changes[high_plane_id(gone.key)] = {0: None}
    session.store.commit(label, edit=edit, changes=changes, components={plane: 0})


def remove_high_mesh(session: Session, key: str, revision: int | None = None) -> None:
    with session.lock:
        session.check_revision(revision)
        kept = tuple(m for m in session.document.high_meshes if m.key != key)
        if len(kept) == len(session.document.high_meshes):
            raise NotFound("That high mesh is gone already.")
        session.store.commit(
            f"Take high mesh {key} away", edit=SetHighMeshes(meshes=kept, cage=session.document.cage_mesh), changes={high_plane_id(key): {0: None}}
        )


# -- baking ---------------------------------------------------------------------------------------------------------------------


def maps_of(sheet: Sheet, maps: tuple[str, ...]) -> tuple[str, ...]:
    """Those of the maps that a sheet, or the vertices, can have. Raises InputError for none: vertices have no tangents."""
    found = maps if sheet.of == "texels" else tuple(m for m in maps if not baked_map(m).needs_tangent)
    if maps and not found:
        raise InputError(f"{map_name(maps[0])} lies in the tangent space of a UV layout, which vertices do not have. Bake object normals instead.")
    return found


class BakeDesk:
    """At most one bake of a project at a time, on threads that give way to strokes."""

    def __init__(self, session: Session, threads: int | None = None) -> None:
        self._session, self._threads = session, threads
        self._busy = Lock()
        self.run: BakeRun | None = None

    def bake(self, request: BakeRequest, progress: Progress = lambda done, planned, what: None) -> dict[str, Any]:
        """Bake, then show all maps as one step of history. Cancelled or failed, the old maps stay.

        Returns rays, maps and suspect texels. Raises Conflict while another bake runs, InputError for what cannot be measured.
        """
        if not self._busy.acquire(blocking=False):
            raise Conflict("This project is being baked already. Wait for it, or stop it first.")
        workers = Workers(self._threads, behind=True)
        self.run = run = BakeRun()
        try:
            return self._bake(request, progress, run, workers)
        finally:
            self.run = None
            workers.close()
            self._busy.release()

    def _bake(self, request: BakeRequest, progress: Progress, run: BakeRun, workers: Workers) -> dict[str, Any]:
        session = self._session
        maps = tuple(dict.fromkeys(baked_map(m).id for m in request.maps))
        if not session.document.sheets:
            raise InputError("There is nothing to bake onto: this project has neither sheets nor vertex paint.")
        wanted = request.sheets or tuple(s.id for s in session.document.sheets)
        sheets = [session.sheet(s) for s in wanted]
        grounds = [_ground(session, sheet) for sheet in sheets]
        if request.source == "normal-map":
            made = self._from_normal_maps(maps, sheets, request.settings, progress, run, workers)
        else:
            made = self._by_rays(maps, sheets, request, progress, run, workers)
        try:
            session.store.blobs.store_ahead({a.key: (a.shape, a.packed) for a in run.arrivals if a.packed})
            with session.lock:
                self._store(made, request, sheets, grounds)
                counts = suspects(session)
        finally:
            session.store.blobs.forget_ahead(a.key for a in run.arrivals)
        return {"maps": list(maps), "sheets": list(wanted), "suspects": counts}

    def _by_rays(
        self, maps: tuple[str, ...], sheets: list[Sheet], request: BakeRequest, progress: Progress, run: BakeRun, workers: Workers
    ) -> dict[str, dict[int, str]]:
        session, made = self._session, dict[str, dict[int, str]]()
        planned = 0

        def preparing(what: str) -> None:
            progress(0, planned, what)

        preparing("Reading the model")
        sources: dict[str, BakeSource] = {}
        for sheet in sheets:
            key = session.surfaces.key_of(sheet)
            if key not in sources:
                sources[key] = bake_source(session, request.source, preparing, sheet)
        check_memory(sum(len(m.triangles) for source in sources.values() for m in source.meshes))

        def source_of(sheet: Sheet) -> BakeSource:
            return sources[session.surfaces.key_of(sheet)]

        # One sheet after the other, so that a project of many fits into the memory it is given.
        rays = []
        for sheet in sheets:
            preparing(f"{sheet.name}: Laying out its texels")
            rays.append(Baker(session.samples(sheet), source_of(sheet), request.settings, workers).planned(maps_of(sheet, maps)))
        planned = sum(rays)
        with scratch_folder() as folder:
            place = folder if len(sheets) > 1 else None
            told = []
            for i, sheet in enumerate(sheets):
                stage = Stage(progress, sum(rays[:i]), planned)
                told.append(self._measured(maps_of(sheet, maps), sheet, source_of(sheet), request.settings, workers, stage, made, run, place))
            for i, sheet in enumerate(sheets):
                answers = told[i]
                if answers is None:
                    continue
                beside = [other for k, other in enumerate(told) if other is not None and k != i and sheets[k].of == sheet.of]

                def stop(where: Sheet = sheet) -> None:
                    progress(planned, planned, f"{where.name}: Evening out the grain")

                def arrived(map_id: str, chunk: int, values: U16, *, where: Sheet = sheet) -> None:
                    self._arrived(where, map_id, chunk, values, made, run)

                with self._held(sheet) as samples:
                    loaded = answers.loaded() if place else answers
                    Baker(samples, source_of(sheet), request.settings, workers).finish(maps_of(sheet, maps), loaded, arrived, beside, stop)
        return made

    @contextmanager
    def _held(self, sheet: Sheet) -> Iterator[SurfaceSamples]:
        """A sheet's samples, which stay while they are worked with."""
        session = self._session
        session.sheets.pinned[sheet.id] += 1
        try:
            yield session.samples(sheet)
        finally:
            session.sheets.pinned[sheet.id] -= 1

    def _measured(
        self,
        maps: tuple[str, ...],
        sheet: Sheet,
        source: BakeSource,
        settings: BakeSettings,
        workers: Workers,
        stage: Stage,
        made: dict[str, dict[int, str]],
        run: BakeRun,
        folder: Path | None,
    ) -> Answers | None:
        """Every ray of a sheet; what rays told lies in a folder where there are many sheets, so that they take no memory."""

        def arrived(map_id: str, chunk: int, values: U16) -> None:
            self._arrived(sheet, map_id, chunk, values, made, run)

        with self._held(sheet) as samples:
            baker = Baker(samples, source, settings, workers, _straight_rays(self._session, sheet))
            answers = baker.measure(maps, lambda done, _, what: stage.tell(done, f"{sheet.name}: {what}"), arrived)
        return answers.laid_down(folder / sheet.id) if answers and folder else answers

    def _from_normal_maps(
        self, maps: tuple[str, ...], sheets: list[Sheet], settings: BakeSettings, progress: Progress, run: BakeRun, workers: Workers
    ) -> dict[str, dict[int, str]]:
        if not set(maps) <= set(FROM_NORMAL):
            names = ", ".join(map_name(m) for m in maps if m not in FROM_NORMAL)
            raise InputError(f"A normal map says nothing about {names}. From it come curvature, an occlusion of hollows and object normals.")
        session, made = self._session, dict[str, dict[int, str]]()
        radius = settings.curvature_radius * session.model.diagonal
        for i, sheet in enumerate(sheets):
            progress(i, len(sheets), f"{sheet.name}: Reading the normal map")
            samples = session.texels(sheet)
            normal = turned_normals(samples, _normal_values(session, sheet), workers)
            for m in maps:
                progress(i, len(sheets), f"{sheet.name}: {map_name(m)}")
                if m == "curvature":
                    values = 0.5 + 0.5 * curvature_of(samples, samples.positions, normal, radius, workers)[:, None] * np.float32(radius)
                elif m == "occlusion":
                    values = hollows(samples, normal, radius, workers)[:, None]
                else:
                    values = 0.5 + 0.5 * normal
                for chunk in range(samples.chunk_count):
                    values_u16 = _chunk_values(values, samples, chunk)
                    if values_u16[-1].any():
                        self._arrived(sheet, m, chunk, values_u16, made, run)
        progress(len(sheets), len(sheets), "Done")
        return made

    def _arrived(self, sheet: Sheet, map_id: str, chunk: int, values: U16, made: dict[str, dict[int, str]], run: BakeRun) -> None:
        key, packed = self._session.store.blobs.packed(values)
        with run.lock:
            made.setdefault(base_plane_id(sheet.id, map_id), {})[chunk] = key
            old = run.newest.get((sheet.id, map_id, chunk))
            if old is not None:
                # Evened out; what came first is of no more use.
                run.arrivals[old].packed = b""
            run.newest[sheet.id, map_id, chunk] = len(run.arrivals)
            run.arrivals.append(Arrival(sheet.id, map_id, chunk, key, len(values), packed))

    def _store(self, made: dict[str, dict[int, str]], request: BakeRequest, sheets: list[Sheet], grounds: list[str]) -> None:
        session = self._session
        edits: list[AnyEdit] = []
        old: dict[str, Plane] = {}
        new: dict[str, Plane] = {}
        source = "model" if request.source == "high" and not session.document.high_meshes else request.source
        for sheet, ground in zip(sheets, grounds, strict=True):
            now = session.document.sheet(sheet.id)
            if now is None or _ground(session, now) != ground:
                raise Conflict(f"{sheet.name} was changed while it was baked, so the new maps do not fit it. Bake again.")
            names = [m for m in map_kinds() if base_plane_id(sheet.id, m) in made]
            entries = {m.id: m for m in now.mesh_maps}
            for m in names:
                kept = entries[m].touch_up if m in entries else True
                entries[m] = MeshMap(id=m, source=source, settings=request.settings.model_dump(mode="json"), touch_up=kept)
                plane = base_plane_id(sheet.id, m)
                old[plane] = session.store.planes.get(plane, Plane(map_kinds()[m].components + 1))
                new[plane] = Plane(map_kinds()[m].components + 1, dict(made[plane]))
            # A bake that meets no other mesh has nothing to suspect, whatever one before it had.
            stale = base_plane_id(sheet.id, SUSPECTS)
            if source == "model" and entries.pop(SUSPECTS, None) is not None and stale in session.store.planes:
                old[stale], new[stale] = session.store.planes[stale], Plane(2)
            edits.append(SetSheet(sheet=sheet.id, values={"mesh_maps": [m.model_dump() for m in in_order(entries)]}))
        told = ", ".join(map_name(m) for m in dict.fromkeys(request.maps))
        components = {name: plane.components for name, plane in new.items()}
        session.store.commit(f"Bake {told}"[:120], edit=Batch(edits=tuple(edits)), changes=difference(old, new), components=components)


def _ground(session: Session, sheet: Sheet) -> str:
    """What the values of a sheet's samples belong to: its mesh, layout, level and resolution."""
    return f"{session.surfaces.key_of(sheet)}/{sheet.plan}/{sheet.resolution}"


def _straight_rays(session: Session, sheet: Sheet) -> Straight:
    """What is painted of a sheet to say where rays leave straight along the face."""
    if all(m.id != STRAIGHT for m in sheet.mesh_maps):
        return lambda chunk: None
    evaluator = session.display(sheet.id).evaluator
    return lambda chunk: evaluator.composite(PREFIX + STRAIGHT, chunk)[0] / np.float32(65535)


def begin_straight(session: Session, sheet_id: str, revision: int | None = None) -> None:
    """Give a sheet the map that says where rays leave straight, black all over, to be painted like a touch-up."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        if all(m.id != STRAIGHT for m in sheet.mesh_maps):
            entries = [*sheet.mesh_maps, MeshMap(id=STRAIGHT, source="hand")]
            edit = SetSheet(sheet=sheet.id, values={"mesh_maps": [m.model_dump() for m in entries]})
            session.store.commit(f"Straight rays of {sheet.name}", edit=edit)


def _chunk_values(values: NDArray[np.float32], samples: SheetSamples, chunk: int) -> U16:
    here = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
    covered = samples.covered[here]
    values_u16 = np.rint(np.clip(values[here].T, 0, 1) * 65535).astype(np.uint16) * covered
    return np.ascontiguousarray(np.concatenate([values_u16, np.where(covered, 65535, 0).astype(np.uint16)[None]]))


def _normal_values(session: Session, sheet: Sheet) -> Callable[[int], U16 | None]:
    """The tangent-space normal map of a sheet: a baked or imported mesh map with its touch-up, else the one under the relief."""
    if any(m.id == "normal" for m in sheet.mesh_maps):
        evaluator = session.display(sheet.id).evaluator
        return lambda chunk: evaluator.composite(PREFIX + "normal", chunk)
    plane = session.store.planes.get(normal_map_plane_id(sheet.id))
    if (plane is None or not plane.chunks) and sheet.normal_pictures:
        return session.display(sheet.id).evaluator.supplied_normal
    if plane is None or not plane.chunks:
        raise InputError(f"{sheet.name} has no normal map to measure. Bring one in as the mesh map Normal first.")
    return lambda chunk: session.store.blobs.get(plane.chunks[chunk]) if chunk in plane.chunks else None


# -- maps that exist ------------------------------------------------------------------------------------------------------------


def import_map(session: Session, sheet_id: str, map_id: str, image: U16, revision: int | None = None) -> None:
    """Take a picture (h, w, 4 uint16) as a mesh map of a sheet. Raises InputError for a picture that is not square."""
    kind = baked_map(map_id)
    if image.shape[0] != image.shape[1]:
        raise InputError(f"A mesh map is square; this picture is {image.shape[1]} × {image.shape[0]}. Export it square from where it was made.")
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        samples = session.texels(sheet)
        colour = image[..., :3] if kind.components == 3 else image[..., :1]
        full = np.full(image.shape[:2], 65535, np.uint16)
        plane = image_to_plane(session, samples, np.dstack([colour, full]))
        name = base_plane_id(sheet.id, map_id)
        entries = {m.id: m for m in sheet.mesh_maps}
        entries[map_id] = MeshMap(id=map_id, source="picture", touch_up=entries[map_id].touch_up if map_id in entries else True)
        edit = SetSheet(sheet=sheet.id, values={"mesh_maps": [m.model_dump() for m in in_order(entries)]})
        changes = difference({name: session.store.planes.get(name, Plane(plane.components))}, {name: plane})
        session.store.commit(f"Bring in {kind.label} of {sheet.name}", edit=edit, changes=changes, components={name: plane.components})


def set_touch_up(session: Session, sheet_id: str, map_id: str, on: bool, revision: int | None = None) -> None:
    """Switch the touch-up of a mesh map on or off; its strokes are kept."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        if all(m.id != map_id for m in sheet.mesh_maps):
            raise NotFound(f"{sheet.name} has no such mesh map. Bake it first.")
        entries = [m.model_copy(update={"touch_up": on}) if m.id == map_id else m for m in sheet.mesh_maps]
        edit = SetSheet(sheet=sheet.id, values={"mesh_maps": [m.model_dump() for m in entries]})
        session.store.commit(f"Touch-up of {map_name(map_id)} {'on' if on else 'off'}", edit=edit)


def remove_map(session: Session, sheet_id: str, map_id: str, revision: int | None = None) -> None:
    """Take a mesh map and its touch-up away."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        kept = [m for m in sheet.mesh_maps if m.id != map_id]
        if len(kept) == len(sheet.mesh_maps):
            raise NotFound(f"{sheet.name} has no such mesh map any more.")
        planes = [base_plane_id(sheet.id, map_id), touch_up_plane_id(sheet.id, map_id)]
        changes = {p: dict.fromkeys(session.store.planes[p].chunks, None) for p in planes if p in session.store.planes}
        edit = SetSheet(sheet=sheet.id, values={"mesh_maps": [m.model_dump() for m in kept]})
        session.store.commit(f"Remove {map_name(map_id)} of {sheet.name}", edit=edit, changes=changes)


def suspects(session: Session) -> list[dict[str, Any]]:
    """Suspect texels by sheet and part: [{sheet, part, missed, other, far}], parts without any left out."""
    found = []
    for sheet in session.document.sheets:
        plane = session.store.planes.get(base_plane_id(sheet.id, SUSPECTS))
        if plane is None or not plane.chunks:
            continue
        samples = session.samples(sheet)
        counts = np.zeros((len(session.model.parts), 3), np.int64)
        for chunk, key in plane.chunks.items():
            bits = np.rint(session.store.blobs.get(key)[0] / 257.0).astype(np.uint8)
            marked = np.flatnonzero(bits)
            faces = samples.face[chunk * CHUNK + marked]
            parts = samples.model.face_part[np.maximum(faces, 0)]
            for column, bit in enumerate((MISSED, OTHER_PART, FAR_LIMIT)):
                counts[:, column] += np.bincount(parts[(bits[marked] & bit > 0) & (faces >= 0)], minlength=len(counts))
        for part in np.flatnonzero(counts.sum(axis=1)):
            missed, other, far = (int(v) for v in counts[part])
            found.append({"sheet": sheet.id, "part": session.model.parts[part], "missed": missed, "other": other, "far": far})
    return found

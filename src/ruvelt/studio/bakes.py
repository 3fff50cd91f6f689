"""Bakes of an open project: high meshes, mesh maps, suspects. Strokes go on while a bake runs; old maps stay until new ones are whole."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ruvelt.core.bake.baker import Baker
from ruvelt.core.bake.curvature import curvature_of
from ruvelt.core.bake.from_normal import FROM_NORMAL, hollows, turned_normals
from ruvelt.core.bake.maps import SUSPECTS, map_kind
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import FAR_LIMIT, MISSED, OTHER_PART, BakeSource, needed_bytes
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.readers.allowance import DEFAULT_BYTES, Allowance
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.chunks import CHUNK
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.basics import Frozen, Id
from ruvelt.core.stack.document import HighMesh, MeshMap, Sheet, base_plane_id, high_plane_id, normal_map_plane_id, safe_id, touch_up_plane_id
from ruvelt.core.stack.edits import AnyEdit, Batch, SetHighMeshes, SetSheet
from ruvelt.core.stack.mesh_maps import PREFIX, SHAPES
from ruvelt.core.workers import Workers
from ruvelt.studio.repaint import image_to_plane
from ruvelt.studio.session import Session, difference

Progress = Callable[[int, int, str], None]
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


@dataclass
class BakeRun:
    """What a bake has made so far. Windows ask for what arrived since they last asked."""

    arrivals: list[Arrival] = field(default_factory=list)
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


def high_models(session: Session) -> list[Model]:
    """The project's high meshes, read once."""
    return [session.high_model(mesh.key) for mesh in session.document.high_meshes]


def add_high_mesh(
    session: Session,
    data: bytes,
    filename: str,
    progress: Progress,
    companions: Mapping[str, bytes] | None = None,
    import_bytes: int = DEFAULT_BYTES,
) -> str:
    """Bring a high mesh in as one step of history; returns its key. UVs are not needed."""
    progress(0, 3, "Reading the mesh")
    model = read_mesh(data, filename, companions, Allowance(import_bytes, lambda: progress(0, 3, "Reading the mesh")))
    check_memory(sum(m.triangles for m in session.document.high_meshes) + len(model.triangles))
    progress(1, 3, "Looking where it lies")
    BakeSource(session.model, (model,))
    progress(2, 3, "Storing it")
    with session.lock:
        meshes = session.document.high_meshes
        key, number = safe_id(model.name), 2
        while any(m.key == key for m in meshes):
            key, number = f"{safe_id(model.name)}-{number}", number + 1
        entry = HighMesh(key=key, name=(model.name.strip() or key)[:80], triangles=len(model.triangles))
        blob = session.store.blobs.put_bytes(model.to_bytes())
        plane = high_plane_id(key)
        edit = SetHighMeshes(meshes=(*meshes, entry))
        session.store.commit(f"Bring in high mesh {entry.name}", edit=edit, changes={plane: {0: blob}}, components={plane: 0})
    progress(3, 3, "Done")
    return key


def remove_high_mesh(session: Session, key: str, revision: int | None = None) -> None:
    with session.lock:
        session.check_revision(revision)
        kept = tuple(m for m in session.document.high_meshes if m.key != key)
        if len(kept) == len(session.document.high_meshes):
            raise NotFound("That high mesh is gone already.")
        session.store.commit(f"Take high mesh {key} away", edit=SetHighMeshes(meshes=kept), changes={high_plane_id(key): {0: None}})


# -- baking ---------------------------------------------------------------------------------------------------------------------


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
        maps = tuple(dict.fromkeys(map_kind(m).id for m in request.maps))
        if not session.document.sheets:
            raise InputError("The model has no UVs, so there are no sheets to bake. Give it UVs first.")
        wanted = request.sheets or tuple(s.id for s in session.document.sheets)
        sheets = [session.sheet(s) for s in wanted]
        if request.source == "normal-map":
            made = self._from_normal_maps(maps, sheets, request.settings, progress, run, workers)
        else:
            made = self._by_rays(maps, sheets, request, progress, run, workers)
        try:
            session.store.blobs.store_ahead({a.key: (a.shape, a.packed) for a in run.arrivals})
            with session.lock:
                self._store(made, request, sheets)
                counts = suspects(session)
        finally:
            session.store.blobs.forget_ahead(a.key for a in run.arrivals)
        return {"maps": list(maps), "sheets": list(wanted), "suspects": counts}

    def _by_rays(
        self, maps: tuple[str, ...], sheets: list[Sheet], request: BakeRequest, progress: Progress, run: BakeRun, workers: Workers
    ) -> dict[str, dict[int, str]]:
        session = self._session
        high = high_models(session) if request.source == "high" else []
        check_memory(sum(len(m.triangles) for m in high or [session.model]))
        source = BakeSource(session.model, high)
        # One sheet after the other, so that a project of many fits into the memory it is given.
        planned = [Baker(session.samples(sheet), source, request.settings, workers).planned(maps) for sheet in sheets]
        made: dict[str, dict[int, str]] = {}
        for i, sheet in enumerate(sheets):
            before, whole, where = sum(planned[:i]), sum(planned), sheet

            def told(done: int, _: int, what: str, *, before: int = before, whole: int = whole, where: Sheet = where) -> None:
                progress(before + done, whole, f"{where.name}: {what}")

            def arrived(map_id: str, chunk: int, values: U16, *, where: Sheet = where) -> None:
                self._arrived(where, map_id, chunk, values, made, run)

            session.pinned[sheet.id] += 1
            try:
                Baker(session.samples(sheet), source, request.settings, workers).bake(maps, told, arrived)
            finally:
                session.pinned[sheet.id] -= 1
        return made

    def _from_normal_maps(
        self, maps: tuple[str, ...], sheets: list[Sheet], settings: BakeSettings, progress: Progress, run: BakeRun, workers: Workers
    ) -> dict[str, dict[int, str]]:
        if not set(maps) <= set(FROM_NORMAL):
            names = ", ".join(SHAPES[m].name for m in maps if m not in FROM_NORMAL)
            raise InputError(f"A normal map says nothing about {names}. From it come curvature, an occlusion of hollows and object normals.")
        session, made = self._session, dict[str, dict[int, str]]()
        radius = settings.curvature_radius * session.model.diagonal
        for i, sheet in enumerate(sheets):
            progress(i, len(sheets), f"{sheet.name}: Reading the normal map")
            samples = session.samples(sheet)
            normal = turned_normals(samples, _normal_codes(session, sheet), workers)
            for m in maps:
                progress(i, len(sheets), f"{sheet.name}: {SHAPES[m].name}")
                if m == "curvature":
                    values = 0.5 + 0.5 * curvature_of(samples, samples.positions, normal, radius, workers)[:, None] * np.float32(radius)
                elif m == "occlusion":
                    values = hollows(samples, normal, radius, workers)[:, None]
                else:
                    values = 0.5 + 0.5 * normal
                for chunk in range(samples.chunk_count):
                    codes = _chunk_codes(values, samples, chunk)
                    if codes[-1].any():
                        self._arrived(sheet, m, chunk, codes, made, run)
        progress(len(sheets), len(sheets), "Done")
        return made

    def _arrived(self, sheet: Sheet, map_id: str, chunk: int, values: U16, made: dict[str, dict[int, str]], run: BakeRun) -> None:
        key, packed = self._session.store.blobs.packed(values)
        with run.lock:
            made.setdefault(base_plane_id(sheet.id, map_id), {})[chunk] = key
            run.arrivals.append(Arrival(sheet.id, map_id, chunk, key, len(values), packed))

    def _store(self, made: dict[str, dict[int, str]], request: BakeRequest, sheets: list[Sheet]) -> None:
        session = self._session
        edits: list[AnyEdit] = []
        old: dict[str, Plane] = {}
        new: dict[str, Plane] = {}
        source = "model" if request.source == "high" and not session.document.high_meshes else request.source
        for sheet in sheets:
            now = session.document.sheet(sheet.id)
            if now is None or now.resolution != sheet.resolution:
                raise Conflict(f"{sheet.name} was changed while it was baked, so the new maps do not fit it. Bake again.")
            names = [m for m in SHAPES if base_plane_id(sheet.id, m) in made]
            entries = {m.id: m for m in now.mesh_maps}
            for m in names:
                kept = entries[m].touch_up if m in entries else True
                entries[m] = MeshMap(id=m, source=source, settings=request.settings.model_dump(mode="json"), touch_up=kept)
                plane = base_plane_id(sheet.id, m)
                old[plane] = session.store.planes.get(plane, Plane(SHAPES[m].components + 1))
                new[plane] = Plane(SHAPES[m].components + 1, dict(made[plane]))
            edits.append(SetSheet(sheet=sheet.id, values={"mesh_maps": [entries[m].model_dump() for m in SHAPES if m in entries]}))
        told = ", ".join(SHAPES[m].name for m in dict.fromkeys(request.maps))
        components = {name: plane.components for name, plane in new.items()}
        session.store.commit(f"Bake {told}"[:120], edit=Batch(edits=tuple(edits)), changes=difference(old, new), components=components)


def _chunk_codes(values: NDArray[np.float32], samples: SheetSamples, chunk: int) -> U16:
    here = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
    covered = samples.covered[here]
    codes = np.rint(np.clip(values[here].T, 0, 1) * 65535).astype(np.uint16) * covered
    return np.ascontiguousarray(np.concatenate([codes, np.where(covered, 65535, 0).astype(np.uint16)[None]]))


def _normal_codes(session: Session, sheet: Sheet) -> Callable[[int], U16 | None]:
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
    kind = map_kind(map_id)
    if image.shape[0] != image.shape[1]:
        raise InputError(f"A mesh map is square; this picture is {image.shape[1]} × {image.shape[0]}. Export it square from where it was made.")
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        samples = session.samples(sheet)
        colour = image[..., :3] if kind.components == 3 else image[..., :1]
        full = np.full(image.shape[:2], 65535, np.uint16)
        plane = image_to_plane(session, samples, np.dstack([colour, full]))
        name = base_plane_id(sheet.id, map_id)
        entries = {m.id: m for m in sheet.mesh_maps}
        entries[map_id] = MeshMap(id=map_id, source="picture", touch_up=entries[map_id].touch_up if map_id in entries else True)
        edit = SetSheet(sheet=sheet.id, values={"mesh_maps": [entries[m].model_dump() for m in SHAPES if m in entries]})
        changes = difference({name: session.store.planes.get(name, Plane(plane.components))}, {name: plane})
        session.store.commit(f"Bring in {kind.name} of {sheet.name}", edit=edit, changes=changes, components={name: plane.components})


def set_touch_up(session: Session, sheet_id: str, map_id: str, on: bool, revision: int | None = None) -> None:
    """Switch the touch-up of a mesh map on or off; its strokes are kept."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        if all(m.id != map_id for m in sheet.mesh_maps):
            raise NotFound(f"{sheet.name} has no such mesh map. Bake it first.")
        entries = [m.model_copy(update={"touch_up": on}) if m.id == map_id else m for m in sheet.mesh_maps]
        edit = SetSheet(sheet=sheet.id, values={"mesh_maps": [m.model_dump() for m in entries]})
        session.store.commit(f"Touch-up of {SHAPES[map_id].name} {'on' if on else 'off'}", edit=edit)


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
        session.store.commit(f"Remove {SHAPES[map_id].name} of {sheet.name}", edit=edit, changes=changes)


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
            parts = session.model.face_part[np.maximum(faces, 0)]
            for column, bit in enumerate((MISSED, OTHER_PART, FAR_LIMIT)):
                counts[:, column] += np.bincount(parts[(bits[marked] & bit > 0) & (faces >= 0)], minlength=len(counts))
        for part in np.flatnonzero(counts.sum(axis=1)):
            missed, other, far = (int(v) for v in counts[part])
            found.append({"sheet": sheet.id, "part": session.model.parts[part], "missed": missed, "other": other, "far": far})
    return found

"""The studio: every project under one data folder, opened on demand and lent to whoever works on it."""

from __future__ import annotations

import re
import shutil
import time
import uuid
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager, ExitStack, suppress
from pathlib import Path
from threading import RLock
from typing import Any

from ruvelt.core.errors import Conflict, InputError, NotFound, StorageError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_asset
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.sheets import SheetRule
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.samples.resolutions import RESOLUTIONS
from ruvelt.core.stack.adjust_preset import AdjustPreset
from ruvelt.core.stack.document import Document, Finish, Settings, safe_id
from ruvelt.core.stack.plane_ids import image_plane_id
from ruvelt.core.stack.wholeness import check_document
from ruvelt.core.workers import Workers
from ruvelt.store.lock import FolderLock, sweep
from ruvelt.store.project_store import FILE, ProjectStore
from ruvelt.store.recovery import recover
from ruvelt.store.summary import Summary, stored_model, summary
from ruvelt.store.upkeep import drop_unused_blobs
from ruvelt.studio.bakes import BakeDesk
from ruvelt.studio.cards import PICTURE, REVISION, card_revision, first_card, read_card, session_card, write_card
from ruvelt.studio.exports import PresetShelf
from ruvelt.studio.housekeeping import Housekeeping
from ruvelt.studio.incoming import take_in
from ruvelt.studio.jobs import Job, Jobs
from ruvelt.studio.limits import Limits
from ruvelt.studio.memory import Memory
from ruvelt.studio.pool import Opened, SessionPool
from ruvelt.studio.preparing import Preparing
from ruvelt.studio.session import Session
from ruvelt.studio.shelf import Shelf
from ruvelt.studio.strokes import StrokeDesk
from ruvelt.studio.variants import copy_as_project

UID = re.compile(r"^[a-z0-9]{12}$")
#: The first palette of a project: weathered harbour paints, sRGB.
HARBOUR_PAINTS = "26302f 3b3833 545a58 868a86 bdbcb2 ded3ba b39a6b a07f42 b27a2b b0593a 8b4234 653528 565e3d 2c4c3f 1f4f4e 3d5f72 263c52 5a4d63"


def _swatches() -> tuple[tuple[float, float, float], ...]:
    return tuple((int(h[0:2], 16) / 255, int(h[2:4], 16) / 255, int(h[4:6], 16) / 255) for h in HARBOUR_PAINTS.split())


#: The first finishes of a project: name, roughness, metallic.
FINISHES = (("Chalky", 0.95, 0.0), ("Matte", 0.75, 0.0), ("Satin", 0.45, 0.0), ("Glossy", 0.16, 0.0), ("Wet", 0.05, 0.0), ("Bare metal", 0.32, 1.0))


def _finishes() -> tuple[Finish, ...]:
    return tuple(Finish(id=safe_id(name), name=name, values={"roughness": (rough,), "metallic": (metal,)}) for name, rough, metal in FINISHES)


class Studio:
    """Use-cases on the collection of projects. `clock` gives seconds since the epoch; `who` is what others are told who holds a project."""

    def __init__(self, data: Path, limits: Limits = Limits(), clock: Callable[[], float] = time.time, who: str = "another Ruvelt") -> None:  # noqa: B008
        self.data, self.limits, self._clock, self.who = data, limits, clock, who
        (data / "projects").mkdir(parents=True, exist_ok=True)
        (data / "exports").mkdir(exist_ok=True)
        sweep(data / "projects", *(data / "exports").iterdir())
        self.cache, self.workers = BoundedCache(limits.memory_bytes), Workers(limits.threads)
        self.memory = Memory(limits.memory_bytes, self.cache)
        self.jobs, self.presets, self.preparing = Jobs(), PresetShelf(data), Preparing()
        self.adjustments = Shelf(data / "adjustments.json", AdjustPreset, "adjustment")
        self.pool = SessionPool(self._open_project)
        self.housekeeping = Housekeeping(self.pool, memory=self.memory)
        self._held: dict[str, tuple[ExitStack, Opened]] = {}
        self._exports_begun: set[Path] = set()
        self._lock = RLock()

    def close(self) -> None:
        """Close every project. Jobs that still run are refused at their next commit."""
        self.preparing.stop()
        self.housekeeping.stop()
        for uid in list(self._held):
            self.release(uid)
        for uid in self.pool.open_now():
            self.pool.close(uid, force=True)
        self.workers.close()

    # -- the list ---------------------------------------------------------------------------------------------------------------

    def _folder(self, uid: str) -> Path:
        """The folder of a project; anything but a project id is no project, so no name becomes a path."""
        if not UID.fullmatch(uid) or not (self.data / "projects" / uid / FILE).is_file():
            raise NotFound("There is no such project. Choose one from the list.")
        return self.data / "projects" / uid

    def projects(self) -> list[Summary]:
        """Every project, the one changed last first; those that cannot be opened say why. Opens none of them."""
        try:
            folders = [f for f in (self.data / "projects").iterdir() if UID.fullmatch(f.name) and (f / FILE).is_file()]
        except OSError as error:
            raise StorageError(f"The data folder cannot be read ({error.strerror}). Put it back or start Ruvelt with another --data.") from None
        return sorted((summary(f) for f in folders), key=lambda card: -card.updated_at)

    # -- open projects ----------------------------------------------------------------------------------------------------------

    def lend(self, uid: str) -> AbstractContextManager[Opened]:
        """The open project for as long as the context lasts. Raises NotFound, or Locked when another process has it open."""
        return self.pool.lend(uid)

    def _open_project(self, uid: str) -> Opened:
        session = Session(self._folder(uid), self.cache, self.workers, self._clock, self.who, self.memory)
        # What no step or version refers to any more goes; a full disk must not keep a project closed.
        with suppress(StorageError):
            drop_unused_blobs(session.store)
        return Opened(session, StrokeDesk(session), BakeDesk(session))

    def start(self, uid: str, kind: str, title: str, work: Callable[[Opened, Job], dict[str, Any]]) -> Job:
        """Run long work on a project, which stays open until it is over."""
        with ExitStack() as stack:
            opened = stack.enter_context(self.lend(uid))
            lease = stack.pop_all()

            def run(job: Job) -> dict[str, Any]:
                with lease:
                    return work(opened, job)

            return self.jobs.start(kind, title, run)

    def held(self, uid: str) -> Opened:
        """A project that stays open until this studio closes: for scripts, which do one thing after the other."""
        with self._lock:
            if uid not in self._held:
                stack = ExitStack()
                self._held[uid] = (stack, stack.enter_context(self.lend(uid)))
            return self._held[uid][1]

    def release(self, uid: str) -> None:
        """Let go of a project that a script held open."""
        with self._lock:
            stack, _ = self._held.pop(uid, (None, None))
        if stack is not None:
            stack.close()

    def session(self, uid: str) -> Session:
        return self.held(uid).session

    def desk(self, uid: str) -> StrokeDesk:
        return self.held(uid).strokes

    def bakery(self, uid: str) -> BakeDesk:
        return self.held(uid).bakes

    def find(self, name_or_uid: str) -> str:
        """The id of a project given its id or its exact name. Raises NotFound, or InputError when two have the name."""
        if UID.fullmatch(name_or_uid) and (self.data / "projects" / name_or_uid / FILE).is_file():
            return name_or_uid
        found = [p.uid for p in self.projects() if p.name == name_or_uid]
        if len(found) > 1:
            raise InputError(f"Several projects are called '{name_or_uid}'. Use the id instead: {', '.join(found)}.")
        if not found:
            raise NotFound(f"There is no project '{name_or_uid}'.")
        return found[0]

    # -- making and removing ----------------------------------------------------------------------------------------------------

    def create(
        self,
        data: bytes,
        filename: str,
        *,
        name: str | None = None,
        resolution: int | None = None,
        rule: SheetRule = "auto",
        uv_set: int | None = None,
        companions: Mapping[str, bytes] | None = None,
        progress: Callable[[int, int, str], None] = lambda done, planned, what: None,
    ) -> str:
        """Make a project from a mesh file; returns its id. On any error nothing of it stays behind.

        A model without UVs becomes a project without sheets, so that its findings can be seen. `resolution` None follows the file's pictures;
        `uv_set`: the file's number of the UV set to paint on, None for its first.
        """
        if resolution is not None and resolution not in RESOLUTIONS:
            raise InputError(f"A sheet cannot have {resolution} texels a side. Choose one of {', '.join(map(str, RESOLUTIONS))}.")
        progress(0, 4, "Reading the mesh")
        asset = read_asset(data, filename, companions, self.allowance(lambda: progress(0, 4, "Reading the mesh")))
        title = (name or asset.model.name).strip()
        if not 1 <= len(title) <= 80 or not title.isprintable():
            raise InputError("A project name has 1 to 80 printable characters.")
        progress(1, 4, "Dividing it into sheets and looking at its pictures")
        if rule == "auto" and any(asset.uses):
            # Pictures of a file lie in one square and repeat beyond it; numbered squares have pictures of their own, which no such file names.
            rule = "materials"
        made = take_in(asset, rule, resolution, uv_set, self.workers)
        settings = Settings(swatches=_swatches(), finishes=_finishes(), multiply_vertex_colours=made.multiply)
        document = Document(channels=made.channels, sheets=made.sheets, settings=settings, images=made.images)
        check_document(document)
        progress(2, 4, "Storing the project")
        uid = uuid.uuid4().hex[:12]
        content = made.model.to_bytes()
        planes = {image_plane_id(key): data for key, data in (made.pictures or {}).items()}

        def fill(part: Path) -> None:
            ProjectStore.create(part, uid, title, content, rule, document, self.cache, self._clock, self.who, planes).close()

        self._make_folder(uid, fill)
        progress(4, 4, "Done")
        return uid

    def allowance(self, asked: Callable[[], None]) -> Allowance:
        """What an import may take; `asked` raises Cancelled to stop it."""
        return Allowance(self.limits.import_bytes, asked)

    def _make_folder(self, uid: str, fill: Callable[[Path], None]) -> None:
        """A project's folder, there whole once `fill` is done with it or not at all."""
        part = self.data / "projects" / f"{uid}.part"
        try:
            part.mkdir()
            fill(part)
            part.rename(self.data / "projects" / uid)
        except OSError as error:
            raise StorageError(
                f"The project could not be stored ({error.strerror}). Free some space or check the data folder, then repeat."
            ) from None
        finally:
            shutil.rmtree(part, ignore_errors=True)

    def recover(self, uid: str) -> str:
        """A copy of a project that cannot be read, set back to its last good state; returns the copy's id. The project itself stays as it is."""
        source, made = self._folder(uid), uuid.uuid4().hex[:12]
        name = f"{summary(source).name} (recovered)"[-80:]

        def fill(part: Path) -> None:
            recover(source, part, made, name, self.who)
            for kept in (PICTURE, REVISION):
                with suppress(OSError):
                    shutil.copyfile(source / kept, part / kept)

        self._make_folder(made, fill)
        return made

    def copy_variant(self, uid: str, variant: str | None, name: str) -> str:
        """Make a project of a variant (None: the base) of another; returns its id."""
        title = name.strip()
        if not 1 <= len(title) <= 80 or not title.isprintable():
            raise InputError("A project name has 1 to 80 printable characters.")
        made = uuid.uuid4().hex[:12]
        with self.lend(uid) as opened:
            self._make_folder(made, lambda part: copy_as_project(opened.session, variant, part, made, title, self.cache, self._clock))
        return made

    def delete(self, uid: str) -> None:
        """Remove a project and its exports. Raises Conflict while it is worked on."""
        folder = self._folder(uid)
        self.release(uid)
        if not self.pool.close(uid, last=True):
            raise Conflict("This project is being worked on just now. Wait for it, or stop what runs, then delete it.")
        lock = FolderLock(folder, self.who)
        gone = folder.with_name(f"{uid}.part")
        try:
            folder.rename(gone)
        except OSError as error:
            raise StorageError(f"The project could not be removed ({error.strerror}). Check the data folder.") from None
        finally:
            lock.release()
        shutil.rmtree(gone, ignore_errors=True)
        shutil.rmtree(self.data / "exports" / uid, ignore_errors=True)
        shutil.rmtree(self.data / "outside" / uid, ignore_errors=True)

    # -- pictures ---------------------------------------------------------------------------------------------------------------

    def card_picture(self, uid: str) -> bytes:
        """A lit JPEG picture of a project. It follows the project while that is open and nobody paints; nothing is opened for it."""
        folder = self._folder(uid)
        with self.pool.lend_if_open(uid) as opened:
            if opened is not None and not opened.strokes.busy and card_revision(folder) != opened.session.revision:
                picture, revision = session_card(opened.session)
                with suppress(OSError):
                    write_card(folder, picture, revision)
                return picture
        kept = read_card(folder)
        if kept is None:
            # Nobody has opened it yet: the bare model will do, read without taking hold of the project.
            kept = first_card(Model.from_bytes(stored_model(folder)))
            with suppress(OSError):
                write_card(folder, kept, 0)
        return kept

    def outside_folder(self, uid: str) -> Path:
        """Where maps lie that were taken out of a project to be changed elsewhere."""
        self._folder(uid)
        return self.data / "outside" / uid

    def export_folder(self, uid: str, name: str) -> Path:
        """Where an export of a project lies inside the data folder; `name` is one plain folder name."""
        self._folder(uid)
        if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9_-]{0,79}", name):
            raise NotFound("There is no such export.")
        return self.exports_of(uid) / name

    def exports_of(self, uid: str) -> Path:
        """Where exports of a project lie that were given no other folder."""
        self._folder(uid)
        return self.data / "exports" / uid

    def new_export_folder(self, uid: str, name: str) -> Path:
        """A folder name for an export that no other export has, however many begin in one second."""
        self._folder(uid)
        with self._lock:
            taken, number = self.export_folder(uid, name), 2
            while taken.exists() or taken in self._exports_begun:
                taken, number = self.export_folder(uid, f"{name}-{number}"), number + 1
            self._exports_begun.add(taken)
            return taken

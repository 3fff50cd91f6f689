"""The studio: every project under one data folder, opened on demand, closed when another needs the room."""

from __future__ import annotations

import re
import shutil
import time
import uuid
from collections import OrderedDict
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from threading import RLock

import cv2

from ruvelt.core.errors import InputError, NotFound, RuveltError, StorageError
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import SheetRule
from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.samples.sheet import RESOLUTIONS
from ruvelt.core.stack.document import Document, Settings
from ruvelt.core.workers import Workers
from ruvelt.store.project_store import FILE, ProjectStore
from ruvelt.studio.bakes import BakeDesk
from ruvelt.studio.exports import PresetShelf
from ruvelt.studio.jobs import Jobs
from ruvelt.studio.layout import first_sheets
from ruvelt.studio.session import Limits, Session
from ruvelt.studio.strokes import StrokeDesk

UID = re.compile(r"^[a-z0-9]{12}$")
#: Projects kept open at once; each holds its model and samples.
OPEN_PROJECTS = 4
CARD = (480, 320)
#: The first palette of a project: weathered harbour paints, sRGB.
HARBOUR_PAINTS = "26302f 3b3833 545a58 868a86 bdbcb2 ded3ba b39a6b a07f42 b27a2b b0593a 8b4234 653528 565e3d 2c4c3f 1f4f4e 3d5f72 263c52 5a4d63"


@dataclass(frozen=True)
class ProjectCard:
    """A project as the list shows it."""

    uid: str
    name: str
    created_at: float
    updated_at: float
    revision: int
    sheets: int
    layers: int


def _swatches() -> tuple[tuple[float, float, float], ...]:
    return tuple((int(h[0:2], 16) / 255, int(h[2:4], 16) / 255, int(h[4:6], 16) / 255) for h in HARBOUR_PAINTS.split())


class Studio:
    """Use-cases on the collection of projects. `clock` gives seconds since the epoch."""

    def __init__(self, data: Path, limits: Limits = Limits(), clock: Callable[[], float] = time.time) -> None:  # noqa: B008
        self.data, self._clock = data, clock
        (data / "projects").mkdir(parents=True, exist_ok=True)
        (data / "exports").mkdir(exist_ok=True)
        for left in (data / "projects").glob("*.part"):
            shutil.rmtree(left, ignore_errors=True)
        self.cache, self.workers = BoundedCache(limits.cache_bytes), Workers(limits.threads)
        self.jobs, self.presets = Jobs(), PresetShelf(data)
        self._open: OrderedDict[str, tuple[Session, StrokeDesk, BakeDesk]] = OrderedDict()
        self._lock = RLock()

    def close(self) -> None:
        with self._lock:
            for session, *_ in self._open.values():
                session.close()
            self._open.clear()
        self.workers.close()

    # -- the list ---------------------------------------------------------------------------------------------------------------

    def _folder(self, uid: str) -> Path:
        """The folder of a project; anything but a project id is no project, so no name becomes a path."""
        if not UID.fullmatch(uid) or not (self.data / "projects" / uid / FILE).is_file():
            raise NotFound("There is no such project. Choose one from the list.")
        return self.data / "projects" / uid

    def projects(self) -> list[ProjectCard]:
        """Every project, the one changed last first. One that cannot be read is left out of the list, never deleted."""
        cards = []
        for folder in (self.data / "projects").iterdir():
            if UID.fullmatch(folder.name) and (folder / FILE).is_file():
                try:
                    cards.append(self._card(folder))
                except RuveltError:
                    continue
        return sorted(cards, key=lambda c: -c.updated_at)

    def _card(self, folder: Path) -> ProjectCard:
        with self._lock:
            kept = self._open.get(folder.name)
        store = kept[0].store if kept else ProjectStore(folder, self.cache, self._clock)
        try:
            layers = sum(1 for s in store.document.sheets for _ in s.walk())
            return ProjectCard(store.uid, store.name, store.created_at, store.updated_at, store.revision, len(store.document.sheets), layers)
        finally:
            if kept is None:
                store.close()

    def session(self, uid: str) -> Session:
        return self._opened(uid)[0]

    def desk(self, uid: str) -> StrokeDesk:
        return self._opened(uid)[1]

    def bakery(self, uid: str) -> BakeDesk:
        return self._opened(uid)[2]

    def _opened(self, uid: str) -> tuple[Session, StrokeDesk, BakeDesk]:
        with self._lock:
            if uid not in self._open:
                session = Session(self._folder(uid), self.cache, self.workers, self._clock)
                # What no step or version refers to any more goes; a full disk must not keep a project closed.
                with suppress(StorageError):
                    session.store.drop_unused_blobs()
                self._open[uid] = (session, StrokeDesk(session), BakeDesk(session))
            self._open.move_to_end(uid)
            while len(self._open) > OPEN_PROJECTS:
                # Someone may still hold the session; its engine reconnects on demand, so letting go is safe.
                self._open.popitem(last=False)
            return self._open[uid]

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
        resolution: int = 1024,
        rule: SheetRule = "auto",
        companions: Mapping[str, bytes] | None = None,
        progress: Callable[[int, int, str], None] = lambda done, planned, what: None,
    ) -> str:
        """Make a project from a mesh file; returns its id. On any error nothing of it stays behind.

        A model without UVs becomes a project without sheets, so that its findings can be seen.
        """
        if resolution not in RESOLUTIONS:
            raise InputError(f"A sheet cannot have {resolution} texels a side. Choose one of {', '.join(map(str, RESOLUTIONS))}.")
        progress(0, 4, "Reading the mesh")
        model = read_mesh(data, filename, companions)
        title = (name or model.name).strip()
        if not 1 <= len(title) <= 80 or not title.isprintable():
            raise InputError("A project name has 1 to 80 printable characters.")
        progress(1, 4, "Dividing it into sheets")
        sheets = first_sheets(model, rule, resolution) if model.uv_layouts else ()
        document = Document(sheets=sheets, settings=Settings(swatches=_swatches()))
        progress(2, 4, "Storing the project")
        uid = uuid.uuid4().hex[:12]
        part = self.data / "projects" / f"{uid}.part"
        try:
            part.mkdir()
            ProjectStore.create(part, uid, title, model.to_bytes(), rule, document, self.cache, self._clock).close()
            part.rename(self.data / "projects" / uid)
        finally:
            shutil.rmtree(part, ignore_errors=True)
        progress(4, 4, "Done")
        return uid

    def delete(self, uid: str) -> None:
        """Remove a project and its exports."""
        folder = self._folder(uid)
        with self._lock:
            kept = self._open.pop(uid, None)
            if kept is not None:
                kept[0].close(last=True)
        gone = folder.with_name(f"{uid}.part")
        folder.rename(gone)
        shutil.rmtree(gone, ignore_errors=True)
        shutil.rmtree(self.data / "exports" / uid, ignore_errors=True)

    # -- pictures ---------------------------------------------------------------------------------------------------------------

    def card_picture(self, uid: str) -> bytes:
        """A lit JPEG picture of a project, kept beside it until the project changes."""
        session = self.session(uid)
        kept = session.store.folder / "card.jpg"
        stamp = session.store.folder / "card.revision"
        if kept.is_file() and stamp.is_file() and stamp.read_text() == str(session.revision):
            return kept.read_bytes()
        with session.lock:
            displays = [session.display(s.id) for s in session.document.sheets]
            picture = render(session.model, displays, session.caster(), card_camera(session.model, *CARD))
            revision = session.revision
        ok, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
        if not ok:
            raise InputError("The picture could not be made.")
        kept.write_bytes(data.tobytes())
        stamp.write_text(str(revision))
        return bytes(data.tobytes())

    def export_folder(self, uid: str, name: str) -> Path:
        """Where an export of a project lies inside the data folder; `name` is one plain folder name."""
        self._folder(uid)
        if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9_-]{0,79}", name):
            raise NotFound("There is no such export.")
        return self.data / "exports" / uid / name

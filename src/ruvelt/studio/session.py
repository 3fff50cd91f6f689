"""An open project: its model, samples and evaluators in memory over its store. One writer at a time."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from contextlib import suppress
from pathlib import Path
from threading import RLock

from ruvelt.core.errors import Conflict, InputError, NotFound, RuveltError
from ruvelt.core.inspect.check import Finding
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import Document, Sheet
from ruvelt.core.stack.edits import AnyEdit, SetVariants, ShowVariant, apply_edit, check_alone, check_modes, for_showing
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stack.variants import shown_as
from ruvelt.core.stack.wholeness import check_document
from ruvelt.core.workers import Workers
from ruvelt.store.pictures import PictureStore
from ruvelt.store.project_store import ProjectStore
from ruvelt.store.views import ViewStore
from ruvelt.studio.images import image_of
from ruvelt.studio.memory import Kept, Memory
from ruvelt.studio.pictures import Pictures
from ruvelt.studio.scoped_cache import ScopedCache
from ruvelt.studio.sheets import Displays, Sheets
from ruvelt.studio.surfaces import Surfaces
from ruvelt.studio.tiles import refresh_pictures


class Session:
    """One open project. What changes it takes `revision`: what the caller last saw; a stale one is refused. Use-cases are modules beside this."""

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
        self.cache, self.workers = ScopedCache(cache, self.store.uid), workers
        self.lock = RLock()
        self.surfaces, self.sheets = Surfaces(self.store, self.lock), Sheets(self)
        self.pictures, self.views = Pictures(PictureStore(folder)), ViewStore(folder)
        self.looks = ViewStore(folder, "variants")
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
    def model(self) -> Model:
        return self.surfaces.now.model

    @property
    def faces(self) -> FaceIndex:
        return self.surfaces.now.faces(self.document.seams)

    @property
    def plans(self) -> list[SheetPlan]:
        return self.surfaces.now.plans

    @property
    def findings(self) -> list[Finding]:
        return self.surfaces.now.findings

    @property
    def planes(self) -> StoredPlanes:
        return StoredPlanes(self.store.planes, self.store.blobs)

    def caster(self, sheet: Sheet | None = None) -> RayCaster:
        """Rays against what is visible: the model, or the level that a sheet's vertices are painted at."""
        return self.surfaces.caster(sheet)

    def shown(self, sheet_id: str | None) -> Sheet | None:
        """The sheet or vertices that a view shows, as far as its surface is another than the model's."""
        found = self.document.sheet(sheet_id) if sheet_id is not None else None
        return found or (None if self.document.textured else self.document.vertices)

    def faces_of(self, sheet: Sheet) -> FaceIndex:
        """Picks on what a sheet's samples lie on."""
        return self.surfaces.of(sheet).faces(self.document.seams)

    def sheet(self, sheet_id: str) -> Sheet:
        found = self.document.sheet(sheet_id)
        if found is None:
            raise NotFound(f"There is no sheet '{sheet_id}' in this project.")
        return found

    def samples(self, sheet: Sheet) -> SurfaceSamples:
        return self.sheets.work(sheet).samples

    def texels(self, sheet: Sheet) -> SheetSamples:
        """Samples of a sheet that has a layout. Raises InputError for vertices."""
        samples = self.samples(sheet)
        if not isinstance(samples, SheetSamples):
            raise InputError(f"{sheet.name} has no UV layout. Choose a sheet, or unwrap the model first.")
        return samples

    def display(self, sheet_id: str) -> SheetDisplay:
        """Display (and through it the evaluator) of a sheet as the document stands now."""
        with self.lock:
            return self.sheets.display(self.sheet(sheet_id))

    def displays(self, sheets: Iterable[str] | None = None, document: Document | None = None) -> Displays:
        """Displays of sheets (None: of all), each made when it is asked for; of another document than the one that shows, as a variant's."""
        return Displays(self, [s.id for s in self.document.sheets] if sheets is None else list(sheets), document)

    def image(self, key: str) -> U16 | None:
        """A picture of the project, (h, w, 4) uint16; None when it is gone."""
        return image_of(self.store, self.cache, key)

    # -- what is kept (an Owner of studio/memory.py) -----------------------------------------------------------------------------

    def kept(self) -> list[Kept]:
        """What is kept of this project and can be made again. The model is there for all of it, so it goes only with the project.

        Other sessions' threads ask for it: it takes no lock and makes nothing.
        """
        found = self.sheets.kept(self.surfaces.model_bytes)
        if high := self.surfaces.high_bytes:
            found.append(Kept("high", high, 0.0))
        if levels := self.surfaces.level_bytes:
            found.append(Kept("levels", levels, 0.0))
        return [*found, Kept("model", self.surfaces.bytes, math.inf, True)]

    def let_go(self, name: str) -> None:
        if name == "high":
            self.surfaces.forget_high()
        elif name == "levels":
            self.surfaces.forget_levels()
        else:
            self.sheets.held.pop(name.removeprefix("sheet:"), None)

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
            if isinstance(edit, ShowVariant):
                return self.show_variant(edit.variant)
            edit = for_showing(self.document, edit)
            if isinstance(edit, SetVariants):
                # What another client says of a variant is whole before it is kept, not when it is looked at.
                changed, _ = apply_edit(self.document, edit)
                for variant in edit.variants:
                    check_document(shown_as(changed, variant.id), len(self.plans))
            self.store.commit(label, edit=edit, plans=len(self.plans))

    def show_variant(self, variant: str | None) -> None:
        """Show a variant or the base (None). That is remembered, but is no step of history. Raises NotFound for one that is not there."""
        with self.lock:
            self.store.set_showing(shown_as(self.document, variant))

    def undo(self, revision: int | None = None) -> str:
        with self.lock:
            self.check_revision(revision)
            return self.store.undo()

    def redo(self, revision: int | None = None) -> str:
        with self.lock:
            self.check_revision(revision)
            return self.store.redo()

    def hide_parts(self, parts: Iterable[int], hidden: Iterable[FacePick] = (), shown: Iterable[FacePick] = ()) -> None:
        """Hide parts, picked faces beside them, and all but the shown ones, if any are named. Raises InputError where nothing would be left."""
        count = len(self.model.parts)
        wanted = tuple(sorted(set(parts)))
        if any(not 0 <= p < count for p in wanted):
            raise InputError(f"A part to hide does not exist; the model has {count} parts.")
        faces, only = tuple(dict.fromkeys(hidden)), tuple(dict.fromkeys(shown))
        with self.lock:
            if (faces or only) and self.faces.away(wanted, faces, only).all():
                raise InputError("That would hide the whole model. Show some of it first.")
            self.store.set_hidden_parts(wanted, faces, only)

    def close(self, last: bool = False) -> None:
        """Let go of the files; with `last` the project is about to be removed, and its pictures with it."""
        with self.lock:
            if not last:
                with suppress(RuveltError):
                    refresh_pictures(self)
            self.pictures.close()
            self.store.close()
            self.memory.remove(self)

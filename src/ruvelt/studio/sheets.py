"""What is worked out of the sheets of an open project, and let go when memory is short."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, overload

from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.normal import NormalField
from ruvelt.core.output.vertex_normal import VertexNormalField
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.beyond import Borders
from ruvelt.core.stack.document import Document, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.studio.memory import TEXEL_BYTES, VERTEX_BYTES, Kept, held_bytes
from ruvelt.studio.tiles import scope_of

if TYPE_CHECKING:
    from ruvelt.studio.session import Session


@dataclass(eq=False)
class SheetWork:
    """What is worked out of one sheet, for a resolution and a model; all of it can be made again."""

    resolution: int
    model: str
    samples: SurfaceSamples
    field: NormalField | VertexNormalField
    borders: Borders | None
    used: float
    display: tuple[int, SheetDisplay] | None = None


class Displays(Sequence[SheetDisplay]):
    """Displays of sheets one after the other: none is held here, so that a project of many sheets fits the memory it is given."""

    def __init__(self, session: Session, sheets: Sequence[str], document: Document | None = None) -> None:
        self._session, self._sheets, self._document = session, sheets, document

    def __len__(self) -> int:
        return len(self._sheets)

    @overload
    def __getitem__(self, index: int) -> SheetDisplay: ...

    @overload
    def __getitem__(self, index: slice) -> Displays: ...

    def __getitem__(self, index: int | slice) -> SheetDisplay | Displays:
        if isinstance(index, slice):
            return Displays(self._session, self._sheets[index], self._document)
        if self._document is None:
            return self._session.display(self._sheets[index])
        sheet = self._document.sheet(self._sheets[index])
        assert sheet is not None
        return self._session.sheets.display_of(self._document, sheet)


class Sheets:
    """Samples and displays of a project's sheets, as the document stands now."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.held: dict[str, SheetWork] = {}
        #: Sheets that a running stroke or bake works on; they are not let go of.
        self.pinned: Counter[str] = Counter()

    def work(self, sheet: Sheet) -> SheetWork:
        session = self._session
        key = session.surfaces.key_of(sheet) + "".join(f",{p}" for p in sheet.parts)
        with session.lock:
            work = self.held.get(sheet.id)
            if work is None or (work.resolution, work.model) != (sheet.resolution, key):
                self.held.pop(sheet.id, None)
                work = self.held[sheet.id] = self._vertices(sheet, key) if sheet.of == "vertices" else self._texels(sheet, key)
            work.used = time.monotonic()
            return work

    def _texels(self, sheet: Sheet, key: str) -> SheetWork:
        session = self._session
        plan = session.plans[sheet.plan]
        session.memory.fit(sheet.resolution**2 * TEXEL_BYTES)
        samples = SheetSamples(session.model, plan, sheet.resolution, session.workers)
        session.pictures.recall(scope_of(session, sheet), samples)
        return SheetWork(sheet.resolution, key, samples, NormalField(samples), Borders(samples, session.plans), 0.0)

    def _vertices(self, sheet: Sheet, key: str) -> SheetWork:
        session = self._session
        surface = session.surfaces.of(sheet)
        session.memory.fit(surface.model.vertex_count * VERTEX_BYTES)
        samples = VertexSamples(surface.model, surface.vertex_normals, sheet.parts)
        return SheetWork(sheet.resolution, key, samples, VertexNormalField(samples), None, 0.0)

    def display(self, sheet: Sheet) -> SheetDisplay:
        session = self._session
        with session.lock:
            work = self.work(sheet)
            if work.display is None or work.display[0] != session.revision:
                work.display = (session.revision, self.display_of(session.document, sheet))
            return work.display[1]

    def display_of(self, document: Document, sheet: Sheet) -> SheetDisplay:
        """The same of a document that is not taken yet."""
        session, work = self._session, self.work(sheet)
        evaluator = SheetEvaluator(
            document,
            sheet,
            work.samples,
            session.faces_of(sheet),
            session.planes,
            session.cache,
            images=session.image,
            workers=session.workers,
            borders=work.borders,
        )
        return SheetDisplay(evaluator, session.planes, session.cache, work.field)

    def kept(self, shared: int) -> list[Kept]:
        """What is held of each sheet, less the bytes that all of them share."""
        return [
            Kept(f"sheet:{k}", held_bytes([w.samples, w.field, w.borders]) - shared, w.used, self.pinned[k] > 0) for k, w in list(self.held.items())
        ]

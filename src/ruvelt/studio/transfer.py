"""Paint taken from vertices to a sheet, or from a sheet to vertices: strokes and fills are laid again, pictures are resampled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ruvelt.core.brush.hand_tools import own_tools
from ruvelt.core.brush.target import Paint, ResolvedTarget, Target
from ruvelt.core.errors import InputError
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.stack.document import GroupLayer, Sheet
from ruvelt.core.stack.edits import AddLayer
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.studio.copying import copied_into
from ruvelt.studio.history import HistoryStep, KeptCopies, KeptLevel, KeptStroke, Laid, read_step
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.repaint import Repainter
from ruvelt.studio.session import Session

Progress = Callable[[int, int, str], None]


def loss(session: Session, from_sheet: str, to_sheet: str) -> dict[str, float]:
    """How much detail a trip takes along: samples of either side, and how many of the old there are for one of the new."""
    old, new = (session.samples(session.sheet(s)) for s in (from_sheet, to_sheet))
    return {"from": old.covered_count, "to": new.covered_count, "ratio": round(old.covered_count / max(new.covered_count, 1), 4)}


def transfer(
    session: Session, from_sheet: str, to_sheet: str, progress: Progress = lambda done, planned, what: None, revision: int | None = None
) -> str:
    """Copy all layers of a sheet or vertices onto another, as a group in front; one step of history. Returns the group's id.

    What was laid by strokes and fills is laid again there, as sharp as the new samples allow; only pictures and the work of tools that are
    gone are resampled. Raises InputError for the same sheet, or two sheets of texels.
    """
    with session.lock:
        session.check_revision(revision)
        source, goal = session.sheet(from_sheet), session.sheet(to_sheet)
        if source.id == goal.id or source.of == goal.of:
            raise InputError("Paint goes from vertices to a sheet, or from a sheet to vertices. Choose one of each.")
        painter = _Transfer(session, source, goal)
        steps = session.store.scripts()
        for done, (_, script, after) in enumerate(steps):
            progress(done, len(steps), "Painting the strokes again")
            painter.take(read_step(script), after)
        progress(len(steps), len(steps), "Resampling what was not painted by hand")
        planes = painter.finished()
        ids = IdMaker(goal)
        name = ids.new()
        layers, pairs = copied_into(source.layers, ids)
        group = GroupLayer(id=name, name=f"From {source.name}"[:80], layers=layers)
        new = dict(pairs)
        moved = {"/".join([goal.id, new[p.split("/")[1]], *p.split("/")[2:]]): plane for p, plane in planes.items() if p.split("/")[1] in new}
        session.store.commit(
            f"Take {source.name} to {goal.name}",
            edit=AddLayer(sheet=goal.id, layer=group),
            changes={p: dict(plane.chunks) for p, plane in moved.items()},
            components={p: plane.components for p, plane in moved.items()},
        )
        return name


class _Transfer(Repainter):
    """Builds the planes of one set of samples anew on another."""

    def __init__(self, session: Session, source: Sheet, goal: Sheet) -> None:
        super().__init__(session, source, session.samples(source), session.samples(goal))
        self._goal = goal
        #: Planes with something in them that cannot be laid again there: their pixels are taken instead.
        self._as_they_are: set[str] = set()

    def take(self, step: HistoryStep | None, after: dict[str, dict[int, str | None]]) -> None:
        if isinstance(step, KeptLevel):
            return
        mine = {p for p in after if p.split("/")[0] == self.sheet.id}
        if isinstance(step, KeptCopies):
            # The copy of what is taken as it is, is taken as it is.
            self._as_they_are |= {p for p, source in step.copies.items() if source in self._as_they_are}
        if step is None or (isinstance(step, Laid) and step.tool not in ("paint", *own_tools())) or self._flat(step):
            self._as_they_are |= mine
            return
        if not mine or mine <= self._as_they_are:
            return
        super().take(step, after)

    def _flat(self, step: HistoryStep) -> bool:
        """Whether a stroke was made on the flat sheet, which vertices do not have."""
        if not isinstance(step, KeptStroke) or self._goal.of == "texels":
            return False
        shape = step.stroke.get("shape") or {}
        return bool(step.stroke.get("sheet") or shape.get("sheet"))

    def aim(self, target: Target, paint: Paint) -> ResolvedTarget:
        """Rays of a stroke meet the surface that it arrives on."""
        found = super().aim(target, paint)
        surface = {name: getattr(self._goal, name) for name in ("level", "subdivision", "sharp_deg", "file_creases")}
        return replace(found, sheet=found.sheet.model_copy(update=surface))

    def faces(self) -> FaceIndex:
        return self.session.faces_of(self._goal)

    def scale(self) -> float:
        return 1.0

    def finished(self) -> dict[str, Plane]:
        found = {p: plane for p, plane in self.planes.items() if p not in self._as_they_are}
        there = self.session.store.planes
        ids = {layer.id for layer, _ in self.sheet.walk()}
        wanted = [p for p, plane in there.items() if p.split("/")[0] == self.sheet.id and plane.chunks and p.split("/")[1] in ids]
        rest = [p for p in wanted if p not in found]
        if rest:
            way = Resampling(self.old, self.new)
            for name in rest:
                found[name] = self._kept(way.values(self._whole(there[name])))
        return {p: found[p] for p in wanted}

    def _whole(self, plane: Plane) -> U16:
        whole = np.zeros((plane.components, self.old.slot_count), np.uint16)
        for chunk, key in plane.chunks.items():
            whole[:, chunk * CHUNK : (chunk + 1) * CHUNK] = self.session.store.blobs.get(key)
        return whole

    def _kept(self, values: U16) -> Plane:
        keys: dict[int, str] = {}
        for chunk in range(self.new.chunk_count):
            part = np.ascontiguousarray(values[:, chunk * CHUNK : (chunk + 1) * CHUNK])
            if part[-1].any():
                keys[chunk] = self.session.store.blobs.put(part)
        return Plane(len(values), keys)

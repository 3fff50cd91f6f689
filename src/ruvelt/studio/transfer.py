"""Paint taken from vertices to a sheet, or from a sheet to vertices: strokes and fills are laid again, pictures are resampled."""

from __future__ import annotations

from collections.abc import Callable

from ruvelt.core.errors import InputError
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.stack.document import GroupLayer, PaintLayer, Sheet, new_channel_uses
from ruvelt.core.stack.edits import AddLayer
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.carrying import Carrier, plane_of
from ruvelt.studio.copying import copied_into
from ruvelt.studio.history import KeptCopies, KeptFlood, KeptStroke, read_step
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.repaint import on_flat_sheet
from ruvelt.studio.session import Session
from ruvelt.studio.trip_preview import shown

Progress = Callable[[int, int, str], None]


def loss(session: Session, from_sheet: str, to_sheet: str) -> dict[str, float]:
    """How much detail a trip takes along: samples of either side, and how many of the old there are for one of the new."""
    old, new = (session.samples(session.sheet(s)) for s in (from_sheet, to_sheet))
    return {"from": old.covered_count, "to": new.covered_count, "ratio": round(old.covered_count / max(new.covered_count, 1), 4)}


def transfer(
    session: Session,
    from_sheet: str,
    to_sheet: str,
    progress: Progress = lambda done, planned, what: None,
    revision: int | None = None,
    *,
    flat: bool = False,
) -> str:
    """Copy all layers of a sheet or vertices onto another, as a group in front; one step of history. Returns the group's id.

    flat : what they come to instead, resampled into one layer of paint, whose id is returned
    What was laid by strokes and fills is laid again there, as sharp as the new samples allow; only pictures and the work of tools that are
    gone are resampled. Raises InputError for the same sheet, or two sheets of texels.
    """
    with session.lock:
        session.check_revision(revision)
        source, goal = session.sheet(from_sheet), session.sheet(to_sheet)
        if source.id == goal.id or source.of == goal.of:
            raise InputError("Paint goes from vertices to a sheet, or from a sheet to vertices. Choose one of each.")
        if flat:
            progress(0, 1, "Resampling what shows")
            return _flattened(session, source, goal)
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


def _flattened(session: Session, source: Sheet, goal: Sheet) -> str:
    """A layer of paint with what shows of a sheet's layers, channel by channel."""
    vertices = source if source.of == "vertices" else goal
    old, new = session.samples(source), session.samples(goal)
    way = Resampling(old, new, session.surfaces.levels(vertices), session.workers)
    ids = IdMaker(goal)
    layer = PaintLayer(id=ids.new(), name=f"From {source.name}"[:80], channels=dict(new_channel_uses(session.document.channels)))
    planes = {}
    for channel in session.document.channels:
        whole = shown(session, source.id, channel)
        if whole[-1].any():
            planes[plane_id(goal.id, layer.id, channel.id)] = plane_of(session, way.values(whole))
    if not planes:
        raise InputError(f"No layer of {source.name} shows anything, so there is nothing to take along.")
    # What shows is the whole relief, not a part that adds to what lies beneath.
    uses = {c: use.model_copy(update={"blend": None}) for c, use in layer.channels.items()}
    session.store.commit(
        f"Take {source.name} to {goal.name}, flattened",
        edit=AddLayer(sheet=goal.id, layer=layer.model_copy(update={"channels": uses})),
        changes={p: dict(plane.chunks) for p, plane in planes.items()},
        components={p: plane.components for p, plane in planes.items()},
    )
    return layer.id


class _Transfer(Carrier):
    """Builds the planes of one set of samples anew on another."""

    def __init__(self, session: Session, source: Sheet, goal: Sheet) -> None:
        super().__init__(session, source, session.samples(source), session.samples(goal), goal)

    def resampling(self) -> Resampling:
        vertices = self.sheet if self.sheet.of == "vertices" else self.goal
        return Resampling(self.old, self.new, self.session.surfaces.levels(vertices), self.session.workers)

    def can_lay(self, step: KeptStroke | KeptFlood | KeptCopies) -> bool:
        """Vertices have no flat sheet for strokes to lie on."""
        flat = self.goal.of == "vertices" and isinstance(step, KeptStroke) and on_flat_sheet(step)
        return not flat and super().can_lay(step)

    def faces(self) -> FaceIndex:
        return self.session.faces_of(self.goal)

    def wanted(self) -> list[str]:
        """Planes of layers, but not of mesh maps, which are baked where they are."""
        ids = {layer.id for layer, _ in self.sheet.walk()}
        return [p for p in super().wanted() if p.split("/")[1] in ids]

"""Paint laid and kept: live strokes, and floods."""

from __future__ import annotations

from typing import Any

from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.errors import InputError
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.core.stroke.touched import Touched
from ruvelt.studio.history import Flood, HistoryStep, KeptFlood, stored_step
from ruvelt.studio.session import Session


def live_stroke(session: Session, target: Target, paint: Paint, brush: Brush = Brush()) -> LiveStroke:  # noqa: B008 -- frozen
    """A stroke about to happen on a target."""
    resolved = resolve_target(session.document, target, paint)
    display = session.display(target.sheet)
    return LiveStroke(
        resolved,
        display.evaluator,
        session.planes,
        paint=paint,
        brush=brush,
        hidden=session.surfaces.hidden_faces(resolved.sheet),
        workers=session.workers,
    )


def away(session: Session) -> dict[str, Any]:
    """What is hidden now, as history keeps it."""
    document = session.document
    return {"hidden": document.hidden_parts, "hidden_picks": document.hidden_picks, "shown_picks": document.shown_picks}


def store_stroke(session: Session, live: LiveStroke, label: str, kept: HistoryStep) -> Touched:
    """Commit what a stroke changed as one step of history, and keep its composites, settled, under their new versions.

    Says which blocks settling changed.
    """
    settled = live.settle()
    jobs = [(plane, chunk, values) for plane, chunks in live.changes.items() for chunk, values in chunks.items()]
    keys = session.workers.map(lambda job: session.store.blobs.put(job[2], session.store.key(job[0], job[1])), jobs)
    changes: dict[str, dict[int, str | None]] = {}
    for (plane, chunk, _), key in zip(jobs, keys, strict=True):
        changes.setdefault(plane, {})[chunk] = key
    session.store.commit(label, changes=changes, components={c.plane: c.components for c in live.target.cells}, script=stored_step(kept))
    evaluator = session.display(live.target.sheet.id).evaluator
    if live.local:
        for (channel, chunk), values in live.composites.items():
            evaluator.keep_composite(channel, chunk, values)
    return settled


def flood(
    session: Session,
    target: Target,
    paint: Paint,
    picks: tuple[FacePick, ...] | None,
    strength: float,
    revision: int | None = None,
    gradient: Gradient | None = None,
) -> None:
    """Cover picked faces (None: the whole sheet) at a strength with the paint; along a gradient from its first values to its second."""
    with session.lock:
        session.check_revision(revision)
        live = live_stroke(session, target, paint)
        touched = live.flood(picks, strength, session.faces_of(live.target.sheet), gradient)
        if not touched.blocks:
            raise InputError("Nothing there belongs to the target's sheet, or it is hidden. Pick a visible place on that sheet.")
        what = "sheet" if picks is None else " and ".join(sorted({p.by for p in picks}))
        kept = KeptFlood.of(Flood(picks=picks, strength=strength, gradient=gradient), target, paint, **away(session))
        store_stroke(session, live, f"Flood {what}", kept)

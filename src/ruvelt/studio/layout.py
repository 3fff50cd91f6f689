"""UV layouts of an open project: unwrap, packing, islands moved by hand. Each is one step of history.

Where something is painted already, it is laid on the new layout.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.mesh.apart import apart
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.seams import edge_loop, edge_near
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.mesh.unwrap import USUAL as USUAL_WAY
from ruvelt.core.mesh.unwrap import Squares, UnwrapSettings, filled, place_islands
from ruvelt.core.samples.resolutions import RESOLUTIONS
from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.edits import ReplaceDocument, SetSeams
from ruvelt.core.stack.plane_ids import MODEL_PLANE
from ruvelt.studio.exchange import exchange_model
from ruvelt.studio.incoming import USUAL, bare_sheets, vertex_set, with_first
from ruvelt.studio.session import Session

Progress = Callable[[int, int, str], None]
Offset = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]


class Placement(Frozen):
    """Islands to place: turned and scaled about their common centre, then moved by UV units (v up)."""

    islands: Annotated[tuple[Annotated[int, Field(ge=0, le=2**31 - 1)], ...], Field(min_length=1, max_length=100_000)]
    move: tuple[Offset, Offset] = (0.0, 0.0)
    scale: Annotated[float, Field(gt=0.001, le=1000, allow_inf_nan=False)] = 1.0
    turn: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = 0.0


def _painted(session: Session, *sheets: str) -> bool:
    return any(plane.chunks and name.split("/")[0] in sheets for name, plane in session.store.planes.items())


def _squares(session: Session, resolution: int = 1024) -> Squares:
    """Sheets by material or part have a square each, as large as they are."""
    model, rule = session.model, session.store.sheet_rule
    faces = {"parts": model.face_part, "tiles": np.zeros(model.face_count, np.int32)}
    of_face = faces.get(rule, model.face_material)
    sides = np.full(int(of_face.max(initial=0)) + 1, resolution)
    for sheet in session.document.textured:
        sides[of_face[session.plans[sheet.plan].faces]] = sheet.resolution
    return Squares(of_face, tuple(int(s) for s in sides))


def unwrap_model(session: Session, progress: Progress, resolution: int = 1024, settings: UnwrapSettings = USUAL_WAY) -> dict[str, float]:
    """Give the model UVs, and the project its sheets where it has none; returns how much of each sheet is filled, 0–1.

    In a process of its own, which a stop ends.
    """
    if resolution not in RESOLUTIONS:
        raise InputError(f"A sheet cannot have {resolution} texels a side. Choose one of {', '.join(map(str, RESOLUTIONS))}.")
    key = session.surfaces.key
    made = apart("unwrap", session.model, progress, _squares(session, resolution), settings, session.document.seams)
    _store(session, made, "Unwrap the model", resolution, key, progress)
    return sheets_filled(session)


def sheets_filled(session: Session) -> dict[str, float]:
    """How much of each sheet's square its islands cover, 0–1, by sheet id."""
    model = session.model
    found = {}
    for sheet in session.document.textured:
        mine = np.zeros(model.face_count, np.int32)
        mine[session.plans[sheet.plan].faces] = 1
        found[sheet.id] = round(filled(model, Squares(mine, (1, 1)))[1], 4)
    return found


def choose_uv_set(session: Session, number: int, revision: int | None = None) -> None:
    """Paint on another of the file's UV sets; its pictures stay where they are on the surface."""
    with session.lock:
        session.check_revision(revision)
        made = with_first(session.model, number)
        if made.uv_layouts[0] is session.model.uv_layouts[0]:
            return
        if len(plan_sheets(made, session.store.sheet_rule)) != len(session.plans):  # type: ignore[arg-type]
            raise InputError("That UV set would make other sheets. Bring the model in again and choose it there.")
        _store(session, made, f"Paint on UV set {number}")


def place(session: Session, placement: Placement, revision: int | None = None) -> None:
    """Move, turn and scale islands."""
    with session.lock:
        session.check_revision(revision)
        made = place_islands(session.model, placement.islands, move=placement.move, scale=placement.scale, turn_deg=placement.turn)
        count = len(placement.islands)
        _store(session, made, "Place an island" if count == 1 else f"Place {count} islands")


def pack(session: Session, progress: Progress, padding: float = USUAL_WAY.padding) -> dict[str, float]:
    """Pack the islands of every sheet anew; returns how much of each is filled, 0–1."""
    settings = USUAL_WAY.model_copy(update={"padding": padding})
    key = session.surfaces.key
    made = apart("pack", session.model, progress, _squares(session), settings)
    _store(session, made, "Pack the islands", key=key, progress=progress)
    progress(1, 1, "Done")
    return sheets_filled(session)


def toggle_seam(session: Session, face: int, point: tuple[float, float, float], loop: bool, revision: int | None = None) -> None:
    """Mark the edge of a face nearest to a point (object space) as a seam, or take the mark off; with `loop` all that go on straight."""
    with session.lock:
        session.check_revision(revision)
        model = session.model
        edge = edge_near(model, face, np.asarray(point, np.float64))
        edges = edge_loop(model, edge) if loop else [edge]
        old = set(session.document.seams)
        marked = edge not in old
        seams = tuple(sorted(old | set(edges) if marked else old - set(edges)))
        what = "loop of edges" if loop else "edge"
        session.edit(SetSeams(seams=seams), f"Mark a {what} as seam" if marked else f"Take a {what} off the seams")


def seam_lines(session: Session) -> NDArray[np.float32]:
    """(k, 6) float32 ends of the marked edges, object space."""
    model = session.model
    first = np.zeros(int(model.welded.max(initial=0)) + 1, np.int64)
    first[model.welded[::-1]] = np.arange(model.vertex_count)[::-1]
    pairs = np.asarray(session.document.seams, np.int64).reshape(-1, 2)
    pairs = pairs[(pairs < len(first)).all(axis=1)]
    return np.ascontiguousarray(model.positions[first[pairs]].reshape(-1, 6))


def _store(
    session: Session,
    model: Model,
    label: str,
    resolution: int | None = None,
    key: str | None = None,
    progress: Progress = lambda done, planned, what: None,
) -> None:
    """`key`: what the layout was made from, where that took a while."""
    with session.lock:
        if _painted(session, *(s.id for s in session.document.textured)):
            exchange_model(session, model, label, progress, key)
            return
        if key not in (None, session.surfaces.key):
            raise Conflict("The layout was changed while this one was made, so it was not taken. Do it again.")
        document = session.document
        if not document.textured:
            new = bare_sheets(model, session.store.sheet_rule, resolution or USUAL)  # type: ignore[arg-type]
            # Layers on the vertices that nobody has touched only stood in for sheets.
            fresh = document.vertices is not None and document.vertices == vertex_set(model) and not _painted(session, document.vertices.id)
            kept = () if fresh else document.sheets
            taken = {s.id for s in kept}
            new = tuple(s if s.id not in taken else s.model_copy(update={"id": f"{s.id}-sheet"[:30]}) for s in new)
            document = document.model_copy(update={"sheets": (*kept, *new)})
        blob = session.store.blobs.put_bytes(model.to_bytes())
        edit = ReplaceDocument(document=document) if document is not session.document else None
        session.store.commit(label, edit=edit, changes={MODEL_PLANE: {0: blob}}, components={MODEL_PLANE: 0})

"""Layers on a model's vertices beside its sheets, or taken away again."""

from __future__ import annotations

from collections.abc import Iterable

from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.stack.edits import ReplaceDocument
from ruvelt.studio.incoming import vertex_set
from ruvelt.studio.session import Session


def add_vertex_paint(session: Session, revision: int | None = None, parts: Iterable[int] = ()) -> str:
    """Give the project layers on its vertices as one step of history; returns their id. `parts`: those they are of, by number; none for all.

    Raises Conflict where it has them, InputError for parts that are not there.
    """
    with session.lock:
        session.check_revision(revision)
        document = session.document
        if document.vertices is not None:
            raise Conflict("The vertices have layers already. Choose Vertices where the sheet is chosen.")
        wanted, there = sorted(set(parts)), len(session.model.parts)
        if wanted and not 0 <= wanted[0] <= wanted[-1] < there:
            raise InputError(f"The model has {there} parts, counted from 0. Choose some of those.")
        made = vertex_set(session.model, (s.id for s in document.sheets), () if len(wanted) == there else tuple(wanted))
        session.store.commit("Add vertex paint", edit=ReplaceDocument(document=document.model_copy(update={"sheets": (*document.sheets, made)})))
        return made.id


def remove_vertex_paint(session: Session, revision: int | None = None) -> None:
    """Take the layers on the vertices away, with what was painted there, as one step of history. Raises InputError where nothing else is left."""
    with session.lock:
        session.check_revision(revision)
        document, mine = session.document, session.document.vertices
        if mine is None:
            raise NotFound("This project has no vertex paint.")
        if not document.textured:
            raise InputError("Vertex paint is all there is to this project. Unwrap the model first, so that it has a sheet.")
        left = document.model_copy(update={"sheets": document.textured})
        planes = {name: plane for name, plane in session.store.planes.items() if name.split("/")[0] == mine.id}
        changes = {name: dict.fromkeys(plane.chunks) for name, plane in planes.items()}
        session.store.commit("Take vertex paint away", edit=ReplaceDocument(document=left), changes=changes)

"""Layers on a model's vertices beside its sheets, or taken away again."""

from __future__ import annotations

from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.stack.edits import ReplaceDocument
from ruvelt.studio.incoming import vertex_set
from ruvelt.studio.session import Session


def add_vertex_paint(session: Session, revision: int | None = None) -> str:
    """Give the project layers on its vertices as one step of history; returns their id. Raises Conflict where it has them."""
    with session.lock:
        session.check_revision(revision)
        document = session.document
        if document.vertices is not None:
            raise Conflict("The vertices have layers already. Choose Vertices where the sheet is chosen.")
        made = vertex_set(session.model, (s.id for s in document.sheets))
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

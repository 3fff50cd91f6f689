"""Variants of an open project: small looks at them, and one as a project of its own."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path

import cv2
from sqlalchemy import text

from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.versions import version_of
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.edits import ReplaceDocument
from ruvelt.core.stack.variants import shown_as, variant_of, waiting
from ruvelt.store.database import connect, reading, transaction
from ruvelt.store.project_store import FILE, ProjectStore
from ruvelt.studio.session import Session

#: Of a look at a variant, pixels.
WIDTH, HEIGHT = 168, 126


def alone(document: Document, variant: str | None) -> Document:
    """The document as a variant has it, with no variants any more."""
    return shown_as(document, variant).model_copy(update={"variants": ()})


def variant_pictures(session: Session) -> dict[str, str]:
    """Lit looks at the base ("") and at every variant, by id, as JPEG data URLs; kept by what they were made from."""
    with session.lock:
        document = session.document
        made = {}
        keys = {v: _key(session, shown_as(document, v or None)) for v in ["", *(v.id for v in document.variants)]}
        for variant, key in keys.items():
            kept = session.looks.get(key)
            if kept is None:
                of = shown_as(document, variant or None)
                sheets = [s.id for s in of.sheets]
                picture = render(session.model, session.displays(sheets, of), session.caster(), card_camera(session.model, WIDTH, HEIGHT))
                kept = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])[1].tobytes()
                session.looks.put(key, kept, keys.values())
            made[variant] = "data:image/jpeg;base64," + base64.b64encode(kept).decode()
        return made


def _key(session: Session, document: Document) -> str:
    """What a look is made from: what the layers say, and the pixels of all planes."""
    planes = sorted((name, version_of(sorted(plane.chunks.items()))) for name, plane in session.store.planes.items())
    of = document.model_copy(update={"variants": (), "showing": None, "base": None})
    return f"{version_of(of.model_dump_json(), planes, session.store.model_key)}"


def variant_facts(session: Session) -> dict[str, int]:
    """By variant, how many of its changes are of layers or roles that are gone."""
    return {v.id: waiting(session.document, v) for v in session.document.variants}


def copy_as_project(
    session: Session, variant: str | None, folder: Path, uid: str, name: str, cache: BoundedCache, clock: Callable[[], float]
) -> None:
    """Make a project of a variant (None: the base) in an empty folder: all paint and history, and the variant's values for good."""
    with session.lock:
        document = alone(session.document, variant)
        label = "The base" if variant is None else f"The variant {variant_of(session.document, variant).name}"
        engine = connect(session.store.folder / FILE)
        try:
            with reading(engine) as connection:
                connection.execute(text("VACUUM INTO :path"), {"path": str(folder / FILE)})
        finally:
            engine.dispose()
    copy = connect(folder / FILE)
    try:
        with transaction(copy) as connection:
            connection.execute(text("UPDATE project SET uid = :uid, name = :name"), {"uid": uid, "name": name})
    finally:
        copy.dispose()
    store = ProjectStore(folder, cache, clock)
    try:
        store.commit(f"{label} as a project of its own", edit=ReplaceDocument(document=document))
    finally:
        store.close()

"""Variants of an open project: small looks at them, and one as a project of its own."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path

from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.versions import version_of
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.edits import ReplaceDocument
from ruvelt.core.stack.variants import shown_as, variant_of, waiting
from ruvelt.store.copies import copy_project
from ruvelt.store.project_store import ProjectStore
from ruvelt.studio.cards import lit_picture
from ruvelt.studio.session import Session

#: Of a look at a variant, pixels.
SIZE = (168, 126)


def alone(document: Document, variant: str | None) -> Document:
    """The document as a variant has it, with no variants any more."""
    return shown_as(document, variant).model_copy(update={"variants": ()})


def kept_looks(session: Session) -> dict[str, str]:
    """Lit looks at the base ("") and at variants, by id, as JPEG data URLs: those kept that are still what shows. `look_at` makes the others."""
    with session.lock:
        keys = _keys(session)
    kept = {variant: session.looks.get(key) for variant, key in keys.items()}
    return {variant: _url(picture) for variant, picture in kept.items() if picture is not None}


def look_at(session: Session, variant: str) -> str:
    """A look at a variant, or at the base (""), made now and kept. Strokes go on meanwhile. Raises NotFound."""
    with session.lock:
        key, document = _keys(session).get(variant), shown_as(session.document, variant or None)
    picture = lit_picture(session, document, SIZE)
    with session.lock:
        keys = _keys(session)
    # One that was painted on meanwhile may show half of it.
    if keys.get(variant) == key and key is not None:
        session.looks.put(key, picture, keys.values())
    return _url(picture)


def _url(picture: bytes) -> str:
    return "data:image/jpeg;base64," + base64.b64encode(picture).decode()


def _keys(session: Session) -> dict[str, str]:
    document = session.document
    return {v: _key(session, shown_as(document, v or None)) for v in ("", *(v.id for v in document.variants))}


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
        copy_project(session.store.folder, folder, uid, name)
    store = ProjectStore(folder, cache, clock)
    try:
        store.commit(f"{label} as a project of its own", edit=ReplaceDocument(document=document))
    finally:
        store.close()

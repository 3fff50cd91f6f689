"""The lit picture of a project on its card, kept beside the project."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.stack.document import Document
from ruvelt.studio.session import Session

SIZE = (480, 320)
PICTURE, REVISION = "card.jpg", "card.revision"


def first_card(model: Model) -> bytes:
    """The picture of a model that nobody has painted yet, in the colours of its materials."""
    return _jpeg(render(model, [], RayCaster(model), card_camera(model, *SIZE)))


def session_card(session: Session) -> tuple[bytes, int]:
    """The picture of an open project as it is now, and the revision that it shows."""
    with session.lock:
        return lit_picture(session, None, SIZE), session.revision


def lit_picture(session: Session, document: Document | None, size: tuple[int, int]) -> bytes:
    """A lit JPEG of an open project, width by height; of another document than the one that shows, as a variant's."""
    of = document or session.document
    # Sheets go before vertex paint on the same surface.
    shown, vertices = of.textured, of.vertices
    at = None if shown or vertices is None else vertices
    model = session.model if at is None else session.surfaces.of(at).model
    displays = session.displays([s.id for s in shown] or [s.id for s in of.sheets], document)
    return _jpeg(render(model, displays, session.caster(at), card_camera(model, *size)))


def _jpeg(picture: NDArray[np.uint8]) -> bytes:
    ok, data = cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
    if not ok:
        raise InputError("The picture could not be made.")
    return bytes(data.tobytes())


def write_card(folder: Path, picture: bytes, revision: int) -> None:
    """Keep a picture; raises OSError when the folder takes none."""
    part = folder / f"{PICTURE}.new"
    part.write_bytes(picture)
    part.replace(folder / PICTURE)
    (folder / REVISION).write_text(str(revision))


def read_card(folder: Path) -> bytes | None:
    try:
        return (folder / PICTURE).read_bytes()
    except OSError:
        return None


def card_revision(folder: Path) -> int | None:
    """The revision that the kept picture shows."""
    try:
        return int((folder / REVISION).read_text()) if (folder / PICTURE).is_file() else None
    except (OSError, ValueError):
        return None

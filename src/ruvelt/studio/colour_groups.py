"""Face groups from what is painted: faces of one picked colour, or all faces by the colours there are."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.oklab import oklab
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.topology import face_of_corner
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.basics import Colour
from ruvelt.core.stack.document import FaceGroup
from ruvelt.core.stack.edits import ReplaceDocument, SetFaceGroups
from ruvelt.core.stack.plane_ids import MODEL_PLANE
from ruvelt.studio.picks_moved import named_on
from ruvelt.studio.session import Session

MOST_GROUPS = 12


def face_values(session: Session, sheet_id: str, channel_id: str = "base_color") -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """(f, components) mean values of each face 0–1, by area, encoded, and (f,) bool whether anything of the sheet or vertices lies on it."""
    display = session.display(sheet_id)
    samples, faces = display.samples, session.faces_of(display.evaluator.sheet)
    whole = np.concatenate([display.evaluator.composite(channel_id, c) for c in range(samples.chunk_count)], axis=1)
    count = session.model.face_count
    if isinstance(samples, VertexSamples):
        # A vertex is of all faces around it.
        model = samples.model
        slots = samples.slot_of_vertex[model.corner_vertex].astype(np.int64)
        face, area = faces.labels("face")[face_of_corner(model)], np.ones(len(slots))
        inside = samples.covered[slots]
        slots, face, area = slots[inside], face[inside], area[inside]
    else:
        slots = np.flatnonzero(samples.covered)
        face, area = samples.face[slots], samples.sample_areas(slots.astype(np.int32)).astype(np.float64)
    total = np.bincount(face, area, count)
    mean = np.stack([np.bincount(face, area * whole[k, slots], count) for k in range(len(whole))], axis=1) / np.maximum(total, 1e-30)[:, None] / 65535
    return mean, total > 0


def groups_from_colour(
    session: Session,
    sheet_id: str,
    *,
    colour: Colour | None = None,
    tolerance: float = 0.08,
    count: int = 4,
    name: str = "",
    revision: int | None = None,
) -> list[FaceGroup]:
    """Keep faces under names by their colour, as one step of history; returns the new groups, the largest first.

    colour : sRGB-encoded; faces within `tolerance` of it in OKLab become one group. None: all faces become `count` groups by the colours that
    are most alike (k-means, the same each time). Raises InputError where nothing has such a colour, or for more groups than can be.
    """
    with session.lock:
        session.check_revision(revision)
        if not 2 <= count <= MOST_GROUPS:
            raise InputError(f"Colours can be divided into 2 to {MOST_GROUPS} groups.")
        colours, painted = face_values(session, sheet_id)
        places, rows = oklab(colours[painted]).astype(np.float32), np.flatnonzero(painted)
        if colour is not None:
            near = np.linalg.norm(places - oklab(np.asarray(colour)), axis=1) <= tolerance
            marks = [(_named(np.asarray(colour), name), rows[near])]
        else:
            marks = [(_named(colours[mine].mean(axis=0), ""), mine) for mine in _divided(places, rows, count)]
        marks = [(told, mine) for told, mine in marks if len(mine)]
        if not marks:
            raise InputError("No face has a colour near that one. Pick a colour from the model, or allow more tolerance.")
        return keep_groups(session, marks)


def _divided(places: NDArray[np.float32], rows: NDArray[np.int64], count: int) -> list[NDArray[np.int64]]:
    """Rows by the colours that are most alike, the largest group first."""
    distinct = np.unique(np.round(places, 3), axis=0)
    count = min(count, len(distinct))
    if count < 2:
        return [rows]
    cv2.setRNGSeed(7)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 60, 1e-4)
    _, labels, _ = cv2.kmeans(np.ascontiguousarray(places), count, None, stop, 4, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]
    found = [rows[labels.ravel() == k] for k in range(count)]
    return sorted(found, key=lambda mine: (-len(mine), int(mine[0]) if len(mine) else 0))


def _named(colour: NDArray[np.float64], name: str) -> str:
    red, green, blue = (round(float(c) * 255) for c in np.clip(colour, 0, 1))
    return (name.strip() or f"Colour #{red:02x}{green:02x}{blue:02x}")[:80]


def keep_groups(session: Session, marks: list[tuple[str, NDArray[np.int64]]]) -> list[FaceGroup]:
    """Keep faces of the model, by number, under names, as one step of history; one of the same name is replaced."""
    document, model, made = session.document, session.model, []
    names, taken = {g.name: g.id for g in document.face_sets}, {g.id for g in document.face_sets}
    for name, mine in marks:
        marked = np.zeros(model.face_count, bool)
        marked[mine] = True
        picks, model = named_on(session.faces, model, marked, name)
        number = next(f"f{n}" for n in range(1, len(taken) + 2) if f"f{n}" not in taken)
        made.append(FaceGroup(id=names.get(name, number), name=name, picks=picks))
        taken.add(made[-1].id)
    kept = (*(g for g in document.face_sets if g.id not in {m.id for m in made}), *made)
    label = f"Keep {made[0].name}" if len(made) == 1 else f"{len(made)} face groups from colours"
    if model is session.model:
        session.edit(SetFaceGroups(face_sets=kept), label)
        return made
    blob = session.store.blobs.put_bytes(model.to_bytes())
    edit = ReplaceDocument(document=document.model_copy(update={"face_sets": kept}))
    session.store.commit(label, edit=edit, changes={MODEL_PLANE: {0: blob}}, components={MODEL_PLANE: 0}, plans=len(session.plans))
    return made

"""Faces inside a box or lasso, told as shortly as can be: whole parts, pieces and islands before single faces."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush.area import outline_weights
from ruvelt.core.errors import InputError
from ruvelt.core.samples.address import slot_at
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.studio.session import Session

#: Rays that look for faces; a lasso as large as the view is looked through every few pixels.
RAYS = 160_000
MOST_PICKS = 10_000


def faces_inside(
    session: Session, camera: Camera | None, sheet_id: str | None, outline: Sequence[tuple[float, float]], behind: bool = False
) -> NDArray[np.bool_]:
    """(f,) bool: faces that an outline over a view (pixels) or a flat sheet (texels, y down) encloses.

    In a view those count that show inside it; `behind`: and those hidden behind, by their middles. Raises InputError without three points.
    """
    line = np.asarray(outline, np.float64).reshape(-1, 2)
    if len(line) < 3:
        raise InputError("A lasso needs at least three points. Draw around the faces to pick.")
    model = session.model
    marked = np.zeros(model.face_count, bool)
    middle = _middles(session)
    if camera is not None:
        low, high = np.maximum(line.min(axis=0), 0), np.minimum(line.max(axis=0), (camera.width, camera.height))
        if not (high > low).all():
            return marked
        step = max(1.0, float(np.sqrt(np.prod(high - low) / RAYS)))
        x, y = np.meshgrid(np.arange(low[0], high[0] + step, step), np.arange(low[1], high[1] + step, step))
        places = np.stack([x.ravel(), y.ravel()], axis=1)
        inside = outline_weights(line, places) > 0.5
        of = session.shown(sheet_id)
        hits = session.caster(of).cast(*camera.rays(places[inside]))
        faces = session.faces if of is None else session.faces_of(of)
        marked[faces.labels("face")[faces.model.triangle_face[hits.triangle[hits.triangle >= 0]]]] = True
        if behind:
            ahead = (middle - np.asarray(camera.eye)) @ camera.axes[2] > 1e-9
            hidden = session.surfaces.hidden_faces()
            shown = np.flatnonzero(ahead if hidden is None else ahead & ~hidden)
            marked[shown[outline_weights(line, camera.project(middle[shown])) > 0.5]] = True
        return marked
    if sheet_id is None:
        raise InputError("Give a camera or a sheet to look at.")
    samples = session.texels(session.sheet(sheet_id))
    x, y = np.meshgrid(np.arange(samples.side), np.arange(samples.side))
    low, high = np.floor(line.min(axis=0)), np.ceil(line.max(axis=0))
    near = (x >= low[0]) & (x <= high[0]) & (y >= low[1]) & (y <= high[1])
    x, y = x[near], y[near]
    slots = slot_at(x, y, samples.chunks_across)
    weights = outline_weights(line, np.stack([x, y], axis=1) + 0.5)
    found = samples.face[slots[(weights > 0.5) & (samples.owner[slots] >= 0)]]
    marked[np.unique(found)] = True
    return marked


def _middles(session: Session) -> NDArray[np.float64]:
    """(f, 3) float64 mean corner of each face."""
    model = session.model
    sums = np.add.reduceat(model.positions[model.corner_vertex].astype(np.float64), model.face_starts[:-1], axis=0)
    return np.asarray(sums / np.diff(model.face_starts)[:, None], np.float64)


def shortest_picks(faces: FaceIndex, marked: NDArray[np.bool_]) -> list[FacePick]:
    """Picks that name exactly the marked faces. Raises InputError for more single faces than a pick may hold."""
    left, picks = marked.copy(), []
    for by in ("part", "piece", "island"):
        labels = faces.labels(by)
        count = int(labels.max(initial=-1)) + 1
        valid = labels >= 0
        total = np.bincount(labels[valid], minlength=count)
        mine = np.bincount(labels[valid & marked], minlength=count)
        fresh = np.bincount(labels[valid & left], minlength=count)
        for label in np.flatnonzero((total > 1) & (total == mine) & (fresh > 0)):
            picks.append(FacePick(by=by, index=int(label)))
            left[labels == label] = False
    single = np.flatnonzero(left)
    if len(single) + len(picks) > MOST_PICKS:
        raise InputError(f"That is {len(single)} single faces; at most {MOST_PICKS} can be picked so. Pick whole parts or islands, or draw smaller.")
    return picks + [FacePick(by="face", index=int(f)) for f in single]

"""Levels of vertex paint: the density of vertices raised and lowered, with what is painted on each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.subdivide import Step
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.resolutions import side_for
from ruvelt.core.samples.vertices import slots_in_order
from ruvelt.core.stack.document import MAX_LEVEL, Sheet
from ruvelt.core.stack.edits import SetSheet
from ruvelt.core.stack.plane_ids import DETAIL, detail_plane_id
from ruvelt.studio.history import KeptLevel, stored_step
from ruvelt.studio.session import Session
from ruvelt.studio.versions import difference

Progress = Callable[[int, int, str], None]


def level_size(session: Session, sheet: Sheet, level: int) -> tuple[int, int, int]:
    """Faces, vertices and bytes of memory of a level of a sheet's vertices, told without making it."""
    return session.surfaces.levels(sheet).size(level)


def set_level(
    session: Session,
    sheet_id: str,
    level: int,
    progress: Progress = lambda done, planned, what: None,
    *,
    subdivision: Literal["smooth", "simple"] | None = None,
    sharp_deg: float | Literal["keep"] | None = "keep",
    file_creases: bool | None = None,
) -> None:
    """Paint vertices at another level, as one step of history. What finer levels hold beside it is kept and comes back when the level is raised.

    subdivision, sharp_deg, file_creases : how levels are made from now on; only while nothing is painted above the model itself
    Raises InputError for a sheet of texels or a level that is not there or does not fit into memory, Conflict for another rule.
    """
    if not 0 <= level <= MAX_LEVEL:
        raise InputError(f"There is no level {level}. Levels go from 0, the model as it is, to {MAX_LEVEL}.")
    with session.lock:
        sheet = session.sheet(sheet_id)
        if sheet.of != "vertices":
            raise InputError(f"{sheet.name} is a sheet: its detail is its resolution. Levels are for vertex paint.")
        rule = {
            "subdivision": subdivision or sheet.subdivision,
            "sharp_deg": sheet.sharp_deg if sharp_deg == "keep" else sharp_deg,
            "file_creases": sheet.file_creases if file_creases is None else file_creases,
        }
        changed = sheet.model_copy(update=rule)
        mine = {name: plane for name, plane in session.store.planes.items() if name.split("/")[0] == sheet.id and plane.chunks}
        detailed = any(name.split("/")[1].startswith(DETAIL) for name in mine)
        if changed != sheet and (sheet.level or detailed):
            raise Conflict("Paint lies on levels made by another rule. Undo to before that, or go on with the rule there is.")
        if level == sheet.level and changed == sheet:
            return
        _check_fits(session, changed, level)
        new = _moved(session, changed, level, mine, progress)
        values = {"level": level, "resolution": side_for(level_size(session, changed, level)[1]), **rule}
        components = {name: plane.components for name, plane in new.items()}
        progress(1, 1, "Storing")
        session.store.commit(
            f"{sheet.name} at level {level}",
            edit=SetSheet(sheet=sheet.id, values=values),
            changes=difference(mine, new),
            components=components,
            script=stored_step(KeptLevel(sheet=sheet.id, level=level, was=sheet.level)),
        )


def _check_fits(session: Session, sheet: Sheet, level: int) -> None:
    faces, vertices, size = level_size(session, sheet, level)
    side_for(vertices)
    limit = session.memory.limit
    if size > limit:
        raise InputError(
            f"Level {level} would have {faces:,} faces and take about {size / 2**30:.1f} GiB of memory; Ruvelt may use {limit / 2**30:.1f}. "
            "Stay at a lower level, or start Ruvelt with more memory."
        )


def _moved(session: Session, sheet: Sheet, level: int, planes: dict[str, Plane], progress: Progress) -> dict[str, Plane]:
    """The planes of a set of vertices at another level, with what the levels between hold beside them."""
    found, up = dict(planes), level > sheet.level
    names = [name for name in planes if not name.split("/")[1].startswith(DETAIL)]
    if not names:
        return found
    levels = session.surfaces.levels(sheet)
    progress(0, len(names), f"Level {level}")
    slots, order = _slots(levels.model(sheet.level)), levels.model(level).curve
    # Plane by plane: a project of many layers takes no more memory than one of one.
    for done, name in enumerate(names):
        progress(done, len(names), f"Level {level}")
        values = np.ascontiguousarray(_read(session, planes[name], len(slots))[:, slots])
        for upper in range(sheet.level + 1, level + 1) if up else range(sheet.level, level, -1):
            step, detail = levels.step(upper), detail_plane_id(name, upper)
            if up:
                values = _raised(session, step, values, found.pop(detail, None))
            else:
                values, apart = step.down(values)
                found[detail] = _in_order(session, apart)
        found[name] = _in_order(session, np.ascontiguousarray(values[:, order]))
    return found


def _slots(model: Model) -> NDArray[np.int32]:
    return slots_in_order(model.curve)


def _raised(session: Session, step: Step, values: U16, detail: Plane | None) -> U16:
    if detail is None:
        return step.up(values)
    return step.restored(values, _read(session, detail, step.fine_count))


def _read(session: Session, plane: Plane, count: int) -> U16:
    out = np.zeros((plane.components, count), np.uint16)
    for chunk, key in plane.chunks.items():
        part = out[:, chunk * CHUNK : (chunk + 1) * CHUNK]
        part[:] = session.store.blobs.get(key)[:, : part.shape[1]]
    return out


def _in_order(session: Session, values: U16) -> Plane:
    """A plane of values as they come, in runs of 65,536; runs of nothing are left out."""
    chunks: dict[int, str] = {}
    for chunk in range(-(-values.shape[1] // CHUNK)):
        run = values[:, chunk * CHUNK : (chunk + 1) * CHUNK]
        if run.any():
            part = np.zeros((len(values), CHUNK), np.uint16)
            part[:, : run.shape[1]] = run
            chunks[chunk] = session.store.blobs.put(part)
    return Plane(len(values), chunks)

"""The model as the viewport draws it: indexed triangles sheet by sheet, ordered by part, so that parts can be hidden by ranges."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.mesh.topology import face_of_corner, islands
from ruvelt.core.output.glb import sheet_geometry
from ruvelt.studio.session import Session

#: Raised whenever the way from a model to what the viewport draws changes.
GEOMETRY = 1


def _edges(session: Session, plan_faces: NDArray[np.int32], tile: tuple[int, int]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Polygon edges of a sheet in UV space, (n, 4) float32 a line: all edges, and those where an island ends (seams)."""
    model = session.model
    layout = model.uv_layouts[0]
    mine = np.zeros(model.face_count, bool)
    mine[plan_faces] = True
    owner = face_of_corner(model)
    corners = np.flatnonzero(mine[owner])
    nxt = corners + 1
    last = nxt == model.face_starts[owner[corners] + 1]
    nxt[last] = model.face_starts[owner[corners[last]]]
    good = (layout.corner_uv[corners] >= 0) & (layout.corner_uv[nxt] >= 0)
    # UVs that round to one place are one; an edge is the same from either side, so its lesser end comes first.
    place, where = equal_rows(np.round((layout.uvs - tile) * 65536).astype(np.int64))
    a, b = place[layout.corner_uv[corners[good]]], place[layout.corner_uv[nxt[good]]]
    number, first = equal_rows(np.stack([np.minimum(a, b), np.maximum(a, b)], axis=1))
    at = (layout.uvs[where] - tile).astype(np.float32)
    lines = np.concatenate([at[a[first]], at[b[first]]], axis=1)
    return lines, lines[np.bincount(number, minlength=len(first)) == 1]


def viewport_header(session: Session) -> dict[str, Any]:
    """The model's bounds, and the sheets whose geometry is asked for one by one; none where the model has no UVs."""
    model = session.model
    low, high = model.bounds
    sheets = [s.id for s in session.document.sheets]
    return {"low": low.tolist(), "high": high.tolist(), "diagonal": model.diagonal, "width": model.width, "sheets": sheets}


def viewport_geometry(session: Session, sheet_id: str | None) -> tuple[dict[str, Any], list[bytes]]:
    """A header and the binary blocks it points into (offsets in bytes), little-endian, of one sheet; None: of a model without sheets.

    `vertices` (n, 12) float32 of position, normal, tangent and UV (v down); `indices` uint32, triangles sorted by part; `faces` uint32, the
    face of each triangle; `lines`, `seams` (n, 4) float32 UV (v up).
    """
    if sheet_id is None:
        return _bare(session)
    model, sheet = session.model, session.sheet(sheet_id)
    samples, plan = session.samples(sheet), session.plans[sheet.plan]
    rows, indices = sheet_geometry(samples)
    lines, seams = _edges(session, plan.faces, plan.tile)
    face = model.triangle_face[samples.triangles]
    part = model.face_part[face]
    return _blocks(sheet.id, rows, indices.reshape(-1, 3), face, part, lines, seams)


def _bare(session: Session) -> tuple[dict[str, Any], list[bytes]]:
    model = session.model
    corners = model.triangle_corners.reshape(-1)
    rows = np.zeros((len(corners), 12), np.float32)
    rows[:, :3], rows[:, 3:6] = model.positions[model.corner_vertex[corners]], corner_normals(model)[corners]
    nothing = np.zeros((0, 4), np.float32)
    indices = np.arange(len(corners), dtype=np.uint32).reshape(-1, 3)
    return _blocks("", rows, indices, model.triangle_face, model.face_part[model.triangle_face], nothing, nothing)


def _blocks(
    sheet: str,
    rows: NDArray[np.float32],
    indices: NDArray[np.uint32],
    face: NDArray[np.int32],
    part: NDArray[np.int32],
    lines: NDArray[np.float32],
    seams: NDArray[np.float32],
) -> tuple[dict[str, Any], list[bytes]]:
    if (part[1:] < part[:-1]).any():
        order = np.argsort(part, kind="stable")
        indices, face, part = indices[order], face[order], part[order]
    arrays = {
        "vertices": rows.astype("<f4", copy=False),
        "indices": indices.astype("<u4", copy=False),
        "faces": face.astype("<u4", copy=False),
        "lines": lines.astype("<f4", copy=False),
        "seams": seams.astype("<f4", copy=False),
    }
    header: dict[str, Any] = {"sheet": sheet, "parts": _ranges(part)}
    blocks: list[bytes] = []
    at = 0
    for name, values in arrays.items():
        blocks.append(np.ascontiguousarray(values).tobytes())
        header[name] = {"offset": at, "length": len(blocks[-1])}
        at += len(blocks[-1])
    return header, blocks


def kept_geometry(session: Session, sheet_id: str | None, pack: Callable[[dict[str, Any], list[bytes]], bytes]) -> bytes:
    """The packed geometry of a sheet, kept beside the project for the next opening under what it was made from."""
    views = session.views
    key = _geometry_key(session, sheet_id)
    found = views.get(key)
    if found is None:
        found = body = pack(*viewport_geometry(session, sheet_id))
        current = [_geometry_key(session, s.id) for s in session.document.sheets] or [key]
        session.pictures.later(lambda: views.put(key, body, current))
    return found


def _geometry_key(session: Session, sheet_id: str | None) -> str:
    plan = None if sheet_id is None else session.sheet(sheet_id).plan
    return f"{GEOMETRY}/{session.store.model_key}/{session.store.sheet_rule}/{plan}/{sheet_id}"


def _ranges(parts: NDArray[np.int32]) -> list[dict[str, int]]:
    """Runs of equal part numbers as {part, first, count} in triangles."""
    if not len(parts):
        return []
    starts = np.flatnonzero(np.concatenate([[True], parts[1:] != parts[:-1]]))
    counts = np.diff(np.concatenate([starts, [len(parts)]]))
    return [{"part": int(parts[s]), "first": int(s), "count": int(c)} for s, c in zip(starts, counts, strict=True)]


def sheet_facts(session: Session, sheet_id: str) -> dict[str, Any]:
    """Counts of one sheet: faces, islands, covered texels, texels per object unit."""
    sheet = session.sheet(sheet_id)
    samples = session.samples(sheet)
    faces = session.plans[sheet.plan].faces
    labels = islands(session.model, session.model.uv_layouts[0])[faces]
    return {
        "faces": len(faces),
        "islands": len(np.unique(labels[labels >= 0])),
        "covered": int(samples.covered.sum()),
        "density": float(1 / samples.spacing) if samples.covered_count else 0.0,
        "tile": session.plans[sheet.plan].tile_number,
    }

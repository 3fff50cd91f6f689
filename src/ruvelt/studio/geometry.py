"""The model as the viewport draws it: indexed triangles sheet by sheet, ordered by part, so that parts can be hidden by ranges."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.mesh.model import MAX_FACES
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.mesh.topology import face_of_corner, islands
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.document import MAX_LEVEL, Sheet
from ruvelt.studio.session import Session

#: Raised whenever the way from a model to what the viewport draws changes.
GEOMETRY = 2
#: Triangles that the flat view shows of a repeating layout, counted once for each square.
MOST_LAID_FLAT = 8_000_000


def layout_lines(session: Session, plan: SheetPlan) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Polygon edges of a sheet in UV space, (n, 4) float32 a line: all edges, and those where an island ends (seams)."""
    model = session.model
    layout = model.uv_layouts[0]
    mine = np.zeros(model.face_count, bool)
    mine[plan.faces] = True
    owner = face_of_corner(model)
    corners = np.flatnonzero(mine[owner])
    nxt = corners + 1
    last = nxt == model.face_starts[owner[corners] + 1]
    nxt[last] = model.face_starts[owner[corners[last]]]
    good = (layout.corner_uv[corners] >= 0) & (layout.corner_uv[nxt] >= 0)
    # UVs that round to one place are one; an edge is the same from either side, so its lesser end comes first.
    begins, ends = corners[good], nxt[good]
    if plan.squares is None:
        # Rows of UVs are fewer than corners, so they are compared instead.
        uv, rows = layout.uvs - np.asarray(plan.tile), np.stack([layout.corner_uv[begins], layout.corner_uv[ends]])
    else:
        both = np.concatenate([begins, ends])
        uv = layout.uvs[layout.corner_uv[both]] - plan.offsets(model.face_count)[owner[both]]
        rows = np.arange(len(both), dtype=np.int32).reshape(2, -1)
    place, where = equal_rows(np.round(uv * 65536).astype(np.int64))
    a, b = place[rows]
    number, first = equal_rows(np.stack([np.minimum(a, b), np.maximum(a, b)], axis=1))
    at = uv[where].astype(np.float32)
    lines = np.concatenate([at[a[first]], at[b[first]]], axis=1)
    return lines, lines[np.bincount(number, minlength=len(first)) == 1]


def _rows(samples: SheetSamples) -> tuple[NDArray[np.float32], NDArray[np.uint32], NDArray[np.int32], NDArray[np.float32] | None]:
    """Indexed triangles of a sheet, each once, whatever squares it reaches into.

    (n, 12) float32 rows of position 3, normal 3, tangent 4, UV 2 (v down, beyond 0–1 where the layout repeats); (t, 3) uint32 indices;
    (t,) int32 triangles; (n, 4) float32 linear RGBA where the model has vertex colours.
    """
    model = samples.model
    once: slice | NDArray[np.intp] = slice(None)
    triangles = samples.triangles
    if samples.plan.squares is not None:
        # The first of a triangle's places is the one in the middle square.
        triangles, once = np.unique(samples.triangles, return_index=True)
    tangents = samples.triangle_tangents[once].reshape(-1, 4)
    # Corners that are alike differ in nothing but the tangent and the colour, if in those.
    columns = [samples.alike[once].reshape(-1, 1).view(np.float32), tangents + np.float32(0)]
    if model.vertex_colors is not None:
        columns.append(model.vertex_colors[model.triangles[triangles].reshape(-1)])
    number, first = equal_rows(np.ascontiguousarray(np.concatenate(columns, axis=1)))
    colours = None
    if model.vertex_colors is not None:
        colours = columns[2][first].copy()
        colours[:, :3] = srgb_to_linear_float(colours[:, :3].astype(np.float64))
    down = samples.uv[once].reshape(-1, 2)[first] / np.float32(samples.side)
    positions, normals = (a[once].reshape(-1, 3)[first] for a in (samples.triangle_positions, samples.triangle_normals))
    rows = np.nan_to_num(np.concatenate([positions, normals, tangents[first], down], axis=1)) + np.float32(0)
    return rows, number.view(np.uint32).reshape(-1, 3), triangles, colours


def _squares(samples: SheetSamples, rows: NDArray[np.float32]) -> list[list[int]]:
    """Whole squares by which the sheet's triangles have to be moved to fill the first one; none where the layout does not repeat."""
    if samples.plan.squares is None:
        return []
    low, high = np.floor(rows[:, 10:].min(axis=0) + 1e-5), np.ceil(rows[:, 10:].max(axis=0) - 1e-5)
    low, high = np.maximum(low, -8), np.minimum(np.maximum(high, low + 1), 9)
    if (high - low).prod() * len(samples.triangles) > MOST_LAID_FLAT:
        return [[0, 0]]
    return [[-int(x), -int(y)] for y in np.arange(low[1], high[1]) for x in np.arange(low[0], high[0])]


def viewport_header(session: Session) -> dict[str, Any]:
    """The model's bounds, and the sheets whose geometry is asked for one by one; none where the model has no UVs."""
    model = session.model
    low, high = model.bounds
    sheets = [s.id for s in session.document.sheets]
    return {"low": low.tolist(), "high": high.tolist(), "diagonal": model.diagonal, "width": model.width, "sheets": sheets}


def viewport_geometry(session: Session, sheet_id: str | None) -> tuple[dict[str, Any], list[bytes]]:
    """A header and the binary blocks it points into (offsets in bytes), little-endian, of one sheet; None: of a model without sheets.

    `vertices` (n, 12) float32 of position, normal, tangent and UV (v down), or of vertex paint (n, 6) position and normal in the order of its
    samples; `indices` uint32, triangles sorted by part; `faces` uint32, the
    face of each triangle; `lines`, `seams` (n, 4) float32 UV (v up); `colours` (n, 4) float32 linear RGBA, empty without any. The header's
    `squares`: how far a repeating layout has to be moved to fill its square, each time.
    """
    if sheet_id is None:
        return _bare(session)
    model, sheet = session.model, session.sheet(sheet_id)
    if sheet.of == "vertices":
        return _vertex_rows(session, sheet)
    samples, plan = session.texels(sheet), session.plans[sheet.plan]
    rows, indices, triangles, colours = _rows(samples)
    lines, seams = layout_lines(session, plan)
    face = model.triangle_face[triangles]
    header, blocks = _blocks(sheet.id, rows, indices, face, model.face_part[face], lines, seams, colours)
    return {**header, "squares": _squares(samples, rows)}, blocks


def _vertex_rows(session: Session, sheet: Sheet) -> tuple[dict[str, Any], list[bytes]]:
    samples = session.samples(sheet)
    model = samples.model
    assert isinstance(samples, VertexSamples)
    rows = np.concatenate([samples.positions, samples.normals], axis=1)[: model.vertex_count]
    nothing = np.zeros((0, 4), np.float32)
    indices, part = samples.triangles.view(np.uint32), model.face_part[model.triangle_face]
    # Faces are told by those of the model, whatever the level.
    face = session.faces_of(sheet).labels("face")[model.triangle_face]
    if sheet.parts:
        mine = np.isin(part, sheet.parts)
        indices, face, part = indices[mine], face[mine], part[mine]
    header, blocks = _blocks(sheet.id, rows, indices, face, part, nothing, nothing)
    return {**header, "of": "vertices"}, blocks


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
    colours: NDArray[np.float32] | None = None,
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
        "colours": (np.zeros((0, 4)) if colours is None else colours).astype("<f4", copy=False),
    }
    header: dict[str, Any] = {"sheet": sheet, "parts": _ranges(part), "squares": []}
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
    sheet = None if sheet_id is None else session.sheet(sheet_id)
    plan = None if sheet is None else f"{sheet.of}/{sheet.plan}" + "".join(f",{p}" for p in sheet.parts)
    return f"{GEOMETRY}/{session.surfaces.key if sheet is None else session.surfaces.key_of(sheet)}/{session.store.sheet_rule}/{plan}/{sheet_id}"


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
    if sheet.of == "vertices":
        points = session.samples(sheet)
        density = float(1 / points.spacing) if points.covered_count else 0.0
        # A mesh too dense for a level above it is not worth the edges being counted.
        told: list[dict[str, int]] = []
        if sheet.level or len(session.model.corner_vertex) <= MAX_FACES:
            sizes = [(n, *session.surfaces.levels(sheet).size(n)) for n in range(min(sheet.level + 1, MAX_LEVEL) + 1)]
            told = [dict(zip(("level", "faces", "vertices", "bytes"), size, strict=True)) for size in sizes]
        return {"faces": points.model.face_count, "islands": 0, "covered": points.covered_count, "density": density, "tile": 0, "levels": told}
    samples = session.texels(sheet)
    faces = session.plans[sheet.plan].faces
    labels = islands(session.model, session.model.uv_layouts[0])[faces]
    return {
        "faces": len(faces),
        "islands": len(np.unique(labels[labels >= 0])),
        "covered": int(samples.covered.sum()),
        "density": float(1 / samples.spacing) if samples.covered_count else 0.0,
        "tile": session.plans[sheet.plan].tile_number,
    }

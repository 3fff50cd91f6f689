"""The model as the viewport draws it: indexed triangles a sheet, ordered by part, so that parts can be hidden by ranges."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.topology import face_of_corner, islands
from ruvelt.core.output.glb import sheet_geometry
from ruvelt.studio.session import Session


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
    corners, nxt = corners[good], nxt[good]
    a, b = layout.uvs[layout.corner_uv[corners]] - tile, layout.uvs[layout.corner_uv[nxt]] - tile
    lines = np.concatenate([a, b], axis=1).astype(np.float32)
    ends = np.round(np.stack([a, b], axis=1) * 65536).astype(np.int64)
    # The same edge from either side: the lesser end first.
    swap = (ends[:, 0, 0] > ends[:, 1, 0]) | ((ends[:, 0, 0] == ends[:, 1, 0]) & (ends[:, 0, 1] > ends[:, 1, 1]))
    ends[swap] = ends[swap][:, ::-1]
    _, first, count = np.unique(ends.reshape(-1, 4), axis=0, return_index=True, return_counts=True)
    return lines[first], lines[first[count == 1]]


def viewport_geometry(session: Session) -> tuple[dict[str, Any], list[bytes]]:
    """A header and the binary blocks it points into (offsets in bytes), little-endian.

    A sheet: `vertices` (n, 12) float32 of position, normal, tangent and UV (v down); `indices` uint32, triangles sorted by part;
    `faces` uint32, the face of each triangle; `lines`, `seams` (n, 4) float32 UV (v up). Faces on no sheet come as "bare".
    """
    model = session.model
    blocks: list[bytes] = []
    at = 0

    def block(values: NDArray[Any]) -> dict[str, int]:
        nonlocal at
        content = np.ascontiguousarray(values).tobytes()
        entry = {"offset": at, "length": len(content)}
        blocks.append(content)
        at += len(content)
        return entry

    sheets = []
    for sheet in session.document.sheets:
        samples = session.samples(sheet)
        rows, indices = sheet_geometry(session.display(sheet.id))
        face = model.triangle_face[samples.triangles]
        part = model.face_part[face]
        order = np.argsort(part, kind="stable")
        lines, seams = _edges(session, session.plans[sheet.plan].faces, session.plans[sheet.plan].tile)
        sheets.append(
            {
                "sheet": sheet.id,
                "vertices": block(rows.astype("<f4")),
                "indices": block(indices.reshape(-1, 3)[order].astype("<u4")),
                "faces": block(face[order].astype("<u4")),
                "lines": block(lines.astype("<f4")),
                "seams": block(seams.astype("<f4")),
                "parts": _ranges(part[order]),
            }
        )
    bare = None
    if not session.document.sheets:
        order = np.argsort(model.face_part[model.triangle_face], kind="stable")
        corners = model.triangle_corners[order].reshape(-1)
        flat = np.zeros((len(corners), 12), np.float32)
        flat[:, :3], flat[:, 3:6] = model.positions[model.corner_vertex[corners]], corner_normals(model)[corners]
        face = model.triangle_face[order]
        indices = np.arange(len(corners), dtype="<u4")
        bare = {
            "sheet": "",
            "vertices": block(flat),
            "indices": block(indices),
            "faces": block(face.astype("<u4")),
            "lines": block(np.zeros((0, 4), "<f4")),
            "seams": block(np.zeros((0, 4), "<f4")),
            "parts": _ranges(model.face_part[face]),
        }
    low, high = model.bounds
    header = {"low": low.tolist(), "high": high.tolist(), "diagonal": model.diagonal, "width": model.width, "sheets": sheets, "bare": bare}
    return header, blocks


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

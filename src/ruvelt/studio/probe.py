"""What lies under a pointer: the surface, what it belongs to, and what is painted there."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.inspect.uv_facts import uv_density
from ruvelt.core.mesh.topology import islands
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.camera import Camera
from ruvelt.studio.looking import pick
from ruvelt.studio.session import Session

#: Faces of an island that an answer carries; enough to show it.
ISLAND_FACES = 200_000


def probe(session: Session, camera: Camera | None, sheet_id: str | None, x: float, y: float, values: bool, island: bool = False) -> dict[str, Any]:
    """Look at a pixel of a view (of the sheet or vertices that it shows, `sheet_id`), or at a texel of a sheet (x right, y down).

    values : also the painted values there; island : the island of the layout there, whole whatever seams split it for picking, its faces,
    and texels per object unit on it and on the sheet's others
    """
    with session.lock:
        if camera is not None:
            origins, directions = camera.rays(np.array([[x, y]]))
            shown = session.shown(sheet_id)
            surface = session.surfaces.of(shown) if shown is not None else session.surfaces.now
            hits = session.caster(shown).cast(np.array(origins), directions)
            triangle = int(hits.triangle[0])
            if triangle < 0:
                return {"hit": False}
            fine = int(surface.model.triangle_face[triangle])
            face = int(surface.faces(session.document.seams).labels("face")[fine])
            found: dict[str, Any] = {"hit": True, "position": hits.position[0].tolist()}
            slot = _slot_at(session, triangle, hits.bary[0], None if shown is None else shown.id)
        elif sheet_id is not None:
            samples = session.texels(session.sheet(sheet_id))
            if not (0 <= x < samples.side and 0 <= y < samples.side):
                return {"hit": False}
            at = samples.texel_to_slot(int(x), int(y))
            if samples.owner[at] < 0:
                return {"hit": False}
            face = int(samples.face[at])
            found = {"hit": True, "position": samples.positions[at].tolist(), "normal": samples.normals[at].tolist()}
            slot = (sheet_id, at)
        else:
            raise InputError("Give a camera or a sheet to look at.")
        belongs = session.faces.of_face(face)
        found["belongs"] = belongs
        model = session.model
        found["names"] = {"part": model.parts[belongs["part"]], "material": model.materials[belongs["material"]].name}
        if belongs["group"] >= 0:
            found["names"]["group"] = model.groups[belongs["group"]].name
        if island and model.uv_layouts:
            labels = islands(model, model.uv_layouts[0])
            mine = np.flatnonzero(labels == labels[face]).astype(np.int32) if labels[face] >= 0 else np.zeros(0, np.int32)
            found["layout_island"], found["faces"] = int(labels[face]), mine[:ISLAND_FACES].tolist()
            sheet = next((s for s in session.document.textured if face in session.plans[s.plan].faces), None)
            if sheet is not None:
                found["density"] = uv_density(model, mine) * sheet.resolution
                others = uv_density(model, np.setdiff1d(session.plans[sheet.plan].faces, mine)) * sheet.resolution
                found["other_density"] = others or None
        if slot is not None:
            found["sheet"] = slot[0]
            if values:
                found["values"] = pick(session, *slot)
        return found


def _slot_at(session: Session, triangle: int, bary: Any, shown: str | None) -> tuple[str, int] | None:
    """Sheet and slot under a point of a triangle: of the vertices (the nearest) where they are `shown` or there is nothing else."""
    vertices = session.document.vertices
    if vertices is not None and (vertices.id == shown or not session.document.textured):
        samples = session.samples(vertices)
        assert isinstance(samples, VertexSamples)
        return vertices.id, int(samples.triangles[triangle, int(np.argmax(bary))])
    face = session.model.triangle_face[triangle]
    for sheet in session.document.textured:
        if not (session.plans[sheet.plan].faces == face).any():
            continue
        samples = session.texels(sheet)
        row = int(np.flatnonzero(samples.triangles == triangle)[0])
        u, v = bary @ samples.uv[row]
        if not np.isfinite(u + v):
            return None
        x, y = samples.texels_at(np.array([[u, v]]))[0].tolist()
        return sheet.id, samples.texel_to_slot(x, y)
    return None

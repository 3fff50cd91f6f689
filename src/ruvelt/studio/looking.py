"""What can be asked of a project's pixels: values, what is bare, what a view shows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.inspect.stairs import stairs
from ruvelt.core.samples.address import chunk_of, local_of, slot_at
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.channels import decode
from ruvelt.studio.session import Session

#: Rays across a view that find what of a sheet it shows.
SEEN_ACROSS = 48


def _screen(camera: Camera, across: int) -> NDArray[np.float64]:
    """(across², 2) pixels over a view."""
    x, y = np.meshgrid((np.arange(across) + 0.5) / across * camera.width, (np.arange(across) + 0.5) / across * camera.height)
    return np.stack([x.ravel(), y.ravel()], axis=1)


def seen_slots(session: Session, sheet_id: str, camera: Camera, across: int, points: NDArray[np.float64] | None = None) -> NDArray[np.int64]:
    """Samples of a sheet that a view shows at (n, 2) pixels, or at a screen of them; each as often as it is met, nearest vertices of vertices."""
    sheet = session.sheet(sheet_id)
    hits = session.caster(sheet).cast(*camera.rays(_screen(camera, across) if points is None else points))
    met = hits.triangle >= 0
    samples = session.samples(sheet)
    if isinstance(samples, VertexSamples):
        nearest = samples.triangles[hits.triangle[met], hits.bary[met].argmax(axis=1)].astype(np.int64)
        return np.asarray(nearest[samples.covered[nearest]], np.int64)
    samples = session.texels(sheet)
    row = np.full(len(session.model.triangles), -1, np.int32)
    row[samples.triangles] = np.arange(len(samples.triangles), dtype=np.int32)
    rows = row[hits.triangle[met]]
    uv = np.einsum("nc,nck->nk", hits.bary[met][rows >= 0], samples.uv[rows[rows >= 0]])
    uv = uv[np.isfinite(uv).all(axis=1)]
    texel = samples.texels_at(uv).astype(np.int64)
    return np.asarray(slot_at(texel[:, 0], texel[:, 1], samples.chunks_across), np.int64)


def seen_chunks(session: Session, sheet_id: str, camera: Camera) -> list[int]:
    """Chunks of a sheet that a view shows, found by a screen of rays."""
    sheet = session.sheet(sheet_id)
    samples = session.samples(sheet)
    if isinstance(samples, VertexSamples):
        # Between three vertices all of them show.
        hits = session.caster(sheet).cast(*camera.rays(_screen(camera, SEEN_ACROSS)))
        slots = samples.triangles[hits.triangle[hits.triangle >= 0]].astype(np.int64)
    else:
        slots = seen_slots(session, sheet_id, camera, SEEN_ACROSS)
    return [int(c) for c in np.unique(chunk_of(slots))]


def pick(session: Session, sheet_id: str, slot: int) -> dict[str, list[float]]:
    """Painted values at a sample, by channel, in the channels' own ranges."""
    display = session.display(sheet_id)
    found = {}
    for channel in session.document.channels:
        values_u16 = display.evaluator.composite(channel.id, chunk_of(slot))[:, local_of(slot)]
        found[channel.id] = [round(float(v), 6) for v in decode(channel, values_u16)]
    if any(m.id == "id" for m in display.evaluator.sheet.mesh_maps):
        values_u16 = display.evaluator.composite("map:id", chunk_of(slot))[:, local_of(slot)]
        found["map:id"] = [round(float(v), 6) for v in values_u16 / 65535]
    return found


def stairs_in(session: Session, sheet_id: str, channel_id: str = "base_color") -> NDArray[np.int32]:
    """(k,) faces of the model where edges of paint on its vertices break into stairs. Raises InputError for a sheet of texels."""
    display = session.display(sheet_id)
    samples = display.samples
    if not isinstance(samples, VertexSamples):
        raise InputError(f"{display.evaluator.sheet.name} is a sheet: its detail is its resolution. Stairs are looked for in vertex paint.")
    values = np.concatenate([display.evaluator.composite(channel_id, chunk) for chunk in range(samples.chunk_count)], axis=1)
    triangles = samples.triangles
    mine = samples.covered[triangles].all(axis=1)
    found = np.flatnonzero(mine)[stairs(samples.positions, triangles[mine], values)]
    face = samples.model.triangle_face[found]
    return np.unique(session.faces_of(display.evaluator.sheet).labels("face")[face]).astype(np.int32)


def unpainted(session: Session, sheet_id: str, channel_id: str) -> tuple[int, NDArray[np.int32]]:
    """How many covered texels no layer says anything about in a channel, and the (k,) faces they lie on."""
    display = session.display(sheet_id)
    faces = display.samples.face.reshape(display.samples.chunk_count, -1)

    def find(chunk: int) -> NDArray[np.int32]:
        bare = (faces[chunk] >= 0) & (display.evaluator.coverage(channel_id, chunk) <= 0)
        found: NDArray[np.int32] = faces[chunk][bare]
        return found

    everywhere = np.concatenate(session.workers.map(find, range(display.samples.chunk_count)))
    return len(everywhere), np.unique(session.faces_of(display.evaluator.sheet).labels("face")[everywhere]).astype(np.int32)

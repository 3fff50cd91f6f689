"""Routes of painting: geometry, display textures, strokes, floods, probes, replay."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Response, request
from flask_openapi3 import APIBlueprint

from ruvelt.core.brush.script import parse_script
from ruvelt.core.errors import InputError
from ruvelt.studio import laying, looking
from ruvelt.studio.colour_groups import groups_from_colour
from ruvelt.studio.geometry import kept_geometry, viewport_header
from ruvelt.studio.jobs import Job
from ruvelt.studio.lasso import faces_inside, shortest_picks
from ruvelt.studio.pool import Opened
from ruvelt.studio.probe import probe
from ruvelt.studio.replay import replay
from ruvelt.studio.strokes import StrokeMessage
from ruvelt.studio.tiles import drawn_tiles
from ruvelt.studio.trial import trial
from ruvelt.web import schemas as s
from ruvelt.web.binary import BINARY, binary, binary_answer, parts
from ruvelt.web.context import blueprint, opened, session_of, studio
from ruvelt.web.projects import job_answer, state_of
from ruvelt.web.stroke_answer import stroke_answer, version_text
from ruvelt.web.uploads import described

api: APIBlueprint = blueprint("painting")


@api.get("/projects/<uid>/geometry", responses={200: s.GeometryHeader})
def geometry(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    return s.GeometryHeader(**viewport_header(session_of(path.uid))).model_dump()


@api.get("/projects/<uid>/geometry/<sheet>", responses=binary_answer(s.SheetGeometry))
def geometry_of_sheet(path: s.SheetPath):  # type: ignore[no-untyped-def]
    """Binary: a SheetGeometry, then its blocks."""
    return _packed(kept_geometry(session_of(path.uid), path.sheet, _pack))


@api.get("/projects/<uid>/bare-geometry", responses=binary_answer(s.SheetGeometry))
def geometry_without_sheets(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Binary: a SheetGeometry of a model that has no sheets yet, then its blocks."""
    return _packed(kept_geometry(session_of(path.uid), None, _pack))


def _pack(header: dict[str, Any], blocks: list[bytes]) -> bytes:
    return b"".join(parts(s.SheetGeometry.model_validate(header), blocks))


def _packed(body: bytes) -> Response:
    return Response(body, mimetype=BINARY, headers={"Cache-Control": "no-store"})


@api.post("/projects/<uid>/display", responses=binary_answer(s.DisplayHeader))
def display(path: s.ProjectPath, body: s.DisplayBody):  # type: ignore[no-untyped-def]
    """Binary: a DisplayHeader, then the tiles that differ from what the client has."""
    session = session_of(path.uid)
    with session.lock:
        shown = session.display(body.sheet) if body.edit is None else trial(session, body.sheet, body.edit)
        revision = session.revision
        chunks = range(shown.samples.chunk_count) if body.camera is None else looking.seen_chunks(session, body.sheet, body.camera)
        wanted = []
        for texture in body.textures:
            have = body.have.get(texture, [])
            for chunk in chunks:
                version = version_text(shown.version(texture, chunk))
                if chunk >= len(have) or have[chunk] != version:
                    wanted.append((texture, chunk, version))
        if body.edit is None:
            tiles = drawn_tiles(session, body.sheet, [(t, c) for t, c, _ in wanted])
        else:
            shown.evaluator.prepare()
            tiles = session.workers.map(lambda w: shown.tile(w[0], w[1]), wanted)
    entries, blocks, at = [], [], 0
    for (texture, chunk, version), tile in zip(wanted, tiles, strict=True):
        words = tile.view(np.uint32)
        content = (tile[:1] if (words == words[0]).all() else tile).tobytes()
        entries.append(s.TileEntry(texture=texture, chunk=chunk, version=version, offset=at, length=len(content)))
        blocks.append(content)
        at += len(content)
    return binary(s.DisplayHeader(revision=revision, side=shown.side, tiles=entries), blocks)


@api.post("/projects/<uid>/stroke", responses=binary_answer(s.StrokeHeader))
def stroke(path: s.ProjectPath, body: StrokeMessage):  # type: ignore[no-untyped-def]
    """Binary: a StrokeHeader, then RGBA patches."""
    project = opened(path.uid)
    answer = project.strokes.handle(body)
    return binary(*stroke_answer(answer, project.session.revision))


@api.post("/projects/<uid>/flood", responses={200: s.ProjectState})
def flood(path: s.ProjectPath, body: s.FloodBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    laying.flood(session, body.target, body.paint, None if body.picks is None else tuple(body.picks), body.strength, body.revision, body.gradient)
    return state_of(session)


@api.post("/projects/<uid>/probe", responses={200: s.ProbeAnswer})
def probe_point(path: s.ProjectPath, body: s.ProbeBody):  # type: ignore[no-untyped-def]
    found = probe(session_of(path.uid), body.camera, body.sheet, body.x, body.y, body.values, body.island)
    return s.ProbeAnswer(**found).model_dump()


@api.post("/projects/<uid>/lasso", responses={200: s.LassoAnswer})
def lasso(path: s.ProjectPath, body: s.LassoBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    with session.lock:
        marked = faces_inside(session, body.camera, body.sheet, body.outline, body.behind)
        picks = shortest_picks(session.faces, marked)
    return {"picks": [p.model_dump() for p in picks], "faces": np.flatnonzero(marked)[:200_000].tolist()}


@api.get("/projects/<uid>/stairs/<sheet>", responses={200: s.StairsAnswer})
def stairs(path: s.SheetPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    with session.lock:
        faces = looking.stairs_in(session, path.sheet)
    return {"count": len(faces), "faces": faces[:20_000].tolist()}


@api.post("/projects/<uid>/colour-groups", responses={200: s.ProjectState})
def colour_groups(path: s.ProjectPath, body: s.ColourGroupsBody):  # type: ignore[no-untyped-def]
    """Keep faces under names by their colour: those near one, or all by the colours there are."""
    session = session_of(path.uid)
    wanted = body.model_dump(include={"colour", "tolerance", "count", "name", "revision"})
    groups_from_colour(session, body.sheet, **wanted)
    return state_of(session)


@api.get("/projects/<uid>/unpainted/<sheet>", responses={200: s.UnpaintedAnswer})
def unpainted(path: s.SheetPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    with session.lock:
        covered = int(session.samples(session.sheet(path.sheet)).covered.sum())
        count, faces = looking.unpainted(session, path.sheet, "base_color")
        return {"covered": covered, "unpainted": count, "faces": faces[:20_000].tolist()}


@api.post("/projects/<uid>/replay", responses={200: s.JobAnswer})
@described({"content": {"application/json": {"schema": {"type": "object"}}}, "required": True})
def replay_script(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Body: a stroke script (docs/developers/stroke-scripts.md)."""
    content = request.get_json(silent=True)
    if content is None:
        raise InputError("That file is not JSON. Choose a stroke script saved by Ruvelt.")
    script = parse_script(content)

    def work(project: Opened, job: Job) -> dict[str, object]:
        return dict(replay(project.session, script, job.progress).__dict__)

    return job_answer(studio().start(path.uid, "replay", "Replay strokes", work))

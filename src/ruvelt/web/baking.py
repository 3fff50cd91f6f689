"""Routes of the Bake screen: high meshes, bakes and what they have made so far, mesh maps and their touch-ups."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from flask import request
from flask_openapi3 import APIBlueprint

from ruvelt.core.bake.baker import Baker
from ruvelt.core.bake.from_normal import FROM_NORMAL
from ruvelt.core.bake.mesh_map import BakedMap
from ruvelt.core.bake.settings import PARAMETERS, BakeSettings
from ruvelt.core.bake.source import needed_bytes
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.mesh_maps import map_kinds
from ruvelt.store.blobs import unpack
from ruvelt.studio.bakes import (
    BakeRequest,
    MeshUpload,
    Progress,
    add_cage,
    add_high_mesh,
    available_bytes,
    bake_source,
    begin_straight,
    import_map,
    pair_table,
    remove_cage,
    remove_high_mesh,
    remove_map,
    set_touch_up,
    suspects,
)
from ruvelt.studio.cages import shell_triangles
from ruvelt.studio.cells import map_pictures
from ruvelt.studio.jobs import Job
from ruvelt.studio.pool import Opened
from ruvelt.studio.session import Session
from ruvelt.web import schemas as s
from ruvelt.web.binary import binary, binary_answer
from ruvelt.web.context import blueprint, opened, session_of, studio
from ruvelt.web.projects import job_answer, state_of
from ruvelt.web.uploads import AXIS, form_body, uploaded_mesh, uploaded_picture

api: APIBlueprint = blueprint("baking")
#: Tiles of one answer while a bake runs: small answers, so that the next question is never far.
TILES_AN_ANSWER = 16


def registry() -> s.BakeRegistry:
    maps = [
        s.MeshMapKindAnswer(
            id=k.id,
            name=k.label,
            components=k.components,
            hint=k.hint,
            settings=list(k.settings) if issubclass(k, BakedMap) else [],
            rays=issubclass(k, BakedMap) and bool(k.rays),
            from_normal=k.id in FROM_NORMAL,
            by_hand=k.by_hand,
        )
        for k in map_kinds().values()
        if issubclass(k, BakedMap) or k.by_hand
    ]
    return s.BakeRegistry(maps=maps, parameters=list(PARAMETERS), settings=BakeSettings())


def _bring_mesh(uid: str, kind: str, missing: str, add: Callable[[Session, MeshUpload, Progress], str]) -> dict[str, object]:
    """A job that takes the uploaded mesh in as a kind of mesh beside the model; its key is the job's result."""
    mesh, limit = uploaded_mesh(missing), studio().limits.import_bytes

    def work(project: Opened, job: Job) -> dict[str, object]:
        return {kind: add(project.session, MeshUpload(mesh.data, mesh.name, mesh.beside, limit), job.progress)}

    return job_answer(studio().start(uid, kind, f"Bring in {mesh.name}", work))


@api.post("/projects/<uid>/high", responses={200: s.JobAnswer})
@form_body("the high mesh and what it needs beside it")
def bring_high_mesh(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, the high mesh and what it needs beside it."""
    return _bring_mesh(path.uid, "high", "Choose the file of a high mesh.", add_high_mesh)


@api.delete("/projects/<uid>/high/<key>", responses={200: s.ProjectState})
def drop_high_mesh(path: s.HighPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    remove_high_mesh(session, path.key)
    return state_of(session)


@api.post("/projects/<uid>/cage", responses={200: s.JobAnswer})
@form_body("the cage and what it needs beside it")
def bring_cage(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, a mesh with the model's own vertices, grown. Rays of a bake come from it."""
    return _bring_mesh(path.uid, "cage", "Choose the file of a cage.", add_cage)


@api.delete("/projects/<uid>/cage", responses={200: s.ProjectState})
def drop_cage(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    remove_cage(session)
    return state_of(session)


@api.post("/projects/<uid>/pairs", responses={200: s.PairTable})
def pairs(path: s.ProjectPath, body: BakeSettings):  # type: ignore[no-untyped-def]
    """Which parts a bake with these settings would measure against which."""
    return pair_table(session_of(path.uid), body)


@api.post("/projects/<uid>/cage/shell", responses=binary_answer(s.ShellHeader))
def shell(path: s.ProjectPath, body: s.ShellBody):  # type: ignore[no-untyped-def]
    """Binary: a ShellHeader, then triangles of how far the rays of a bake reach outside and inside a sheet's surface."""
    outer, inner = shell_triangles(session_of(path.uid), body.sheet, body.settings)
    return binary(s.ShellHeader(triangles=len(outer)), [outer.tobytes(), inner.tobytes()])


@api.post("/projects/<uid>/bake", responses={200: s.JobAnswer})
def bake(path: s.ProjectPath, body: BakeRequest):  # type: ignore[no-untyped-def]
    return job_answer(studio().start(path.uid, "bake", "Bake", lambda project, job: project.bakes.bake(body, job.progress)))


@api.post("/projects/<uid>/bake/estimate", responses={200: s.BakeEstimate})
def estimate(path: s.ProjectPath, body: BakeRequest):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    source = bake_source(session, body.source)
    wanted = body.sheets or tuple(x.id for x in session.document.sheets)
    rays = 0
    if body.source != "normal-map":
        rays = sum(Baker(session.samples(session.sheet(x)), source, body.settings).planned(body.maps) for x in wanted)
    triangles = sum(len(m.triangles) for m in source.meshes)
    return s.BakeEstimate(rays=rays, memory=needed_bytes(triangles), free=available_bytes()).model_dump()


@api.post("/projects/<uid>/bake/arrived", responses=binary_answer(s.ArrivedHeader))
def arrived(path: s.ProjectPath, body: s.ArrivedBody):  # type: ignore[no-untyped-def]
    """Binary: an ArrivedHeader, then RGBA tiles of what a running bake has finished."""
    run = opened(path.uid).bakes.run
    if run is None:
        return binary(s.ArrivedHeader(count=0, running=False, tiles=[]), [])
    new = run.since(body.after)
    # Pieces that a later one took the place of have no bytes any more.
    mine = [(i, a) for i, a in enumerate(new, body.after) if a.sheet == body.sheet and a.map == body.map and a.packed]
    count = body.after + len(new)
    if len(mine) > TILES_AN_ANSWER:
        count, mine = mine[TILES_AN_ANSWER][0], mine[:TILES_AN_ANSWER]
    entries, blocks = [], []
    for i, (_, piece) in enumerate(mine):
        blocks.append(_rgba(unpack(piece.shape, piece.packed)).tobytes())
        entries.append(s.TileEntry(texture=f"channel:map:{piece.map}", chunk=piece.chunk, version="", offset=i * 4 * CHUNK, length=4 * CHUNK))
    return binary(s.ArrivedHeader(count=count, running=True, tiles=entries), blocks)


def _rgba(values_u16: U16) -> np.ndarray:  # type: ignore[type-arg]
    """(65536, 4) uint8 of a map's chunk, grey for one component."""
    shown = np.empty((CHUNK, 4), np.uint8)
    for k in range(3):
        shown[:, k] = values_u16[k if len(values_u16) == 4 else 0] >> 8
    shown[:, 3] = 255
    return shown


@api.get("/projects/<uid>/maps/<sheet>", responses={200: s.CellsAnswer})
def pictures(path: s.SheetPath):  # type: ignore[no-untyped-def]
    """Small pictures of a sheet's mesh maps by id."""
    return {"cells": map_pictures(session_of(path.uid), path.sheet)}


@api.post("/projects/<uid>/maps/<sheet>/<map>/touch-up", responses={200: s.ProjectState})
def touch_up(path: s.MapPath, body: s.TouchUpBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    set_touch_up(session, path.sheet, path.map, body.on, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/maps/<sheet>/straight", responses={200: s.ProjectState})
def straight(path: s.SheetPath, body: s.StraightBody):  # type: ignore[no-untyped-def]
    """Give a sheet the map that says where rays leave straight."""
    session = session_of(path.uid)
    begin_straight(session, path.sheet, body.revision)
    return state_of(session)


@api.delete("/projects/<uid>/maps/<sheet>/<map>", responses={200: s.ProjectState})
def drop_map(path: s.MapPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    remove_map(session, path.sheet, path.map)
    return state_of(session)


@api.post("/projects/<uid>/maps/<sheet>/<map>/picture", responses={200: s.ProjectState})
@form_body("a picture that becomes the mesh map", y=AXIS)
def bring_map(path: s.MapPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, a picture that becomes the mesh map; for normal maps `y` "up" or "down"."""
    session = session_of(path.uid)
    _, image = uploaded_picture("Choose a picture of the map.")
    if path.map == "normal" and request.form.get("y") == "down":
        image[..., 1] = 65535 - image[..., 1]
    import_map(session, path.sheet, path.map, image)
    return state_of(session)


@api.get("/projects/<uid>/suspects", responses={200: s.SuspectsAnswer})
def suspect_texels(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    with session.lock:
        return {"suspects": suspects(session)}

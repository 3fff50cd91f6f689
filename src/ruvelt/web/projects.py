"""Routes of the project list, the document, history and versions."""

from __future__ import annotations

import json
from typing import cast

import numpy as np
from flask import Response, request
from flask_openapi3 import APIBlueprint

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.sheets import SheetRule
from ruvelt.store.upkeep import file_sizes
from ruvelt.studio import versions
from ruvelt.studio.bring_in import picture_layer
from ruvelt.studio.cells import cell_pictures
from ruvelt.studio.copying import duplicate_layer
from ruvelt.studio.geometry import sheet_facts
from ruvelt.studio.jobs import Job
from ruvelt.studio.layout import choose_uv_set, pack, place, seam_lines, toggle_seam, unwrap_model
from ruvelt.studio.levels import set_level
from ruvelt.studio.masks import waiting
from ruvelt.studio.pool import Opened
from ruvelt.studio.probe import probe
from ruvelt.studio.recording import script_since
from ruvelt.studio.repaint import change_resolution, set_normal_map
from ruvelt.studio.session import Session
from ruvelt.studio.swap import swap_mesh
from ruvelt.studio.transfer import loss, transfer
from ruvelt.studio.trip_preview import preview
from ruvelt.studio.vertex_paint import add_vertex_paint, remove_vertex_paint
from ruvelt.web import schemas as s
from ruvelt.web.binary import bytes_answer
from ruvelt.web.context import blueprint, session_of, studio
from ruvelt.web.uploads import AXIS, NAME, form_body, uploaded_mesh, uploaded_picture

api: APIBlueprint = blueprint("projects")
FINDING_FACES = 20_000
RULES = ("auto", "materials", "parts", "tiles")


@api.get("/projects", responses={200: s.ProjectList})
def list_projects():  # type: ignore[no-untyped-def]
    return s.ProjectList(projects=[s.ProjectCardAnswer(**p.__dict__) for p in studio().projects()]).model_dump()


@api.post("/projects/<uid>/recover", responses={200: s.RecoverAnswer})
def recover_project(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """A copy of a project that cannot be opened, set back to its last good state."""
    return {"project": studio().recover(path.uid)}


@api.post("/projects", responses={200: s.JobAnswer})
@form_body(
    "the mesh and what it needs beside it",
    name=NAME,
    resolution={"type": "integer", "description": "texels a side; left out, as the file's pictures ask"},
    rule={"type": "string", "enum": list(RULES)},
    uv_set={"type": "integer", "minimum": 0, "description": "the file's number of the UV set to paint on; left out, its first"},
)
def create_project():  # type: ignore[no-untyped-def]
    """Multipart form: `file` (the mesh and what it needs beside it), `name`, `resolution`, `rule`, `uv_set`."""
    mesh = uploaded_mesh("Choose a mesh file to bring in.")
    rule = request.form.get("rule", "auto")
    if rule not in RULES:
        raise InputError(f"'{rule}' is no way to make sheets. Use auto, materials, parts or tiles.")
    resolution, uv_set = _whole("resolution", "The resolution"), _whole("uv_set", "The UV set")
    here, name = studio(), request.form.get("name") or None

    def work(job: Job) -> dict[str, object]:
        uid = here.create(
            mesh.data,
            mesh.name,
            name=name,
            resolution=resolution,
            rule=cast(SheetRule, rule),
            uv_set=uv_set,
            companions=mesh.beside,
            progress=job.progress,  # type: ignore[arg-type]
        )
        return {"project": uid}

    return job_answer(here.jobs.start("import", f"Bring in {mesh.name}", work))


def _whole(field: str, what: str) -> int | None:
    """A whole number of the form; None when it is left out."""
    text = request.form.get(field, "").strip()
    if not text:
        return None
    if not text.isascii() or not text.isdigit() or len(text) > 9:
        raise InputError(f"{what} is not a whole number.")
    return int(text)


def job_answer(job: Job) -> dict[str, object]:
    public = {k: v for k, v in job.__dict__.items() if not k.startswith("_")}
    return s.JobAnswer(**public).model_dump()


def state_of(session: Session) -> dict[str, object]:
    with session.lock:
        store = session.store
        undo, redo = store.label_of(store.head), store.label_of(store.head + 1)
        return s.ProjectState(
            uid=store.uid,
            name=store.name,
            revision=store.revision,
            updated_at=store.updated_at,
            document=store.document,
            can_undo=store.head > store.undo_floor,
            can_redo=redo is not None,
            undo_label=undo,
            redo_label=redo,
            head=store.head,
            painted=sorted(name for name, plane in store.planes.items() if plane.chunks),
            model=session.surfaces.key,
        ).model_dump(mode="json")


@api.get("/projects/<uid>", responses={200: s.ProjectState})
def project_state(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    return state_of(session_of(path.uid))


@api.get("/projects/<uid>/revision", responses={200: s.RevisionAnswer})
def project_revision(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    return {"revision": session_of(path.uid).revision}


@api.patch("/projects/<uid>", responses={200: s.ProjectState})
def rename_project(path: s.ProjectPath, body: s.RenameBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    if not body.name.strip() or not body.name.isprintable():
        raise InputError("A project name has 1 to 80 printable characters.")
    with session.lock:
        session.store.rename(body.name.strip())
    return state_of(session)


@api.delete("/projects/<uid>", responses={200: s.RevisionAnswer})
def delete_project(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    studio().delete(path.uid)
    return {"revision": 0}


@api.get("/projects/<uid>/card.jpg", responses=bytes_answer("image/jpeg"))
def project_card(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    return Response(studio().card_picture(path.uid), mimetype="image/jpeg", headers={"Cache-Control": "no-cache"})


@api.get("/projects/<uid>/model", responses={200: s.ModelFacts})
def model_facts(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    model = session.model
    low, high = model.bounds
    counts = np.bincount(model.face_part, minlength=len(model.parts)).tolist()
    return s.ModelFacts(
        faces=model.face_count,
        triangles=len(model.triangles),
        vertices=model.vertex_count,
        size=[float(v) for v in high - low],
        parts=[s.PartAnswer(name=n, faces=c) for n, c in zip(model.parts, counts, strict=True)],
        materials=[m.name for m in model.materials],
        groups=[g.name for g in model.groups],
        uv_layouts=[s.UvLayoutAnswer(name=u.name, number=u.number) for u in model.uv_layouts],
        vertex_colors=model.vertex_colors is not None,
        file_normals=model.file_normals is not None,
        notes=[s.NoteAnswer(**n.__dict__) for n in model.notes],
        sheets=[s.SheetFacts(id=x.id, **sheet_facts(session, x.id)) for x in session.document.sheets],
        findings=[
            s.FindingAnswer(kind=f.kind, title=f.title, advice=f.advice, level=f.level, count=len(f.faces), faces=f.faces[:FINDING_FACES].tolist())  # type: ignore[arg-type]
            for f in session.findings
        ],
    ).model_dump()


@api.post("/projects/<uid>/edit", responses={200: s.ProjectState})
def edit_project(path: s.ProjectPath, body: s.EditBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    session.edit(body.edit, body.label, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/undo", responses={200: s.ProjectState})
def undo(path: s.ProjectPath, body: s.StepBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    session.undo(body.revision)
    return state_of(session)


@api.post("/projects/<uid>/redo", responses={200: s.ProjectState})
def redo(path: s.ProjectPath, body: s.StepBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    session.redo(body.revision)
    return state_of(session)


@api.post("/projects/<uid>/hidden", responses={200: s.ProjectState})
def hide_parts(path: s.ProjectPath, body: s.HiddenBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    session.hide_parts(body.parts, body.hidden, body.shown)
    return state_of(session)


@api.get("/projects/<uid>/hidden-faces", responses={200: s.HiddenFaces})
def hidden_faces(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Faces of the model that do not show, as runs of a first and a count."""
    session = session_of(path.uid)
    with session.lock:
        marked = session.surfaces.hidden_faces()
    if marked is None:
        return {"runs": []}
    ends = np.flatnonzero(np.diff(np.concatenate([[False], marked, [False]]).astype(np.int8)))
    return {"runs": np.stack([ends[::2], ends[1::2] - ends[::2]], axis=1).ravel().tolist()}


@api.post("/projects/<uid>/duplicate", responses={200: s.LayerAnswer})
def duplicate(path: s.ProjectPath, body: s.DuplicateBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    return {"layer": duplicate_layer(session, body.sheet, body.layer, body.revision, body.to_sheet)}


@api.get("/projects/<uid>/cells/<sheet>", responses={200: s.CellsAnswer})
def cells(path: s.SheetPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    return {"cells": cell_pictures(session, path.sheet), "waiting": waiting(session, path.sheet)}


@api.get("/projects/<uid>/history", responses={200: s.HistoryAnswer})
def history(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    store = session_of(path.uid).store
    return s.HistoryAnswer(
        steps=[s.HistoryStep(**h.__dict__) for h in store.history()],
        versions=[s.VersionAnswer(**v.__dict__) for v in store.versions()],
        undo_steps=store.undo_steps,
        sizes=s.FileSizesAnswer(**file_sizes(store).__dict__),
    ).model_dump()


@api.post("/projects/<uid>/keep-undo", responses={200: s.ProjectState})
def keep_undo(path: s.ProjectPath, body: s.KeepUndoBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    with session.lock:
        session.store.keep_undo(body.steps)
    return state_of(session)


@api.post("/projects/<uid>/versions", responses={200: s.VersionAnswer})
def add_version(path: s.ProjectPath, body: s.VersionBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    with session.lock:
        return session.store.add_version(body.name.strip() or "Version").__dict__


@api.post("/projects/<uid>/versions/<int:number>/restore", responses={200: s.ProjectState})
def restore_version(path: s.VersionPath, body: s.StepBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    versions.restore_version(session, path.number, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/unwrap", responses={200: s.JobAnswer})
def unwrap(path: s.ProjectPath, body: s.UnwrapBody):  # type: ignore[no-untyped-def]
    session_of(path.uid)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        share = unwrap_model(opened.session, job.progress, body.resolution, body.settings)
        return {"sheets": [x.id for x in opened.session.document.sheets], "filled": share}

    return job_answer(studio().start(path.uid, "unwrap", "Unwrap the model", work))


@api.post("/projects/<uid>/mesh", responses={200: s.JobAnswer})
@form_body("the mesh and what it needs beside it", uv_set={"type": "integer", "minimum": 0, "description": "the UV set to paint on; its first"})
def swap_the_mesh(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Lay the paint on another mesh. Multipart form: `file` (the mesh and what it needs beside it), `uv_set`."""
    mesh, uv_set, here = uploaded_mesh("Choose a mesh file to swap in."), _whole("uv_set", "The UV set"), studio()
    session_of(path.uid)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        allowance = here.allowance(lambda: job.progress(0, 4, "Reading the mesh"))
        found = swap_mesh(opened.session, mesh.data, mesh.name, mesh.beside, job.progress, uv_set=uv_set, allowance=allowance)
        faces = sorted({int(f) for lost in found.lost.values() for f in lost})
        return {"relation": found.relation, "lost": len(faces), "faces": faces[:20_000], "dropped": list(found.dropped)}

    return job_answer(here.start(path.uid, "swap", "Swap the mesh", work))


@api.post("/projects/<uid>/vertex-paint", responses={200: s.ProjectState})
def begin_vertex_paint(path: s.ProjectPath, body: s.VertexPaintBody):  # type: ignore[no-untyped-def]
    """Give the project layers on its vertices, or on those of some parts."""
    session = session_of(path.uid)
    add_vertex_paint(session, body.revision, body.parts)
    return state_of(session)


@api.post("/projects/<uid>/vertex-paint/remove", responses={200: s.ProjectState})
def end_vertex_paint(path: s.ProjectPath, body: s.StepBody):  # type: ignore[no-untyped-def]
    """Take the layers on the vertices away, with what is painted there."""
    session = session_of(path.uid)
    remove_vertex_paint(session, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/pack", responses={200: s.JobAnswer})
def pack_layout(path: s.ProjectPath, body: s.PackBody):  # type: ignore[no-untyped-def]
    session_of(path.uid)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        return {"filled": pack(opened.session, job.progress, body.padding)}

    return job_answer(studio().start(path.uid, "pack", "Pack the islands", work))


@api.post("/projects/<uid>/uv-set", responses={200: s.ProjectState})
def paint_on_uv_set(path: s.ProjectPath, body: s.UvSetBody):  # type: ignore[no-untyped-def]
    """Paint on another of the file's UV sets, as long as nothing is painted."""
    session = session_of(path.uid)
    choose_uv_set(session, body.number, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/islands", responses={200: s.ProjectState})
def place_layout(path: s.ProjectPath, body: s.PlaceBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    place(session, body.placement, body.revision)
    return state_of(session)


@api.post("/projects/<uid>/seams", responses={200: s.ProjectState})
def mark_seam(path: s.ProjectPath, body: s.SeamBody):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    found = probe(session, body.camera, body.sheet, body.x, body.y, False)
    if not found["hit"]:
        raise InputError("There is no surface there. Press near an edge of the model.")
    toggle_seam(session, found["belongs"]["face"], tuple(found["position"]), body.loop, body.revision)
    return state_of(session)


@api.get("/projects/<uid>/seams", responses={200: s.SeamLines})
def marked_seams(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    return {"lines": seam_lines(session_of(path.uid)).tolist()}


@api.post("/projects/<uid>/level", responses={200: s.JobAnswer})
def level(path: s.ProjectPath, body: s.LevelBody):  # type: ignore[no-untyped-def]
    """Paint vertices at another level of subdivision."""
    session_of(path.uid).sheet(body.sheet)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        set_level(
            opened.session,
            body.sheet,
            body.level,
            job.progress,
            subdivision=body.subdivision,
            sharp_deg=body.sharp_deg,
            file_creases=body.file_creases,
        )
        return {"level": body.level}

    return job_answer(studio().start(path.uid, "level", f"Level {body.level}", work))


@api.post("/projects/<uid>/transfer", responses={200: s.JobAnswer})
def transfer_paint(path: s.ProjectPath, body: s.TransferBody):  # type: ignore[no-untyped-def]
    """Copy all layers of vertices to a sheet, or of a sheet to vertices, painted again there."""
    session = session_of(path.uid)
    session.sheet(body.from_sheet), session.sheet(body.to_sheet)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        return {"layer": transfer(opened.session, body.from_sheet, body.to_sheet, job.progress, flat=body.flat)}

    return job_answer(studio().start(path.uid, "transfer", "Take the paint along", work))


@api.post("/projects/<uid>/transfer/loss", responses={200: s.TransferLoss})
def transfer_loss(path: s.ProjectPath, body: s.TransferBody):  # type: ignore[no-untyped-def]
    """How much detail a trip takes along, before it is made."""
    told = loss(session_of(path.uid), body.from_sheet, body.to_sheet)
    return {"from_samples": told["from"], "to_samples": told["to"], "ratio": told["ratio"]}


@api.post("/projects/<uid>/transfer/preview", responses={200: s.JobAnswer})
def transfer_preview(path: s.ProjectPath, body: s.TransferBody):  # type: ignore[no-untyped-def]
    """Measure what a trip would lose of the base colour: `share` of the painted surface that changes so that it shows, `worst` 0–1, `faces`."""
    session = session_of(path.uid)
    session.sheet(body.from_sheet), session.sheet(body.to_sheet)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        job.progress(0, 1, "Making the trip there and back")
        told = preview(opened.session, body.from_sheet, body.to_sheet)
        return {"share": round(told.share, 5), "worst": round(told.worst, 5), "faces": told.faces[:20_000].tolist()}

    return job_answer(studio().start(path.uid, "preview", "Measure what would be lost", work))


@api.post("/projects/<uid>/resolution", responses={200: s.JobAnswer})
def resolution(path: s.ProjectPath, body: s.ResolutionBody):  # type: ignore[no-untyped-def]
    session_of(path.uid).sheet(body.sheet)

    def work(opened: Opened, job: Job) -> dict[str, object]:
        change_resolution(opened.session, body.sheet, body.resolution, job.progress)
        return {"resolution": body.resolution}

    return job_answer(studio().start(path.uid, "resolution", f"Repaint at {body.resolution}", work))


@api.post("/projects/<uid>/picture-layer/<sheet>", responses={200: s.LayerAnswer})
@form_body("a square picture", channel={"type": "string", "maxLength": 40, "default": "base_color"})
def bring_layer(path: s.SheetPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, a square picture; `channel`, the one it goes into."""
    session = session_of(path.uid)
    name, image = uploaded_picture("Choose a picture for the layer.")
    return {"layer": picture_layer(session, path.sheet, request.form.get("channel", "base_color"), image, name)}


@api.post("/projects/<uid>/normal-map/<sheet>", responses={200: s.ProjectState})
@form_body("a tangent-space normal map", y=AXIS)
def bring_normal_map(path: s.SheetPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, a tangent-space normal map; `y` "up" or "down"."""
    session = session_of(path.uid)
    _, image = uploaded_picture("Choose a picture of the normal map.")
    if request.form.get("y") == "down":
        image[..., 1] = 65535 - image[..., 1]
    set_normal_map(session, path.sheet, image)
    return state_of(session)


@api.delete("/projects/<uid>/normal-map/<sheet>", responses={200: s.ProjectState})
def drop_normal_map(path: s.SheetPath):  # type: ignore[no-untyped-def]
    session = session_of(path.uid)
    set_normal_map(session, path.sheet, None)
    return state_of(session)


@api.get("/projects/<uid>/script", responses={200: {"content": {"application/json": {"schema": {"type": "object"}}}}})
def recorded_script(path: s.ProjectPath, query: s.ScriptQuery):  # type: ignore[no-untyped-def]
    script = script_since(session_of(path.uid), query.since)
    return Response(json.dumps(script), mimetype="application/json", headers={"Content-Disposition": 'attachment; filename="strokes.json"'})


@api.get("/jobs/<job>", responses={200: s.JobAnswer})
def job_state(path: s.JobPath):  # type: ignore[no-untyped-def]
    return job_answer(studio().jobs.get(path.job))


@api.post("/jobs/<job>/cancel", responses={200: s.JobAnswer})
def cancel_job(path: s.JobPath):  # type: ignore[no-untyped-def]
    job = studio().jobs.get(path.job)
    job.cancel()
    return job_answer(job)

"""Routes of exports and their presets."""

from __future__ import annotations

import time

from flask import Response
from flask_openapi3 import APIBlueprint

from ruvelt.core.errors import NotFound
from ruvelt.core.output.presets import ExportPreset, file_stem
from ruvelt.studio.exports import export_project, files_as_json, map_preview, zip_folder
from ruvelt.studio.jobs import Job
from ruvelt.studio.pool import Opened
from ruvelt.web import schemas as s
from ruvelt.web.binary import bytes_answer
from ruvelt.web.context import blueprint, session_of, studio
from ruvelt.web.projects import job_answer

api: APIBlueprint = blueprint("exporting")


@api.get("/presets", responses={200: s.PresetsAnswer})
def presets():  # type: ignore[no-untyped-def]
    return s.PresetsAnswer(presets=studio().presets.all()).model_dump()


@api.post("/presets", responses={200: s.PresetsAnswer})
def save_preset(body: ExportPreset):  # type: ignore[no-untyped-def]
    studio().presets.save(body)
    return s.PresetsAnswer(presets=studio().presets.all()).model_dump()


@api.delete("/presets/<preset>", responses={200: s.PresetsAnswer})
def delete_preset(path: s.PresetPath):  # type: ignore[no-untyped-def]
    studio().presets.get(path.preset)
    studio().presets.delete(path.preset)
    return s.PresetsAnswer(presets=studio().presets.all()).model_dump()


@api.post("/projects/<uid>/exports", responses={200: s.JobAnswer})
def export(path: s.ProjectPath, body: s.ExportBody):  # type: ignore[no-untyped-def]
    """Write a map set into the data folder; the job's result names it and lists its files."""
    here = studio()
    session = session_of(path.uid)
    stem = file_stem(body.preset.model_copy(update={"template": "{project}_{map}"}), session.store.name, "", 0, body.preset.id)
    name = f"{stem.replace('.', '_')[:50].strip('_-') or 'export'}-{time.strftime('%Y%m%d-%H%M%S')}"
    out = here.new_export_folder(path.uid, name)

    def work(project: Opened, job: Job) -> dict[str, object]:
        files = export_project(project.session, body.preset, out, sheets=body.sheets, maps=body.maps, variants=body.variants, progress=job.progress)
        return {"name": out.name, "folder": str(out), "files": files_as_json(files)}

    return job_answer(here.start(path.uid, "export", f"Export {body.preset.name}", work))


@api.post("/projects/<uid>/map-preview", responses=bytes_answer("image/png"))
def preview(path: s.ProjectPath, body: s.PreviewBody):  # type: ignore[no-untyped-def]
    """A small PNG of one map."""
    session = session_of(path.uid)
    with session.lock:
        return Response(map_preview(session, body.sheet, body.preset, body.map), mimetype="image/png")


@api.get("/projects/<uid>/exports/<name>.zip", responses=bytes_answer("application/zip"))
def download(path: s.ExportPath):  # type: ignore[no-untyped-def]
    folder = studio().export_folder(path.uid, path.name)
    if not folder.is_dir():
        raise NotFound("There is no such export any more. Export again.")
    return Response(zip_folder(folder), mimetype="application/zip", headers={"Content-Disposition": f'attachment; filename="{path.name}.zip"'})

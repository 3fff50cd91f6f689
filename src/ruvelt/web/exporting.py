"""Routes of exports and their presets."""

from __future__ import annotations

import time
from dataclasses import asdict
from pathlib import Path

from flask import Response
from flask_openapi3 import APIBlueprint

from ruvelt.core.errors import NotFound
from ruvelt.core.output.presets import ExportPreset, file_stem
from ruvelt.studio.export_wish import ExportWish, last_wish, plan_export, remember, the_last
from ruvelt.studio.exports import export_project, files_as_json, map_preview, zip_folder
from ruvelt.studio.files_before import FilesBefore
from ruvelt.studio.jobs import Job
from ruvelt.studio.pool import Opened
from ruvelt.web import export_schemas as s
from ruvelt.web.binary import bytes_answer
from ruvelt.web.context import blueprint, session_of, studio
from ruvelt.web.projects import job_answer
from ruvelt.web.schemas import JobAnswer, ProjectPath

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


@api.post("/projects/<uid>/exports", responses={200: JobAnswer})
def export(path: ProjectPath, body: s.ExportBody):  # type: ignore[no-untyped-def]
    """Write a map set into a new folder of the data folder; the job's result names it and lists its files."""
    here = studio()
    session = session_of(path.uid)
    stem = file_stem(body.preset.model_copy(update={"template": "{project}_{map}"}), session.store.name, "", 0, body.preset.id)
    name = f"{stem.replace('.', '_')[:50].strip('_-') or 'export'}-{time.strftime('%Y%m%d-%H%M%S')}"
    return _started(path.uid, _wish(body, str(here.new_export_folder(path.uid, name))), False)


def _wish(body: s.ExportBody, out: str) -> ExportWish:
    chosen = (None if x is None else tuple(x) for x in (body.sheets, body.maps, body.variants))
    sheets, maps, variants = chosen
    return ExportWish(preset=body.preset, sheets=sheets, maps=maps, variants=variants, out=out)  # type: ignore[arg-type]


def _started(uid: str, wish: ExportWish, over: bool):  # type: ignore[no-untyped-def]
    here, out = studio(), Path(wish.out)

    def work(project: Opened, job: Job) -> dict[str, object]:
        before = FilesBefore(out)
        files = export_project(
            project.session,
            wish.preset,
            out,
            sheets=wish.sheets,
            maps=wish.maps,
            variants=wish.variants,
            over=over,
            progress=job.progress,
        )
        remember(here.exports_of(uid), wish)
        return {"name": out.name, "folder": str(out), "files": files_as_json(files), "changed": before.changed(files)}

    return job_answer(here.start(uid, "export", f"Export {wish.preset.name}", work))


@api.get("/projects/<uid>/exports/last", responses={200: s.LastExportAnswer})
def last(path: ProjectPath):  # type: ignore[no-untyped-def]
    """What was exported last, to be written again."""
    found = last_wish(studio().exports_of(path.uid))
    told = None if found is None else {"preset": found.preset.name, "name": Path(found.out).name, "folder": found.out}
    return {"last": told}


@api.post("/projects/<uid>/exports/last", responses={200: JobAnswer})
def again(path: ProjectPath, body: s.AgainBody):  # type: ignore[no-untyped-def]
    """Write what was exported last into its folder again; files that are made of the same stay as they are."""
    return _started(path.uid, the_last(studio().exports_of(path.uid)), body.over)


@api.post("/projects/<uid>/export-plan", responses={200: s.ExportPlanAnswer})
def plan(path: ProjectPath, body: s.ExportBody):  # type: ignore[no-untyped-def]
    """What an export will come to, and which maps say nothing."""
    found = plan_export(session_of(path.uid), _wish(body, ""))
    return {"files": [asdict(f) for f in found.files], "silent": [{"sheet": sheet, "map": map_id} for sheet, map_id in found.silent]}


@api.post("/projects/<uid>/map-preview", responses=bytes_answer("image/png"))
def preview(path: ProjectPath, body: s.PreviewBody):  # type: ignore[no-untyped-def]
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

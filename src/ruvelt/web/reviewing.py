"""Routes of checks of finished work, and of what puts findings right."""

from __future__ import annotations

from flask_openapi3 import APIBlueprint

from ruvelt.core.errors import NotFound
from ruvelt.core.review.registry import map_checks
from ruvelt.studio.jobs import Job
from ruvelt.studio.pool import Opened
from ruvelt.studio.reviewing import clamp_base, finding_as_json, make_cut_out, review_project, soften_seams
from ruvelt.web import export_schemas as s
from ruvelt.web.context import blueprint, session_of, studio
from ruvelt.web.projects import job_answer, state_of
from ruvelt.web.schemas import JobAnswer, JobPath, ProjectPath, ProjectState

api: APIBlueprint = blueprint("reviewing")


@api.get("/checks", responses={200: s.MapChecksAnswer})
def checks():  # type: ignore[no-untyped-def]
    """What can be checked of finished work."""
    return {"checks": [{"id": c.id, "name": c.label, "hint": c.hint} for c in map_checks()]}


@api.post("/projects/<uid>/checks", responses={200: JobAnswer})
def check(path: ProjectPath, body: s.CheckBody):  # type: ignore[no-untyped-def]
    """Check the project's sheets as a preset writes them; what is found is asked for by the job's id."""

    def work(project: Opened, job: Job) -> dict[str, object]:
        session = project.session
        found = review_project(session, body.preset, body.sheets, body.checks, job.progress)
        return s.FindingsAnswer.model_validate({"findings": [finding_as_json(session, f) for f in found]}).model_dump(mode="json")

    return job_answer(studio().start(path.uid, "check", "Check", work))


@api.get("/jobs/<job>/findings", responses={200: s.FindingsAnswer})
def findings(path: JobPath):  # type: ignore[no-untyped-def]
    """What a check found. Not there until its job is done."""
    job = studio().jobs.get(path.job)
    if job.kind != "check" or job.state != "done":
        raise NotFound("That check is not over. Wait for it, or check again.")
    return job.result


@api.post("/projects/<uid>/mends", responses={200: ProjectState})
def mend(path: ProjectPath, body: s.MendBody):  # type: ignore[no-untyped-def]
    """Put a finding right, as one step of history."""
    session = session_of(path.uid)
    with session.lock:
        session.check_revision(body.revision)
        if body.mend == "cut-out":
            make_cut_out(session, body.sheet)
        elif body.mend == "soften":
            soften_seams(session, body.sheet, body.channel)
        else:
            clamp_base(session, body.sheet, body.low, body.high)
    return state_of(session)

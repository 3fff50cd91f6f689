"""Routes of maps that are changed in a program outside."""

from __future__ import annotations

from flask import request
from flask_openapi3 import APIBlueprint

from ruvelt.core.errors import InputError
from ruvelt.studio import taking_out
from ruvelt.studio import trips as kept
from ruvelt.studio.bringing_back import difference
from ruvelt.studio.bringing_back import land as land_back
from ruvelt.web import schemas as s
from ruvelt.web.context import blueprint, session_of, studio
from ruvelt.web.uploads import form_body

api: APIBlueprint = blueprint("outside")


@api.get("/projects/<uid>/outside", responses={200: s.TripsAnswer})
def trips(path: s.ProjectPath):  # type: ignore[no-untyped-def]
    """Maps that were taken out, and which of them were saved since."""
    folder = studio().outside_folder(path.uid)
    return {"trips": [_told(kept.state_as_json(folder, t)) for t in kept.trips_in(folder)]}


def _told(state: dict[str, object]) -> dict[str, object]:
    return s.TripAnswer.model_validate({k: v for k, v in state.items() if k in s.TripAnswer.model_fields}).model_dump()


@api.post("/projects/<uid>/outside", responses={200: s.TripAnswer})
def take_out(path: s.ProjectPath, body: s.TakeOutBody):  # type: ignore[no-untyped-def]
    """Write a map, or one layer of it, into the project's folder for programs outside, with its wire and island ids."""
    folder = studio().outside_folder(path.uid)
    made = taking_out.take_out(session_of(path.uid), folder, body.sheet, body.channel, body.layer, suffix=body.format, bits=body.bits)
    return _told(kept.state_as_json(folder, made))


@api.post("/projects/<uid>/outside/<trip>/look", responses={200: s.DifferenceAnswer})
def look(path: s.TripPath, body: s.BringBackBody):  # type: ignore[no-untyped-def]
    """What a file that was saved outside has otherwise than what was sent; nothing is laid."""
    folder = studio().outside_folder(path.uid)
    found = difference(session_of(path.uid), folder, kept.trip_of(folder, path.trip), body.scaled, body.material)
    return {"changed": found.count, "covered": found.covered, "told": found.told, "picture": found.picture}


@api.post("/projects/<uid>/outside/<trip>/land", responses={200: s.LandedAnswer})
def land(path: s.TripPath, body: s.BringBackBody):  # type: ignore[no-untyped-def]
    """Lay it as a layer over the old; one that came back before is brought up to date."""
    folder = studio().outside_folder(path.uid)
    layer, found = land_back(session_of(path.uid), folder, kept.trip_of(folder, path.trip), body.scaled, body.revision, body.material)
    return {"layer": layer, "changed": found.count, "told": found.told}


@api.post("/projects/<uid>/outside/<trip>/file", responses={200: s.TripsAnswer})
@form_body("the picture that comes back")
def put_file(path: s.TripPath):  # type: ignore[no-untyped-def]
    """Multipart form: `file`, a picture that comes back from elsewhere; it takes the place of the one in the folder."""
    folder = studio().outside_folder(path.uid)
    upload = request.files.get("file")
    if upload is None:
        raise InputError("Choose the picture that comes back.")
    kept.put_file(folder, kept.trip_of(folder, path.trip), upload.read())
    return trips(s.ProjectPath(uid=path.uid))


@api.delete("/projects/<uid>/outside/<trip>", responses={200: s.TripsAnswer})
def forget(path: s.TripPath):  # type: ignore[no-untyped-def]
    """Take the files away; what came back stays in the project."""
    folder = studio().outside_folder(path.uid)
    kept.forget(folder, kept.trip_of(folder, path.trip))
    return trips(s.ProjectPath(uid=path.uid))

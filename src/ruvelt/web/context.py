"""What routes reach for: the studio of the running application."""

from __future__ import annotations

import os
from contextlib import ExitStack

from flask import Flask, current_app, g
from flask_openapi3 import APIBlueprint

from ruvelt.studio.pool import Opened
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from ruvelt.web.schemas import ErrorAnswer


def studio() -> Studio:
    found: Studio = current_app.extensions["ruvelt-studio"]
    return found


def opened(uid: str) -> Opened:
    """An open project and its desks, pinned until this request has been answered."""
    if "lent" not in g:
        g.lent = ExitStack()
    found: Opened = g.lent.enter_context(studio().lend(uid))
    return found


def session_of(uid: str) -> Session:
    """An open project, pinned until this request has been answered."""
    return opened(uid).session


def install_lending(app: Flask) -> None:
    @app.teardown_request
    def _give_back(error: BaseException | None) -> None:
        lent = g.pop("lent", None)
        if lent is not None:
            lent.close()


#: Set where the API is to be described: that takes longer than everything else at a start, and nobody who paints reads it.
DESCRIBE = "RUVELT_DESCRIBE_API"


def blueprint(name: str) -> APIBlueprint:
    errors = dict.fromkeys((400, 403, 404, 405, 409, 413, 415, 507), ErrorAnswer)
    return APIBlueprint(name, __name__, url_prefix="/api", abp_responses=errors, doc_ui=DESCRIBE in os.environ)  # type: ignore[arg-type]

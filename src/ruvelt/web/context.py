"""What routes reach for: the studio of the running application."""

from __future__ import annotations

import os

from flask import current_app
from flask_openapi3 import APIBlueprint

from ruvelt.studio.studio import Studio
from ruvelt.web.schemas import ErrorAnswer


def studio() -> Studio:
    found: Studio = current_app.extensions["ruvelt-studio"]
    return found


#: Set where the API is to be described: that takes longer than everything else at a start, and nobody who paints reads it.
DESCRIBE = "RUVELT_DESCRIBE_API"


def blueprint(name: str) -> APIBlueprint:
    errors = {400: ErrorAnswer, 404: ErrorAnswer, 409: ErrorAnswer}
    return APIBlueprint(name, __name__, url_prefix="/api", abp_responses=errors, doc_ui=DESCRIBE in os.environ)  # type: ignore[arg-type]

"""The API's OpenAPI 3.1 document: what `ruvelt openapi` prints and TypeScript types are generated from."""

from __future__ import annotations

import re
from typing import Any

from flask_openapi3 import OpenAPI
from pydantic.json_schema import models_json_schema

from ruvelt.web.binary import HEADERS

REFERENCE = "#/components/schemas/{model}"


def describe(app: OpenAPI) -> dict[str, Any]:
    """The document of an application whose routes were made with descriptions on (`context.DESCRIBE`)."""
    document: dict[str, Any] = app.api_doc
    # Headers of binary answers are no response of their own, but clients read them.
    _, extra = models_json_schema([(header, "serialization") for header in HEADERS], ref_template=REFERENCE)
    schemas = document["components"]["schemas"]
    for name, schema in extra["$defs"].items():
        schemas.setdefault(name, schema)
    document["components"] = {name: part for name, part in document["components"].items() if part is not None}
    for rule in app.url_map.iter_rules():
        body = getattr(app.view_functions[rule.endpoint], "request_body", None)
        if body is not None:
            path = re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule)
            document["paths"][path]["post"]["requestBody"] = body
    return document

"""The one place that maps errors to status codes. No stack trace reaches a person."""

from __future__ import annotations

import errno
import logging

from flask import Flask, Response, jsonify
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from ruvelt.core.errors import Conflict, InputError, NotFound, RuveltError, StorageError

_log = logging.getLogger("ruvelt.web")
STATUS: dict[type[RuveltError], int] = {InputError: 400, NotFound: 404, Conflict: 409, StorageError: 507}


def answer(message: str, status: int) -> Response:
    response = jsonify(error=message)
    response.status_code = status
    return response


def bad_body(error: ValidationError) -> Response:
    """A request that does not fit its schema: name the first field."""
    if error.title.endswith("Path"):
        return answer("There is nothing at this address. Reload the page or choose a project from the list.", 404)
    first = error.errors()[0]
    where = ".".join(str(p) for p in first["loc"]) or "the request"
    return answer(f"{where}: {first['msg']}.", 400)


def install_errors(app: Flask) -> None:
    @app.errorhandler(RuveltError)
    def _known(error: RuveltError) -> Response:
        return answer(str(error), next((s for kind, s in STATUS.items() if isinstance(error, kind)), 400))

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        if error.code == 413:
            return answer("The file is larger than can be taken in (1 GiB). Make it smaller.", 413)
        return answer(error.description or error.name, error.code or 500)

    @app.errorhandler(OSError)
    def _disk(error: OSError) -> Response:
        _log.warning("disk: %s", error)
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return answer("The disk is full. Free some space and repeat this; all earlier work is safe.", 507)
        return answer(f"The data folder cannot be used ({error.strerror or 'it is not there'}). Check it and its disk, then repeat this.", 507)

    @app.errorhandler(MemoryError)
    def _memory(error: MemoryError) -> Response:
        return answer("There was not enough memory for this. Close other projects, or use a smaller resolution. All earlier work is safe.", 507)

    @app.errorhandler(Exception)
    def _unknown(error: Exception) -> Response:
        _log.exception("unexpected error")
        return answer("Something went wrong inside Ruvelt; the details are in its log. Your work is stored.", 500)

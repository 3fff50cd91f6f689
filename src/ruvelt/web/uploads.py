"""Files that come with a request: a mesh with what it needs beside it, or a picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from flask import g, request

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.readers import READERS
from ruvelt.core.output.incoming_picture import picture_in
from ruvelt.core.planes.plane import U16

View = TypeVar("View", bound=Callable[..., Any])
NAME = {"type": "string", "maxLength": 80}
AXIS = {"type": "string", "enum": ["up", "down"], "default": "up"}


@dataclass(frozen=True)
class UploadedMesh:
    """A mesh file and its companions by plain file name; folders in their names are dropped."""

    name: str
    data: bytes
    beside: dict[str, bytes]


def form_body(files: str, **fields: dict[str, Any]) -> Callable[[View], View]:
    """Say for the API's description that a route takes a multipart form: `file` (what `files` says, one or several) and fields by schema."""
    several = {"type": "array", "items": {"type": "string", "format": "binary"}, "minItems": 1, "maxItems": 100, "description": files}
    schema = {"type": "object", "properties": {"file": several, **fields}, "required": ["file"]}
    return described({"content": {"multipart/form-data": {"schema": schema}}, "required": True})


def described(body: dict[str, Any]) -> Callable[[View], View]:
    """Keep the description of a request body that a route reads by itself."""

    def mark(view: View) -> View:
        view.request_body = body  # type: ignore[attr-defined]
        return view

    return mark


def _plain(name: str) -> str:
    return name.replace("\\", "/").split("/")[-1]


def uploaded_mesh(missing: str) -> UploadedMesh:
    """The mesh among the form's files. Raises InputError with the words `missing` when there is none."""
    files = {f.filename or "": f.read() for f in request.files.getlist("file")}
    if not files:
        raise InputError(missing)
    main = next((n for n in files if n.lower().endswith(tuple(READERS))), next(iter(files)))
    return UploadedMesh(main, files[main], {_plain(n): d for n, d in files.items() if n != main})


def uploaded_picture(missing: str) -> tuple[str, U16]:
    """Plain name without its ending, and (h, w, 4) uint16 of the form's picture; what is worth telling of it goes out as a header.

    Raises InputError when there is none or it is no picture.
    """
    upload = request.files.get("file")
    if upload is None:
        raise InputError(missing)
    name = upload.filename or "picture"
    image, g.told = picture_in(upload.read(), name)
    return _plain(name).rsplit(".", 1)[0], image

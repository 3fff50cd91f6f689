"""Binary answers: a little-endian uint32 length, a JSON header of that length padded to 4 bytes, then raw blocks."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from http import HTTPStatus
from typing import Any

from flask import Response
from pydantic import BaseModel

BINARY = "application/octet-stream"
#: Every header that a route describes.
HEADERS: list[type[BaseModel]] = []


#: Answers of a route by their status, as the API describes them.
Answers = dict[str | int | HTTPStatus, type[BaseModel] | dict[Any, Any] | None]


def binary_answer(header: type[BaseModel]) -> Answers:
    """How a route's binary answer is described: bytes, which begin with the given header."""
    HEADERS.append(header)
    schema = {"type": "string", "format": "binary", "description": f"uint32 length, a {header.__name__} as JSON, raw blocks"}
    return {200: {"content": {BINARY: {"schema": schema}}}}


def bytes_answer(mimetype: str) -> Answers:
    """How a route's answer in another format is described."""
    return {200: {"content": {mimetype: {"schema": {"type": "string", "format": "binary"}}}}}


def parts(header: BaseModel, blocks: Iterable[bytes]) -> Iterable[bytes]:
    """The body of a binary answer; `blocks` follow the header in the order its offsets count them."""
    text = header.model_dump_json().encode()
    text += b" " * (-len(text) % 4)
    yield struct.pack("<I", len(text)) + text
    yield from blocks


def binary(header: BaseModel, blocks: Iterable[bytes]) -> Response:
    """A binary answer, sent as its blocks come."""
    return Response(parts(header, blocks), mimetype=BINARY, headers={"Cache-Control": "no-store"})

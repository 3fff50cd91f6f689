"""Binary answers: a little-endian uint32 length, a JSON header of that length padded to 4 bytes, then raw blocks."""

from __future__ import annotations

import struct
from collections.abc import Iterable

from flask import Response
from pydantic import BaseModel


def parts(header: BaseModel, blocks: Iterable[bytes]) -> Iterable[bytes]:
    """The body of a binary answer; `blocks` follow the header in the order its offsets count them."""
    text = header.model_dump_json().encode()
    text += b" " * (-len(text) % 4)
    yield struct.pack("<I", len(text)) + text
    yield from blocks


def binary(header: BaseModel, blocks: Iterable[bytes]) -> Response:
    """A binary answer, sent as its blocks come."""
    return Response(parts(header, blocks), mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})

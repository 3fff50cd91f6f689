"""Binary answers: a little-endian uint32 length, a JSON header of that length padded to 4 bytes, then raw blocks."""

from __future__ import annotations

import struct
from collections.abc import Iterable

from flask import Response
from pydantic import BaseModel


def binary(header: BaseModel, blocks: Iterable[bytes]) -> Response:
    """A binary answer; `blocks` follow the header in the order its offsets count them, and are sent as they come."""
    text = header.model_dump_json().encode()
    text += b" " * (-len(text) % 4)

    def parts() -> Iterable[bytes]:
        yield struct.pack("<I", len(text)) + text
        yield from blocks

    return Response(parts(), mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})

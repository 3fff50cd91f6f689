"""Files that came along with a mesh, found by the names the mesh has for them. Nothing else is ever opened."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Mapping
from urllib.parse import unquote, unquote_to_bytes


def plain_path(uri: str) -> str:
    """A name as files write it, without escapes, drive letters or leading dots."""
    path = unquote(uri.strip()).replace("\\", "/")
    return "/".join(p for p in path.split("/") if p not in ("", ".", ".."))


class Companions:
    """Looks up by path, then by bare name, then without regard to case."""

    def __init__(self, files: Mapping[str, bytes]) -> None:
        self._files: dict[str, bytes] = {}
        for name, data in files.items():
            path = name.replace("\\", "/")
            for key in (path, path.lower(), path.split("/")[-1], path.split("/")[-1].lower()):
                self._files.setdefault(key, data)

    def find(self, uri: str) -> bytes | None:
        """The bytes that a file names, or None when they did not come along."""
        for path in (uri.strip().replace("\\", "/"), plain_path(uri)):
            bare = path.split("/")[-1]
            for key in (path, path.lower(), bare, bare.lower()):
                if key in self._files:
                    return self._files[key]
        return None


def data_uri(uri: str) -> bytes | None:
    """The bytes of a data URI; None when it is damaged."""
    head, comma, body = uri.partition(",")
    if not comma:
        return None
    try:
        return base64.b64decode(unquote_to_bytes(body), validate=True) if head.endswith(";base64") else unquote_to_bytes(body)
    except binascii.Error:
        return None

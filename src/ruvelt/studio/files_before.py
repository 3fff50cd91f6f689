"""What an earlier export left in a folder: files that need not be written again, and files that are not ours to write over."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from ruvelt.core.output.mapset import WrittenFile

LISTING, BEGUN = "listing.json", ".listing.begun.json"


def _entries(path: Path) -> dict[str, dict[str, Any]]:
    """Files of a listing by name; none of one that cannot be read: then all files are someone else's."""
    try:
        return {str(entry["name"]): dict(entry) for entry in json.loads(path.read_bytes())["files"]}
    except (OSError, ValueError, KeyError, TypeError):
        return {}


class FilesBefore:
    """What an earlier export left in a folder, by its listing; what does not lie there as it was written counts as someone else's."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._entries = _entries(folder / LISTING)
        #: Of an export that was killed while it put its files in place.
        self._begun = _entries(folder / BEGUN)
        self.foreign_listing = (folder / LISTING).exists() and not self._entries

    def kept(self, name: str, made_of: str) -> WrittenFile | None:
        """The file of that name, if it is made of the same and nothing has changed it."""
        entry = self._entries.get(name)
        if entry is None or entry.get("made_of") != made_of or not self._lies_as(name, entry):
            return None
        try:
            values: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in entry.items()}
            found = WrittenFile(**values)
        except TypeError:
            return None
        return found

    def _lies_as(self, name: str, entry: dict[str, Any]) -> bool:
        try:
            return hashlib.sha256((self._folder / name).read_bytes()).hexdigest() == entry.get("sha256")
        except OSError:
            return False

    def is_same(self, name: str, data: bytes) -> bool:
        """Whether the file lies there with these bytes already."""
        path = self._folder / name
        try:
            return path.stat().st_size == len(data) and path.read_bytes() == data
        except OSError:
            return False

    def is_ours(self, name: str) -> bool:
        """Whether the file lies there as an export wrote it."""
        return any(self._lies_as(name, listed[name]) for listed in (self._entries, self._begun) if name in listed)

    def changed(self, files: Sequence[WrittenFile]) -> list[str]:
        """Names of those that are others than before."""
        return [f.name for f in files if self._entries.get(f.name, {}).get("sha256") != f.sha256]

"""What a project's views are made of, kept as files beside it by what it was made from. All of it can be made anew."""

from __future__ import annotations

import os
from collections.abc import Iterable
from contextlib import suppress
from hashlib import blake2b
from pathlib import Path

import zstandard

FOLDER = "views"


class ViewStore:
    """Bytes by key, compressed with Zstandard. A file that is damaged or cannot be written costs time, never work."""

    def __init__(self, folder: Path, name: str = FOLDER) -> None:
        self._folder = folder / name

    def _path(self, key: str) -> Path:
        return self._folder / f"{blake2b(key.encode(), digest_size=16).hexdigest()}.zst"

    def get(self, key: str) -> bytes | None:
        try:
            return zstandard.ZstdDecompressor().decompress(self._path(key).read_bytes())
        except (OSError, zstandard.ZstdError, MemoryError):
            return None

    def put(self, key: str, content: bytes, current: Iterable[str]) -> None:
        """Keep bytes; whatever is kept under keys that are not `current` any more goes."""
        with suppress(OSError):
            self._folder.mkdir(exist_ok=True)
            part = self._path(key).with_suffix(f".{os.getpid()}.new")
            part.write_bytes(zstandard.ZstdCompressor(level=1, write_checksum=True, threads=2).compress(content))
            part.replace(self._path(key))
            wanted = {self._path(k).name for k in (*current, key)}
            for old in self._folder.iterdir():
                if old.name not in wanted:
                    old.unlink()

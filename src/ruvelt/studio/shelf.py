"""Things that artists keep for all projects: a list in one file of the data folder, replaced whole."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Generic, Protocol, TypeVar

from ruvelt.core.errors import InputError, StorageError


class Kept(Protocol):
    @property
    def id(self) -> str: ...
    def model_dump(self, *, mode: str = ...) -> dict[str, Any]: ...
    @classmethod
    def model_validate(cls, obj: Any) -> Any: ...


K = TypeVar("K", bound=Kept)


class Shelf(Generic[K]):
    """`kind`: the model of what is kept; `what`: its name for people."""

    def __init__(self, path: Path, kind: type[K], what: str) -> None:
        self._path, self._kind, self._what = path, kind, what

    def all(self) -> list[K]:
        """Raises InputError when the file cannot be read."""
        if not self._path.is_file():
            return []
        try:
            return [self._kind.model_validate(p) for p in json.loads(self._path.read_text("utf-8"))]
        except ValueError:
            raise InputError(f"The file {self._path.name} in the data folder cannot be read. Repair it or move it away.") from None

    def save(self, one: K) -> None:
        """Keep one; another of the same id is replaced. Raises StorageError."""
        self._write([*(p for p in self.all() if p.id != one.id), one])

    def delete(self, one_id: str) -> None:
        self._write([p for p in self.all() if p.id != one_id])

    def _write(self, kept: Sequence[K]) -> None:
        part = self._path.with_suffix(".part")
        try:
            part.write_text(json.dumps([p.model_dump(mode="json") for p in kept], indent=2), "utf-8")
            part.replace(self._path)
        except OSError as error:
            raise StorageError(f"The {self._what} could not be kept ({error.strerror}). Free some space or check the data folder.") from None

"""Ids of new layers."""

from __future__ import annotations

from ruvelt.core.stack.document import Sheet


class IdMaker:
    """Ids of new layers: short, and free on the sheet."""

    def __init__(self, sheet: Sheet) -> None:
        self._taken = {layer.id for layer, _ in sheet.walk()}
        self._next = len(self._taken) + 1

    def new(self) -> str:
        while f"l{self._next}" in self._taken:
            self._next += 1
        made = f"l{self._next}"
        self._taken.add(made)
        return made

"""What writes the picture of a map, and the writers there are."""

from __future__ import annotations

import logging
from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.discovery import classes_in
from ruvelt.core.errors import InputError

#: Entry points of plug-ins with writers.
ENTRY_POINTS = "ruvelt.writers"
_log = logging.getLogger(__name__)


class MapWriter:
    """A file format for maps. suffix : with its dot; bits : a component that it can hold; rank : its place in lists"""

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    suffix: ClassVar[str] = ""
    bits: ClassVar[tuple[int, ...]] = (8,)
    rank: ClassVar[int] = 1000

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    def encode(self, values_u16: NDArray[np.uint16], bits: int) -> bytes:
        """A file of (h, w), (h, w, 3) or (h, w, 4) uint16 codes, top row first. The same pixels give the same bytes."""
        raise NotImplementedError


def _fits(writer: type[MapWriter]) -> bool:
    """Whether a writer can be listed; one of a plug-in that cannot is reported and left out."""
    if writer.__module__.startswith("ruvelt.core.") or (writer.label and writer.suffix[:1] == "." and set(writer.bits) & {8, 16}):
        return True
    _log.error("the writer '%s' of %s has no label, no suffix with its dot, or neither 8 nor 16 bits; it is left out", writer.id, writer.__module__)
    return False


@lru_cache(maxsize=1)
def writers() -> dict[str, MapWriter]:
    """By id: one file each in `writers`, and those of plug-ins."""
    found = [w for w in classes_in("ruvelt.core.output.writers", MapWriter, ENTRY_POINTS).values() if _fits(w)]
    return {w.id: w() for w in sorted(found, key=lambda w: (w.rank, w.id))}


def writer_of(format_id: str) -> MapWriter:
    """Raises InputError for a format that nothing here writes."""
    if format_id not in writers():
        raise InputError(f"Nothing here writes '{format_id[:40]}'. Choose one of {', '.join(writers())}.")
    return writers()[format_id]


def bits_for(writer: MapWriter, wanted: int) -> int:
    """The bits a component that come nearest to what is wanted."""
    return min(writer.bits, key=lambda bits: (abs(bits - wanted), -bits))

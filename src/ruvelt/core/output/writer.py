"""File formats for maps, one file each in `writers`, and those of plug-ins."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, ClassVar, Literal

from numpy.typing import NDArray

from ruvelt.core.discovery import classes_in
from ruvelt.core.errors import InputError

#: Entry points of plug-ins with formats.
ENTRY_POINTS = "ruvelt.writers"
_log = logging.getLogger(__name__)

Space = Literal["srgb", "linear", "data"]
#: What programs call the components of a picture of so many.
LETTERS = {1: ("Y",), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}


@dataclass(frozen=True)
class About:
    """What a file says of its pixels. space : how colours are encoded, "data" where there are none; quality : 1–100, of formats with loss"""

    space: Space = "data"
    quality: int = 90


PLAIN = About()


class MapWriter:
    """A file format for maps. suffix : with its dot; rank : its place in lists

    bits : a component that it can hold; floats : those of them that are floating-point numbers; counts : components that it can hold
    lossy : whether it has a quality
    """

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    suffix: ClassVar[str] = ""
    bits: ClassVar[tuple[int, ...]] = (8,)
    floats: ClassVar[tuple[int, ...]] = ()
    counts: ClassVar[tuple[int, ...]] = (1, 3, 4)
    lossy: ClassVar[bool] = False
    rank: ClassVar[int] = 1000

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        """A file of (h, w), (h, w, 3) or (h, w, 4) pixels, top row first: uint16 codes, float32 where `bits` is one of `floats`.

        The same pixels give the same bytes.
        """
        raise NotImplementedError


def _fits(writer: type[MapWriter]) -> bool:
    """Whether a writer can be listed; one of a plug-in that cannot is reported and left out."""
    if writer.__module__.startswith("ruvelt.core.") or (writer.label and writer.suffix[:1] == "." and set(writer.bits) & {8, 16, 32}):
        return True
    _log.error(
        "the writer '%s' of %s has no label, no suffix with its dot, or no depth of 8, 16 or 32 bits; it is left out", writer.id, writer.__module__
    )
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

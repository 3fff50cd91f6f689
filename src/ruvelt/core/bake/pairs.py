"""Which parts of a high mesh each part of the low one is measured against: by their names, or as the artist says."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from ruvelt.core.stack.basics import Frozen

PartName = Annotated[str, Field(max_length=1000)]
#: What tells low from high parts, before a number if there is one; a letter behind it numbers several highs of one low.
_SUFFIX = re.compile(r"[ _.-]+(low|high|lo|hi|lp|hp|low[ _-]?poly|high[ _-]?poly)([ _.-][a-z])?(?=([ _.-]*\d+)?$)", re.IGNORECASE)
#: Copies are numbered so by modelling programs; the number says nothing.
_COPY = re.compile(r"\.\d{3}$")


class PartPair(Frozen):
    """What an artist says of one low part: that it is measured against these high parts, against everything, or against nothing."""

    low: PartName
    to: Literal["parts", "everything", "nothing"] = "parts"
    high: Annotated[tuple[PartName, ...], Field(max_length=2000)] = ()


def part_key(name: str) -> str:
    """What parts of a low and a high mesh have in common: the name without `_low`, `_hp`, `_high_a` and their like, in lower case."""
    return _SUFFIX.sub("", _COPY.sub("", name.strip())).lower()


@dataclass(frozen=True)
class Pairing:
    """For each low part the rows of high parts it is measured against: None for everything, empty for nothing.

    said : which low parts the artist has spoken for; alone : rows of high parts that no low part is measured against
    """

    partners: tuple[tuple[int, ...] | None, ...]
    said: tuple[bool, ...]
    alone: tuple[int, ...]

    @staticmethod
    def of(low: Sequence[str], high: Sequence[str], pairs: Sequence[PartPair] = ()) -> Pairing:
        """By names where nothing is said. Where no name at all has a partner, names mean nothing and everything is measured."""
        said = {p.low: p for p in pairs}
        by_key: dict[str, list[int]] = {}
        by_name: dict[str, list[int]] = {}
        for i, name in enumerate(high):
            by_key.setdefault(part_key(name), []).append(i)
            by_name.setdefault(name, []).append(i)
        named = [tuple(by_key.get(part_key(name), ())) for name in low]
        bare: tuple[int, ...] | None = () if any(named) else None
        partners: list[tuple[int, ...] | None] = []
        for name, found in zip(low, named, strict=True):
            pair = said.get(name)
            if pair is None:
                partners.append(found or bare)
            elif pair.to == "parts":
                partners.append(tuple(sorted({i for h in pair.high for i in by_name.get(h, ())})))
            else:
                partners.append(None if pair.to == "everything" else ())
        used = {i for rows in partners if rows for i in rows}
        alone = () if any(rows is None for rows in partners) else tuple(i for i in range(len(high)) if i not in used)
        return Pairing(tuple(partners), tuple(name in said for name in low), alone)

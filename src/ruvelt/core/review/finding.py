"""What a check of finished work says of itself, and what it finds."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.review.sheet import CheckedSheet

#: What can be put right with one press, and is safe: one undo takes it back, or it is a setting of the preset.
MendId = Literal["pad", "clamp", "rebake", "soften", "cut-out", "smaller"]


@dataclass(frozen=True)
class Mend:
    """label : on its button; values : what it needs to know"""

    id: MendId
    label: str
    values: dict[str, float | str] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Finding:
    """One thing that was found. level "warns" makes a pipeline stop, "tells" does not.

    title : what and how much; why : why it matters, and what to do; share : how much of the sheet, 0–1
    faces : (k,) int32 of the model, where it is; place : (x, y) texel of the sheet, from its top left, to look at
    """

    check: str
    level: Literal["warns", "tells"]
    sheet: str
    title: str
    why: str
    share: float
    faces: NDArray[np.int32]
    place: tuple[int, int] | None = None
    map: str = ""
    mend: Mend | None = None


class MapCheck:
    """One thing that may be wrong with a sheet's maps. rank : its place in lists"""

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    hint: ClassVar[str] = ""
    rank: ClassVar[int] = 1000

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        raise NotImplementedError

    def found(
        self,
        sheet: CheckedSheet,
        level: Literal["warns", "tells"],
        title: str,
        why: str,
        marked: NDArray[np.bool_] | None,
        *,
        faces: NDArray[np.int32] | None = None,
        share: float | None = None,
        map_id: str = "",
        mend: Mend | None = None,
    ) -> Finding:
        """A finding on marked texels (slots,) bool, or on faces."""
        where = sheet.faces_of(marked) if marked is not None else faces if faces is not None else np.zeros(0, np.int32)
        part = sheet.share_of(marked) if marked is not None and share is None else share or 0.0
        place = sheet.busiest(marked) if marked is not None else sheet.place_of(where)
        return Finding(self.id, level, sheet.id, title, why, part, where, place, map_id, mend)

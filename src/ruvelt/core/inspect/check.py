"""What a check of a model says of itself, and what it finds."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan


@dataclass(frozen=True, eq=False)
class Finding:
    """One result of a check. `faces`: (k,) int32 where it is; `level`: "blocks" stops painting there, "warns" does not."""

    kind: str
    title: str
    advice: str
    level: str
    faces: NDArray[np.int32]


class Check:
    """One thing that may be wrong with a model before painting starts. rank : its place among findings of one level"""

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    rank: ClassVar[int] = 1000
    level: ClassVar[str] = "warns"
    #: Asked only where there is a UV layout.
    needs_uvs: ClassVar[bool] = True

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        raise NotImplementedError

    def found(self, title: str, advice: str, faces: NDArray[np.int32]) -> Finding:
        return Finding(self.id, title, advice, self.level, faces)

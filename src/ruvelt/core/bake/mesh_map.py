"""What a bake asks of a mesh map, and the maps there are."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.points import Points
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BakeSource, Surface
from ruvelt.core.errors import InputError
from ruvelt.core.stack.mesh_map import MeshMapKind
from ruvelt.core.stack.mesh_maps import map_kinds

if TYPE_CHECKING:
    from ruvelt.core.bake.grain import Answers

F32 = NDArray[np.float32]
#: A bake from a high mesh makes this too: bits of why a texel is suspect (source.py), over 255.
SUSPECTS = "suspects"


@dataclass(frozen=True)
class Measured:
    """What a map without rays of its own is made from, for the points of one chunk."""

    points: Points
    surface: Surface
    source: BakeSource
    settings: BakeSettings
    curvature: F32 | None = None


class BakedMap(MeshMapKind):
    """A map that bakes make, (n, components) float32 in 0–1; directions and signed numbers as 0.5 + 0.5 · v.

    rays : which rays it casts, if any; settings : the names of settings that change it
    """

    #: "sky" over the surface, "inside" through the body.
    rays: ClassVar[str] = ""
    settings: ClassVar[tuple[str, ...]] = ()
    direction: ClassVar[bool] = False
    needs_tangent: ClassVar[bool] = False
    #: Whether the places of a texel are averaged; colours that stand for things are not.
    mixes: ClassVar[bool] = True

    def values(self, m: Measured) -> F32:
        """Of a map without rays: from what was measured at each place."""
        raise NotImplementedError

    def of_rays(self, answers: Answers) -> F32:
        """Of a map with rays: from what they met at each sample."""
        raise NotImplementedError


def signed(values: F32) -> F32:
    return values * np.float32(0.5) + np.float32(0.5)


@lru_cache(maxsize=1)
def baked_maps() -> dict[str, BakedMap]:
    """By id, in the order of lists."""
    return {name: kind() for name, kind in map_kinds().items() if issubclass(kind, BakedMap)}


def baked_map(map_id: str) -> BakedMap:
    """Raises InputError for a map that no bake makes."""
    if map_id not in baked_maps():
        raise InputError(f"There is no mesh map '{map_id[:40]}'. Choose from: {', '.join(baked_maps())}.")
    return baked_maps()[map_id]

"""Steps of masks: sources, each laid on what is under it, and shapers, which reshape what is under them."""

from __future__ import annotations

from collections.abc import Hashable
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal, Protocol, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.basics import FacePick, Id, Share
from ruvelt.core.stack.kinds.described import Described
from ruvelt.core.workers import Workers

if TYPE_CHECKING:
    from ruvelt.core.planes.plane import U16
    from ruvelt.core.stack.channels import Channel
    from ruvelt.core.stack.document import Sheet
    from ruvelt.core.stack.faces import FaceIndex
    from ruvelt.core.stack.lookup import PlaneLookup
    from ruvelt.core.stack.masks import Mask
    from ruvelt.core.stack.measures import Measures

Combine = Literal["replace", "multiply", "add", "subtract", "max", "min"]
Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
F64 = NDArray[np.float64]


class Host(Protocol):
    """What masks ask of the evaluation they are part of."""

    sheet: Sheet
    samples: SurfaceSamples
    measures: Measures

    def channel(self, channel_id: str) -> Channel | None: ...

    def composite(self, channel_id: str, chunk: int) -> U16: ...

    def version(self, channel_id: str, chunk: int) -> int: ...

    def beneath(self, layer_id: str, channel_id: str, chunk: int) -> U16: ...

    def beneath_version(self, layer_id: str, channel_id: str, chunk: int) -> int: ...

    def elsewhere(self, channel_id: str) -> int:
        """The version of a mesh map on all sheets."""


class Reads(Protocol):
    """What sources may read."""

    @property
    def host(self) -> Host: ...

    @property
    def planes(self) -> PlaneLookup: ...

    @property
    def faces(self) -> FaceIndex: ...

    def inputs(self, mask: Mask, layer_id: str, chunk: int) -> tuple[Hashable, ...]:
        """Versions of all that another layer's mask is made from."""

    def chunk(self, mask: Mask, layer_id: str, chunk: int) -> U16 | float:
        """Another layer's mask, (65536,) uint16 or one number 0–1."""

    def map_version(self, channel: str) -> int:
        """The version of a mesh map on the whole sheet."""

    def wide_map(self, channel: str, radius: float, chunk: int) -> U16:
        """(65536,) uint16 of a mesh map, blurred by a share of the diagonal."""

    def picked(self, picks: tuple[FacePick, ...], chunk: int) -> U16:
        """(65536,) uint16: how far picked faces cover each sample."""


class Step(Described):
    """One step of a mask."""

    id: Id
    on: bool = True
    strength: Share = 1.0


class Source(Step):
    """Gives values of its own, which are combined with what is under it."""

    combine: Combine = "replace"
    invert: bool = False

    #: Whether its values cost enough to be kept beside the mask they end in.
    kept: ClassVar[bool] = False
    #: Whether it reads everything that is laid before its layer.
    reads_beneath: ClassVar[bool] = False

    @property
    def crosses(self) -> bool:
        """Whether it has something to say over the border of its sheet: what reads its own paint, layers or layout has not."""
        return True

    @property
    def reads_layer(self) -> Id | None:
        """The other layer that it reads."""
        return None

    @property
    def reads_mask(self) -> bool:
        """Whether it is that layer's mask."""
        return False

    def speaks(self, reads: Reads) -> bool:
        """Whether it has all it reads, besides the mesh map it needs."""
        return True

    def version(self, reads: Reads, layer_id: str, chunk: int) -> Hashable:
        """The version of all that its values are made from in a chunk, besides its own settings."""
        return reads.host.version(f"map:{self.needs}", chunk) if self.needs is not None else None

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        """(65536,) uint16, where it speaks."""
        raise NotImplementedError


class Ramped(Source):
    """A measure becomes 0 at `low` and 1 at `high`; softness turns the straight ramp into a smooth step."""

    low: Signed
    high: Signed
    softness: Share = 0.5

    @model_validator(mode="after")
    def _upright(self) -> Self:
        if self.low > self.high:
            raise ValueError("the range's low end lies above its high end; exchange them")
        return self


class Shaper(Step):
    """Reshapes what is under it."""


class PointShaper(Shaper):
    """Looks at one value at a time."""

    def shaped(self, x: F64) -> F64:
        """What it makes of values 0–1."""
        raise NotImplementedError


class SpreadingShaper(Shaper):
    """Reads neighbours over the surface."""

    @property
    def reach(self) -> float:
        """How far it reads from each sample, a share of the diagonal."""
        raise NotImplementedError

    def spread(self, samples: SurfaceSamples, values_u16: U16, workers: Workers) -> U16:
        """(slots,) uint16 of (slots,)."""
        raise NotImplementedError


class UnknownStep(Step):
    """A step of a kind that is not known here, as a plug-in's that is not installed: kept as it was stored, and skipped."""

    kind: Literal["unknown"] = "unknown"
    label: ClassVar[str] = "Unknown"
    hint: ClassVar[str] = "Comes from a plug-in that is not installed; it is kept, but has no effect"
    hidden: ClassVar[bool] = True
    of: Annotated[str, Field(max_length=80)]
    #: What was stored, as JSON text.
    held: Annotated[str, Field(max_length=100_000)] = "{}"

"""A mask source, a shaper, a fill content, an adjustment and a blend mode. Each is one class: its fields are stored, the rest is what is shown."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.channels import Channel, encode
from ruvelt.core.stack.fields import Noise
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.blend_mode import HALF, BlendMode
from ruvelt.core.stack.kinds.controls import Control, Group, share
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.kinds.step import F64, PointShaper, Reads, Source


class MossSource(Source):
    """Grows where the surface looks up, in patches. patches : how much of that is bare"""

    kind: Literal["moss"] = "moss"
    label: ClassVar[str] = "Moss"
    hint: ClassVar[str] = "Patches on what looks up"
    group: ClassVar[Group] = "surface"
    controls: ClassVar[tuple[Control, ...]] = (
        share("steepness", "Steepness", "How steep a place may be"),
        share("patches", "Patches", "How much of it stays bare"),
    )
    #: Noise is slow enough to be kept beside the mask.
    kept: ClassVar[bool] = True
    steepness: Share = 0.5
    patches: Share = 0.4

    def values(self, reads: Reads, layer_id: str, chunk: int) -> np.ndarray:  # type: ignore[type-arg]
        measures = reads.host.measures
        up = np.clip((measures.normals(chunk)[:, 1] - 1 + self.steepness) / max(self.steepness, 1e-3), 0, 1)
        bare = measures.noise(Noise(size=0.05, balance=1 - self.patches, contrast=0.6), chunk) / 65535
        return np.rint(up * bare * 65535).astype(np.uint16)


class FoldShaper(PointShaper):
    """Folds values about the middle, so that only what lies between stays bright."""

    kind: Literal["fold"] = "fold"
    label: ClassVar[str] = "Fold"
    hint: ClassVar[str] = "Bright in the middle, dark at both ends"
    group: ClassVar[Group] = "shaper"

    def shaped(self, x: F64) -> F64:
        return 1 - np.abs(2 * x - 1)


class BandsContent(FillContent):
    """Two values in bands up the model. count : of bands"""

    kind: Literal["bands"] = "bands"
    label: ClassVar[str] = "Bands"
    hint: ClassVar[str] = "Bands up the model"
    controls: ClassVar[tuple[Control, ...]] = (share("dark", "Dark", "Value of every other band"), share("bright", "Bright", "Value of the others"))
    dark: Share = 0.2
    bright: Share = 0.8

    def constants(self) -> Iterator[tuple[float, ...]]:
        return iter(())

    def values(self, measures, channel: Channel, chunk: int) -> np.ndarray:  # type: ignore[no-untyped-def, type-arg]
        low, high = measures.samples.model.bounds
        height = (measures.positions(chunk)[:, 1] - low[1]) / max(high[1] - low[1], 1e-9)
        odd = np.floor(height * 8).astype(int) % 2 == 1
        out = np.empty((channel.components + 1, len(height)), np.uint16)
        dark, bright = (encode(channel, (v,) * channel.components) for v in (self.dark, self.bright))
        out[:-1], out[-1] = np.where(odd, bright[:, None], dark[:, None]), 65535
        return out


class SolariseAdjust(PointAdjust):
    """Turns what is brighter than a limit round."""

    kind: Literal["solarise"] = "solarise"
    label: ClassVar[str] = "Solarise"
    hint: ClassVar[str] = "Turns bright values round"
    controls: ClassVar[tuple[Control, ...]] = (share("limit", "Limit", "Values above it are turned round"),)
    limit: Share = 0.5

    def shaped(self, x: F64) -> F64:
        return np.where(x > self.limit, 1 - x, x)


class Average(BlendMode):
    """Half of each. The formula is compiled."""

    id: ClassVar[str] = "average"
    label: ClassVar[str] = "Average"

    @staticmethod
    def value(below: float, above: float) -> float:
        return HALF * (below + above)

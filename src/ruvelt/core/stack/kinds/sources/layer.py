"""Another layer's mask, or what it holds."""

from __future__ import annotations

from collections.abc import Hashable
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.basics import Id
from ruvelt.core.stack.channels import encode
from ruvelt.core.stack.kinds.controls import Control, Group, choice
from ruvelt.core.stack.kinds.step import Reads, Source
from ruvelt.core.stack.laid import lightness
from ruvelt.core.stack.plane_ids import plane_id

if TYPE_CHECKING:
    from ruvelt.core.stack.document import ChannelUse
    from ruvelt.core.stack.masks import Mask


class LayerSource(Source):
    """Another layer's mask, or its part in a channel: where it holds paint (coverage), or how bright what it holds is (value)."""

    kind: Literal["layer"] = "layer"
    label: ClassVar[str] = "Another layer"
    hint: ClassVar[str] = "Another layer's mask, or what it holds in a channel"
    group: ClassVar[Group] = "other"
    waits: ClassVar[str] = "Choose a layer that has what it reads."
    rank: ClassVar[int] = 0
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="layer", name="Layer", hint="The layer that is read", kind="layer"),
        choice("measure", "Measure", "Where it holds paint, or how bright that is", "coverage", "value"),
    )
    kept: ClassVar[bool] = True
    layer: Id | None = None
    part: Annotated[str, Field(pattern=r"^(mask|[a-z][a-z0-9_]{0,39})$")] = "mask"
    measure: Literal["coverage", "value"] = "coverage"

    @property
    def crosses(self) -> bool:
        return False

    @property
    def reads_layer(self) -> Id | None:
        return self.layer

    @property
    def reads_mask(self) -> bool:
        return self.part == "mask"

    def _mask(self, reads: Reads) -> Mask | None:
        """The other layer's mask, where that is read."""
        layer = reads.host.sheet.find(self.layer) if self.layer is not None else None
        return layer.mask if layer is not None and self.part == "mask" else None

    def _part(self, reads: Reads) -> str | ChannelUse | None:
        """What of the other layer is read besides: a painted plane's id, or a fill's part in a channel; None when there is no such thing."""
        layer = reads.host.sheet.find(self.layer) if self.layer is not None else None
        if layer is None or self.part == "mask" or reads.host.channel(self.part) is None:
            return None
        if layer.kind == "paint":
            return plane_id(reads.host.sheet.id, layer.id, self.part)
        use = layer.channels.get(self.part)
        return use if layer.kind == "fill" and use is not None and (use.value is not None or use.content is not None) else None

    def speaks(self, reads: Reads) -> bool:
        return self._mask(reads) is not None or self._part(reads) is not None

    def version(self, reads: Reads, layer_id: str, chunk: int) -> Hashable:
        mask, read = self._mask(reads), self._part(reads)
        if mask is not None:
            return (mask, reads.inputs(mask, self.layer or "", chunk))
        return reads.planes.key(read, chunk) if isinstance(read, str) else read

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        mask, read = self._mask(reads), self._part(reads)
        if mask is not None:
            found = reads.chunk(mask, self.layer or "", chunk)
            return np.full(CHUNK, round(found * 65535), np.uint16) if isinstance(found, float) else found
        channel = reads.host.channel(self.part)
        assert channel is not None
        if isinstance(read, str):
            painted = reads.planes.key(read, chunk) is not None
            values_u16 = reads.planes.values(read, chunk) if painted else np.zeros((channel.components + 1, CHUNK), np.uint16)
        else:
            assert read is not None
            content = read.content.values(reads.host.measures, channel, chunk) if read.content is not None else None
            if content is None:
                value = encode(channel, read.value if read.value is not None else channel.start)
                content = np.empty((channel.components + 1, CHUNK), np.uint16)
                content[:-1], content[-1] = value[:, None], 65535 if read.value is not None else 0
            values_u16 = content
        if self.measure == "coverage":
            cover: U16 = values_u16[-1]
            return cover
        light = lightness(values_u16) if channel.components == 3 else values_u16[0]
        covered: U16 = np.rint(light * (values_u16[-1] / np.float32(65535))).astype(np.uint16)
        return covered

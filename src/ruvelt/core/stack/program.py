"""From the layer document to the flat list of operations a kernel walks, one list a channel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.stack._blend_kernels import CONST, HSV, PLANE, POP, PUSH, TABLE
from ruvelt.core.stack.blend import NORMAL, mode_for
from ruvelt.core.stack.channels import Channel, encode
from ruvelt.core.stack.contents import Content
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, ChannelUse, Document, FillLayer, GroupLayer, Sheet
from ruvelt.core.stack.kinds.adjustment import PointAdjust, SpreadingAdjust, TurningAdjust
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import TOUCH_UP, base_plane_id, plane_id, touch_up_plane_id


@dataclass(frozen=True)
class Op:
    """One step, back to front. `layer` is the layer it stands for; `value` a constant in working space (of HSV: turns and two shares).

    A PLANE lays a painted plane, a fill's `content`, or what a `spreading` adjustment makes of what lies beneath the layer.
    """

    kind: int
    layer: str
    mode: str = NORMAL
    strength: float = 1.0
    plane: str | None = None
    value: tuple[float, ...] = ()
    mask: Mask | None = None
    content: Content | None = None
    table: PointAdjust | None = None
    spreading: SpreadingAdjust | None = None


@dataclass(frozen=True)
class Program:
    """The steps of one channel. `ops[0]` carries the channel's start value; `levels`: how deep groups nest, plus one."""

    channel: Channel
    ops: tuple[Op, ...]
    levels: int
    linear: bool

    def index_of(self, layer_id: str) -> int | None:
        """The step at which a layer is laid down (a group's: where it closes)."""
        return next((i for i, op in enumerate(self.ops) if op.layer == layer_id and op.kind != PUSH and i > 0), None)


def map_steps(sheet: Sheet, map_id: str) -> tuple[Op, ...]:
    """What a mesh map comes to: the baked plane, then its touch-up unless that is switched off; nothing where it is not baked."""
    entry = next((m for m in sheet.mesh_maps if m.id == map_id), None)
    if entry is None:
        return ()
    base = Op(PLANE, "", plane=base_plane_id(sheet.id, map_id))
    touch_up = Op(PLANE, TOUCH_UP + map_id, plane=touch_up_plane_id(sheet.id, map_id))
    return (base, touch_up) if entry.touch_up else (base,)


def working_value(channel: Channel, value: tuple[float, ...], linear: bool) -> tuple[float, ...]:
    """A value as the kernel blends it: its 16-bit code over 65535, colours decoded when blending is linear."""
    v = encode(channel, value).astype(np.float64) / 65535
    if linear and channel.kind == "colour":
        v = srgb_to_linear_float(v)
    return tuple(float(x) for x in v)


def _adjusting(layer: AdjustLayer, channel: Channel, mode: str, strength: float, mask: Mask | None) -> Op | None:
    """The step of an adjustment layer; None where it has no meaning for the channel."""
    adjust = layer.adjust
    if not adjust.suits(channel):
        return None
    if isinstance(adjust, PointAdjust):
        return Op(TABLE, layer.id, mode, strength, mask=mask, table=adjust)
    if isinstance(adjust, TurningAdjust):
        return Op(HSV, layer.id, mode, strength, mask=mask, value=adjust.turn())
    return Op(PLANE, layer.id, mode, strength, mask=mask, spreading=adjust) if isinstance(adjust, SpreadingAdjust) else None


def compile_channel(document: Document, sheet: Sheet, channel: Channel, always: str | None = None, until: str | None = None) -> Program:
    """The program of a channel. Hidden layers and those at strength 0 leave no steps, except the layer named by `always`.

    With `until` only what is laid before that layer; groups around it are closed plainly.
    """
    linear = document.settings.blend_space == "linear" and channel.kind == "colour"
    ops = [Op(CONST, "", value=working_value(channel, channel.start, linear))]
    if channel.id == "occlusion":
        # The baked occlusion lies under all layers, so that lit views and exports have it without a layer of its own.
        ops += map_steps(sheet, "occlusion")
    deepest = 1
    shown = sheet.shown()

    def visit(layers: tuple[AnyLayer, ...], level: int) -> bool:
        """Whether it came to `until`."""
        nonlocal deepest
        deepest = max(deepest, level)
        for layer in reversed(layers):
            if layer.id == until:
                return True
            use = layer.channels.get(channel.id, ChannelUse(on=not isinstance(layer, (FillLayer, AdjustLayer))))
            strength = layer.strength * use.strength
            visible = layer.visible and layer.id in shown
            if (not visible or not use.on or strength <= 0) and layer.id != always:
                continue
            if not visible or not use.on:
                strength = 0.0
            mode = mode_for(use.blend or layer.blend, channel)
            mask = layer.mask if layer.mask is not None and layer.mask.on and any(s.on for s in layer.mask.sources) else None
            if isinstance(layer, GroupLayer):
                ops.append(Op(PUSH, layer.id))
                if visit(layer.layers, level + 1):
                    ops.append(Op(POP, layer.id))
                    return True
                ops.append(Op(POP, layer.id, mode, strength, mask=mask))
            elif isinstance(layer, AdjustLayer):
                if (op := _adjusting(layer, channel, mode, strength, mask)) is not None:
                    ops.append(op)
            elif isinstance(layer, FillLayer):
                if use.content is not None:
                    ops.append(Op(PLANE, layer.id, mode, strength, content=use.content, mask=mask))
                elif use.value is not None:
                    ops.append(Op(CONST, layer.id, mode, strength, value=working_value(channel, use.value, linear), mask=mask))
            else:
                ops.append(Op(PLANE, layer.id, mode, strength, plane=plane_id(sheet.id, layer.id, channel.id), mask=mask))
        return False

    visit(sheet.layers, 1)
    return Program(channel, tuple(ops), deepest, linear)

"""From the layer document to the flat list of operations a kernel walks, one list a channel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.stack._blend_kernels import COLOUR, CONST, PLANE, POP, PUSH, TABLE, THROUGH
from ruvelt.core.stack.blend import NORMAL, mode_for
from ruvelt.core.stack.channels import HEIGHT_MID, Channel, encode
from ruvelt.core.stack.colour_stage import NOTHING
from ruvelt.core.stack.colour_steps import ColourStep
from ruvelt.core.stack.contents import Content
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, ChannelUse, Document, FillLayer, GroupLayer, Sheet
from ruvelt.core.stack.kinds.adjustment import PointAdjust, SpreadingAdjust, UnknownAdjust
from ruvelt.core.stack.kinds.step import F64
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import TOUCH_UP, base_plane_id, plane_id, touch_up_plane_id

#: The code of no height, as a share of all.
FLAT = HEIGHT_MID / 65535


@dataclass(frozen=True)
class Relief:
    """Heights times a strength, about the flat one; a table as those of point adjustments."""

    strength: float

    def shaped(self, x: F64) -> F64:
        return np.asarray(np.clip(FLAT + (x - FLAT) * self.strength, 0, 1))


@dataclass(frozen=True)
class Op:
    """One step, back to front. `layer` is the layer it stands for; `value` a constant in working space.

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
    table: PointAdjust | Relief | None = None
    colour: ColourStep | None = None
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
    """The step of an adjustment layer; None where it has no meaning for the channel, or leaves all as it is."""
    adjust = layer.adjust
    if not adjust.suits(channel) or isinstance(adjust, UnknownAdjust):
        return None
    if isinstance(adjust, SpreadingAdjust):
        return Op(PLANE, layer.id, mode, strength, mask=mask, spreading=adjust)
    through = THROUGH if layer.reach == "beneath" else 0
    if channel.components == 1:
        # Ranges are of colours.
        if layer.ranges or not isinstance(adjust, PointAdjust) or adjust.neutral:
            return None
        return Op(TABLE + through, layer.id, mode, strength, mask=mask, table=adjust)
    ranges = tuple(r for r in layer.ranges if r.on)
    if layer.ranges and not ranges and not layer.rest:
        return None
    changing = [adjust] if not ranges or layer.rest else []
    if all(a.stage().code == NOTHING for a in (*changing, *(r.adjust for r in ranges))) or not layer.components:
        return None
    step = ColourStep(adjust, layer.components, ranges, layer.rest)
    return Op(COLOUR + through, layer.id, mode, strength, mask=mask, colour=step)


def _with_clipped(layers: tuple[AnyLayer, ...]) -> list[tuple[AnyLayer, list[AdjustLayer]]]:
    """Layers back to front, each with the adjustments right above that change only what it lays. On another adjustment, or on nothing, they are
    adjustments like others."""
    found: list[tuple[AnyLayer, list[AdjustLayer]]] = []
    for layer in reversed(layers):
        clips = isinstance(layer, AdjustLayer) and layer.reach == "clip" and not isinstance(layer.adjust, SpreadingAdjust)
        if clips and found and not isinstance(found[-1][0], AdjustLayer):
            assert isinstance(layer, AdjustLayer)
            found[-1][1].append(layer)
        else:
            found.append((layer, []))
    return found


def compile_channel(
    document: Document, sheet: Sheet, channel: Channel, always: str | None = None, until: str | None = None, inside: bool = False
) -> Program:
    """The program of a channel. Hidden layers and those at strength 0 leave no steps, except the layer named by `always`.

    With `until` only what is laid before that layer; groups around it are closed plainly, or with `inside` left open, as that layer finds them.
    """
    linear = document.settings.blend_space == "linear" and channel.kind == "colour"
    ops = [Op(CONST, "", value=working_value(channel, channel.start, linear))]
    if channel.id == "occlusion":
        # The baked occlusion lies under all layers, so that lit views and exports have it without a layer of its own.
        ops += map_steps(sheet, "occlusion")
    deepest = 1
    shown = sheet.shown()

    def step_of(layer: AnyLayer, use: ChannelUse, mode: str, strength: float, mask: Mask | None) -> Op | None:
        """What a layer other than a group lays or changes; None where it says nothing."""
        if isinstance(layer, AdjustLayer):
            return _adjusting(layer, channel, mode, strength, mask)
        if not isinstance(layer, FillLayer):
            return Op(PLANE, layer.id, mode, strength, plane=plane_id(sheet.id, layer.id, channel.id), mask=mask)
        if use.content is not None:
            return Op(PLANE, layer.id, mode, strength, content=use.content, mask=mask)
        value = document.value_of(use) if channel.kind == "colour" else use.value
        return Op(CONST, layer.id, mode, strength, value=working_value(channel, value, linear), mask=mask) if value is not None else None

    def part_of(layer: AnyLayer) -> tuple[ChannelUse, str, float, Mask | None] | None:
        """A layer's part in the channel: use, mode, strength and mask; None where it takes none."""
        use = layer.channels.get(channel.id, ChannelUse(on=not isinstance(layer, (FillLayer, AdjustLayer))))
        strength = layer.strength * use.strength
        visible = layer.visible and layer.id in shown
        if (not visible or not use.on or strength <= 0) and layer.id != always:
            return None
        if not visible or not use.on:
            strength = 0.0
        mask = layer.mask if layer.mask is not None and layer.mask.on and any(s.on for s in layer.mask.sources) else None
        return use, mode_for(use.blend or layer.blend, channel), strength, mask

    def changes_of(layer: AnyLayer, use: ChannelUse, clipped: list[AdjustLayer]) -> tuple[list[Op], bool]:
        """Steps that change only what a layer lays, and whether one of them is `until`, before which they end."""
        ops: list[Op] = []
        if channel.kind == "height" and use.relief != 1:
            ops.append(Op(TABLE, layer.id, table=Relief(use.relief)))
        for adjust in clipped:
            if adjust.id == until:
                return ops, True
            part = part_of(adjust)
            op = step_of(adjust, *part) if part is not None else None
            if op is not None:
                ops.append(op)
        return ops, False

    def visit(layers: tuple[AnyLayer, ...], level: int) -> bool:
        """Whether it came to `until`."""
        nonlocal deepest
        deepest = max(deepest, level)
        for layer, clipped in _with_clipped(layers):
            if layer.id == until:
                return True
            part = part_of(layer)
            if part is None:
                if any(a.id == until for a in clipped):
                    return True
                continue
            use, mode, strength, mask = part
            changes, ends = changes_of(layer, use, clipped)
            if isinstance(layer, GroupLayer):
                ops.append(Op(PUSH, layer.id))
                if visit(layer.layers, level + 1):
                    ops.extend([] if inside else [Op(POP, layer.id)])
                    return True
                ops.extend(changes)
                ops.extend([] if ends and inside else [Op(POP, layer.id, mode, strength, mask=mask)])
            elif not changes and not (ends and inside):
                if (op := step_of(layer, use, mode, strength, mask)) is not None:
                    ops.append(op)
            elif (op := step_of(layer, use, NORMAL, 1.0, mask)) is not None:
                # A group of its own, so that nothing beneath is changed.
                deepest = max(deepest, level + 1)
                ops.extend((Op(PUSH, layer.id), op, *changes))
                ops.extend([] if ends and inside else [Op(POP, layer.id, mode, strength)])
            if ends:
                return True
        return False

    visit(sheet.layers, 1)
    return Program(channel, tuple(ops), deepest, linear)

"""Replaying stroke scripts onto a project: the simulated pen, the demo's content and the tests' input."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ruvelt.core.brush.script import AddLayerStep, BrushStep, FloodStep, MaskStep, PaintStep, StrokeScript, StrokeStep, TargetStep, UndoStep
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.shapes import shaped_brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, ChannelUse, FillLayer, GroupLayer, PaintLayer, Sheet, new_channel_uses
from ruvelt.core.stack.edits import AddLayer, SetLayer
from ruvelt.core.stack.kinds.sources.layer import LayerSource
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.laying import flood, live_stroke, store_stroke
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import kept_stroke, play_step, stroke_label

_KINDS: dict[str, Any] = {"paint": PaintLayer, "fill": FillLayer, "adjust": AdjustLayer, "group": GroupLayer}


@dataclass
class ReplayResult:
    """What a script did."""

    steps: int = 0
    strokes: int = 0
    missed: int = 0


class _Player:
    def __init__(self, session: Session) -> None:
        self.session = session
        self.brush, self.paint = Brush(), Paint()
        self.target: Target | None = None
        self.refs: dict[str, str] = {}
        self.result = ReplayResult()

    def sheet(self, name: str | None) -> Sheet:
        sheets = self.session.document.sheets
        if name is None and self.target is not None:
            name = self.target.sheet
        if not sheets:
            raise InputError("The project has nothing to paint on: add vertex paint, or give its model UVs.")
        found = sheets[0] if name is None else next((s for s in sheets if name in (s.id, s.name)), None)
        if found is None:
            raise InputError(f"There is no sheet '{name}' in this project; it has {', '.join(s.name for s in sheets)}.")
        return found

    def layer(self, sheet: Sheet, name: str) -> AnyLayer:
        wanted = self.refs.get(name, name)
        found = next((x for x, _ in sheet.walk() if wanted == x.id), None) or next((x for x, _ in sheet.walk() if name == x.name), None)
        if found is None:
            raise InputError(f"There is no layer '{name}' on sheet {sheet.name}.")
        return found

    def add_layer(self, step: AddLayerStep) -> None:
        sheet = self.sheet(step.sheet)
        uses: dict[str, ChannelUse] = dict(new_channel_uses(self.session.document.channels)) if step.kind not in ("fill", "adjust") else {}
        for channel, use in step.channels.items():
            known = self.session.document.channel(channel)
            if known is None:
                raise InputError(f"There is no channel '{channel}' in this project.")
            if use.blend is None and known.kind == "height":
                use = use.model_copy(update={"blend": "height-add"})
            uses[channel] = use
        shared = {"id": IdMaker(sheet).new(), "name": step.name, "blend": step.blend, "strength": step.strength, "channels": uses}
        layer = _KINDS[step.kind](**shared, mask=self.known(sheet, step.mask), **step.adjusting())
        into = self.layer(sheet, step.into).id if step.into else None
        self.session.edit(AddLayer(sheet=sheet.id, layer=layer, into=into), f"Add {step.name}")
        if step.ref:
            self.refs[step.ref] = layer.id
        channels = tuple(c.id for c in self.session.document.channels) if step.kind == "paint" else ()
        self.target = Target(sheet=sheet.id, layer=layer.id, channels=channels)

    def known(self, sheet: Sheet, mask: Mask | None) -> Mask | None:
        """A mask whose sources name other layers by id."""
        if mask is None:
            return None
        steps = tuple(
            s.model_copy(update={"layer": self.layer(sheet, s.layer).id}) if isinstance(s, LayerSource) and s.layer is not None else s
            for s in mask.sources
        )
        return mask.model_copy(update={"sources": steps})

    def mask(self, step: MaskStep) -> None:
        sheet = self.sheet(step.sheet)
        layer = self.layer(sheet, step.layer if step.layer is not None else self.aimed().layer)
        mask = self.known(sheet, step.mask)
        values = {"mask": None if mask is None else mask.model_dump()}
        self.session.edit(SetLayer(sheet=sheet.id, layer=layer.id, values=values), f"Mask of {layer.name}")

    def aim(self, step: TargetStep) -> None:
        sheet = self.sheet(step.sheet)
        if step.layer is None:
            self.target = Target(sheet=sheet.id, mesh_map=step.mesh_map)
            return
        layer = self.layer(sheet, step.layer)
        if step.mask:
            source = next((s for s in (layer.mask.sources if layer.mask else ()) if isinstance(s, PaintedSource)), None)
            if source is None:
                raise InputError(f"'{layer.name}' has no painted mask. Give it a mask with a painted source first.")
            self.target = Target(sheet=sheet.id, layer=layer.id, mask=source.id)
            return
        channels = step.channels or tuple(c.id for c in self.session.document.channels)
        self.target = Target(sheet=sheet.id, layer=layer.id, channels=channels)

    def aimed(self) -> Target:
        if self.target is None:
            raise InputError("The script paints before it has a target. Begin with an add-layer or target step.")
        return self.target

    def stroke(self, step: StrokeStep) -> None:
        target = self.aimed()
        with self.session.lock:
            brush = self.brush if step.shape is None else shaped_brush(self.brush, step.shape)
            live = live_stroke(self.session, target, self.paint, brush)
            self.result.strokes += 1
            if not play_step(self.session, live, self.brush, step):
                self.result.missed += 1
                return
            kept = kept_stroke(self.session, target, self.brush, self.paint, step)
            store_stroke(self.session, live, stroke_label(live, self.paint, step.shape), kept)

    def flood(self, step: FloodStep) -> None:
        picks = step.picks
        if step.part is not None:
            parts = self.session.model.parts
            if step.part not in parts:
                raise InputError(f"There is no part '{step.part}'; the model has {', '.join(parts)}.")
            picks = (*(picks or ()), FacePick(by="part", index=parts.index(step.part)))
        flood(self.session, self.aimed(), self.paint, picks, step.strength, gradient=step.gradient)

    def take(self, step: Any) -> None:
        match step:
            case AddLayerStep():
                self.add_layer(step)
            case MaskStep():
                self.mask(step)
            case TargetStep():
                self.aim(step)
            case BrushStep():
                self.brush = step.brush
            case PaintStep():
                self.paint = step.paint
            case StrokeStep():
                self.stroke(step)
            case FloodStep():
                self.flood(step)
            case UndoStep():
                self.session.undo() if step.do == "undo" else self.session.redo()
        self.result.steps += 1


def replay(session: Session, script: StrokeScript, progress: Callable[[int, int, str], None] = lambda done, planned, what: None) -> ReplayResult:
    """Apply a script step by step; each finished step is stored. Raises InputError naming the step that cannot be taken."""
    player = _Player(session)
    for number, step in enumerate(script.steps, 1):
        progress(number - 1, len(script.steps), step.do)
        try:
            player.take(step)
        except InputError as error:
            raise InputError(f"Step {number} ({step.do}): {error} The steps before it are stored.") from None
    return player.result

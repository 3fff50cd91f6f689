"""Layers merged: what two come to, by themselves, as one layer of paint. A step of history like any other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.stack._blend_kernels import PUSH
from ruvelt.core.stack.document import AnyLayer, GroupLayer, PaintLayer, Sheet
from ruvelt.core.stack.edits import AddLayer, Batch, RemoveLayer
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.stack.program import Op, Program
from ruvelt.core.stack.resolved import codes_of, execute, state_at
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.copying import position_of
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.session import Session


def program_alone(evaluator: SheetEvaluator, layers: tuple[str, ...], channel_id: str) -> Program | None:
    """The program of layers, back first, in a group by themselves; None where they say nothing."""
    program = evaluator.program(channel_id)
    ops = [program.ops[i] for i in sorted({i for layer in layers for i in _steps_of(program, layer)})]
    return Program(program.channel, (program.ops[0], Op(PUSH, "merged"), *ops), program.levels + 1, program.linear) if ops else None


def chunk_alone(evaluator: SheetEvaluator, program: Program, chunk: int) -> NDArray[np.uint16]:
    """(components + 1, 65536) codes of such a program, coverage last."""
    state = state_at(program, len(program.ops))
    execute(evaluator.resolve(program, chunk, 1, len(program.ops)), WHOLE, save=state)
    return codes_of(program, state.values[1])


def alone(session: Session, sheet_id: str, layers: tuple[str, ...], channel_id: str) -> NDArray[np.uint16] | None:
    """The same of the whole sheet, (components + 1, slots)."""
    evaluator = session.display(sheet_id).evaluator
    program = program_alone(evaluator, layers, channel_id)
    if program is None:
        return None
    evaluator.prepare()
    return np.concatenate(session.workers.map(lambda c: chunk_alone(evaluator, program, c), range(evaluator.samples.chunk_count)), axis=1)


def _steps_of(program: Program, layer_id: str) -> range:
    """The steps of a layer, with all of those inside it, as adjustments that change only what it lays are."""
    mine = [i for i, op in enumerate(program.ops) if op.layer == layer_id and i > 0]
    return range(mine[0], mine[-1] + 1) if mine else range(0)


def merge_down(session: Session, sheet_id: str, layer_id: str, revision: int | None = None) -> str:
    """Lay a layer into the one right beneath it, as one layer of paint that looks as they do; returns its id.

    The lower one's mode stays; strengths, masks, fills and adjustments become paint. Raises InputError for layers that are hidden or locked, or
    where nothing lies beneath in the same group.
    """
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        upper = sheet.find(layer_id)
        if upper is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        lower = _beneath(sheet, layer_id)
        if lower is None:
            raise InputError(f"Nothing lies beneath {upper.name} in its group, so there is nothing to merge it with.")
        for layer in (upper, lower):
            if layer.locked:
                raise InputError(f"{layer.name} is locked. Unlock it to merge it.")
            if not layer.visible or layer.id not in sheet.shown():
                raise InputError(f"{layer.name} is hidden. Show it first, so that what is merged is what you see.")
        into, index = position_of(sheet, layer_id)
        made, planes = IdMaker(sheet).new(), {}
        uses = {}
        for channel in session.document.channels:
            whole = alone(session, sheet_id, (lower.id, upper.id), channel.id)
            use = lower.channels.get(channel.id) or upper.channels.get(channel.id)
            if use is not None:
                blank = {"strength": 1.0, "value": None, "content": None, "role": None, "relief": 1.0}
                uses[channel.id] = use.model_copy(update={**blank, "blend": use.blend})
            if whole is not None and whole[-1].any():
                planes[plane_id(sheet_id, made, channel.id)] = plane_of(session, whole)
                if channel.id in uses:
                    uses[channel.id] = uses[channel.id].model_copy(update={"on": True})
        if not planes:
            raise InputError(f"{upper.name} and {lower.name} show nothing, so there is nothing to merge.")
        merged = PaintLayer(id=made, name=lower.name, blend=lower.blend, channels=uses)
        session.store.commit(
            f"Merge {upper.name} down",
            edit=Batch(
                edits=(
                    RemoveLayer(sheet=sheet_id, layer=upper.id),
                    RemoveLayer(sheet=sheet_id, layer=lower.id),
                    AddLayer(sheet=sheet_id, layer=merged, into=into, index=index),
                )
            ),
            changes={p: dict(plane.chunks) for p, plane in planes.items()},
            components={p: plane.components for p, plane in planes.items()},
        )
        return made


def _beneath(sheet: Sheet, layer_id: str) -> AnyLayer | None:
    into, index = position_of(sheet, layer_id)
    group = sheet.find(into) if into is not None else None
    siblings = group.layers if isinstance(group, GroupLayer) else sheet.layers
    return siblings[index + 1] if index + 1 < len(siblings) else None

"""What adjustments are set by: values that lie beneath them, colours picked there, figures of what to match, and what their ranges catch."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.color.oklab import oklab
from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.samples.address import chunk_of, local_of
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import AdjustLayer, PaintLayer, new_channel_uses
from ruvelt.core.stack.edits import AddLayer
from ruvelt.core.stack.evaluate import BASE_COLOR, CATCH_PREFIX
from ruvelt.core.stack.kinds.adjustments.match import ColourFigures
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.colour_groups import face_values, keep_groups
from ruvelt.studio.copying import position_of
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.looking import seen_slots
from ruvelt.studio.merging import alone
from ruvelt.studio.session import Session

#: Rays across a view that count what is visible.
HISTOGRAM_ACROSS = 320
#: Values that the interface tells apart.
BINS = 256
#: Colours closer to a range than this share belong to a face group made from it.
CAUGHT = 0.5


def adjust_layer(session: Session, sheet_id: str, layer_id: str) -> AdjustLayer:
    layer = session.sheet(sheet_id).find(layer_id)
    if not isinstance(layer, AdjustLayer):
        raise NotFound("That adjustment is gone; it may have been deleted in another window.")
    return layer


def _wanted(session: Session, sheet_id: str, camera: Camera | None, picks: Sequence[FacePick] | None) -> NDArray[np.int64]:
    """(n,) slots that count: those that a view sees, of picked faces, or all."""
    samples = session.samples(session.sheet(sheet_id))
    slots = seen_slots(session, sheet_id, camera, HISTOGRAM_ACROSS) if camera is not None else np.flatnonzero(samples.covered)
    if picks:
        faces = session.faces_of(session.sheet(sheet_id))
        # A face of the model is one or several of a level's.
        slots = slots[faces.mark(picks)[faces.labels("face")[samples.face[slots]]]]
    return slots


def _beneath(session: Session, sheet_id: str, layer_id: str, channel_id: str, slots: NDArray[np.int64]) -> NDArray[np.uint16]:
    """(components, n) codes of what lies beneath a layer."""
    evaluator = session.display(sheet_id).evaluator
    evaluator.prepare()
    chunks = [int(c) for c in np.unique(chunk_of(slots))]
    made = dict(zip(chunks, session.workers.map(lambda c: evaluator.beneath(layer_id, channel_id, c), chunks), strict=True))
    channel = session.document.channel(channel_id)
    if channel is None:
        raise NotFound(f"There is no channel '{channel_id}' here. Reload the project.")
    out = np.empty((channel.components, len(slots)), np.uint16)
    for chunk, values in made.items():
        mine = chunk_of(slots) == chunk
        out[:, mine] = values[:, local_of(slots[mine])]
    return out


def histogram(
    session: Session, sheet_id: str, layer_id: str, channel_id: str, camera: Camera | None = None, picks: Sequence[FacePick] | None = None
) -> list[list[int]]:
    """How often each of 256 values lies beneath a layer, a list for each component: in what a view shows, on picked faces, or everywhere."""
    with session.lock:
        values = _beneath(session, sheet_id, layer_id, channel_id, _wanted(session, sheet_id, camera, picks))
        # Rounded as views round.
        bins = (values.astype(np.uint32) * 255 + 32767) // 65535
        return [np.bincount(row, minlength=BINS).tolist() for row in bins]


def mean_beneath(session: Session, sheet_id: str, layer_id: str, camera: Camera | None, points: NDArray[np.float64]) -> tuple[float, float, float]:
    """The mean colour (sRGB-encoded, of light) beneath a layer at (n, 2) pixels of a view, or texels of the sheet.

    Raises InputError where none of them is on the surface.
    """
    with session.lock:
        samples = session.samples(session.sheet(sheet_id))
        if camera is not None:
            slots = seen_slots(session, sheet_id, camera, 0, points)
        else:
            texels = session.texels(session.sheet(sheet_id))
            x, y = np.floor(points).astype(np.int64).T
            inside = (x >= 0) & (y >= 0) & (x < texels.side) & (y < texels.side)
            slots = np.array([texels.texel_to_slot(int(a), int(b)) for a, b in zip(x[inside], y[inside], strict=True)], np.int64)
            slots = slots[samples.covered[slots]]
        if not len(slots):
            raise InputError("There is no surface there. Press on the model, or drag over it.")
        light = DECODE_U16[_beneath(session, sheet_id, layer_id, BASE_COLOR, slots)].astype(np.float64).mean(axis=1)
        r, g, b = (round(float(v), 6) for v in linear_to_srgb_float(light))
        return r, g, b


def figures_beneath(session: Session, sheet_id: str, layer_id: str) -> ColourFigures:
    """Mean and spread of colours beneath a layer."""
    with session.lock:
        slots = _wanted(session, sheet_id, None, None)
        return _figures(_beneath(session, sheet_id, layer_id, BASE_COLOR, slots), np.ones(len(slots)))


def figures_of_layer(session: Session, sheet_id: str, layer_id: str) -> ColourFigures:
    """The same of what a layer shows by itself. Raises InputError where it has no colour."""
    with session.lock:
        layer = session.sheet(sheet_id).find(layer_id)
        if layer is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        whole = alone(session, sheet_id, (layer_id,), BASE_COLOR)
        if whole is None or not whole[-1].any():
            raise InputError(f"{layer.name} lays no base colour, so there is nothing to match. Choose another layer or a picture.")
        return _figures(whole[:3], whole[3] / 65535)


def figures_of_picture(session: Session, key: str) -> ColourFigures:
    """The same of a picture of the project."""
    image = session.image(key)
    if image is None:
        raise NotFound("That picture is not in the project any more. Bring it in again.")
    flat = image.reshape(-1, 4)
    if len(flat) > 1 << 20:
        flat = flat[:: len(flat) // (1 << 20)]
    if not flat[:, 3].any():
        raise InputError("Nothing of that picture is opaque, so it has no colours to match.")
    return _figures(flat[:, :3].T, flat[:, 3] / 65535)


def _figures(values: NDArray[np.uint16], weights: NDArray[np.float64]) -> ColourFigures:
    """values : (3, n) sRGB codes; weights : (n,)"""
    lab = oklab(values.T / 65535)
    mean = np.average(lab, axis=0, weights=weights)
    spread = np.sqrt(np.average((lab - mean) ** 2, axis=0, weights=weights))
    return ColourFigures.model_validate({"mean": tuple(np.round(mean, 6)), "spread": tuple(np.round(spread, 6))})


def measured(session: Session, sheet_id: str, layer_id: str, *, goal_layer: str | None = None, goal_picture: str | None = None) -> dict[str, Any]:
    """Settings of a match: what lies beneath the layer, and what it is to be like."""
    if goal_layer == layer_id or (goal_layer is None) == (goal_picture is None):
        raise InputError("Choose another layer or a picture to match.")
    if goal_layer is not None:
        goal, layer = figures_of_layer(session, sheet_id, goal_layer), session.sheet(sheet_id).find(goal_layer)
        name = layer.name if layer is not None else ""
    else:
        assert goal_picture is not None
        goal = figures_of_picture(session, goal_picture)
        name = next((i.name for i in session.document.images if i.key == goal_picture), "")
    return {"source": figures_beneath(session, sheet_id, layer_id), "goal": goal, "goal_name": name}


# -- what ranges catch ----------------------------------------------------------------------------------------------------------


def _caught(session: Session, sheet_id: str, layer_id: str, range_id: str) -> tuple[str, str]:
    """The channel that shows what a range catches ("": all of them together), and a name for it."""
    layer = adjust_layer(session, sheet_id, layer_id)
    found = next((r for r in layer.ranges if r.id == range_id), None)
    if found is None and (range_id or not layer.ranges):
        raise NotFound("That range is gone; it may have been deleted in another window.")
    name = (found.name if found is not None else "") or (f"{layer.name}, range {layer.ranges.index(found) + 1}" if found is not None else layer.name)
    return f"{CATCH_PREFIX}{layer_id}:{range_id}".rstrip(":"), name


def catch_to_mask(session: Session, sheet_id: str, layer_id: str, range_id: str, revision: int | None = None) -> str:
    """A new paint layer right above an adjustment, with what a range has of the colours beneath as the painted part of its mask."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        channel, name = _caught(session, sheet_id, layer_id, range_id)
        evaluator = session.display(sheet_id).evaluator
        evaluator.prepare()
        chunks = range(evaluator.samples.chunk_count)
        share = np.concatenate(session.workers.map(lambda c: evaluator.composite(channel, c), chunks), axis=1)
        if not range_id:
            # Without a range the channel shows what none of them has.
            share = 65535 - share
        if not (share[0] * evaluator.samples.covered).any():
            raise InputError("The range catches nothing here. Pick a colour that is on the model, or allow more tolerance.")
        layer = PaintLayer(
            id=IdMaker(sheet).new(),
            name=name[:80],
            channels=dict(new_channel_uses(session.document.channels)),
            mask=Mask(sources=(PaintedSource(id="m1"),)),
        )
        plane = plane_of(session, np.concatenate([share, np.full_like(share, 65535)]))
        place = mask_plane_id(sheet_id, layer.id, "m1")
        into, index = position_of(sheet, layer_id)
        session.store.commit(
            f"Mask from {name}",
            edit=AddLayer(sheet=sheet_id, layer=layer, into=into, index=index),
            changes={place: dict(plane.chunks)},
            components={place: plane.components},
        )
        return layer.id


def catch_to_group(session: Session, sheet_id: str, layer_id: str, range_id: str, revision: int | None = None) -> None:
    """Keep the faces that a range has more than half of as a face group, under the range's name."""
    with session.lock:
        session.check_revision(revision)
        channel, name = _caught(session, sheet_id, layer_id, range_id)
        share, painted = face_values(session, sheet_id, channel)
        caught = share[:, 0] if range_id else 1 - share[:, 0]
        rows = np.flatnonzero(painted & (caught > CAUGHT))
        if not len(rows):
            raise InputError("No face has more than half of its colours in the range. Allow more tolerance, or make a mask of it instead.")
        keep_groups(session, [(name, rows)])

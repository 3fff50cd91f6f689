"""What adjustments are set by: the values they set out from, colours picked there, figures of what to match, and what their ranges catch."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.color.oklab import oklab
from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK, chunk_of, local_of
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, PaintLayer, new_channel_uses
from ruvelt.core.stack.edits import AddLayer
from ruvelt.core.stack.evaluate import BASE_COLOR, CATCH_PREFIX, SheetEvaluator
from ruvelt.core.stack.kinds.adjustments.match import ColourFigures
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.colour_groups import face_values, keep_groups
from ruvelt.studio.copying import position_of
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.looking import seen_slots
from ruvelt.studio.merging import chunk_alone, program_alone
from ruvelt.studio.session import Session

F64 = NDArray[np.float64]
T = TypeVar("T")

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


def _taken(
    session: Session,
    sheet_id: str,
    read: Callable[[SheetEvaluator, int], U16],
    take: Callable[[U16, F64], T],
    slots: NDArray[np.int64] | None = None,
    picks: Sequence[FacePick] = (),
) -> list[T]:
    """What `take` makes of (components, n) codes and (n,) shares of their coverage, a chunk at a time: whole sheets are larger than memory.

    read : (components + 1, 65536) codes of a chunk, coverage last; slots : those that count, or all that are covered; picks : only those of faces
    """
    evaluator = session.display(sheet_id).evaluator
    evaluator.prepare()
    samples = evaluator.samples
    faces = session.faces_of(evaluator.sheet)
    # A face of the model is one or several of a level's.
    marked = faces.mark(picks)[faces.labels("face")] if picks else None

    def of(chunk: int) -> T | None:
        inside = (
            local_of(slots[chunk_of(slots) == chunk]) if slots is not None else np.flatnonzero(samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK])
        )
        if marked is not None:
            inside = inside[marked[samples.face[chunk * CHUNK + inside]]]
        if not len(inside):
            return None
        values = read(evaluator, chunk)[:, inside]
        return take(values[:-1], values[-1] / 65535)

    chunks = range(samples.chunk_count) if slots is None else np.unique(chunk_of(slots)).tolist()
    return [made for made in session.workers.map(of, chunks) if made is not None]


def _read_by(layer_id: str, channel_id: str) -> Callable[[SheetEvaluator, int], U16]:
    return lambda evaluator, chunk: evaluator.read_by(layer_id, channel_id, chunk)


def histogram(
    session: Session, sheet_id: str, layer_id: str, channel_id: str, camera: Camera | None = None, picks: Sequence[FacePick] = ()
) -> list[list[int]]:
    """How much of each of 256 values an adjustment sets out from, a list for each component: in what a view shows, on picked faces, or everywhere.

    Counted in samples; one that is half covered counts as half.
    """

    def counted(values: U16, weights: F64) -> F64:
        # Rounded as views round.
        bins = (values.astype(np.uint32) * 255 + 32767) // 65535
        return np.stack([np.bincount(row, weights, BINS) for row in bins])

    with session.lock:
        channel = session.document.channel(channel_id)
        if channel is None:
            raise NotFound(f"There is no channel '{channel_id}' here. Reload the project.")
        adjust_layer(session, sheet_id, layer_id)
        slots = seen_slots(session, sheet_id, camera, HISTOGRAM_ACROSS) if camera is not None else None
        parts = _taken(session, sheet_id, _read_by(layer_id, channel_id), counted, slots, picks)
        total: F64 = np.sum(parts, axis=0) if parts else np.zeros((channel.components, BINS))
        return np.rint(total).astype(int).tolist()  # type: ignore[no-any-return]


def mean_read(session: Session, sheet_id: str, layer_id: str, camera: Camera | None, points: NDArray[np.float64]) -> tuple[float, float, float]:
    """The mean colour (sRGB-encoded, of light) that an adjustment sets out from at (n, 2) pixels of a view, or texels of the sheet.

    Raises InputError where none of them is on the surface, or nothing is laid there.
    """
    with session.lock:
        adjust_layer(session, sheet_id, layer_id)
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
        parts = _taken(session, sheet_id, _read_by(layer_id, BASE_COLOR), lambda v, w: np.array([*(DECODE_U16[v] @ w), w.sum()]), slots)
        *light, weight = np.sum(parts, axis=0)
        if not weight:
            raise InputError("What is adjusted lays nothing there. Press where it is painted.")
        r, g, b = (round(float(v), 6) for v in linear_to_srgb_float(np.array(light) / weight))
        return r, g, b


@dataclass(frozen=True)
class _Sums:
    """Of weights, and of (3,) OKLab values and their squares times their weights."""

    weight: float
    values: F64
    squares: F64

    @staticmethod
    def of(codes: U16, weights: F64) -> _Sums:
        """codes : (3, n) sRGB codes; weights : (n,)"""
        lab = oklab(codes.T / 65535)
        return _Sums(float(weights.sum()), weights @ lab, weights @ lab**2)


def _figures(parts: list[_Sums]) -> ColourFigures | None:
    """Mean and spread; None where there is nothing."""
    weight = sum(p.weight for p in parts)
    if not weight:
        return None
    mean = np.sum([p.values for p in parts], axis=0) / weight
    spread = np.sqrt(np.maximum(np.sum([p.squares for p in parts], axis=0) / weight - mean**2, 0))
    return ColourFigures.model_validate({"mean": tuple(np.round(mean, 6)), "spread": tuple(np.round(spread, 6))})


def _figures_of_layer(session: Session, sheet_id: str, layer: AnyLayer) -> ColourFigures:
    """Mean and spread of what a layer shows by itself. Raises InputError where it has no colour."""
    program = program_alone(session.display(sheet_id).evaluator, (layer.id,), BASE_COLOR)
    found = _figures(_taken(session, sheet_id, lambda e, chunk: chunk_alone(e, program, chunk), _Sums.of)) if program is not None else None
    if found is None:
        raise InputError(f"{layer.name} lays no base colour, so there is nothing to match. Choose another layer or a picture.")
    return found


def _figures_of_picture(session: Session, key: str) -> ColourFigures:
    """The same of a picture of the project."""
    image = session.image(key)
    if image is None:
        raise NotFound("That picture is not in the project any more. Bring it in again.")
    flat = image.reshape(-1, 4)
    if len(flat) > 1 << 20:
        flat = flat[:: len(flat) // (1 << 20)]
    found = _figures([_Sums.of(flat[:, :3].T, flat[:, 3] / 65535)])
    if found is None:
        raise InputError("Nothing of that picture is opaque, so it has no colours to match.")
    return found


def measured(session: Session, sheet_id: str, layer_id: str, *, goal_layer: str | None = None, goal_picture: str | None = None) -> dict[str, Any]:
    """Settings of a match: figures of what its layer sets out from, and of what it is to be like."""
    if goal_layer == layer_id or (goal_layer is None) == (goal_picture is None):
        raise InputError("Choose another layer or a picture to match.")
    with session.lock:
        name = adjust_layer(session, sheet_id, layer_id).name
        if goal_layer is not None:
            layer = session.sheet(sheet_id).find(goal_layer)
            if layer is None:
                raise NotFound("That layer is gone; it may have been deleted in another window.")
            goal, goal_name = _figures_of_layer(session, sheet_id, layer), layer.name
        else:
            assert goal_picture is not None
            goal = _figures_of_picture(session, goal_picture)
            goal_name = next((i.name for i in session.document.images if i.key == goal_picture), "")
        source = _figures(_taken(session, sheet_id, _read_by(layer_id, BASE_COLOR), _Sums.of))
        if source is None:
            raise InputError(f"There are no colours for {name} to adjust yet. Paint some first.")
        return {"source": source, "goal": goal, "goal_name": goal_name}


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
        rows = np.flatnonzero(painted & (share[:, 0] > CAUGHT))
        if not len(rows):
            raise InputError("No face has more than half of its colours in the range. Allow more tolerance, or make a mask of it instead.")
        keep_groups(session, [(name, rows)])

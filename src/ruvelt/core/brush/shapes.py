"""Lines, curves, closed shapes, rows and stamps: laid whole, and laid anew with each change until they are confirmed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from ruvelt.core.brush import dab
from ruvelt.core.brush.area import Rule, outline_weights, raster_shares
from ruvelt.core.brush.path import (
    MAX_DABS,
    NOMINAL_VIEW_PX,
    SWEEP,
    Chance,
    Character,
    laid_dabs,
    packed_balls,
    packed_discs,
)
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.snapping import EdgeGraph
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples.address import slot_at
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.camera import Camera

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
I32 = NDArray[np.int32]
Coordinate = Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)]
Triple = tuple[Coordinate, Coordinate, Coordinate]
Pair = tuple[Coordinate, Coordinate]
MAX_CORNERS = 200
#: Pixels of the view between rays along a line; pixels that snapping reaches.
RAY_PX, SNAP_PX = 1.5, 14.0
#: A line is told by no more points than this, however long it is said to be.
MAX_LINE = 40_000
#: A line breaks where neighbouring rays meet the surface this many times further apart than usual.
BREAK = 12.0


class Row(Frozen):
    """Stamps along a line: `count` of them, or one each `spacing` diameters, drawn in or out a little so that they fill it.

    align : "along" turns each with the line; alternate : every other one is mirrored ("flip") or turned half round ("turn")
    """

    count: Annotated[int, Field(ge=2, le=2000)] | None = None
    spacing: Annotated[float, Field(ge=0.2, le=50, allow_inf_nan=False)] = 1.5
    align: Literal["along", "fixed"] = "along"
    alternate: Literal["none", "flip", "turn"] = "none"


class Shape(Frozen):
    """A line (straight between its points), a curve (smooth through them) or a stamp (its middle, then the end of its radius).

    surface : points in object space; sheet : points in texels of the flat sheet, y down; one of the two
    camera : the view in which it is straight, round or closed; without one it follows the surface between its points
    filled : what a closed one encloses is laid, to its exact edge, and no line; rule : what that is where it crosses itself, all that it winds
    around or every other region; snap : points near an edge of the model move onto it, and a line between two of them follows it
    bend : stamps lie round on a bent surface; without, they are pressed flat through it
    """

    kind: Literal["line", "curve", "stamp"]
    surface: Annotated[tuple[Triple, ...], Field(max_length=MAX_CORNERS)] = ()
    sheet: Annotated[tuple[Pair, ...], Field(max_length=MAX_CORNERS)] = ()
    camera: Camera | None = None
    texels_per_pixel: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] = 1.0
    closed: bool = False
    filled: bool = False
    rule: Rule = "nonzero"
    snap: bool = False
    bend: bool = False
    row: Row | None = None

    @model_validator(mode="after")
    def _whole(self) -> Shape:
        if bool(self.surface) == bool(self.sheet):
            raise ValueError("a shape has points either on the 'surface' or on the 'sheet'")
        points = len(self.surface) or len(self.sheet)
        if self.kind == "stamp" and points != 2:
            raise ValueError("a stamp has two points: its middle and the end of its radius")
        if self.filled and (not self.closed or self.kind == "stamp"):
            raise ValueError("only a closed line or curve can be filled")
        if self.filled and self.surface and self.camera is None:
            raise ValueError("a filled shape on the surface needs the 'camera' it is seen with")
        return self


@dataclass(frozen=True, eq=False)
class Laid:
    """What a shape comes to: its dabs, samples it fills with their weights, and its points after snapping."""

    dabs: F32
    slots: I32 | None
    weights: F32 | None
    points: F64


def shaped_brush(brush: Brush, shape: Shape) -> Brush:
    """The brush as a shape uses it: stamps stand alone, each laid once at its full weight."""
    if shape.kind != "stamp" and shape.row is None:
        return brush
    flip = "alternate" if shape.row is not None and shape.row.alternate == "flip" else brush.flip
    return brush.model_copy(update={"flow": 1.0, "build": "level" if brush.build == "flow" else brush.build, "flip": flip, "spray": 1})


def lay_shape(brush: Brush, shape: Shape, samples: SurfaceSamples, caster: RayCaster, edges: EdgeGraph | None = None) -> Laid:
    """Dabs of a shape with its brush (as `shaped_brush` gives it). Raises InputError for a sheet shape on samples that are no sheet."""
    if shape.sheet:
        if not isinstance(samples, SheetSamples):
            raise InputError("There is no flat sheet to lay this shape on. Draw it on the model.")
        return _on_sheet(brush, shape, samples)
    return _on_surface(brush, shape, samples, caster, edges)


# -- lines ----------------------------------------------------------------------------------------------------------------------


def smooth(points: F64, closed: bool, step: float) -> F64:
    """(m, k) points about `step` apart along a curve through (n, k) ones: centripetal Catmull–Rom (Yuksel et al. 2011), no loops, no cusps."""
    n = len(points)
    if n < 3:
        return straight(points, closed, step)
    step = _no_finer(points, closed, step)
    first, last = (points[-1], points[0]) if closed else (2 * points[0] - points[1], 2 * points[-1] - points[-2])
    padded = np.concatenate([[first], points, [last], [points[1] if closed else last]])
    out = []
    for i in range(n if closed else n - 1):
        p = padded[i : i + 4]
        gaps = np.maximum(np.sqrt(np.linalg.norm(np.diff(p, axis=0), axis=1)), 1e-9)
        t0, t1, t2, t3 = 0.0, gaps[0], gaps[0] + gaps[1], gaps.sum()
        count = max(int(np.linalg.norm(p[2] - p[1]) / step * 1.2), 1)
        t = np.linspace(t1, t2, count, endpoint=False)[:, None]
        a1 = (t1 - t) / (t1 - t0) * p[0] + (t - t0) / (t1 - t0) * p[1]
        a2 = (t2 - t) / (t2 - t1) * p[1] + (t - t1) / (t2 - t1) * p[2]
        a3 = (t3 - t) / (t3 - t2) * p[2] + (t - t2) / (t3 - t2) * p[3]
        b1, b2 = (t2 - t) / (t2 - t0) * a1 + (t - t0) / (t2 - t0) * a2, (t3 - t) / (t3 - t1) * a2 + (t - t1) / (t3 - t1) * a3
        out.append((t2 - t) / (t2 - t1) * b1 + (t - t1) / (t2 - t1) * b2)
    out.append(points[:1] if closed else points[-1:])
    return np.concatenate(out)


def _no_finer(points: F64, closed: bool, step: float) -> float:
    """A step that keeps a line through points to MAX_LINE."""
    around = np.concatenate([points, points[:1]]) if closed else points
    return max(step, float(np.linalg.norm(np.diff(around, axis=0), axis=1).sum()) / MAX_LINE)


def straight(points: F64, closed: bool, step: float) -> F64:
    """(m, k) points at most `step` apart along straight lines between (n, k) ones."""
    step = _no_finer(points, closed, step)
    around = np.concatenate([points, points[:1]]) if closed and len(points) > 2 else points
    out = [around[:1]]
    for a, b in pairwise(around):
        count = max(int(math.ceil(float(np.linalg.norm(b - a)) / step)), 1)
        out.append(a + (b - a) * (np.arange(1, count + 1) / count)[:, None])
    return np.concatenate(out)


@dataclass(frozen=True, eq=False)
class _Run:
    """An unbroken stretch of line on the surface: (n, 3) places and normals, (n,) units a pixel spans."""

    place: F64
    normal: F64
    pixel: F64

    def at(self, lengths: F64) -> tuple[F64, F64, F64, F64]:
        """Places, unit normals, ways and pixels at arc lengths."""
        along = self.lengths
        place = np.stack([np.interp(lengths, along, self.place[:, k]) for k in range(3)], axis=1)
        normal = np.stack([np.interp(lengths, along, self.normal[:, k]) for k in range(3)], axis=1)
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
        index = np.clip(np.searchsorted(along, lengths, side="right"), 1, max(len(along) - 1, 1))
        direction = self.place[np.minimum(index, len(along) - 1)] - self.place[index - 1]
        return place, normal, direction, np.interp(lengths, along, self.pixel)

    @property
    def lengths(self) -> F64:
        return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(self.place, axis=0), axis=1))])


def _split(place: F64, normal: F64, pixel: F64, on: NDArray[np.bool_]) -> list[_Run]:
    gaps = np.linalg.norm(np.diff(place, axis=0), axis=1)
    usual = float(np.median(gaps[on[:-1] & on[1:]])) if (on[:-1] & on[1:]).any() else 0.0
    cut = np.concatenate([[True], ~on[:-1] | ~on[1:] | (gaps > BREAK * max(usual, 1e-12))])
    label = np.cumsum(cut)
    runs = []
    for k in np.unique(label):
        mine = (label == k) & on
        if mine.any():
            runs.append(_Run(place[mine], normal[mine], pixel[mine]))
    return runs


def _runs(shape: Shape, points: F64, follows: list[F64 | None], samples: SurfaceSamples, caster: RayCaster) -> list[_Run]:
    line = smooth if shape.kind == "curve" else straight
    nominal = samples.model.width / NOMINAL_VIEW_PX
    if any(f is not None for f in follows):
        places = _through(points, follows, samples.spacing)
        return _clung(places, samples, nominal if shape.camera is None else shape.camera.pixel_size(places))
    if shape.camera is None or not (((points - np.asarray(shape.camera.eye)) @ shape.camera.axes[2]) > 1e-9).all():
        # What lies behind the eye has no place in its view.
        places = line(points, shape.closed, samples.spacing)
        return _clung(places, samples, nominal)
    view = line(shape.camera.project(points), shape.closed, RAY_PX)
    origins, directions = shape.camera.rays(view)
    hits = caster.cast(origins, directions)
    pixel = shape.camera.face_eye(directions, hits.position, hits.normal)
    on = hits.triangle >= 0
    normal = _smooth_normals(samples, hits.position, hits.normal)
    return _split(hits.position, normal, pixel, on)


def _smooth_normals(samples: SurfaceSamples, places: F64, flat: F64) -> F64:
    """Normals of the nearest samples, on the side that is seen: facets would show in a row of stamps."""
    slots = samples.grid.nearest(places, 4 * samples.spacing)
    normals = np.where((slots >= 0)[:, None], samples.normals[np.maximum(slots, 0)], flat).astype(np.float64)
    turned: F64 = np.where((normals * flat).sum(axis=1, keepdims=True) < 0, -normals, normals)
    return turned


def _clung(places: F64, samples: SurfaceSamples, pixel: float | F64) -> list[_Run]:
    """Places brought down onto the surface: onto the tangent plane of the nearest sample."""
    reach = 0.25 * samples.model.diagonal
    slots = samples.grid.nearest(places, reach)
    on = slots >= 0
    near, normal = samples.positions[np.maximum(slots, 0)].astype(np.float64), samples.normals[np.maximum(slots, 0)].astype(np.float64)
    down = places - ((places - near) * normal).sum(axis=1, keepdims=True) * normal
    far = np.linalg.norm(down - near, axis=1) > 2 * samples.spacing
    return _split(np.where(far[:, None], near, down), normal, np.broadcast_to(np.asarray(pixel, np.float64), (len(places),)).copy(), on)


def _through(points: F64, follows: list[F64 | None], step: float) -> F64:
    parts = [points[:1]]
    for i, (a, b) in enumerate(pairwise(points)):
        path = follows[i]
        parts.append(straight(np.stack([a, b]) if path is None else np.concatenate([[a], path, [b]]), False, step)[1:])
    return np.concatenate(parts)


def _stops(total: float, step: float, shape: Shape, diameter: float) -> F64:
    """Arc lengths at which dabs lie."""
    row = shape.row
    if row is None:
        return np.arange(0, total + 1e-9, max(step, total / MAX_DABS, 1e-9))
    spaces = row.count - (0 if shape.closed else 1) if row.count is not None else round(total / max(row.spacing * diameter, 1e-9))
    spaces = int(np.clip(spaces, 1, MAX_DABS))
    return np.linspace(0, total, spaces + 1)[: spaces if shape.closed else None]


def _to_the_end(lengths: F64, total: float, closed: bool) -> F64:
    """Stops of a swept line: on to its end, and there once more, as a stroke ends; a closed one ends where it began."""
    if total <= 0:
        return lengths
    return np.concatenate([lengths[lengths < total - 1e-9 * max(total, 1)], [total] * (1 if closed else 2)])


def _on_surface(brush: Brush, shape: Shape, samples: SurfaceSamples, caster: RayCaster, edges: EdgeGraph | None) -> Laid:
    points = np.asarray(shape.surface, np.float64)
    follows: list[F64 | None] = [None] * max(len(points) - 1, 0)
    swept = brush.swept and shape.row is None and shape.kind != "stamp"
    if shape.snap and edges is not None:
        points, follows = edges.snapped(points, SNAP_PX, shape.camera)
    chance, character = Chance(brush), Character(brush, swept)
    width = samples.model.width
    if shape.kind == "stamp":
        return _version(brush, shape, points, samples, caster, chance, character)
    laid = []
    count = 0.0
    for run in _runs(shape, points, follows, samples, caster) if len(points) else []:
        size = brush.size * (run.pixel.mean() if brush.size_unit == "view" else width)
        lengths = _stops(float(run.lengths[-1]), size * (SWEEP if swept else brush.spacing), shape, size)
        if swept:
            lengths = _to_the_end(lengths, float(run.lengths[-1]), shape.closed)
        place, normal, direction, pixel = run.at(lengths)
        radius = brush.size / 2 * (pixel if brush.size_unit == "view" else np.full(len(place), width))
        drawn = chance.draw(len(place))
        radius = radius * (1 - brush.jitter_size * drawn[:, 2])
        turned = shape.row is not None and shape.row.align == "along"
        lean = direction if brush.follow or turned else np.cross([0.0, 1.0, 0.0], normal)
        number = count + np.arange(len(place), dtype=np.float64)
        if shape.row is not None and shape.row.alternate == "turn":
            lean = np.where((number % 2 == 1)[:, None], -lean, lean)
        sweep = np.diff(place, axis=0, prepend=place[:1]) if swept else None
        balls = packed_balls(brush, place, normal, lean, radius, np.ones(len(place)), drawn, sweep)
        dabs = laid_dabs(brush, character, balls, normal, direction, number)
        laid.append(dabs if swept else _bent(dabs, shape))
        count += len(place)
    dabs = np.concatenate(laid) if laid else dab.empty(0, dab.BALL)
    if shape.filled and len(points) > 2:
        return Laid(dabs[:0], *_inside(shape, points, samples, caster), points)
    return Laid(dabs, None, None, points)


def _bent(dabs: F32, shape: Shape) -> F32:
    if shape.bend and len(dabs) and dab.is_rich(dab.kind_of(dabs)):
        dabs[:, dab.BENT] = 1
    return dabs


def _version(brush: Brush, shape: Shape, points: F64, samples: SurfaceSamples, caster: RayCaster, chance: Chance, character: Character) -> Laid:
    middle, direction = points[0], points[1] - points[0]
    if shape.camera is not None:
        seen = shape.camera.project(points)
        drag = seen[1] - seen[0]
        right, up, _ = shape.camera.axes
        hits = caster.cast(*shape.camera.rays(seen[:1]))
        if hits.triangle[0] >= 0:
            middle = hits.position[0]
        radius = float(np.linalg.norm(drag) * shape.camera.pixel_size(middle[None])[0])
        direction = drag[0] * right - drag[1] * up
        flat = -shape.camera.rays(seen[:1])[1]
    else:
        radius = float(np.linalg.norm(direction))
        flat = np.array([[0.0, 1.0, 0.0]])
    slot = samples.grid.nearest(middle[None], 0.05 * samples.model.diagonal)
    if slot[0] < 0 or radius <= 0:
        return Laid(dab.empty(0, dab.BALL), None, None, points)
    normal = samples.normals[slot].astype(np.float64)
    if shape.camera is not None and (normal * flat).sum() < 0:
        normal = -normal
    balls = packed_balls(brush, middle[None], normal, direction[None], np.array([radius]), np.ones(1), chance.draw(1))
    return Laid(_bent(laid_dabs(brush, character, balls, normal, direction[None], np.zeros(1)), shape), None, None, points)


# -- the flat sheet ---------------------------------------------------------------------------------------------------------------


def _on_sheet(brush: Brush, shape: Shape, samples: SheetSamples) -> Laid:
    points = np.asarray(shape.sheet, np.float64)
    swept = brush.swept and shape.row is None and shape.kind != "stamp"
    chance, character = Chance(brush), Character(brush, swept)
    diameter = brush.size * shape.texels_per_pixel if brush.size_unit == "view" else brush.size * samples.model.width / samples.spacing
    if shape.kind == "stamp":
        direction = points[1:] - points[:1]
        place, diameter = points[:1], 2 * float(np.linalg.norm(direction))
    else:
        dense = (smooth if shape.kind == "curve" else straight)(points, shape.closed, 0.5)
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(dense, axis=0), axis=1))])
        lengths = _stops(float(along[-1]), diameter * (SWEEP if swept else brush.spacing), shape, diameter)
        if swept:
            lengths = _to_the_end(lengths, float(along[-1]), shape.closed)
        place = np.stack([np.interp(lengths, along, dense[:, k]) for k in range(2)], axis=1)
        index = np.clip(np.searchsorted(along, lengths, side="right"), 1, max(len(along) - 1, 1))
        direction = dense[np.minimum(index, len(dense) - 1)] - dense[index - 1]
    if diameter <= 0:
        place, direction = place[:0], direction[:0]
    drawn, number = chance.draw(len(place)), np.arange(len(place), dtype=np.float64)
    turn = np.radians(brush.angle) + np.pi * brush.jitter_angle * drawn[:, 3]
    if shape.kind == "stamp" or brush.follow or (shape.row is not None and shape.row.align == "along"):
        turn = turn + np.arctan2(-direction[:, 1], direction[:, 0])
    if shape.row is not None and shape.row.alternate == "turn":
        turn = turn + np.pi * (number % 2)
    discs = packed_discs(brush, place, diameter / 2 * (1 - brush.jitter_size * drawn[:, 2]), turn)
    discs[:, dab.FLOW] = brush.flow if swept else brush.dab_flow
    if swept and len(place):
        discs[:, dab.SWEEP : dab.SWEEP + 2] = np.diff(place, axis=0, prepend=place[:1])
    discs[:, dab.CAP] = brush.strength * (1 - brush.jitter_strength * drawn[:, 4])
    if brush.rich:
        length = np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-12)
        across = np.concatenate([-direction[:, 1:] / length, direction[:, :1] / length, np.zeros((len(direction), 1))], axis=1)
        discs = character.rows(discs, number, across, True)
    if shape.filled and len(points) > 2:
        return Laid(discs[:0], *_inside_sheet(shape, points, samples), points)
    return Laid(discs, None, None, points)


# -- what a closed shape encloses -------------------------------------------------------------------------------------------------


def _cosine(directions: F64, normals: F32) -> F64:
    """(n,) cosine between ways to places and the normals there, whichever side is seen."""
    length = np.maximum(np.linalg.norm(directions, axis=1), 1e-12)
    return np.asarray(np.abs((directions * normals).sum(axis=1)) / length)


def seen_inside(outline: F64, camera: Camera, samples: SurfaceSamples, caster: RayCaster, rule: Rule) -> tuple[I32, F32]:
    """Samples that a closed outline (m, 2 pixels of the view) encloses and the view sees, with weights 0–1."""
    slots = samples.grid.slot
    positions = samples.positions[slots].astype(np.float64)
    eye = np.asarray(camera.eye, np.float64)
    depth = (positions - eye) @ camera.axes[2]
    facing = ((eye - positions) * samples.normals[slots]).sum(axis=1) > 0
    ahead = np.flatnonzero(facing & (depth > 1e-9))
    # The edge is as wide as a sample is, or a pixel where that is wider.
    slant = np.sqrt(np.clip(_cosine(positions[ahead] - eye, samples.normals[slots[ahead]]), 0.05, 1))
    size = np.maximum(samples.spacing / camera.pixel_size(positions[ahead]) * slant, 1.0)
    weights = outline_weights(outline, camera.project(positions[ahead]), size, rule)
    inside = ahead[weights > 0]
    weights = weights[weights > 0]
    directions = positions[inside] - eye
    distance = np.linalg.norm(directions, axis=1)
    hits = caster.cast(np.broadcast_to(eye, directions.shape).copy(), directions / np.maximum(distance, 1e-12)[:, None])
    seen = hits.distance >= distance - 3 * samples.spacing - 1e-4 * samples.model.diagonal
    return slots[inside[seen]], weights[seen]


def _inside(shape: Shape, points: F64, samples: SurfaceSamples, caster: RayCaster) -> tuple[I32, F32]:
    assert shape.camera is not None
    if not (((points - np.asarray(shape.camera.eye)) @ shape.camera.axes[2]) > 1e-9).all():
        return np.zeros(0, np.int32), np.zeros(0, np.float32)
    outline = (smooth if shape.kind == "curve" else straight)(shape.camera.project(points), True, RAY_PX)
    return seen_inside(outline, shape.camera, samples, caster, shape.rule)


def _inside_sheet(shape: Shape, points: F64, samples: SheetSamples) -> tuple[I32, F32]:
    outline = (smooth if shape.kind == "curve" else straight)(points, True, 1.0)
    low = np.clip(np.floor(outline.min(axis=0)), 0, samples.side - 1).astype(int)
    high = np.clip(np.ceil(outline.max(axis=0)), 1, samples.side).astype(int)
    width, height = (int(v) for v in high - low)
    shares = raster_shares(outline - low, width, height, shape.rule).ravel()
    x, y = (v.ravel() for v in np.meshgrid(np.arange(low[0], high[0]), np.arange(low[1], high[1])))
    slots = slot_at(x, y, samples.chunks_across)
    on = (samples.owner[slots] >= 0) & (shares > 1e-6)
    return slots[on].astype(np.int32), shares[on]

"""Pointer positions to dabs: steadying, even spacing, pressure, jitter, mirror. The same input always gives the same dabs."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush._path_kernels import axes_across, lay_stops, pack_balls, pack_rich
from ruvelt.core.brush.curve import Curve
from ruvelt.core.brush.settings import Brush, PressureCurve
from ruvelt.core.brush.tip_arrays import DabPattern
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.camera import Camera

#: Length of the leash at full steadying, pixels of the view.
LEASH_PX = 80.0
#: One batch may lay this many dabs before mirroring; a longer path is laid at wider spacing instead of blocking the next batch.
MAX_DABS = 4000
#: A "view" size on a path given in object space counts in a view where the model's longest side is this many pixels.
NOMINAL_VIEW_PX = 1000.0

#: A stroke that is swept goes in steps of so many diameters, whatever its spacing.
SWEEP = 0.2


@dataclass(frozen=True)
class Point:
    """One pointer sample: position on the path's own plane or in space, pressure 0–1, time in seconds (0: not known)."""

    at: tuple[float, ...]
    pressure: float = 1.0
    time: float = 0.0


class Path(Protocol):
    """A path takes pointer samples and gives back the dabs they have completed: (n, columns) float32."""

    def extend(self, points: list[Point]) -> NDArray[np.float32]: ...

    def finish(self) -> NDArray[np.float32]:
        """What is left to lay once the hand is up."""
        ...


class _Walk:
    """Where pointer samples lay dabs: the tip trails the hand on a leash along the curve it draws, and stops every so often."""

    def __init__(self, brush: Brush, swept: bool, unit: float, across: int) -> None:
        """`unit` : of a pixel of the view on the path; `across` : 2 on a plane, 3 in space."""
        self._swept, self._laid = swept, 0
        self._spacing = max(brush.spacing, SWEEP) if swept else brush.spacing
        curve = brush.pressure_size
        self._low, self._gamma = (curve.low, curve.gamma) if curve.on else (1.0, 1.0)
        self._leash, self._state = brush.steadying * LEASH_PX * unit, np.zeros(10)
        self._curve, self._across = Curve(unit), across
        # On a plane a flat tip that is not turned has an extent along the path; views and sheets have y down, angles count up.
        turns = swept or across == 3 or brush.follow or brush.jitter_angle > 0
        angle = math.radians(brush.angle)
        self._flat = (1.0, 1.0, 0.0) if turns else (1 / brush.roundness, math.cos(angle), -math.sin(angle))
        self._room = np.empty((0, 4))

    @property
    def begun(self) -> bool:
        return bool(self._state[0])

    def stops(self, points: list[Point], size: float, least: float, last: bool = False) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(n, 2 or 3) places and (n,) pressures there, at most MAX_DABS. size : the brush's diameter at full pressure; least : between stops.

        A swept stroke ends where the hand lifted, with a stop there as the one it began with.
        """
        step = self._spacing * size
        given = np.zeros((len(points), 5))
        for row, point in zip(given, points, strict=True):
            row[: self._across], row[3], row[4] = point.at, point.pressure, point.time
        line = self._curve.extend(given, last)
        if len(self._room) < 2 * MAX_DABS + len(line):
            self._room = np.empty((2 * MAX_DABS + len(line) + 500, 4))
        out = self._room
        places, pressures = np.ascontiguousarray(line[:, :3]), np.ascontiguousarray(line[:, 3])
        n = lay_stops(places, pressures, self._leash, step, self._low, self._gamma, least, self._flat, self._state, MAX_DABS, out)
        laid = out[:n] if n <= MAX_DABS else out[: n : n // MAX_DABS + 1]
        self._laid += len(laid)
        if last and self._swept and self.begun:
            went_on = self._state[8] < 0.999 * max(step * (self._low + (1 - self._low) * self._state[7] ** self._gamma), least)
            if went_on or self._laid > 1:
                laid = np.concatenate([laid, np.repeat(self._state[None, 4:8], 2 if went_on else 1, axis=0)])
        # Copies always: the room is used again, and a first stop may be held back till the next call.
        return laid[:, : self._across].copy(), laid[:, 3].copy()


_SPREAD, _SHIFT = np.array([2.0, 2.0, 1.0, 2.0, 1.0]), np.array([1.0, 1.0, 0.0, 1.0, 0.0])


class Chance:
    """The stroke's own random numbers: four a dab, so that turning one jitter on does not change another."""

    def __init__(self, brush: Brush) -> None:
        self._random = np.random.Generator(np.random.PCG64(brush.seed))

    def draw(self, count: int) -> NDArray[np.float64]:
        """(n, 5): place x, place y, size, angle, strength; all in −1 … 1 but size and strength in 0 … 1."""
        values = self._random.random((count, 5))
        values *= _SPREAD
        values -= _SHIFT
        return values


@dataclass(frozen=True)
class Stops:
    """Where dabs lie on a path: `place` (n, 2 or 3) on the path's plane or in space, `way` the path's direction there, `number` counts stops."""

    place: NDArray[np.float64]
    pressure: NDArray[np.float64]
    direction: NDArray[np.float64]
    number: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.place)


class _Line:
    """Gives stops their number and way. A first stop waits for the second where its way matters, so that batches make no difference."""

    def __init__(self, brush: Brush) -> None:
        self._waits = brush.follow or brush.mix.mode == "across"
        self._spray = brush.spray
        self._plain = not (brush.rich or brush.follow)
        self._last: NDArray[np.float64] | None = None
        self._direction: NDArray[np.float64] | None = None
        self._held: list[NDArray[np.float64]] = []
        self._count = 0

    def take(self, place: NDArray[np.float64], pressure: NDArray[np.float64], last: bool = False) -> Stops:
        if self._held and (len(place) or last):
            place, pressure = np.concatenate([self._held[0], place.reshape(-1, self._held[0].shape[1])]), np.concatenate([self._held[1], pressure])
            self._held = []
        if self._waits and self._last is None and len(place) == 1 and not last:
            self._held = [place, pressure]
            place, pressure = place[:0], pressure[:0]
        if self._plain and self._spray == 1:
            return Stops(place, pressure, place, pressure)
        if not len(place):
            return Stops(place, pressure, place, pressure)
        before = place[:1] if self._last is None else self._last
        direction = np.diff(np.concatenate([before, place]), axis=0)
        if self._last is None and len(direction) > 1:
            direction[0] = direction[1]
        if len(direction) > 1 and not direction[-1].any():
            # Where a stroke ends it is laid once more, turned as it came.
            direction[-1] = direction[-2]
        elif not direction.any() and self._direction is not None:
            direction[:] = self._direction
        self._direction = direction[-1:].copy()
        self._last = place[-1:]
        number = np.arange(self._count, self._count + len(place), dtype=np.float64)
        self._count += len(place)
        k = self._spray
        return (
            Stops(place, pressure, direction, number) if k == 1 else Stops(*(np.repeat(v, k, axis=0) for v in (place, pressure, direction, number)))
        )


#: What kernels call a brush's flips and ways of mixing.
FLIPS = {"none": 0, "alternate": 1, "random": 2}
MIXINGS = {"none": 0, "across": 0, "along": 1, "random": 2}
_NONE = np.zeros((0, 3))


class Character:
    """What makes rich dabs of one stroke differ: their own random numbers, the colours' share and the distance travelled."""

    def __init__(self, brush: Brush, swept: bool) -> None:
        self._brush, self._random = brush, np.random.Generator(np.random.PCG64([brush.seed, 7]))
        self._travelled, self._spacing = np.zeros(4), 0.0 if swept else brush.spacing
        turned = brush.colours_turn
        self._spread = np.array([0.5 * brush.jitter_hue, brush.jitter_saturation, brush.jitter_value]) if turned else np.zeros(3)

    def rows(self, balls: NDArray[np.float32], number: NDArray[np.float64], across: NDArray[np.float64] | None, flat: bool) -> NDArray[np.float32]:
        """(n, WIDTH) rich dabs from plain ones; `across`: (n, 3) unit vectors across the stroke."""
        brush, n = self._brush, len(balls)
        chance = self._random.random((n, 6))
        out = np.empty((n, dab.WIDTH), np.float32)
        limit = math.cos(math.radians(brush.facing_deg)) if brush.facing else -3.0
        pattern = DabPattern(len(brush.tips), FLIPS[brush.flip], MIXINGS[brush.mix.mode], brush.mix.length, self._spacing, self._spread)
        aside = across if brush.mix.mode == "across" and across is not None else _NONE
        pack_rich(balls, number, chance, aside, limit, brush.depth, pattern, flat, self._travelled, out)
        if brush.back:
            out[:, dab.NORMAL : dab.NORMAL + 3] *= -1
        return out


def _factors(curve: PressureCurve, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.array([curve.at(p) for p in pressure]) if curve.on else np.ones(len(pressure))


def _across(normal: NDArray[np.float64], lean: NDArray[np.float64], turned: bool = False) -> NDArray[np.float64]:
    """(n, 3) unit vectors across `normal`, as close to `lean`, (n, 3) or (1, 3), as can be; `turned` on by a quarter about the normal."""
    out = np.empty_like(normal)
    axes_across(normal, lean, turned, out)
    return out


def packed_balls(
    brush: Brush,
    centre: NDArray[np.float64],
    normal: NDArray[np.float64],
    lean: NDArray[np.float64],
    radius: NDArray[np.float64],
    pressure: NDArray[np.float64],
    chance: NDArray[np.float64],
    sweep: NDArray[np.float64] | None = None,
) -> NDArray[np.float32]:
    """Pack ball dabs. `radius` already holds pressure and jitter of size; `sweep` : (n, 3) ways from the places before, 0 for none."""
    out = dab.empty(len(centre), dab.BALL)
    turn = math.radians(brush.angle) + math.pi * brush.jitter_angle * chance[:, 3]
    flow = (brush.dab_flow if sweep is None else brush.flow) * _factors(brush.pressure_flow, pressure)
    if sweep is not None:
        out[:, dab.SWEEP : dab.SWEEP + 3] = sweep
    cap = brush.strength * (1 - brush.jitter_strength * chance[:, 4]) * _factors(brush.pressure_strength, pressure)
    pack_balls(centre, normal, _across(normal, lean), radius, turn, flow, cap, brush.roundness, brush.hardness, brush.facing, out)
    return out


def laid_dabs(
    brush: Brush,
    character: Character,
    balls: NDArray[np.float32],
    normal: NDArray[np.float64],
    direction: NDArray[np.float64],
    number: NDArray[np.float64],
) -> NDArray[np.float32]:
    """Dabs as they are laid: rich where the brush asks for it, mirrored. way : (n, 3) object space."""
    if brush.rich:
        across = _across(normal, direction, turned=True) if brush.mix.mode == "across" else None
        balls = character.rows(balls, number, across, False)
    return mirrored(balls, brush)


def _nothing(brush: Brush) -> NDArray[np.float32]:
    return dab.empty(0, dab.RICH_BALL if brush.rich else dab.BALL)


def mirrored(dabs: NDArray[np.float32], brush: Brush) -> NDArray[np.float32]:
    """Each dab followed by its reflections across the brush's mirror planes (through the object's origin) and its turns about its axis."""
    for axis, on in enumerate((brush.mirror.x, brush.mirror.y, brush.mirror.z)):
        if on:
            twin = dabs.copy()
            for start in dab.VECTORS:
                twin[:, start + axis] *= -1
            dabs = np.stack([dabs, twin], axis=1).reshape(-1, dabs.shape[1])
    around = [dabs]
    for turn in brush.mirror.turns():
        turned = dabs.copy()
        for start in dab.VECTORS:
            turned[:, start : start + 3] = dabs[:, start : start + 3] @ turn.T
        around.append(turned)
    return np.stack(around, axis=1).reshape(-1, dabs.shape[1]) if len(around) > 1 else dabs


class _Sweep:
    """The ways that a swept brush came from the place before: 0 where it begins, and where it jumped over an edge."""

    def __init__(self, swept: bool) -> None:
        self._on = swept
        self._before: NDArray[np.float64] | None = None

    def directions(self, place: NDArray[np.float64], there: NDArray[np.bool_], radius: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """(n, k) ways to (n, k) places; `there` : (n,) where the path met the surface; radius : (n,), further than two of which is a jump."""
        if not self._on:
            return None
        known = np.where(there[:, None], place, np.nan)
        before = np.full((1, place.shape[1]), np.nan) if self._before is None else self._before
        self._before = known[-1:]
        directions = known - np.concatenate([before, known[:-1]])
        return np.where(np.linalg.norm(directions, axis=1, keepdims=True) <= 2 * radius[:, None], directions, 0.0)


class ViewPath:
    """Pointer positions in pixels of a view; each dab lies where the ray under it meets the visible surface.

    drags : most spacing of a tool that drags what it meets from dab to dab: nothing is swept; None for others
    """

    def __init__(self, brush: Brush, camera: Camera, caster: RayCaster, samples: SurfaceSamples, drags: float | None = None) -> None:
        brush, swept = (brush, brush.swept) if drags is None else (brush.spaced(drags), False)
        self.brush, self.camera, self.caster, self.samples = brush, camera, caster, samples
        self._walk, self._chance = _Walk(brush, swept, 1.0, 2), Chance(brush)
        self._line, self._character, self._sweep = _Line(brush), Character(brush, swept), _Sweep(swept)
        self._pixel = samples.model.width / NOMINAL_VIEW_PX
        #: Where the path last met the surface, object space.
        self.last_hit: NDArray[np.float64] | None = None

    @property
    def _size_px(self) -> float:
        return self.brush.size if self.brush.size_unit == "view" else self.brush.size * self.samples.model.width / self._pixel

    def _diameter_px(self, pressure: float) -> float:
        return max(self._size_px * self.brush.pressure_size.at(pressure), 0.5)

    def extend(self, points: list[Point]) -> NDArray[np.float32]:
        if points and not self._walk.begun and self.brush.size_unit == "object":
            self._cast(np.array([points[0].at], np.float64))
        return self._go_on(points)

    def finish(self) -> NDArray[np.float32]:
        return self._go_on([], True)

    def _go_on(self, points: list[Point], last: bool = False) -> NDArray[np.float32]:
        return self._lay(self._line.take(*self._walk.stops(points, self._size_px, max(0.25, 0.5 * self.brush.spacing), last), last))

    def _lay(self, stops: Stops) -> NDArray[np.float32]:
        brush = self.brush
        if not len(stops):
            return _nothing(brush)
        view, pressure = stops.place, stops.pressure
        chance = self._chance.draw(len(view))
        size_factor = (1 - brush.jitter_size * chance[:, 2]) * _factors(brush.pressure_size, pressure)
        if brush.jitter_place > 0:
            diameter = np.array([self._diameter_px(p) for p in pressure])
            view = view + chance[:, :2] * (brush.jitter_place * diameter)[:, None]
        hit, position, normal, pixel = self._cast(view)
        radius = brush.size / 2 * size_factor * pixel if brush.size_unit == "view" else brush.size / 2 * self.samples.model.width * size_factor
        right, up, _ = self.camera.axes
        direction = stops.direction[:, :1] * right - stops.direction[:, 1:] * up if brush.rich or brush.follow else position
        lean = np.where(np.linalg.norm(direction, axis=1, keepdims=True) > 0, direction, right) if brush.follow else right[None]
        number = stops.number
        sweep = self._sweep.directions(position, hit, radius)
        if not hit.all():
            sweep = None if sweep is None else sweep[hit]
            position, normal, radius, pressure, chance = position[hit], normal[hit], radius[hit], pressure[hit], chance[hit]
            direction, number, lean = direction[hit], number[hit], lean[hit] if len(lean) > 1 else lean
        balls = packed_balls(brush, position, normal, lean, radius, pressure, chance, sweep)
        return laid_dabs(brush, self._character, balls, normal, direction, number)

    def _cast(self, view: NDArray[np.float64]) -> tuple[NDArray[np.bool_], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        origins, directions = self.camera.rays(view)
        hits = self.caster.cast(origins, directions)
        hit = hits.triangle >= 0
        pixel = self.camera.face_eye(directions, hits.position, hits.normal)
        met = np.flatnonzero(hit)
        if len(met):
            self._pixel = float(pixel[met[-1]])
            self.last_hit = hits.position[met[-1]]
        return hit, hits.position, hits.normal, pixel


class SurfacePath:
    """Points in object space, on or near the surface: what stroke scripts use. drags : as of a ViewPath"""

    def __init__(self, brush: Brush, samples: SurfaceSamples, drags: float | None = None) -> None:
        brush, swept = (brush, brush.swept) if drags is None else (brush.spaced(drags), False)
        self.brush, self.samples = brush, samples
        self._chance = Chance(brush)
        width = samples.model.width
        self._diameter = brush.size * (width / NOMINAL_VIEW_PX if brush.size_unit == "view" else width)
        self._walk = _Walk(brush, swept, width / NOMINAL_VIEW_PX, 3)
        self._line, self._character, self._sweep = _Line(brush), Character(brush, swept), _Sweep(swept)

    def extend(self, points: list[Point]) -> NDArray[np.float32]:
        return self._go_on(points)

    def finish(self) -> NDArray[np.float32]:
        return self._go_on([], True)

    def _go_on(self, points: list[Point], last: bool = False) -> NDArray[np.float32]:
        return self._lay(self._line.take(*self._walk.stops(points, self._diameter, self._diameter * 1e-3, last), last))

    def _lay(self, stops: Stops) -> NDArray[np.float32]:
        brush, centre, pressure = self.brush, stops.place, stops.pressure
        if not len(stops):
            return _nothing(brush)
        chance = self._chance.draw(len(centre))
        factor = (1 - brush.jitter_size * chance[:, 2]) * _factors(brush.pressure_size, pressure)
        radius = self._diameter / 2 * factor
        reach = max(self._diameter, 4 * self.samples.spacing)
        slot = self.samples.grid.nearest(centre, reach)
        on = slot >= 0
        if not on.any():
            self._sweep.directions(centre, on, radius)
            return _nothing(brush)
        near = self.samples.positions[np.maximum(slot, 0)].astype(np.float64)
        normal = self.samples.normals[np.maximum(slot, 0)].astype(np.float64)
        # A chord between far points may leave the surface; then the dab moves to the nearest sample.
        off = np.linalg.norm(near - centre, axis=1) > 2 * self.samples.spacing
        centre = np.where(off[:, None], near, centre)
        lean = np.cross([0.0, 1.0, 0.0], normal)
        if brush.follow:
            lean = np.where(np.linalg.norm(stops.direction, axis=1, keepdims=True) > 0, stops.direction, lean)
        if brush.jitter_place > 0:
            u = _across(normal, lean)
            v = np.cross(normal, u)
            shift = chance[:, :2] * (brush.jitter_place * 2 * radius)[:, None]
            centre = centre + u * shift[:, :1] + v * shift[:, 1:2]
        sweep = self._sweep.directions(centre, on, radius)
        sweep = None if sweep is None else sweep[on]
        balls = packed_balls(brush, centre[on], normal[on], lean[on], radius[on], pressure[on], chance[on], sweep)
        return laid_dabs(brush, self._character, balls, normal[on], stops.direction[on], stops.number[on])


class SheetPath:
    """Positions on the flat sheet in texels (x right, y down): the dab is a disc of the picture, whatever the surface does.

    drags : as of a ViewPath
    """

    def __init__(self, brush: Brush, texels_per_pixel: float, spacing: float, width: float, drags: float | None = None) -> None:
        brush, swept = (brush, brush.swept) if drags is None else (brush.spaced(drags), False)
        self.brush = brush
        self._walk, self._chance = _Walk(brush, swept, texels_per_pixel, 2), Chance(brush)
        self._line, self._character, self._sweep = _Line(brush), Character(brush, swept), _Sweep(swept)
        self._diameter = brush.size * texels_per_pixel if brush.size_unit == "view" else brush.size * width / spacing

    def extend(self, points: list[Point]) -> NDArray[np.float32]:
        return self._go_on(points)

    def finish(self) -> NDArray[np.float32]:
        return self._go_on([], True)

    def _go_on(self, points: list[Point], last: bool = False) -> NDArray[np.float32]:
        return self._lay(self._line.take(*self._walk.stops(points, self._diameter, 0.25, last), last))

    def _lay(self, stops: Stops) -> NDArray[np.float32]:
        brush, pressure = self.brush, stops.pressure
        out = dab.empty(0, dab.DISC)
        if len(stops):
            chance = self._chance.draw(len(stops))
            factor = (1 - brush.jitter_size * chance[:, 2]) * _factors(brush.pressure_size, pressure)
            turn = np.radians(brush.angle) + np.pi * brush.jitter_angle * chance[:, 3]
            if brush.follow:
                # Angles count against the clock, y down.
                turn = turn + np.arctan2(-stops.direction[:, 1], stops.direction[:, 0])
            out = packed_discs(brush, stops.place + chance[:, :2] * brush.jitter_place * self._diameter, self._diameter / 2 * factor, turn)
            sweep = self._sweep.directions(stops.place, np.ones(len(stops), bool), out[:, dab.RADIUS].astype(np.float64))
            out[:, dab.FLOW] = (brush.dab_flow if sweep is None else brush.flow) * _factors(brush.pressure_flow, pressure)
            if sweep is not None:
                out[:, dab.SWEEP : dab.SWEEP + 2] = sweep
            out[:, dab.CAP] = brush.strength * (1 - brush.jitter_strength * chance[:, 4])
            out[:, dab.CAP] *= _factors(brush.pressure_strength, pressure)
        if not brush.rich:
            return out
        length = np.maximum(np.linalg.norm(stops.direction, axis=1, keepdims=True), 1e-12)
        across = np.concatenate([-stops.direction[:, 1:] / length, stops.direction[:, :1] / length, np.zeros((len(stops), 1))], axis=1)
        return self._character.rows(out, stops.number, across, True)


def packed_discs(brush: Brush, centre: NDArray[np.float64], radius: NDArray[np.float64], turn: NDArray[np.float64]) -> NDArray[np.float32]:
    """Discs of the flat sheet at (n, 2) texels, but their flow, cap and sweep. turn : (n,) radians, against the clock"""
    out = dab.empty(len(centre), dab.DISC)
    out[:, : dab.Z], out[:, dab.RADIUS], out[:, dab.NORMAL + 2] = centre, radius, 1
    # Up on the sheet is towards smaller y.
    out[:, dab.LONG], out[:, dab.LONG + 1] = np.cos(turn), -np.sin(turn)
    out[:, dab.SHORT], out[:, dab.SHORT + 1] = out[:, dab.LONG + 1], -out[:, dab.LONG]
    out[:, dab.ROUNDNESS], out[:, dab.HARDNESS] = brush.roundness, brush.hardness
    return out


def lock_angle(start: tuple[float, float], end: tuple[float, float], step_deg: float = 15.0) -> tuple[float, float]:
    """`end` turned about `start` to the nearest multiple of `step_deg`, at the same distance (pixels of a view, or texels)."""
    dx, dy = end[0] - start[0], end[1] - start[1]
    angle = np.radians(np.round(np.degrees(np.arctan2(dy, dx)) / step_deg) * step_deg)
    length = float(np.hypot(dx, dy))
    return start[0] + length * float(np.cos(angle)), start[1] + length * float(np.sin(angle))

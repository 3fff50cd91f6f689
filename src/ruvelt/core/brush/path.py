"""Pointer positions to dabs: steadying, even spacing, pressure, jitter, mirror. The same input always gives the same dabs."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._path_kernels import axes_across, pack_balls
from ruvelt.core.brush.camera import Camera
from ruvelt.core.brush.settings import Brush, PressureCurve
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples.surface import SurfaceSamples

#: Length of the leash at full steadying, pixels of the view.
LEASH_PX = 80.0
#: One batch may lay this many dabs before mirroring; a longer path is laid at wider spacing instead of blocking the next batch.
MAX_DABS = 4000
#: A "view" size on a path given in object space counts in a view where the model's longest side is this many pixels.
NOMINAL_VIEW_PX = 1000.0

#: Columns of a ball dab: centre 0–2, radius 3, normal 4–6, long axis 7–9, short axis 10–12, roundness, hardness, flow, cap, facing.
BALL_COLUMNS = 18
#: Columns of a disc dab on the flat sheet (texels): centre 0–1, radius 2, cosine and sine of the angle 3–4, roundness, hardness, flow, cap.
DISC_COLUMNS = 9


@dataclass(frozen=True)
class Point:
    """One pointer sample: position on the path's own plane or in space, pressure 0–1."""

    at: tuple[float, ...]
    pressure: float = 1.0


class Path(Protocol):
    """A path takes pointer samples and gives back the dabs they have completed: (n, columns) float32."""

    def extend(self, points: list[Point]) -> NDArray[np.float32]: ...


Place = tuple[float, ...]


def _between(a: Place, b: Place, share: float) -> Place:
    return tuple(x + (y - x) * share for x, y in zip(a, b, strict=True))


class _Spacer:
    """Walks a polyline and stops every `step` of arc length. `step` is asked anew at every stop, with the pressure there."""

    def __init__(self) -> None:
        self.last: Place | None = None
        self.pressure = 1.0
        self.left = 0.0

    def walk(self, target: Place, pressure: float, step_at: Callable[[float], float]) -> list[tuple[Place, float]]:
        if self.last is None:
            self.last, self.pressure = target, pressure
            self.left = step_at(pressure)
            return [(target, pressure)]
        stops: list[tuple[Place, float]] = []
        whole = math.dist(target, self.last)
        done = 0.0
        while whole - done >= self.left and len(stops) < MAX_DABS:
            done += self.left
            share = done / whole
            p = self.pressure + (pressure - self.pressure) * share
            stops.append((_between(self.last, target, share), p))
            self.left = step_at(p)
        self.left = max(self.left - (whole - done), 0.0) if len(stops) < MAX_DABS else step_at(pressure)
        self.last, self.pressure = target, pressure
        return stops


class _Leash:
    """The steadied tip: it stays until the hand is a leash's length away, then trails it."""

    def __init__(self, reach: float) -> None:
        self.reach = reach
        self.tip: Place | None = None

    def pull(self, hand: Place) -> Place:
        if self.tip is None or self.reach <= 0:
            self.tip = hand
            return hand
        distance = math.dist(hand, self.tip)
        if distance > self.reach:
            self.tip = _between(hand, self.tip, self.reach / distance)
        return self.tip


def _stops(points: list[Point], leash: _Leash, spacer: _Spacer, step_at: Callable[[float], float]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(n, 2 or 3) places where pointer samples lay dabs and (n,) pressures there, at most MAX_DABS of them."""
    stops: list[tuple[Place, float]] = []
    for point in points:
        stops += spacer.walk(leash.pull(point.at), point.pressure, step_at)
        if len(stops) > MAX_DABS:
            stops = stops[:: len(stops) // MAX_DABS + 1]
    return np.array([s[0] for s in stops], np.float64), np.array([s[1] for s in stops], np.float64)


_SPREAD, _SHIFT = np.array([2.0, 2.0, 1.0, 2.0, 1.0]), np.array([1.0, 1.0, 0.0, 1.0, 0.0])


class _Chance:
    """The stroke's own random numbers: four a dab, so that turning one jitter on does not change another."""

    def __init__(self, brush: Brush) -> None:
        self._random = np.random.Generator(np.random.PCG64(brush.seed))

    def draw(self, count: int) -> NDArray[np.float64]:
        """(n, 5): place x, place y, size, angle, strength; all in −1 … 1 but size and strength in 0 … 1."""
        values = self._random.random((count, 5))
        values *= _SPREAD
        values -= _SHIFT
        return values


def _factors(curve: PressureCurve, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.array([curve.at(p) for p in pressure]) if curve.on else np.ones(len(pressure))


def _across(normal: NDArray[np.float64], lean: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n, 3) unit vectors across `normal`, as close to `lean`, (n, 3) or (1, 3), as can be."""
    out = np.empty_like(normal)
    axes_across(normal, lean, out)
    return out


def _ball_dabs(
    brush: Brush,
    centre: NDArray[np.float64],
    normal: NDArray[np.float64],
    lean: NDArray[np.float64],
    radius: NDArray[np.float64],
    pressure: NDArray[np.float64],
    chance: NDArray[np.float64],
) -> NDArray[np.float32]:
    """Pack ball dabs. `radius` already holds pressure and jitter of size."""
    out = np.empty((len(centre), BALL_COLUMNS), np.float32)
    turn = math.radians(brush.angle) + math.pi * brush.jitter_angle * chance[:, 3]
    flow = brush.flow * _factors(brush.pressure_flow, pressure)
    cap = brush.strength * (1 - brush.jitter_strength * chance[:, 4]) * _factors(brush.pressure_strength, pressure)
    pack_balls(centre, normal, _across(normal, lean), radius, turn, flow, cap, brush.roundness, brush.hardness, brush.facing, out)
    return mirrored(out, brush)


def mirrored(dabs: NDArray[np.float32], brush: Brush) -> NDArray[np.float32]:
    """Each dab followed by its reflections across the brush's mirror planes (through the object's origin) and its turns about its axis."""
    for axis, on in enumerate((brush.mirror.x, brush.mirror.y, brush.mirror.z)):
        if on:
            twin = dabs.copy()
            for start in (0, 4, 7, 10):
                twin[:, start + axis] *= -1
            dabs = np.stack([dabs, twin], axis=1).reshape(-1, dabs.shape[1])
    around = [dabs]
    for turn in brush.mirror.turns():
        turned = dabs.copy()
        for start in (0, 4, 7, 10):
            turned[:, start : start + 3] = dabs[:, start : start + 3] @ turn.T
        around.append(turned)
    return np.stack(around, axis=1).reshape(-1, dabs.shape[1]) if len(around) > 1 else dabs


class ViewPath:
    """Pointer positions in pixels of a view; each dab lies where the ray under it meets the visible surface."""

    def __init__(self, brush: Brush, camera: Camera, caster: RayCaster, samples: SurfaceSamples) -> None:
        self.brush, self.camera, self.caster, self.samples = brush, camera, caster, samples
        self._leash, self._spacer, self._chance = _Leash(brush.steadying * LEASH_PX), _Spacer(), _Chance(brush)
        self._pixel = samples.model.width / NOMINAL_VIEW_PX
        #: Where the path last met the surface, object space.
        self.last_hit: NDArray[np.float64] | None = None

    def _diameter_px(self, pressure: float) -> float:
        size = self.brush.size if self.brush.size_unit == "view" else self.brush.size * self.samples.model.width / self._pixel
        return max(size * self.brush.pressure_size.at(pressure), 0.5)

    def extend(self, points: list[Point]) -> NDArray[np.float32]:
        if points and self._spacer.last is None and self.brush.size_unit == "object":
            self._cast(np.array([points[0].at], np.float64))
        view, pressure = _stops(points, self._leash, self._spacer, lambda p: max(self.brush.spacing * self._diameter_px(p), 0.25))
        if not len(view):
            return np.zeros((0, BALL_COLUMNS), np.float32)
        chance = self._chance.draw(len(view))
        size_factor = (1 - self.brush.jitter_size * chance[:, 2]) * _factors(self.brush.pressure_size, pressure)
        if self.brush.jitter_place > 0:
            diameter = np.array([self._diameter_px(p) for p in pressure])
            view += chance[:, :2] * (self.brush.jitter_place * diameter)[:, None]
        hit, position, normal, pixel = self._cast(view)
        if self.brush.size_unit == "view":
            radius = self.brush.size / 2 * size_factor * pixel
        else:
            radius = self.brush.size / 2 * self.samples.model.width * size_factor
        if not hit.all():
            position, normal, radius, pressure, chance = position[hit], normal[hit], radius[hit], pressure[hit], chance[hit]
        return _ball_dabs(self.brush, position, normal, self.camera.axes[0][None], radius, pressure, chance)

    def _cast(self, view: NDArray[np.float64]) -> tuple[NDArray[np.bool_], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        origins, ways = self.camera.rays(view)
        hits = self.caster.cast(origins, ways)
        hit = hits.triangle >= 0
        pixel = self.camera.face_eye(ways, hits.position, hits.normal)
        met = np.flatnonzero(hit)
        if len(met):
            self._pixel = float(pixel[met[-1]])
            self.last_hit = hits.position[met[-1]]
        return hit, hits.position, hits.normal, pixel


class SurfacePath:
    """Points in object space, on or near the surface: what stroke scripts use."""

    def __init__(self, brush: Brush, samples: SurfaceSamples) -> None:
        self.brush, self.samples = brush, samples
        self._spacer, self._chance = _Spacer(), _Chance(brush)
        width = samples.model.width
        self._diameter = brush.size * (width / NOMINAL_VIEW_PX if brush.size_unit == "view" else width)
        self._leash = _Leash(brush.steadying * LEASH_PX * width / NOMINAL_VIEW_PX)

    def extend(self, points: list[Point]) -> NDArray[np.float32]:
        step, least = self.brush.spacing * self._diameter, self._diameter * 1e-3
        centre, pressure = _stops(points, self._leash, self._spacer, lambda p: max(step * self.brush.pressure_size.at(p), least))
        if not len(centre):
            return np.zeros((0, BALL_COLUMNS), np.float32)
        chance = self._chance.draw(len(centre))
        factor = (1 - self.brush.jitter_size * chance[:, 2]) * _factors(self.brush.pressure_size, pressure)
        radius = self._diameter / 2 * factor
        reach = max(self._diameter, 4 * self.samples.spacing)
        slot = self.samples.grid.nearest(centre, reach)
        on = slot >= 0
        if not on.any():
            return np.zeros((0, BALL_COLUMNS), np.float32)
        near = self.samples.positions[np.maximum(slot, 0)].astype(np.float64)
        normal = self.samples.normals[np.maximum(slot, 0)].astype(np.float64)
        # A chord between far points may leave the surface; then the dab moves to the nearest sample.
        off = np.linalg.norm(near - centre, axis=1) > 2 * self.samples.spacing
        centre = np.where(off[:, None], near, centre)
        lean = np.cross([0.0, 1.0, 0.0], normal)
        if self.brush.jitter_place > 0:
            u = _across(normal, lean)
            v = np.cross(normal, u)
            shift = chance[:, :2] * (self.brush.jitter_place * 2 * radius)[:, None]
            centre = centre + u * shift[:, :1] + v * shift[:, 1:2]
        return _ball_dabs(self.brush, centre[on], normal[on], lean[on], radius[on], pressure[on], chance[on])


class SheetPath:
    """Positions on the flat sheet in texels (x right, y down): the dab is a disc of the picture, whatever the surface does."""

    def __init__(self, brush: Brush, texels_per_pixel: float, spacing: float, width: float) -> None:
        self.brush = brush
        self._spacer, self._chance = _Spacer(), _Chance(brush)
        self._leash = _Leash(brush.steadying * LEASH_PX * texels_per_pixel)
        self._diameter = brush.size * texels_per_pixel if brush.size_unit == "view" else brush.size * width / spacing

    def extend(self, points: list[Point]) -> NDArray[np.float32]:
        step = self.brush.spacing * self._diameter
        centre, pressure = _stops(points, self._leash, self._spacer, lambda p: max(step * self.brush.pressure_size.at(p), 0.25))
        out = np.zeros((len(centre), DISC_COLUMNS), np.float32)
        if not len(centre):
            return out
        chance = self._chance.draw(len(centre))
        factor = (1 - self.brush.jitter_size * chance[:, 2]) * _factors(self.brush.pressure_size, pressure)
        turn = np.radians(self.brush.angle) + np.pi * self.brush.jitter_angle * chance[:, 3]
        out[:, 0:2] = centre + chance[:, :2] * self.brush.jitter_place * self._diameter
        out[:, 2] = self._diameter / 2 * factor
        out[:, 3], out[:, 4] = np.cos(turn), -np.sin(turn)
        out[:, 5], out[:, 6] = self.brush.roundness, self.brush.hardness
        out[:, 7] = self.brush.flow * _factors(self.brush.pressure_flow, pressure)
        out[:, 8] = self.brush.strength * (1 - self.brush.jitter_strength * chance[:, 4])
        out[:, 8] *= _factors(self.brush.pressure_strength, pressure)
        return out


def lock_angle(start: tuple[float, float], end: tuple[float, float], step_deg: float = 15.0) -> tuple[float, float]:
    """`end` turned about `start` to the nearest multiple of `step_deg`, at the same distance (pixels of a view, or texels)."""
    dx, dy = end[0] - start[0], end[1] - start[1]
    angle = np.radians(np.round(np.degrees(np.arctan2(dy, dx)) / step_deg) * step_deg)
    length = float(np.hypot(dx, dy))
    return start[0] + length * float(np.cos(angle)), start[1] + length * float(np.sin(angle))

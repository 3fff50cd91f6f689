"""The library of brush tips and grains. Each is drawn from a formula, so that it ships as nothing but this file."""

# mypy: disable-error-code="no-any-return"
from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import NotFound
from ruvelt.core.stack.laid import lightness
from ruvelt.core.stack.measures import Images, no_images

F32 = NDArray[np.float32]
Quads = NDArray[np.uint64]
U16 = NDArray[np.uint16]
#: Texels along a side of a tip from the library, and the most of one that is brought in.
SIDE, LARGEST = 256, 1024
#: Prefix of tips that are pictures of the project.
IMAGE = "image:"


@dataclass(frozen=True)
class Tip:
    """One entry of the library. `draw`: (n, n) weights 0–1 from x, y (n, n) in −1 … 1, y up."""

    id: str
    name: str
    hint: str
    draw: Callable[[F32, F32], F32]
    #: Made for height: the weight is a profile.
    relief: bool = False


def _edge(distance: F32, at: float = 1.0, soft: float = 0.03) -> F32:
    """1 inside `at`, 0 outside, over a soft edge."""
    return np.clip((at - distance) / soft + 0.5, 0, 1).astype(np.float32)


def _round(x: F32, y: F32) -> F32:
    return np.hypot(x, y)


def _noise(side: int, low: float, high: float, seed: int) -> F32:
    """(side, side) float32 in 0–1 that repeats at its edges: waves with `low` to `high` periods across it."""
    random = np.random.default_rng(seed)
    f = np.fft.fftfreq(side) * side
    size = np.hypot(f[:, None], f[None, :])
    band = np.exp(-(((np.log(np.maximum(size, 0.3)) - np.log(np.sqrt(low * high))) / max(np.log(high / low), 0.2)) ** 2) * 2)
    waves = np.fft.ifft2(np.fft.fft2(random.standard_normal((side, side))) * band).real
    rank = waves.ravel().argsort().argsort().reshape(side, side)
    return (rank / (side * side - 1)).astype(np.float32)


def _at(picture: F32, x: F32) -> F32:
    """A square picture at the size of a grid."""
    return cv2.resize(picture, x.shape[::-1], interpolation=cv2.INTER_AREA if x.shape[0] < picture.shape[0] else cv2.INTER_LINEAR)


def _chalk(x: F32, y: F32) -> F32:
    return _edge(_round(x, y), 0.95, 0.25) * np.clip((_at(_noise(SIDE, 10, 60, 3), x) - 0.3) * 2.2, 0, 1)


def _sponge(x: F32, y: F32) -> F32:
    holes = np.clip((_at(_noise(SIDE, 4, 14, 5), x) - 0.42) * 5, 0, 1)
    rim = _round(x, y) + (_at(_noise(SIDE, 2, 6, 6), x) - 0.5) * 0.5
    return _edge(rim, 0.78, 0.12) * holes * (0.55 + 0.45 * _at(_noise(SIDE, 20, 60, 7), x))


def _bristle(x: F32, y: F32) -> F32:
    hairs = np.zeros_like(x)
    random = np.random.default_rng(11)
    for _ in range(90):
        angle, r = random.uniform(0, 2 * np.pi), np.sqrt(random.uniform(0, 1)) * 0.9
        hairs = np.maximum(
            hairs, _edge(_round(x - r * np.cos(angle), y - r * np.sin(angle)), random.uniform(0.03, 0.07), 0.05) * random.uniform(0.35, 1)
        )
    return hairs


def _flat_bristle(x: F32, y: F32) -> F32:
    hairs = np.clip(0.35 + 0.65 * _at(np.tile(_noise(SIDE, 12, 40, 13)[:1].T, (1, SIDE)), x), 0, 1)
    return _edge(np.maximum(np.abs(x) / 0.22, np.abs(y)), 0.95, 0.12) * hairs


def _splatter(x: F32, y: F32) -> F32:
    drops = _edge(_round(x, y), 0.28, 0.06)
    random = np.random.default_rng(17)
    for _ in range(46):
        angle, r = random.uniform(0, 2 * np.pi), 0.25 + 0.7 * random.uniform(0, 1) ** 0.8
        size = random.uniform(0.015, 0.11) * (1.1 - r * 0.75)
        drops = np.maximum(drops, _edge(_round(x - r * np.cos(angle), y - r * np.sin(angle)), size, 0.025))
    return drops


def _hatch(x: F32, y: F32) -> F32:
    return _edge(_round(x, y), 0.95, 0.1) * np.clip(0.5 + 2.2 * np.sin(x * np.pi * 7), 0, 1)


def _square(x: F32, y: F32) -> F32:
    return _edge(np.maximum(np.abs(x), np.abs(y)), 0.94, 0.06)


def _leaf(x: F32, y: F32) -> F32:
    half = np.where(np.abs(y) < 0.95, 0.5 * np.cos(np.clip(y / 0.95, -1, 1) * np.pi / 2), 0)
    return _edge(np.abs(x) - half, 0.0, 0.05) * _edge(np.abs(y), 0.95, 0.02)


def _rivet(x: F32, y: F32) -> F32:
    return np.sqrt(np.clip(1 - (_round(x, y) / 0.92) ** 2, 0, 1)).astype(np.float32)


def _hexagon(x: F32, y: F32) -> F32:
    d = np.max([np.abs(x * np.cos(a) + y * np.sin(a)) for a in (0, np.pi / 3, 2 * np.pi / 3)], axis=0)
    body = np.clip((0.82 - d) / 0.1, 0, 1)
    return (body * (0.72 + 0.28 * _edge(_round(x, y), 0.5, 0.06))).astype(np.float32)


def _screw(x: F32, y: F32) -> F32:
    head = np.clip((0.9 - _round(x, y)) / 0.12, 0, 1)
    return (head * (1 - 0.75 * _edge(np.abs(y), 0.12, 0.05))).astype(np.float32)


def _ring(x: F32, y: F32) -> F32:
    return np.clip(1 - np.abs(_round(x, y) - 0.7) / 0.2, 0, 1).astype(np.float32)


def _stitch(x: F32, y: F32) -> F32:
    d = np.hypot(np.maximum(np.abs(x) - 0.62, 0), y)
    return np.sqrt(np.clip(1 - (d / 0.26) ** 2, 0, 1)).astype(np.float32)


def _weld(x: F32, y: F32) -> F32:
    d = np.hypot(x + 0.55 * y * y - 0.1, y * 0.8)
    return (np.clip(1 - (d / 0.85) ** 2, 0, 1) * (0.8 + 0.2 * np.cos(d * 22))).astype(np.float32)


TIPS: tuple[Tip, ...] = (
    Tip("chalk", "Chalk", "Broken by grit, with a soft edge", _chalk),
    Tip("sponge", "Sponge", "Holes and lumps, for variation", _sponge),
    Tip("bristle", "Bristle", "Single hairs of a round brush", _bristle),
    Tip("flat-bristle", "Flat bristle", "A flat brush; let it follow the stroke", _flat_bristle),
    Tip("splatter", "Splatter", "A drop with smaller ones around it", _splatter),
    Tip("hatch", "Hatch", "Parallel lines", _hatch),
    Tip("square", "Square", "A hard square", _square),
    Tip("leaf", "Leaf", "A pointed oval", _leaf),
    Tip("rivet", "Rivet", "A dome, for height", _rivet, True),
    Tip("hexagon", "Bolt head", "Six sides with a raised round, for height", _hexagon, True),
    Tip("screw", "Screw", "A flat head with a slot, for height", _screw, True),
    Tip("ring", "Ring", "A round bead, for height", _ring, True),
    Tip("stitch", "Stitch", "A thread along the row, for height", _stitch, True),
    Tip("weld", "Weld", "One ripple of a seam, for height", _weld, True),
)
_BY_ID = {tip.id: tip for tip in TIPS}


def _canvas(side: int) -> F32:
    t = np.arange(side) / side * 2 * np.pi * 16
    weave = 0.5 + 0.25 * (np.cos(t)[:, None] * np.sign(np.sin(t / 2))[None, :] + np.cos(t)[None, :])
    return np.clip(weave * 0.8 + 0.3 * (_noise(side, 8, 40, 21) - 0.5), 0, 1).astype(np.float32)


def _scratches(side: int) -> F32:
    out = np.ones((3 * side, 3 * side), np.float32)
    random = np.random.default_rng(23)
    for _ in range(70):
        x, y, angle, length = random.uniform(0, side), random.uniform(0, side), random.normal(0.6, 0.25), random.uniform(0.1, 0.5) * side
        a = np.array([x, y])
        b = a + length * np.array([np.cos(angle), np.sin(angle)])
        for shift in np.ndindex(3, 3):
            p, q = (tuple(int(v * 16) for v in end + np.array(shift) * side) for end in (a, b))
            cv2.line(out, p, q, float(random.uniform(0, 0.5)), 1, cv2.LINE_AA, 4)
    return out[side : 2 * side, side : 2 * side].copy()


#: Grains: they repeat without an edge. (name, hint, picture of a side)
GRAINS: dict[str, tuple[str, str, Callable[[int], F32]]] = {
    "grit": ("Grit", "Fine, like paper", lambda side: _noise(side, 20, 70, 25)),
    "clouds": ("Clouds", "Broad and soft", lambda side: _noise(side, 2, 9, 27)),
    "canvas": ("Canvas", "Woven threads", _canvas),
    "scratches": ("Scratches", "Thin lines one way", _scratches),
    "flecks": ("Flecks", "Small holes", lambda side: np.clip((_noise(side, 14, 34, 29) - 0.25) * 6, 0, 1).astype(np.float32)),
}


@lru_cache(maxsize=64)
def _drawn(tip_id: str, side: int) -> F32:
    axis = ((np.arange(side) + 0.5) / side * 2 - 1).astype(np.float32)
    x, y = np.meshgrid(axis, -axis)
    picture: F32 = np.ascontiguousarray(_BY_ID[tip_id].draw(x, y), np.float32)
    picture.setflags(write=False)
    return picture


def alpha_of(picture: U16) -> F32:
    """Weights of a picture, (h, w, 4) uint16: its alpha where it has any, else how light it is. Made square around its middle."""
    alpha = picture[..., 3]
    plain = picture if (alpha == 65535).all() else None
    weights = lightness(np.moveaxis(plain[..., :3], -1, 0)) if plain is not None else alpha
    values = np.asarray(weights, np.float32) / 65535
    side = max(values.shape)
    square = np.zeros((side, side), np.float32)
    top, left = (side - values.shape[0]) // 2, (side - values.shape[1]) // 2
    square[top : top + values.shape[0], left : left + values.shape[1]] = values
    return square


def _picture(name: str, images: Images, native: Callable[[], F32]) -> F32:
    if not name.startswith(IMAGE):
        return native()
    found = images(name.removeprefix(IMAGE))
    if found is None:
        raise NotFound("A picture that the brush takes its tip or grain from is gone from the project. Choose another in the Brush card.")
    return alpha_of(found)


def _unknown(what: str, name: str) -> NotFound:
    return NotFound(f"There is no {what} '{name}'. Choose another in the Brush card.")


def load_tips(names: Sequence[str], across: float, images: Images = no_images) -> F32:
    """(n, side, side) float32 weights 0–1, row 0 at the top, about as fine as `across` samples a dab. Raises NotFound for unknown ones."""
    pictures = []
    for name in names:
        if not name.startswith(IMAGE) and name not in _BY_ID:
            raise _unknown("tip", name)
        pictures.append(_picture(name, images, lambda name=name: _drawn(name, SIDE)))  # type: ignore[misc]
    finest = min(max((len(p) for p in pictures), default=1), LARGEST)
    side = int(np.clip(2 ** np.ceil(np.log2(np.clip(np.nan_to_num(across), 1, LARGEST))), 8, finest))
    # Sizes down by areas, so that fine detail of a small dab is its mean and not chance.
    return np.ascontiguousarray(np.stack([_at(p, np.empty((side, side), np.float32)) for p in pictures]), np.float32)


def reach_of(pictures: F32) -> float:
    """How far from its middle a dab of (k, side, side) pictures lays anything, in radii: their corners are seldom drawn in."""
    side = pictures.shape[1]
    y, x = np.nonzero(pictures.any(axis=0))
    if not len(x):
        return 1.0
    # Between texels a picture ends a texel later.
    return float(np.hypot(x + 0.5 - side / 2, y + 0.5 - side / 2).max() + math.sqrt(2)) / (side / 2)


def quads(pictures: F32, wraps: bool) -> Quads:
    """(…, side, side) pictures, 0–1, as kernels read them: in each texel, 16 bits each from the lowest, itself, its right, the two below them.

    wraps : the picture is repeated beyond its edges; else it gets an empty edge of one texel all around
    """
    held = pictures if wraps else np.pad(pictures, [(0, 0)] * (pictures.ndim - 2) + [(1, 1), (1, 1)])
    out = np.zeros((*held.shape, 4), np.uint16)
    out[..., 0] = np.rint(np.clip(held, 0, 1) * 65535)
    out[..., :-1, 1], out[..., -1, 1] = out[..., 1:, 0], out[..., 0, 0]
    out[..., :-1, :, 2:], out[..., -1, :, 2:] = out[..., 1:, :, :2], out[..., 0, :, :2]
    return out.view("<u8")[..., 0]


def load_grain(name: str, images: Images = no_images) -> F32:
    """(side, side) float32 0–1 that repeats. Raises NotFound for an unknown one."""
    if not name.startswith(IMAGE) and name not in GRAINS:
        raise _unknown("grain", name)
    picture = _picture(name, images, lambda: _grain(name))
    return np.ascontiguousarray(_at(picture, np.empty((SIDE, SIDE), np.float32)))


@lru_cache(maxsize=8)
def _grain(name: str) -> F32:
    return GRAINS[name][2](SIDE)


def tip_picture(name: str, side: int) -> U16:
    """(side, side) uint16: how the interface shows a tip or grain of the library."""
    if name in GRAINS:
        return np.rint(_at(_grain(name), np.empty((side, side), np.float32)) * 65535).astype(np.uint16)
    if name not in _BY_ID:
        raise _unknown("tip", name)
    return np.rint(load_tips((name,), side)[0] * 65535).astype(np.uint16)

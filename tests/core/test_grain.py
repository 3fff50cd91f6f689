"""Texture inside the tip, against the grain's picture read with SciPy: on the surface from three sides, along the stroke, and on the flat sheet."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose
from scipy import ndimage

from ruvelt.core.brush.path import Point, SheetPath, SurfacePath
from ruvelt.core.brush.settings import Brush, Grain
from ruvelt.core.brush.tips import load_grain
from tests.core.scene import Scene, paint_layer, target
from tests.core.test_strokes import RED
from tests.meshes import globe, square

SIZE = 0.1


def picture(name: str, u: np.ndarray, v: np.ndarray, size: float) -> np.ndarray:
    """A grain at places in the lengths of `size`, repeated without end."""
    grain = load_grain(name).astype(np.float64)
    scale = len(grain) / size
    return np.asarray(ndimage.map_coordinates(grain, [v * scale, u * scale], order=1, mode="grid-wrap"))


def laid(scene: Scene, brush: Brush, points: list[Point], flat: bool = False, bend: bool = False) -> np.ndarray:
    live = scene.live(target("base_color"), RED, brush=brush)
    samples = scene.samples
    path = SheetPath(brush, 1.0, samples.spacing, samples.model.width) if flat else SurfacePath(brush, samples)
    dabs = np.concatenate([path.extend(points), path.finish()])
    dabs[:, 30] = bend
    live.dabs(dabs)
    return live.coverage.values


@pytest.mark.parametrize("depth", [0.6, 1.0])
@pytest.mark.parametrize("tips", [(), ("chalk",)], ids=["round", "picture"])
@pytest.mark.parametrize("bend", [False, True])
def test_a_surface_grain_is_its_picture_from_three_sides(depth: float, tips: tuple[str, ...], bend: bool) -> None:
    scene = Scene(globe(), (paint_layer(),), side=512)
    brush = Brush(size=0.5, size_unit="object", hardness=0.5, build="level", spacing=0.1, tips=tips)
    points = [Point((float(np.sin(a)), 0.2, float(np.cos(a)))) for a in (0.1, 0.2, 0.3)]
    whole = laid(scene, brush.model_copy(update={"grain": Grain(picture="grit", size=SIZE, depth=0.0)}), points, bend=bend)
    grained = laid(scene, brush.model_copy(update={"grain": Grain(picture="grit", size=SIZE, depth=depth)}), points, bend=bend)
    s = np.flatnonzero(whole > 0)
    assert len(s) > 3000
    place, normal = scene.samples.positions[s].astype(np.float64), scene.samples.normals[s].astype(np.float64)
    share, size = normal**4, SIZE * scene.samples.model.diagonal
    sides = [picture("grit", place[:, u], place[:, v], size) for u, v in ((1, 2), (0, 2), (0, 1))]
    held = (share.T * sides).sum(axis=0) / share.sum(axis=1)
    assert held.std() > 0.05
    assert_allclose(grained[s], whole[s] * (1 - depth * (1 - held)), atol=6e-3)
    assert grained[whole == 0].max() == 0


@pytest.mark.parametrize("fixed", ["surface", "stroke"])
@pytest.mark.parametrize("flat", [False, True])
def test_a_grain_of_one_press_lies_by_the_sheet_or_by_the_tip(fixed: str, flat: bool) -> None:
    scene = Scene(square(2.0), (paint_layer(),), side=512)
    samples = scene.samples
    brush = Brush(size=0.3, size_unit="object", hardness=1.0, build="level", spacing=0.1, grain=Grain(picture="clouds", size=SIZE, fixed=fixed))
    texel = 256.0
    centre = (0.2, -0.1, 0.0)
    at = ((centre[0] + 1) * texel, (1 - centre[1]) * texel) if flat else centre
    grained = laid(scene, brush, [Point(at)], flat)
    inside = np.flatnonzero(np.linalg.norm(samples.positions - centre, axis=1) < 0.27)
    x, y = samples.positions[inside, 0].astype(np.float64), samples.positions[inside, 1].astype(np.float64)
    size = SIZE * samples.model.diagonal
    if fixed == "stroke":
        # One press has travelled one step of its own: its spacing.
        u, v = x - centre[0] + 0.1 * 2 * 0.3, y - centre[1]
    elif flat:
        local = inside & 65535
        u = ((inside >> 16) % 2 * 256 + (local & 255)) / texel
        v = ((inside >> 16) // 2 * 256 + (local >> 8)) / texel
    else:
        u, v = x, y
    held = picture("clouds", u, v, size)
    assert held.std() > 0.05
    assert_allclose(grained[inside], 1 - brush.grain.depth * (1 - held), atol=2e-3)

"""Mask sources, shapers and their stack against closed forms and independent implementations."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError
from scipy.special import erf

from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint
from ruvelt.core.color.oklab import oklab
from ruvelt.core.errors import InputError
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.samples.spread import surface_grow
from ruvelt.core.stack import masks
from ruvelt.core.stack.document import GroupLayer, MeshMap
from ruvelt.core.stack.edits import AddLayer, MoveLayer, SetLayer, apply_edit
from ruvelt.core.stack.fields import Noise, Projection
from ruvelt.core.stack.kinds.shapers.levels import LevelsShaper
from ruvelt.core.stack.kinds.sources.noise import NoiseSource
from ruvelt.core.stack.kinds.sources.position import PositionSource
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.measures import Measures, frame_of
from ruvelt.core.stack.plane_ids import base_plane_id, mask_plane_id, plane_id
from ruvelt.core.stack.shaping import contrast_gain
from tests.core.scene import Scene, fill_layer, paint_layer, target
from tests.meshes import globe, split_square, square, two_walls

SOURCES: dict[str, Any] = {k.kind_id(): k for k in masks.SOURCES}
SHAPERS: dict[str, Any] = {k.kind_id(): k for k in masks.SHAPERS}
KINDS = [k.described() for k in (*masks.SOURCES, *masks.SHAPERS)]


def mask(*steps: dict[str, object] | object, **more: object) -> Mask:
    return Mask.model_validate({"sources": [s | {"id": f"m{i}"} if isinstance(s, dict) else s for i, s in enumerate(steps)], **more})


def values(scene: Scene, of: Mask, layer: str = "p") -> np.ndarray:
    """(covered,) float64 of a mask 0–1."""
    parts = []
    for chunk in range(scene.samples.chunk_count):
        found = scene.evaluator.mask_chunk(of, layer, chunk)
        parts.append(np.full(CHUNK, found) if isinstance(found, float) else found / 65535)
    return np.concatenate(parts)[scene.samples.covered]


def places(scene: Scene) -> np.ndarray:
    return scene.samples.positions[scene.samples.covered].astype(np.float64)


def plain() -> Scene:
    return Scene(square(), (paint_layer(),))


# -- measures -------------------------------------------------------------------------------------------------------------------


def test_position_rises_over_the_model_along_its_direction() -> None:
    scene = Scene(globe(), (paint_layer(),))
    got = values(scene, mask({"kind": "position", "along": (0, 0, 2), "low": 0.25, "high": 0.75, "softness": 0}))
    share = (places(scene)[:, 2] + 1) / 2
    assert_allclose(got, np.clip((share - 0.25) / 0.5, 0, 1), atol=3e-5)


def test_a_gradient_goes_along_its_line_and_as_a_ball() -> None:
    scene = plain()
    line = mask({"kind": "gradient", "start": (-0.5, -0.5, 0), "end": (0.5, 0.5, 0)})
    p = places(scene)
    assert_allclose(values(scene, line), np.clip((p[:, 0] + p[:, 1] + 1) / 2, 0, 1), atol=3e-5)
    ball = mask({"kind": "gradient", "start": (0.2, 0, 0), "end": (0.2, 0.5, 0), "form": "ball"})
    assert_allclose(values(scene, ball), np.clip(np.hypot(p[:, 0] - 0.2, p[:, 1]) / 0.5, 0, 1), atol=3e-5)


def test_facing_is_the_dot_product_through_its_range() -> None:
    scene = Scene(globe(), (paint_layer(),))
    along = np.array([1.0, 2.0, -0.5])
    got = values(scene, mask({"kind": "facing", "along": tuple(along), "low": -0.2, "high": 0.8, "softness": 1}))
    cosine = scene.samples.normals[scene.samples.covered].astype(np.float64) @ (along / np.linalg.norm(along))
    t = np.clip((cosine + 0.2) / 1.0, 0, 1)
    assert_allclose(got, t * t * (3 - 2 * t), atol=4e-5)


def baked(scene: Scene, map_id: str, values_u16: np.ndarray) -> None:
    """Give the sheet a mesh map of (components, slots) uint16."""
    sheet = scene.document.sheets[0]
    changed = sheet.model_copy(update={"mesh_maps": (*sheet.mesh_maps, MeshMap(id=map_id))})
    scene.document = scene.document.model_copy(update={"sheets": (changed,)})
    full = np.full((1, scene.samples.slot_count), 65535, np.uint16)
    scene.put_plane(base_plane_id("s", map_id), np.concatenate([values_u16, full]))


@pytest.mark.parametrize(
    ("kind", "more", "expected"),
    [
        ("curvature", {"which": "edges"}, lambda c: np.clip(((c - 0.5) * 2 - 0.1) / 0.35, 0, 1)),
        ("curvature", {"which": "recesses"}, lambda c: np.clip(((0.5 - c) * 2 - 0.1) / 0.35, 0, 1)),
        ("curvature", {"which": "both"}, lambda c: np.clip((abs(c - 0.5) * 2 - 0.1) / 0.35, 0, 1)),
        ("occlusion", {"low": 0.2, "high": 0.6}, lambda c: np.clip((1 - c - 0.2) / 0.4, 0, 1)),
        ("thickness", {"low": 0.2, "high": 0.6}, lambda c: np.clip((c - 0.2) / 0.4, 0, 1)),
    ],
)
def test_baked_measures_go_through_their_range(kind: str, more: dict[str, object], expected: object) -> None:
    scene = plain()
    ramp = np.tile(np.arange(65536, dtype=np.uint16), scene.samples.chunk_count)[None]
    of = mask({"kind": kind, "softness": 0, **more})
    # Without its map a source says nothing, and the mask lets everything show.
    assert values(scene, of).min() == 1
    assert not scene.evaluator.masks.speaks(of.sources[0])
    baked(scene, kind, ramp)
    values_u16 = ramp[0][scene.samples.covered] / 65535
    assert_allclose(values(scene, of), expected(values_u16), atol=2e-4)  # type: ignore[operator]


def test_an_id_colour_reveals_its_places_only() -> None:
    scene = plain()
    left = scene.samples.positions[:, 0] < 0
    colours = np.where(left, np.array([[65535], [0], [0]]), np.array([[0], [65535], [0]])).astype(np.uint16)
    baked(scene, "id", colours)
    got = values(scene, mask({"kind": "id_colour", "colours": [(1, 0, 0)]}))
    assert_array_equal(got, left[scene.samples.covered])


def test_a_colour_range_keeps_to_what_lies_beneath() -> None:
    red, near, blue = (0.8, 0.1, 0.1), (0.8, 0.16, 0.1), (0.1, 0.1, 0.8)
    over = fill_layer("over", {"base_color": blue})
    for beneath, wanted in ((red, 1.0), (blue, 0.0)):
        scene = Scene(square(), (over, paint_layer(), fill_layer("under", {"base_color": beneath})))
        assert_allclose(values(scene, mask({"kind": "colour_range", "colours": [red], "tolerance": 0.05, "softness": 0.02})), wanted, atol=1e-4)
    distance = float(np.linalg.norm(oklab(near) - oklab(red)))
    scene = Scene(square(), (paint_layer(), fill_layer("under", {"base_color": near})))
    of = mask({"kind": "colour_range", "colours": [red], "tolerance": distance - 0.01, "softness": 0.05})
    assert_allclose(values(scene, of), 1 - 0.01 / 0.05, atol=2e-3)
    # The published values of two primaries (Ottosson 2020).
    assert_allclose(oklab((1, 0, 0)), [0.627955, 0.224863, 0.125846], atol=1e-5)
    assert_allclose(oklab((1, 1, 1)), [1, 0, 0], atol=1e-6)


# -- patterns -------------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("basis", ["gradient", "value", "cellular", "ridged"])
def test_noise_knows_places_and_no_uvs(basis: str) -> None:
    of = Noise(basis=basis, size=0.2)  # type: ignore[arg-type]
    whole, cut = Scene(square(), (paint_layer(),)), Scene(split_square(), (paint_layer(),))
    one, other = (Measures(s.samples, lambda key: None, s.cache).noise(of, 0) for s in (whole, cut))
    # The same places on two layouts: the nearest samples lie within a texel of each other.
    there = np.flatnonzero(cut.samples.covered)[::37]
    here = whole.samples.grid.nearest(cut.samples.positions[there].astype(np.float64), 0.1)
    near = np.linalg.norm(whole.samples.positions[here] - cut.samples.positions[there], axis=1) < 0.003
    assert near.sum() > 5
    assert_allclose(one[here[near]] / 65535, other[there[near]] / 65535, atol=0.06)
    again = Measures(whole.samples, lambda key: None, whole.cache).noise(of, 0)
    assert_array_equal(one, again)
    shown = one[whole.samples.covered] / 65535
    assert 0.3 < shown.mean() < 0.7
    assert shown.std() > 0.1


def test_spots_cover_their_share_and_vanish_without_it() -> None:
    scene = plain()
    none, some, all_ = (values(scene, mask({"kind": "spots", "cover": c, "size": 0.1, "variation": 0})) for c in (0, 0.3, 1))
    assert none.max() == 0
    assert 0 < some.mean() < all_.mean()
    assert all_.max() == 1


# -- pictures -------------------------------------------------------------------------------------------------------------------


def picture_scene(image: np.ndarray, model: object = None) -> tuple[Scene, Measures]:
    scene = Scene(model or square(), (paint_layer(),))  # type: ignore[arg-type]
    return scene, Measures(scene.samples, lambda key: image if key == "pic" else None, scene.cache)


def ramp_image(side: int = 64) -> np.ndarray:
    x = np.linspace(0, 65535, side)
    image = np.full((side, side, 4), 65535, np.uint16)
    image[..., 0], image[..., 1] = x[None, :], x[:, None]
    return image


def test_a_constant_picture_stays_constant_whatever_the_blending() -> None:
    image = np.full((8, 8, 4), 40000, np.uint16)
    scene, measures = picture_scene(image, globe())
    for direction in ("uv", "three-way"):
        source = SOURCES["image"](id="m", image="pic", projection=Projection(mode=direction, size=0.3))  # type: ignore[arg-type]
        got = measures.picture(source, 0)
        assert got is not None
        assert_array_equal(np.unique(got[:, scene.samples.covered[:CHUNK]]), [40000])


@pytest.mark.parametrize("direction", ["uv", "planar", "three-way"])
def test_a_picture_lies_upright_and_unmirrored(direction: str) -> None:
    scene, measures = picture_scene(ramp_image())
    size = 1.0 if direction == "uv" else 2 / scene.model.diagonal
    projection = Projection(mode=direction, size=size, repeat=False)  # type: ignore[arg-type]
    got = measures.picture(SOURCES["image"](id="m", image="pic", projection=projection), 0)  # type: ignore[arg-type]
    assert got is not None
    covered = scene.samples.covered
    p = scene.samples.positions[covered]
    inside = (np.abs(p[:, :2]) < 0.95).all(axis=1)
    across, down = (p[:, 0] + 1) / 2, (1 - p[:, 1]) / 2
    for k, share in ((0, across), (1, down)):
        assert_allclose(got[k][covered][inside] / 65535, (share[inside] * 64 - 0.5) / 63, atol=2e-3)


def test_a_planar_picture_leaves_what_looks_away() -> None:
    scene, measures = picture_scene(np.full((4, 4, 4), 65535, np.uint16), two_walls())
    back = scene.samples.normals[:CHUNK, 2] < 0
    for through, shown in ((False, 0), (True, 65535)):
        source = SOURCES["image"](id="m", image="pic", projection=Projection(mode="planar", size=4, through=through))  # type: ignore[arg-type]
        got = measures.picture(source, 0)
        assert got is not None
        assert (got[3][back & scene.samples.covered[:CHUNK]] == shown).all()
    right, up, n = frame_of((0.0, 0.0, -1.0))
    assert_allclose(np.cross(right, up), n, atol=1e-6)


# -- shapers --------------------------------------------------------------------------------------------------------------------


def test_levels_curve_steps_contrast_and_invert_are_their_formulas() -> None:
    x = np.linspace(0, 1, 101)
    made = {k: SHAPERS[k] for k in SHAPERS}
    got = made["levels"](id="m", in_low=0.2, in_high=0.7, gamma=2, out_low=0.1, out_high=0.9).shaped(x)
    assert_allclose(got, 0.1 + 0.8 * np.clip((x - 0.2) / 0.5, 0, 1) ** 0.5)
    assert_allclose(made["invert"](id="m").shaped(x), 1 - x)
    assert_allclose(made["contrast"](id="m", contrast=0.5, balance=0.4).shaped(x), np.clip((x - 0.4) * np.tan(np.pi * 3 / 8) + 0.5, 0, 1))
    assert_allclose([contrast_gain(-1), contrast_gain(0)], [0, 1], atol=1e-12)
    stairs = made["steps"](id="m", count=4).shaped(x)
    assert_allclose(np.unique(stairs), [0, 1 / 3, 2 / 3, 1])
    assert_array_equal(stairs[[0, 24, 25, 49, 50, 74, 75, 100]], np.array([0, 0, 1, 1, 2, 2, 3, 3]) / 3)
    soft = made["steps"](id="m", count=4, softness=0.5).shaped(x)
    assert (np.diff(soft) >= 0).all()
    assert np.abs(np.diff(soft)).max() < np.abs(np.diff(stairs)).max()
    points = ((0.0, 0.1), (0.3, 0.2), (0.6, 0.9), (1.0, 0.9))
    bent = made["curve"](id="m", points=points).shaped(x)
    assert_allclose(np.interp([p[0] for p in points], x, bent), [p[1] for p in points], atol=1e-9)
    assert (np.diff(bent) >= -1e-12).all()
    assert bent.max() <= 0.9 + 1e-12


def test_shapers_in_a_mask_work_on_what_is_under_them() -> None:
    scene = plain()
    ramp = {"kind": "gradient", "start": (-1, 0, 0), "end": (1, 0, 0)}
    under = values(scene, mask(ramp))
    for kind in ("levels", "curve", "invert", "steps", "contrast"):
        shaper = SHAPERS[kind](id="x")
        got = values(scene, mask(ramp, shaper.model_copy(update={"strength": 0.5})))
        assert_allclose(got, under + (shaper.shaped(under) - under) * 0.5, atol=5e-5)


@pytest.mark.parametrize("sigma", [0.02, 0.05, 0.15])
def test_blur_of_a_step_along_a_seam_is_the_error_function_on_both_sides(sigma: float) -> None:
    scene = Scene(split_square(), (paint_layer(),), 512)
    p = scene.samples.positions
    step = np.where(p[:, 1] > 0, 65535, 0).astype(np.uint16)[None]
    got = surface_blur(scene.samples, step, sigma)[0] / 65535
    inside = scene.samples.covered & (np.abs(p[:, 1]) < 0.5)
    expected = 0.5 * (1 + erf(p[inside, 1] / (sigma * np.sqrt(2))))
    assert np.sqrt(np.mean((got[inside] - expected) ** 2)) < 0.012
    left, right = inside & (p[:, 0] < 0) & (p[:, 0] > -0.02), inside & (p[:, 0] > 0) & (p[:, 0] < 0.02)
    rows = np.linspace(-0.4, 0.4, 41)
    sides = [np.interp(rows, *np.array(sorted(zip(p[s, 1], got[s], strict=True))).T) for s in (left, right)]
    assert_allclose(sides[0], sides[1], atol=0.03)


def test_blur_keeps_constants_and_the_sum() -> None:
    scene = Scene(globe(), (paint_layer(),), 512)
    covered = np.flatnonzero(scene.samples.covered).astype(np.int32)
    areas = scene.samples.sample_areas(covered).astype(np.float64)
    random = np.random.default_rng(1)
    spots = (65535 * (random.random(scene.samples.slot_count) < 0.05)).astype(np.uint16)[None]
    got = surface_blur(scene.samples, spots, 0.05)[0]
    assert_allclose((got[covered] * areas).sum(), (spots[0][covered] * areas).sum(), rtol=2e-3)
    assert got[covered].std() < 0.2 * spots[0][covered].std()
    same = surface_blur(scene.samples, np.full_like(spots, 23456), 0.05)[0]
    assert_array_equal(np.unique(same[covered]), [23456])


def test_blur_and_growth_do_not_go_through_a_thin_wall() -> None:
    scene = Scene(two_walls(0.02), (paint_layer(),), 512)
    front = scene.samples.normals[:, 2] > 0
    bright = np.where(front, 65535, 0).astype(np.uint16)
    middle = scene.samples.covered & (np.abs(scene.samples.positions[:, :2]) < 0.7).all(axis=1)
    blurred = surface_blur(scene.samples, bright[None], 0.05)[0]
    assert blurred[middle & front].min() > 60000
    assert blurred[middle & ~front].max() < 5000
    grown = surface_grow(scene.samples, bright, 0.05)
    assert grown[middle & ~front].max() == 0


def test_growth_of_a_half_plane_moves_its_edge_and_shrinking_moves_it_back() -> None:
    scene = Scene(split_square(), (paint_layer(),), 512)
    p, covered = scene.samples.positions, scene.samples.covered
    half = np.where(p[:, 0] > 0.1, 65535, 0).astype(np.uint16)
    # The other island has samples twice as far apart.
    slack = 3 * scene.samples.spacing
    # Across the seam at x = 0, and in strides longer than one.
    for amount in (0.05, 0.3):
        grown = surface_grow(scene.samples, half, amount)
        assert grown[covered & (p[:, 0] > 0.1 - amount + slack)].min() == 65535
        assert grown[covered & (p[:, 0] < 0.1 - amount - slack)].max() == 0
    shrunk = surface_grow(scene.samples, half, -0.3)
    assert shrunk[covered & (p[:, 0] < 0.4 - slack)].max() == 0
    assert shrunk[covered & (p[:, 0] > 0.4 + slack)].min() == 65535


# -- the stack ------------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("combine", "formula"),
    [
        ("replace", lambda a, b: b),
        ("multiply", lambda a, b: a * b),
        ("add", lambda a, b: np.minimum(a + b, 1)),
        ("subtract", lambda a, b: np.maximum(a - b, 0)),
        ("max", np.maximum),
        ("min", np.minimum),
    ],
)
def test_sources_combine_at_their_strength(combine: str, formula: object) -> None:
    scene = plain()
    a, b = ({"kind": "gradient", "start": s, "end": e} for s, e in (((-1, 0, 0), (1, 0, 0)), ((0, -1, 0), (0, 1, 0))))
    one, two = values(scene, mask(a)), values(scene, mask(b))
    got = values(scene, mask(a, {**b, "combine": combine, "strength": 0.75}))
    assert_allclose(got, one + (formula(one, two) - one) * 0.75, atol=5e-5)  # type: ignore[operator]


def test_a_mask_reads_another_layers_mask_and_paint() -> None:
    ramp = mask({"kind": "gradient", "start": (-1, 0, 0), "end": (1, 0, 0)})
    scene = Scene(square(), (paint_layer(), paint_layer("q", mask=ramp), fill_layer("f", {"roughness": (0.25,)})))
    assert_allclose(values(scene, mask({"kind": "layer", "layer": "q"})), values(scene, ramp, "q"), atol=2e-5)
    fill = {"kind": "layer", "layer": "f", "part": "roughness"}
    assert_allclose(values(scene, mask({**fill, "measure": "value"})), 0.25, atol=2e-5)
    assert values(scene, mask(fill)).min() == 1
    paint = np.zeros((2, scene.samples.slot_count), np.uint16)
    paint[1], paint[0] = 32768, 40000
    scene.put_plane(plane_id("s", "q", "roughness"), paint)
    assert_allclose(values(scene, mask({"kind": "layer", "layer": "q", "part": "roughness"})), 0.5, atol=2e-5)
    # What is gone says nothing.
    assert values(scene, mask({"kind": "layer", "layer": "gone"})).min() == 1


def test_circles_of_masks_are_refused() -> None:
    scene = Scene(square(), (paint_layer("a"), paint_layer("b"), fill_layer("c", {"base_color": (1, 0, 0)})))

    def give(document: object, layer: str, step: dict[str, object]) -> object:
        edit = SetLayer(sheet="s", layer=layer, values={"mask": mask(step).model_dump()})
        return apply_edit(document, edit)[0]  # type: ignore[arg-type]

    reads_b = give(scene.document, "a", {"kind": "layer", "layer": "b"})
    with pytest.raises(InputError, match="circle: b → a → b"):
        give(reads_b, "b", {"kind": "layer", "layer": "a"})
    with pytest.raises(InputError, match="circle"):
        give(scene.document, "a", {"kind": "layer", "layer": "a"})
    # A colour range reads all that lies beneath, so what lies beneath cannot read it.
    ranged = give(scene.document, "a", {"kind": "colour_range", "colours": [(1, 0, 0)]})
    with pytest.raises(InputError, match="circle"):
        give(ranged, "c", {"kind": "layer", "layer": "a"})
    below = give(give(scene.document, "c", {"kind": "colour_range", "colours": [(1, 0, 0)]}), "a", {"kind": "layer", "layer": "c"})
    with pytest.raises(InputError, match="circle"):
        apply_edit(below, MoveLayer(sheet="s", layer="a", index=2))  # type: ignore[arg-type]
    copy = paint_layer("d", mask=mask({"kind": "layer", "layer": "d"}))
    with pytest.raises(InputError, match="circle"):
        apply_edit(scene.document, AddLayer(sheet="s", layer=copy))


@pytest.mark.parametrize(
    ("step", "words"),
    [
        ({"kind": "curvature", "low": 0.6, "high": 0.2}, "above its high end"),
        ({"kind": "levels", "in_low": 0.6, "in_high": 0.2}, "lies above"),
        ({"kind": "noise", "octaves": 99}, "octaves"),
        ({"kind": "noise", "size": float("nan")}, "size"),
        ({"kind": "blur", "radius": 5}, "radius"),
        ({"kind": "grow", "amount": float("inf")}, "amount"),
        ({"kind": "curve", "points": [(0.5, 0), (0.2, 1)]}, "left to right"),
        ({"kind": "position", "along": (float("nan"), 0, 0)}, "along"),
        ({"kind": "plasma"}, "plasma"),
        ({"kind": "image", "image": "../etc"}, "image"),
    ],
)
def test_bad_steps_are_refused_with_their_field(step: dict[str, object], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        mask(step)


def some_step(i: int) -> st.SearchStrategy[dict[str, object]]:
    share = st.floats(0, 1).map(lambda v: round(v, 3))
    basis = st.sampled_from(["gradient", "value", "cellular", "ridged"])
    source = {
        "id": st.just(f"m{i}"),
        "strength": share,
        "combine": st.sampled_from(["replace", "multiply", "add", "subtract", "max", "min"]),
        "invert": st.booleans(),
    }
    shaper = {"id": st.just(f"m{i}"), "strength": share}
    return st.one_of(
        st.fixed_dictionaries({**source, "kind": st.just("noise"), "basis": basis, "size": st.just(0.2)}),
        st.fixed_dictionaries({**source, "kind": st.just("painted"), "base": share}),
        st.fixed_dictionaries({**source, "kind": st.just("facing"), "along": st.just((0.0, 1.0, 0.0))}),
        st.fixed_dictionaries({**shaper, "kind": st.sampled_from(["invert", "steps", "contrast", "levels"])}),
        st.fixed_dictionaries({**shaper, "kind": st.just("blur"), "radius": st.just(0.02)}),
        st.fixed_dictionaries({**shaper, "kind": st.just("grow"), "amount": st.sampled_from([-0.01, 0.01])}),
    )


@settings(max_examples=25, deadline=None)
@given(steps=st.integers(1, 5).flatmap(lambda n: st.tuples(*(some_step(i) for i in range(n)))), invert=st.booleans())
def test_a_mask_by_parts_is_the_mask_as_a_whole(steps: tuple[dict[str, object], ...], invert: bool) -> None:
    scene = SHARED
    of = Mask.model_validate({"sources": list(steps), "invert": invert})
    whole = np.empty(CHUNK, np.uint16)
    evaluator = scene.evaluator
    evaluator.masks.run(of, "p", 0, WHOLE, {}, whole)
    kept = evaluator.mask_chunk(of, "p", 0)
    assert_array_equal(whole, np.full(CHUNK, round(kept * 65535), np.uint16) if isinstance(kept, float) else kept)
    parts = np.zeros(CHUNK, np.uint16)
    starts, counts = np.array([512, 4096, 40000], np.int32), np.array([256, 1000, 31], np.int32)
    evaluator.masks.run(of, "p", 0, (starts, counts), {}, parts)
    for s, n in zip(starts, counts, strict=True):
        assert_array_equal(parts[s : s + n], whole[s : s + n])


def _shared() -> Scene:
    scene = Scene(globe(16, 8), (paint_layer(),))
    painted = np.random.default_rng(3).integers(0, 65536, (2, scene.samples.slot_count), np.uint16)
    for i in range(5):
        scene.put_plane(mask_plane_id("s", "p", f"m{i}"), painted)
    return scene


SHARED = _shared()


def test_a_stroke_into_a_mask_shows_at_once_and_settles_to_the_blur_above_it() -> None:
    painted = {"kind": "painted", "base": 0}
    layers = fill_layer("f", {"roughness": (1.0,)}, mask=mask(painted, {"kind": "blur", "radius": 0.02}))
    scene = Scene(square(), (layers, fill_layer("g", {"roughness": (0.0,)})))
    live = scene.live(target(layer="f", mask="m0"), Paint(mask_value=1.0))
    assert not live.local
    path = SurfacePath(Brush(size=0.3, size_unit="object", hardness=0.9, flow=1.0), scene.samples)
    live.dabs(path.extend([Point((0.0, 0.0, 0.0))]))
    slot = scene.at(0, 0, 0)
    shown = live.composites["roughness", slot >> 16][0, slot & 65535]
    assert shown > 55000
    scene.keep(live)
    settled = scene.value("roughness", 0, 0, 0)[0]
    assert abs(int(settled) - int(shown)) < 6000
    # Just outside the dab there is some of it only once it is blurred.
    edge = scene.at(0.33, 0, 0)
    assert live.composites["roughness", edge >> 16][0, edge & 65535] == 0
    assert scene.value("roughness", 0.33, 0, 0)[0] > 500


def test_a_group_has_a_mask_like_any_layer() -> None:
    ramp = mask({"kind": "gradient", "start": (-1, 0, 0), "end": (1, 0, 0)})
    group = GroupLayer(id="g", name="g", layers=(fill_layer("f", {"roughness": (1.0,)}),), mask=ramp)
    scene = Scene(square(), (group, fill_layer("u", {"roughness": (0.0,)})))
    for x in (-0.6, 0.0, 0.7):
        assert_allclose(scene.value("roughness", x, 0, 0)[0] / 65535, (x + 1) / 2, atol=0.01)


# -- the registry ---------------------------------------------------------------------------------------------------------------


def test_the_registry_names_every_kind_and_only_real_fields() -> None:
    for kind in KINDS:
        model = {**SOURCES, **SHAPERS}[kind.id]
        made = model(id="x")
        for control in kind.controls:
            names = {"range": ("low", "high"), "pair": (f"{control.id}_low", f"{control.id}_high"), "ends": ("start", "end")}.get(
                control.kind, (control.id,)
            )
            for name in names:
                assert name in model.model_fields
            if control.kind in ("share", "signed", "length", "count", "seed", "gamma"):
                assert control.low <= getattr(made, control.id) <= control.high
                for end in (control.low, control.high):
                    model.model_validate({**made.model_dump(), control.id: int(end) if control.kind in ("count", "seed") else end})


@pytest.mark.parametrize("kind", [k for k in SOURCES if k not in ("painted", "faces", "image", "layer", "colour_range", "id_colour")])
def test_first_values_already_show_something(kind: str) -> None:
    scene = Scene(globe(), (paint_layer(),))
    bumps = np.clip(32768 + 20000 * np.sin(scene.samples.positions[:, 1] * 9), 0, 65535).astype(np.uint16)[None]
    for map_id in ("curvature", "occlusion", "thickness"):
        baked(scene, map_id, bumps)
    got = values(scene, mask({"kind": kind}))
    assert 0.02 < got.mean() < 0.98
    assert got.std() > 0.05


def test_models_share_their_levels() -> None:
    assert LevelsShaper(id="m").gamma == 1
    assert NoiseSource(id="m").size == Noise().size
    assert PositionSource(id="m").along == (0, 1, 0)


def test_versions_of_masks_are_the_same_in_every_process() -> None:
    """Kept pictures go by them: a project whose masks are blurred must not be drawn anew at each opening."""
    program = (
        "from tests.core.test_masks import *\n"
        "m = mask({'kind': 'noise'}, {'kind': 'painted'}, {'kind': 'blur', 'radius': 0.01})\n"
        "scene = Scene(square(), (fill_layer('f', {'roughness': (1.0,)}, mask=m),))\n"
        "scene.put_plane(mask_plane_id('s', 'f', 'm1'), np.zeros((2, scene.samples.slot_count), np.uint16))\n"
        "print(scene.evaluator.version('roughness', 0))"
    )
    root = Path(__file__).parents[2]
    said = set()
    for seed in ("1", "2"):
        env = {**os.environ, "PYTHONHASHSEED": seed}
        said.add(subprocess.run([sys.executable, "-c", program], cwd=root, env=env, capture_output=True, text=True, check=True).stdout)
    assert len(said) == 1
    assert int(said.pop()) > 0

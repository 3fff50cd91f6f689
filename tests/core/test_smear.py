"""Smear as a brush that carries paint: against a reference in double precision, and against what a finger does to wet paint."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.brush.confine import Confine
from ruvelt.core.brush.path import Point, SheetPath, SurfacePath
from ruvelt.core.brush.settings import Brush, Grain, Mirror, PressureCurve
from ruvelt.core.brush.smear import Smear, lasting
from ruvelt.core.brush.target import Paint, SmearSettings, Target, resolve_target
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import PaintLayer
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.core.workers import Workers
from tests.core.scene import Scene, paint_layer, target, whole
from tests.core.test_reading_tools import by_place, painted, roughness
from tests.meshes import globe, split_square, square

SIDE = 256


def paint(wetness: float = 0.0, reads: str = "layer") -> Paint:
    return Paint(tool="smear", reads=reads, smear=SmearSettings(wetness=wetness))  # type: ignore[arg-type]


def brush(texels: float = 40.0, **more: object) -> Brush:
    more = {"hardness": 0.5, "spacing": 0.075, "pressure_size": PressureCurve(), **more}
    return Brush.model_validate({"size": texels / SIDE, "size_unit": "object", **more})


def at(x: float, y: float) -> Point:
    """A point of the plate, texels from the left and from below."""
    return Point((2 * x / SIDE - 1, 2 * y / SIDE - 1, 0.0))


def by_texel(value: object) -> np.ndarray:
    """Roughness by slot from a function of texels' middles, from the left and from below."""
    return by_place(Scene(square(2.0), (paint_layer(),)), lambda p: value((p[:, 0] + 1) * SIDE / 2, (p[:, 1] + 1) * SIDE / 2))  # type: ignore[operator]


def smeared(scene: Scene, how: Paint, with_it: Brush, points: list[Point], aim: Target | None = None, **more: object) -> LiveStroke:
    live = scene.live(aim or target("roughness"), how, brush=with_it, **more)  # type: ignore[arg-type]
    live.dabs(whole(SurfacePath(with_it, scene.samples, live.drags), points), with_it.mirror)
    scene.keep(live)
    return live


def rows(scene: Scene) -> np.ndarray:
    """Roughness, the lowest row first."""
    return roughness(scene)[::-1]


WAVES = {
    "step": lambda x, y: (x > 80).astype(float),
    "waves": lambda x, y: 0.5 + 0.25 * np.sin(x / 9) + 0.2 * np.cos(y / 7),
}


def reference(canvas: np.ndarray, dabs: np.ndarray, strength: float, wetness: float, size: float, hardness: float) -> np.ndarray:
    """The same on whole texels, in double precision: the carried picture is an array of texels that moves with the brush."""
    half = int(np.ceil(size / 2)) + 3
    v, u = np.mgrid[-half : half + 1, -half : half + 1].astype(float)
    far = (u**2 + v**2) / (size / 2) ** 2
    t = np.clip((1 - far) / (1 - hardness**2), 0, 1)
    lay = dabs[0, 15] * t * t * (3 - 2 * t)
    met = far < 1.1**2
    now, carried, before = canvas.astype(float).copy(), None, None
    for d in dabs:
        x, y = (d[0] + 1) * SIDE / 2 - 0.5, (d[1] + 1) * SIDE / 2 - 0.5
        column, row = round(float(x)), round(float(y))
        assert abs(x - column) < 0.02
        assert abs(y - row) < 0.02
        part = np.s_[row - half : row + half + 1, column - half : column + half + 1]
        there = now[part].copy()
        if carried is None:
            carried = there.copy()
        else:
            given = lay * (carried - there)
            now[part] = there + given
            carried = carried - wetness * given
            travelled = abs(x - before) / size
            fade = 1.0 if strength == 0 else 1 - np.exp(-travelled * (1 - strength) / strength)
            carried = np.where(met, carried + fade * (canvas[part] - carried), carried)
        before = x
    return now


@pytest.mark.parametrize("picture", WAVES)
@pytest.mark.parametrize(("strength", "wetness"), [(1.0, 0.0), (0.75, 0.0), (1.0, 1.0), (0.6, 0.4)])
def test_what_is_laid_is_what_a_carried_picture_comes_to(picture: str, strength: float, wetness: float) -> None:
    scene = painted(by_texel(WAVES[picture]))
    with_it = brush(strength=strength)
    dabs = whole(SurfacePath(with_it, scene.samples, 0.075), [at(60.5, 128.5), at(180.5, 128.5)])
    wanted = reference(rows(scene), dabs[:-1], strength, wetness, 40, 0.5)
    live = scene.live(target("roughness"), paint(wetness), brush=with_it)
    live.dabs(dabs[:-1])
    scene.keep(live)
    apart = np.abs(rows(scene) - wanted)
    changed = np.abs(wanted - by_texel(WAVES[picture]).reshape(SIDE, SIDE)[::-1]) > 0.02
    assert changed.sum() > 1500
    # A step is carried by a picture of 24 nodes, and so blurred by one of them.
    assert apart[changed].mean() < 0.02
    assert np.percentile(apart, 99.9) < 0.2
    assert apart[:100].max() == pytest.approx(0, abs=2e-5)


def test_at_full_strength_a_colour_goes_as_far_as_the_stroke() -> None:
    scene = painted(by_texel(lambda x, y: (x < 70).astype(float)))
    smeared(scene, paint(), brush(30, strength=1.0, flow=1.0), [at(40, 128), at(220, 128)])
    assert rows(scene)[128, 75:215].min() > 0.99
    assert rows(scene)[128, 240] == 0


def test_at_half_strength_it_fades_within_a_few_diameters() -> None:
    scene = painted(by_texel(lambda x, y: (x < 70).astype(float)))
    smeared(scene, paint(), brush(30, strength=0.5, flow=1.0), [at(40, 128), at(220, 128)])
    row = rows(scene)[128]
    assert row[80] > 0.6
    assert row[70 + 4 * 30] < 0.05
    assert (np.diff(row[75:200]) < 0.005).all()


def test_without_strength_nothing_moves() -> None:
    scene = painted(by_texel(WAVES["waves"]))
    before = rows(scene).copy()
    smeared(scene, paint(), brush(30, strength=0.0), [at(60, 128), at(200, 128)])
    # What is carried is what was met a step of 2.25 texels before.
    assert np.abs(rows(scene) - before).max() < 2.25 * 1.5 * 0.25 * np.hypot(1 / 9, 1 / 7)


@pytest.mark.parametrize("size", [16.0, 40.0, 110.0], ids=["texel by texel", "each second", "each fourth"])
def test_a_wet_brush_makes_and_loses_no_paint(size: float) -> None:
    """At full wetness what the sheet loses the brush holds."""
    scene = painted(by_texel(lambda x, y: ((x - 100) ** 2 + (y - 120) ** 2 < 30**2).astype(float)))
    with_it = brush(size, strength=1.0, flow=0.8)
    live = scene.live(target("roughness"), paint(1.0), brush=with_it)
    path = SurfacePath(with_it, scene.samples, live.drags)
    held = []
    for points in ([at(60, 128)], [at(100, 128)], [at(120, 128)], [at(150, 128)], [at(185, 128)]):
        live.dabs(path.extend(points))
        smear = live._dragging.smear
        assert isinstance(smear, Smear)
        pitch = 1.1 * size / (smear._nodes - 1)
        changed = live.changes[plane_id("s", "p", "roughness")]
        if len(changed):
            held.append(smear._carried[0, 0, :, 0].sum() * pitch**2 + changed[0][0].sum() / 65535)
    assert len(held) >= 3
    assert np.ptp(held) < 0.02 * 900 * np.pi


def test_short_strokes_there_and_back_blend_an_edge() -> None:
    scene = painted(by_texel(lambda x, y: (x > 128).astype(float)))
    steepest = []
    for _ in range(4):
        for ends in ((110, 146), (146, 110)):
            smeared(scene, paint(0.3), brush(40, strength=0.6), [at(ends[0], 128), at(ends[1], 128)])
        steepest.append(np.abs(np.diff(rows(scene)[128, 116:141])).max())
    row = rows(scene)[128]
    assert steepest[0] < 0.06
    assert steepest[-1] < 0.04
    assert np.diff(row).min() > -0.02
    assert row[100] < 0.4
    assert row[156] > 0.6


@pytest.mark.parametrize("threads", [1, 2])
def test_batches_make_no_difference(threads: int) -> None:
    found = []
    for many in (1, 9):
        scene = painted(by_texel(WAVES["waves"]))
        scene.workers = Workers(threads)
        with_it = brush(90, strength=0.8, tips=("leaf",), follow=True)
        live = scene.live(target("roughness"), paint(0.5), brush=with_it)
        path = SurfacePath(with_it, scene.samples, live.drags)
        for i in range(many):
            live.dabs(path.extend([at(60 + 12.0 * k, 128 + 20 * np.sin(k)) for k in range(9) if k * many // 9 == i]))
        live.dabs(path.finish())
        found.append(live.changes[plane_id("s", "p", "roughness")])
    for chunk, values in found[0].items():
        assert_array_equal(values, found[1][chunk])


def test_it_carries_over_a_seam() -> None:
    model = split_square()
    scene = painted(np.zeros(65536), model)
    scene = painted(by_place(scene, lambda p: (np.abs(p[:, 1]) < 0.2).astype(float) * (p[:, 0] < -0.05)), model)
    smeared(scene, paint(), Brush(size=0.15, size_unit="object", strength=1.0, flow=1.0), [Point((-0.4, 0, 0)), Point((0.6, 0, 0))])
    assert scene.value("roughness", 0.5, 0.0, 0)[0] > 64000
    assert scene.value("roughness", 0.5, 0.5, 0)[0] == 0


def test_paint_beneath_is_taken_up_when_asked_and_only_then() -> None:
    for reads, least, most in (("all", 0.97, 1.0), ("layer", 0.0, 0.0)):
        scene = painted(by_texel(lambda x, y: (x < 80).astype(float)))
        scene.document = scene.document.model_copy(
            update={
                "sheets": (scene.document.sheets[0].model_copy(update={"layers": (PaintLayer(id="q", name="q"), *scene.document.sheets[0].layers)}),)
            }
        )
        aim = Target(sheet="s", layer="q", channels=("roughness",))
        live = smeared(scene, paint(reads=reads), brush(30, strength=1.0, flow=1.0), [at(50, 128), at(180, 128)], aim)
        assert least <= rows(scene)[128, 150] <= most
        laid = live.changes[plane_id("s", "q", "roughness")]
        # Beneath nothing changed; outside the stroke the upper layer stays empty.
        assert set(live.changes) == {plane_id("s", "q", "roughness")}
        assert laid[0][-1].reshape(SIDE, SIDE)[10].max() == 0


def test_cover_is_carried_with_colour() -> None:
    """On a layer that is empty beyond a patch, what is dragged out of it keeps its value and takes its cover along."""
    scene = Scene(square(2.0), (paint_layer(),))
    x = (scene.samples.positions[:, 0] + 1) * SIDE / 2
    scene.put_plane(plane_id("s", "p", "roughness"), np.stack([np.full(65536, 40000, np.uint16), np.where(x < 80, 65535, 0).astype(np.uint16)]))
    live = smeared(scene, paint(), brush(30, strength=0.7, flow=0.8), [at(60, 128), at(150, 128)])
    plane = live.changes[plane_id("s", "p", "roughness")][0].reshape(2, SIDE, SIDE)[:, ::-1]
    if scene.samples.texel_to_slot(0, 0) == 0:
        plane = plane[:, ::-1]
    value, cover = plane[0, 128].astype(float), plane[1, 128].astype(float)
    assert 3000 < cover[110] < 60000
    assert_allclose(value[cover > 1500], 40000, atol=60)


def test_hidden_faces_and_confinement_hold() -> None:
    model = globe(48, 24)
    scene = painted(np.full(4 * 65536, 0.2), model, 512)
    scene = painted(np.where(scene.samples.positions[:, 0] < 0, 0.9, 0.1), model, 512)
    front = [Point((float(np.sin(a)), 0.0, float(np.cos(a)))) for a in (-0.4, 0.0, 0.4)]
    centre = model.positions[model.triangles].mean(axis=1)
    hidden = np.zeros(model.face_count, bool)
    hidden[np.unique(model.triangle_face[centre[:, 1] > 0])] = True
    with_it = Brush(size=0.2, size_unit="object", strength=1.0, flow=1.0)
    before = np.concatenate([scene.evaluator.composite("roughness", c)[0] for c in range(4)])
    smeared(scene, paint(), with_it, front, hidden=hidden)
    after = np.concatenate([scene.evaluator.composite("roughness", c)[0] for c in range(4)])
    kept = scene.samples.slots_of_faces(hidden) & scene.samples.covered
    assert_array_equal(after[kept], before[kept])
    assert (after != before).sum() > 1000
    picks = tuple(FacePick(by="face", index=int(f)) for f in np.flatnonzero(~hidden))
    again = painted(np.where(scene.samples.positions[:, 0] < 0, 0.9, 0.1), model, 512)
    smeared(again, paint().model_copy(update={"confine": Confine(picks=picks)}), with_it, front)
    confined = np.concatenate([again.evaluator.composite("roughness", c)[0] for c in range(4)])
    assert_array_equal(confined[kept], before[kept])
    assert np.abs(confined.astype(int) - after)[scene.samples.covered].max() < 700


def test_mirrored_twins_carry_paint_of_their_own() -> None:
    for flat in (False, True):
        scene = painted(by_texel(lambda x, y: (np.abs(x - 128) > 60).astype(float)))
        with_it = brush(30, strength=1.0, flow=1.0, mirror=Mirror(x=True))
        live = scene.live(target("roughness"), paint(), brush=with_it)
        if flat:
            path = SheetPath(with_it, 1.0, scene.samples.spacing, 2.0, live.drags)
            live.dabs(whole(path, [Point((210.5, 128.0)), Point((150.5, 128.0))]), with_it.mirror)
        else:
            live.dabs(whole(SurfacePath(with_it, scene.samples, live.drags), [at(210.5, 128), at(150.5, 128)]), with_it.mirror)
        scene.keep(live)
        row = rows(scene)[128]
        assert row[152:].min() > 0.95
        # A twin on the flat sheet lies on the nearest texel.
        assert_allclose(row, row[::-1], atol=0.15 if flat else 0.01)


def test_it_works_on_vertices() -> None:
    ball = globe(200, 100)
    scene = Scene(ball, (paint_layer(),))
    samples = VertexSamples(ball)
    name = plane_id("s", "p", "roughness")
    values_u16 = np.where(samples.positions[:, 0] > 0, 65535, 0).astype(np.uint16)
    scene.put_plane(name, np.stack([values_u16, np.full_like(values_u16, 65535)]))
    evaluator = SheetEvaluator(scene.document, scene.document.sheets[0], samples, scene.faces, scene.lookup, scene.cache)
    with_it = Brush(size=0.2, size_unit="object", strength=1.0, flow=1.0)
    live = LiveStroke(resolve_target(scene.document, target("roughness"), paint()), evaluator, scene.lookup, paint=paint(), brush=with_it)
    points = [Point((float(np.sin(a)), 0.0, float(np.cos(a)))) for a in np.linspace(0.35, -0.8, 7)]
    live.dabs(whole(SurfacePath(with_it, samples, live.drags), points))
    now = live.changes[name][0][0]
    on_path = samples.covered & (np.abs(samples.positions[:, 1]) < 0.03) & (samples.positions[:, 2] > 0.7) & (samples.positions[:, 0] < 0)
    assert on_path.sum() > 20
    assert now[on_path].min() > 64000


def test_a_grain_holds_paint_back_over_its_gaps() -> None:
    laid = []
    for depth in (0.0, 1.0):
        scene = painted(by_texel(lambda x, y: (x < 80).astype(float)))
        with_it = brush(40, strength=1.0, flow=0.3, grain=Grain(picture="grit", size=0.05, depth=depth))
        smeared(scene, paint(), with_it, [at(50, 128), at(200, 128)])
        laid.append(rows(scene)[118:138, 120:180])
    assert laid[1].mean() < 0.9 * laid[0].mean()
    assert laid[1].std() > 3 * laid[0].std()


@settings(max_examples=25, deadline=None)
@given(
    size=st.floats(0.3, 160),
    hardness=st.floats(0, 1),
    roundness=st.floats(0.05, 1),
    strength=st.floats(0, 1),
    flow=st.floats(0.01, 1),
    wetness=st.floats(0, 1),
    tip=st.sampled_from([(), ("bristle",)]),
    ends=st.lists(st.tuples(st.floats(-20, 276), st.floats(-20, 276)), min_size=1, max_size=4),
)
def test_no_brush_leaves_the_range_of_what_was_there(
    size: float,
    hardness: float,
    roundness: float,
    strength: float,
    flow: float,
    wetness: float,
    tip: tuple[str, ...],
    ends: list[tuple[float, float]],
) -> None:
    scene = painted(by_texel(lambda x, y: 0.3 + 0.4 * (np.sin(x / 5) > 0)))
    with_it = brush(size, hardness=hardness, roundness=roundness, strength=strength, flow=flow, tips=tip)
    live = smeared(scene, paint(wetness), with_it, [at(x, y) for x, y in ends])
    after = rows(scene)
    assert after.min() > 0.3 - 1e-3
    assert after.max() < 0.7 + 1e-3
    assert np.isfinite(live.coverage.values).all()
    assert live.coverage.values.max(initial=0) <= 1


def test_how_long_paint_lasts() -> None:
    assert_allclose(lasting(np.array([1.0, 0.5, 0.0, 0.75]), np.array([9.0, 1.0, 0.1, 3.0])), [0, 1 - np.exp(-1), 1, 1 - np.exp(-1)], rtol=1e-6)


@pytest.mark.parametrize("hardness", [0.0, 0.5, 1.0])
@pytest.mark.parametrize("wetness", [0.0, 0.5, 1.0])
def test_no_dab_shows_in_the_trail(hardness: float, wetness: float) -> None:
    """The wave of a dab's step in the trail, by its Fourier sum: under 3 of 255, also where a hard rim leaves texels at once."""
    for strength in (0.6, 1.0):
        scene = painted(by_texel(lambda x, y: (x < 80).astype(float)))
        live = smeared(scene, paint(wetness), brush(40, strength=strength, hardness=hardness), [at(40, 128), at(210, 128)])
        assert live.drags is not None
        x = np.arange(80)
        for off in (0, 6, 12, 16):
            row = rows(scene)[128 + off, 95:175]
            rest = (row - np.polyval(np.polyfit(x, row, 5), x)) * np.hanning(80)
            wave = 2 * np.abs((rest * np.exp(-2j * np.pi * x / (live.drags * 40))).sum()) / np.hanning(80).sum()
            assert wave * 255 < 3

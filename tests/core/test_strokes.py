"""Strokes on samples: falloff, build-up, seams, mirror, masks, erase, thin walls, floods."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.brush.path import Point, SheetPath, SurfacePath
from ruvelt.core.brush.settings import Brush, Mirror
from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.samples.address import BLOCKS, CHUNK
from ruvelt.core.samples.blocks import runs_of
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import FillLayer, GroupLayer
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id, plane_id
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.core.workers import Workers
from tests.core.scene import Scene, fill_layer, paint_layer, target, whole
from tests.meshes import globe, split_square, square, two_walls

RED = Paint(values={"base_color": (1.0, 0.0, 0.0)})
BLACK = fill_layer("ground", {"base_color": (0.0, 0.0, 0.0)})


def dab(radius: float, at: tuple[float, float, float] = (0, 0, 0), **brush: object) -> tuple[Brush, list[Point]]:
    """A brush of a radius in object units on a model two units wide, and a single press."""
    values: dict[str, object] = {"size": radius, "size_unit": "object", "hardness": 0.0, "flow": 1.0, **brush}
    return Brush.model_validate(values), [Point(at)]


def lay(scene: Scene, paint: Paint, brush: Brush, points: list[Point], to: Target | None = None, keep: bool = True) -> LiveStroke:
    live = scene.live(to or target("base_color"), paint, brush=brush)
    path = SurfacePath(brush, scene.samples)
    live.dabs(whole(path, points), brush.mirror)
    if keep:
        scene.keep(live)
    return live


def smooth(d: np.ndarray, hardness: float) -> np.ndarray:
    """The falloff as documented: 1 inside the hard part, then a smoothstep of the squared distance to 0 at the rim."""
    p = np.clip((1 - d**2) / (1 - hardness**2), 0, 1)
    return p * p * (3 - 2 * p)


@pytest.mark.parametrize(("hardness", "flow", "strength"), [(0.0, 1.0, 1.0), (0.5, 0.6, 1.0), (0.8, 0.3, 0.4)])
def test_a_dab_on_a_plane_is_its_falloff(hardness: float, flow: float, strength: float) -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK), side=512)
    brush, press = dab(0.5, (0.1, -0.2, 0), hardness=hardness, flow=flow, strength=strength)
    lay(scene, RED, brush, press)
    y, x = np.mgrid[0:512, 0:512]
    px, py = (x + 0.5) / 256 - 1, 1 - (y + 0.5) / 256
    wanted = strength * flow * smooth(np.hypot(px - 0.1, py + 0.2) / 0.5, hardness)
    got = scene.image("base_color")[..., 0] / 65535
    assert_allclose(got, wanted, atol=6e-4)
    assert scene.image("base_color")[..., 1:].max() == 0


def test_an_oval_tip() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK), side=512)
    brush, press = dab(0.5, hardness=1.0, roundness=0.4, angle=0.0)
    lay(scene, RED, brush, press)
    on = scene.image("base_color")[..., 0] > 32768
    rows, columns = np.flatnonzero(on.any(axis=1)), np.flatnonzero(on.any(axis=0))
    sides = sorted([len(rows), len(columns)])
    assert sides[1] == pytest.approx(256, abs=4)
    assert sides[0] == pytest.approx(0.4 * 256, abs=4)
    assert on.sum() == pytest.approx(np.pi * 128 * 128 * 0.4, rel=0.03)


def test_flow_builds_up_and_strength_caps() -> None:
    """n equal dabs in one place reach strength · (1 − (1 − flow)^n); no stroke passes its strength."""
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    brush, _ = dab(0.5, hardness=0.9, flow=0.25, strength=0.7)
    live = scene.live(target("base_color"), RED)
    one = SurfacePath(brush, scene.samples).extend([Point((0, 0, 0))])
    slot = scene.at(0, 0, 0)
    for n in range(1, 12):
        live.dabs(one)
        got = live.composites["base_color", 0][0, slot] / 65535
        assert got == pytest.approx(0.7 * (1 - 0.75**n), abs=1e-3)
    live.dabs(np.repeat(one, 200, axis=0))
    assert live.composites["base_color", 0].max() <= round(0.7 * 65535)


def test_two_strokes_build_on_each_other() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    brush, press = dab(0.5, hardness=0.9, strength=0.5)
    lay(scene, RED, brush, press)
    lay(scene, RED, brush, press)
    assert scene.value("base_color", 0, 0, 0)[0] / 65535 == pytest.approx(0.75, abs=1e-3)
    plane = scene.lookup.values(plane_id("s", "p", "base_color"), 0)
    assert plane[3, scene.at(0, 0, 0)] / 65535 == pytest.approx(0.75, abs=1e-3)


def test_many_weak_washes_do_not_stall() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    brush, press = dab(0.5, hardness=0.9, strength=0.01)
    for _ in range(100):
        lay(scene, RED, brush, press)
    assert scene.value("base_color", 0, 0, 0)[0] / 65535 == pytest.approx(1 - 0.99**100, abs=0.01)


def test_a_stroke_crosses_a_seam_without_a_trace() -> None:
    """Both sides of the cut carry what an uncut plane would: the falloff of the distance in space."""
    scene = Scene(split_square(), (paint_layer(), BLACK), side=512)
    brush, _ = dab(0.4, hardness=0.2, spacing=0.1)
    lay(scene, RED, brush, [Point((-0.3, 0.1, 0)), Point((0.3, 0.1, 0))])
    samples = scene.samples
    got = np.concatenate([scene.evaluator.composite("base_color", c)[0] for c in range(4)]) / 65535
    whole = Scene(square(2.0), (paint_layer(), BLACK), side=512)
    lay(whole, RED, brush, [Point((-0.3, 0.1, 0)), Point((0.3, 0.1, 0))])
    on = np.flatnonzero(samples.covered)
    near = whole.samples.grid.nearest(samples.positions[on].astype(float), 0.1)
    reference = np.concatenate([whole.evaluator.composite("base_color", c)[0] for c in range(4)]) / 65535
    left = samples.positions[on, 0] < 0
    for side in (left, ~left):
        assert reference[near[side]].max() > 0.99
        assert np.abs(got[on[side]] - reference[near[side]]).mean() < 0.004
    seam = np.abs(samples.positions[on, 0]) < 0.004
    rows = np.round(samples.positions[on[seam], 1], 2)
    for row in (-0.2, 0.0, 0.1, 0.3):
        both = got[on[seam]][np.abs(rows - row) < 0.006]
        assert np.ptp(both) < 0.05


def test_mirror_on_texels_is_exact() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    brush, press = dab(0.3, (0.45, 0.3, 0), mirror=Mirror(x=True, y=True))
    lay(scene, RED, brush, press)
    image = scene.image("base_color")[..., 0]
    assert image.max() > 60000
    assert_array_equal(image, image[:, ::-1])
    assert_array_equal(image, image[::-1])


@pytest.mark.parametrize("more", [{}, {"tips": ("chalk",)}, {"mix": {"mode": "along"}}], ids=["round", "picture", "two colours"])
@pytest.mark.parametrize("mirror", [{"x": True}, {"around": 5, "axis": "z"}, {"x": True, "y": True}], ids=["plane", "axis", "planes"])
def test_where_twins_meet_coverage_is_that_of_one_stroke(mirror: dict[str, object], more: dict[str, object]) -> None:
    """Weak strokes near the plane or the axis: each twin by itself, and the strongest of them everywhere, in one batch and in many."""
    settings = {"size": 0.3, "size_unit": "object", "flow": 0.15, "hardness": 0.3, "pressure_size": {"on": False}, **more}
    points = [Point((0.04 + 0.02 * k, 0.05 + 0.1 * k, 0.0)) for k in range(5)]
    alone = []
    for batches in (1, 5):
        scene = Scene(square(2.0), (paint_layer(),))
        brush = Brush.model_validate({**settings, "mirror": mirror})
        live = scene.live(target("roughness"), Paint(values={"roughness": (1.0,)}), brush=brush)
        path = SurfacePath(brush, scene.samples)
        for i in range(batches):
            live.dabs(path.extend([p for k, p in enumerate(points) if k * batches // 5 == i]), brush.mirror)
        live.dabs(path.finish(), brush.mirror)
        alone.append(live.coverage.values.copy())
    assert_array_equal(alone[0], alone[1])
    whole_path = whole(SurfacePath(brush, scene.samples), points)
    copies = 2 ** sum(bool(mirror.get(a)) for a in "xyz") * int(mirror.get("around", 1))  # type: ignore[call-overload]
    single = Brush.model_validate(settings)
    strongest = np.zeros_like(alone[0])
    for k in range(copies):
        one = scene.live(target("roughness"), Paint(values={"roughness": (1.0,)}), brush=single)
        one.dabs(whole_path[k::copies])
        strongest = np.maximum(strongest, one.coverage.values)
    assert_array_equal(alone[0], strongest)
    assert strongest.max() > 0.2


def test_the_flat_sheet_mirrors_over_the_surface() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    brush = Brush(size=30, hardness=0.8, mirror=Mirror(x=True))
    live = scene.live(target("base_color"), RED)
    live.dabs(SheetPath(brush, 1.0, scene.samples.spacing, 2.0).extend([Point((60.5, 100.5))]), brush.mirror)
    scene.keep(live)
    image = scene.image("base_color")[..., 0]
    assert image[100, 60] > 30000
    assert_allclose(image.astype(float), image[:, ::-1], atol=0.06 * 65535)


def test_a_stroke_on_the_flat_sheet_is_mirrored_along_its_twins_own_way() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    # Twins lie on whole texels, so a soft brush.
    brush = Brush(size=24, hardness=0.0, mirror=Mirror(x=True, around=2, axis="z"))
    live = scene.live(target("base_color"), RED)
    path = SheetPath(brush, 1.0, scene.samples.spacing, 2.0)
    live.dabs(whole(path, [Point((40.5, 70.5)), Point((70.5, 90.5)), Point((100.5, 100.5))]), brush.mirror)
    scene.keep(live)
    image = scene.image("base_color")[..., 0].astype(float)
    assert image[90, 70] > 60000
    for twin in (image[:, ::-1], image[::-1, ::-1]):
        assert np.abs(image - twin).max() < 0.15 * 65535
        assert np.abs(image - twin).mean() < 0.002 * 65535


def test_a_disc_on_the_flat_sheet_is_its_falloff() -> None:
    scene = Scene(split_square(), (paint_layer(), BLACK))
    live = scene.live(target("base_color"), RED)
    brush = Brush(size=50, hardness=0.5, flow=1.0)
    live.dabs(SheetPath(brush, 1.0, scene.samples.spacing, 2.0).extend([Point((70.0, 150.0))]))
    scene.keep(live)
    y, x = np.mgrid[0:256, 0:256]
    wanted = smooth(np.hypot(x + 0.5 - 70, y + 0.5 - 150) / 25, 0.5)
    covered = scene.samples.to_image(scene.samples.covered)
    assert_allclose(scene.image("base_color")[..., 0][covered] / 65535, wanted[covered], atol=1e-3)


def test_a_thin_wall_stays_clean_behind() -> None:
    scene = Scene(two_walls(0.02), (paint_layer(), BLACK))
    brush, press = dab(0.3, (0, 0, 0.01), hardness=1.0)
    lay(scene, RED, brush, press)
    assert scene.value("base_color", 0, 0, 0.01)[0] == 65535
    assert scene.value("base_color", 0, 0, -0.01)[0] == 0
    brush = brush.model_copy(update={"facing": False})
    lay(scene, RED, brush, press)
    assert scene.value("base_color", 0, 0, -0.01)[0] > 60000


def test_hidden_faces_are_safe() -> None:
    scene = Scene(two_walls(0.02), (paint_layer(), BLACK))
    brush, press = dab(0.3, (0, 0, 0.01), hardness=1.0, facing=False)
    live = scene.live(target("base_color"), RED, hidden=np.array([False, True]))
    live.dabs(SurfacePath(brush, scene.samples).extend(press))
    live.flood(None, 1.0, scene.faces)
    scene.keep(live)
    assert scene.value("base_color", 0.8, 0.8, 0.01)[0] == 65535
    assert scene.value("base_color", 0.8, 0.8, -0.01)[0] == 0


def test_several_channels_in_one_stroke() -> None:
    scene = Scene(square(2.0), (paint_layer(),))
    paint = Paint(values={"base_color": (0.0, 0.5, 1.0), "roughness": (0.2,), "height": (-0.5,)})
    brush, press = dab(0.4, hardness=0.9)
    live = lay(scene, paint, brush, press, target("base_color", "roughness", "height", "metallic"))
    assert {c.channel for c in live.target.cells} == {"base_color", "roughness", "height"}
    assert_allclose(scene.value("base_color", 0, 0, 0) / 65535, [0, 0.5, 1], atol=1e-4)
    assert scene.value("roughness", 0, 0, 0)[0] / 65535 == pytest.approx(0.2, abs=1e-4)
    assert (float(scene.value("height", 0, 0, 0)[0]) - 32768) / 32767 == pytest.approx(-0.5, abs=1e-4)
    assert scene.value("metallic", 0, 0, 0)[0] == 0


def test_erase_takes_coverage_and_keeps_colour() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK))
    brush, press = dab(0.5, hardness=0.9)
    lay(scene, RED, brush, press)
    lay(scene, Paint(erase=True), brush.model_copy(update={"strength": 0.5}), press)
    plane = scene.lookup.values(plane_id("s", "p", "base_color"), 0)
    slot = scene.at(0, 0, 0)
    assert plane[3, slot] / 65535 == pytest.approx(0.5, abs=1e-3)
    assert plane[0, slot] == 65535
    assert scene.value("base_color", 0, 0, 0)[0] / 65535 == pytest.approx(0.5, abs=1e-3)


@pytest.mark.parametrize("kind", ["fill", "group"])
def test_painting_a_mask_shows_the_layer_in_all_its_channels(kind: str) -> None:
    mask = Mask(sources=(PaintedSource(id="m"),))
    values = {"base_color": (1.0, 1.0, 1.0), "roughness": (1.0,)}
    top: object = fill_layer("f", values, mask=mask)
    if kind == "group":
        top = GroupLayer(id="f", name="f", mask=mask, layers=(fill_layer("in", values),), channels={})
    ground = fill_layer("ground", {"base_color": (0.0, 0.0, 0.0), "roughness": (0.0,)})
    scene = Scene(square(2.0), (top, ground))  # type: ignore[arg-type]
    assert scene.value("base_color", 0, 0, 0)[0] == 0
    brush, press = dab(0.5, hardness=0.9)
    live = lay(scene, Paint(mask_value=0.75), brush, press, Target(sheet="s", layer="f", mask="m"))
    for channel in ("base_color", "roughness"):
        assert live.composites[channel, 0][0, scene.at(0, 0, 0)] / 65535 == pytest.approx(0.75, abs=1e-3)
        assert scene.value(channel, 0, 0, 0)[0] / 65535 == pytest.approx(0.75, abs=1e-3)
    assert set(live.changes) == {mask_plane_id("s", "f", "m")}


@pytest.mark.parametrize("position", [0, 1, 2])
def test_what_a_stroke_shows_is_what_evaluation_gives_later(position: int) -> None:
    """In a stack with groups, masks and modes, the live composite equals the composite after storing."""
    stack = [
        paint_layer("a", blend="screen", strength=0.5),
        GroupLayer(
            id="g",
            name="g",
            blend="overlay",
            channels={},
            layers=(paint_layer("b", blend="multiply"), fill_layer("c", {"base_color": (0.4, 0.5, 0.6)})),
        ),
        paint_layer("d", mask=Mask(sources=(PaintedSource(id="m", base=1.0),))),
        fill_layer("e", {"base_color": (0.7, 0.3, 0.2)}),
    ]
    scene = Scene(globe(32, 16), tuple(stack), side=512, workers=Workers(2))
    brush = Brush(size=0.25, size_unit="object", hardness=0.3, flow=0.5, strength=0.8)
    random = np.random.default_rng(2)
    for name in ("a", "b", "d"):
        points = [Point(tuple(p / np.linalg.norm(p))) for p in random.normal(size=(4, 3))]
        lay(scene, Paint(values={"base_color": tuple(random.uniform(size=3))}), brush, points, target("base_color", layer=name))
    name = ("a", "b", "d")[position]
    live = scene.live(target("base_color", layer=name), RED)
    path = SurfacePath(brush, scene.samples)
    for angle in np.linspace(0, 3, 9):
        live.dabs(path.extend([Point((float(np.cos(angle)), 0.2, float(np.sin(angle))))]))
    scene.keep(live)
    assert live.composites
    for (channel, chunk), shown in live.composites.items():
        assert_array_equal(shown, scene.evaluator.composite(channel, chunk))


def test_the_same_stroke_gives_the_same_bytes_on_any_number_of_threads() -> None:
    results = []
    for threads in (1, 2, 3):
        scene = Scene(globe(32, 16), (paint_layer(),), side=512, workers=Workers(threads))
        brush = Brush(size=0.3, size_unit="object", jitter_place=0.5, jitter_size=0.5, spacing=0.05, flow=0.2)
        lay(scene, RED, brush, [Point((0, 0, 1)), Point((0.7, 0.1, 0.7)), Point((1, 0, 0))])
        results.append(dict(scene.planes[plane_id("s", "p", "base_color")].chunks))
        scene.workers.close()
    assert results[0] == results[1] == results[2]


def test_vertices_take_paint_as_texels_do() -> None:
    ball = globe(60, 30)
    scene = Scene(ball, (paint_layer(),))
    samples = VertexSamples(ball)
    evaluator = SheetEvaluator(scene.document, scene.document.sheets[0], samples, scene.faces, scene.lookup, scene.cache)
    live = LiveStroke(resolve_target(scene.document, target("base_color"), RED), evaluator, scene.lookup)
    brush = Brush(size=0.5, size_unit="object", hardness=0.0, flow=1.0)
    live.dabs(SurfacePath(brush, samples).extend([Point((0.0, 0.0, 1.0))]))
    alpha = live.changes[plane_id("s", "p", "base_color")][0][3] / 65535
    distance = np.linalg.norm(samples.positions - [0, 0, 1], axis=1)[samples.covered]
    facing = np.clip(samples.normals[samples.covered] @ np.array([0, 0, 1]) / 0.25, 0, 1)
    assert_allclose(alpha[samples.covered], smooth(distance / 0.5, 0.0) * facing, atol=0.02)


@pytest.mark.parametrize("strength", [1.0, 0.3])
def test_flood_leaves_no_covered_texel(strength: float) -> None:
    scene = Scene(split_square(), (paint_layer(), BLACK))
    live = scene.live(target("base_color"), RED)
    live.flood(None, strength, scene.faces)
    scene.keep(live)
    red = np.concatenate([scene.evaluator.composite("base_color", c)[0] for c in range(scene.samples.chunk_count)])
    assert_allclose(red[scene.samples.covered] / 65535, strength, atol=1e-4)
    assert red[~scene.samples.covered].max() == 0


@pytest.mark.parametrize("by", ["part", "island", "face", "material", "piece", "group"])
def test_flood_covers_exactly_what_is_picked(by: str) -> None:
    model = two_walls()
    if by == "group":
        from ruvelt.core.mesh.model import FaceGroup, Model

        model = Model(**{**model.__dict__, "groups": (FaceGroup("g", np.array([0], np.int32)),)})
    scene = Scene(model, (paint_layer(), BLACK))
    live = scene.live(target("base_color"), RED)
    live.flood([FacePick(by=by, index=0)], 1.0, scene.faces)  # type: ignore[arg-type]
    scene.keep(live)
    assert scene.value("base_color", 0.5, 0.5, 0.01)[0] == 65535
    assert scene.value("base_color", 0.5, 0.5, -0.01)[0] == (65535 if by == "material" else 0)


def test_repeated_floods_come_closer() -> None:
    scene = Scene(square(), (paint_layer(), BLACK))
    for n in range(1, 4):
        live = scene.live(target("base_color"), RED)
        live.flood(None, 0.5, scene.faces)
        scene.keep(live)
        assert scene.value("base_color", 0, 0, 0)[0] / 65535 == pytest.approx(1 - 0.5**n, abs=1e-3)


@settings(max_examples=40, deadline=None)
@given(
    size=st.floats(0.001, 3),
    hardness=st.floats(0, 1),
    flow=st.floats(0.01, 1),
    strength=st.floats(0, 1),
    roundness=st.floats(0.05, 1),
    points=st.lists(st.tuples(st.floats(-2, 2), st.floats(-2, 2), st.floats(-1, 1)), min_size=1, max_size=4),
)
def test_never_past_strength_never_out_of_range(
    size: float, hardness: float, flow: float, strength: float, roundness: float, points: list[tuple[float, float, float]]
) -> None:
    scene = Scene_cache.get()
    brush = Brush(size=size, size_unit="object", hardness=hardness, flow=flow, strength=strength, roundness=roundness)
    live = lay(scene, RED, brush, [Point(p) for p in points], keep=False)
    for values in live.changes[plane_id("s", "p", "base_color")].values():
        assert values[3].max() <= round(strength * 65535) + 1
    assert len(live.composites) <= scene.samples.chunk_count


class Scene_cache:
    _made: Scene | None = None

    @classmethod
    def get(cls) -> Scene:
        if cls._made is None:
            cls._made = Scene(square(2.0), (paint_layer(), BLACK))
        return cls._made


@pytest.mark.parametrize("square_chunk", [True, False])
def test_runs_cover_marked_tiles_once(square_chunk: bool) -> None:
    random = np.random.default_rng(8)
    for share in (0.0, 0.1, 0.6, 1.0):
        tiles = (random.uniform(size=BLOCKS) < share).astype(np.uint8)
        starts, counts = runs_of(tiles, square_chunk)
        hit = np.zeros(CHUNK, int)
        for s, n in zip(starts, counts, strict=True):
            assert 0 < n <= 1024
            hit[s : s + n] += 1
        local = np.arange(CHUNK)
        tile = ((local >> 12) << 4) | ((local & 255) >> 4) if square_chunk else local >> 8
        assert_array_equal(hit, tiles[tile])


LOCKED = paint_layer("p", locked=True)


@pytest.mark.parametrize(
    ("layers", "aim", "paint", "error", "match"),
    [
        ((LOCKED,), target("base_color"), RED, Conflict, "is locked"),
        ((paint_layer("p", visible=False),), target("base_color"), RED, Conflict, "is hidden"),
        ((GroupLayer(id="g", name="G", locked=True, layers=(paint_layer(),)),), target("base_color"), RED, Conflict, "'G' is locked"),
        ((), target("base_color"), RED, NotFound, "is gone"),
        ((paint_layer(),), target("base_color", mask="m"), RED, NotFound, "painted mask"),
        ((FillLayer(id="p", name="P"),), target("base_color"), RED, InputError, "only its mask"),
        ((paint_layer(),), target("wetness"), RED, NotFound, "no channel 'wetness'"),
        ((paint_layer(),), target("roughness"), RED, InputError, "Nothing to lay"),
        ((paint_layer(),), target("base_color"), Paint(values={"base_color": (1.0,)}), InputError, "takes 3 values"),
        ((paint_layer(),), Target(sheet="other", layer="p", channels=("base_color",)), RED, NotFound, "no sheet 'other'"),
    ],
)
def test_targets_are_checked_first(layers: tuple[object, ...], aim: Target, paint: Paint, error: type[Exception], match: str) -> None:
    scene = Scene_cache.get()
    sheet = scene.document.sheets[0].model_copy(update={"layers": layers})
    with pytest.raises(error, match=match):
        resolve_target(scene.document.model_copy(update={"sheets": (sheet,)}), aim, paint)

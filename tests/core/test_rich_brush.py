"""Tips, grains, mixing, build-up, spray, limits and confinement: what a dab is beyond a round one."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core.brush.confine import Confine, passing, standing_out
from ruvelt.core.brush.dab import KIND, RICH_BALL, WIDTH
from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.path import Point, SheetPath, SurfacePath
from ruvelt.core.brush.settings import Brush, Grain, Mirror, Mixing
from ruvelt.core.brush.target import Paint
from ruvelt.core.brush.tips import GRAINS, TIPS, alpha_of, load_grain, load_tips, quads, reach_of
from ruvelt.core.errors import NotFound
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import AnyLayer, GroupLayer
from ruvelt.core.stack.plane_ids import plane_id
from tests.core.scene import Scene, fill_layer, paint_layer, target, whole
from tests.core.test_strokes import BLACK, RED, dab, lay, smooth
from tests.meshes import globe, split_square, square, two_walls

TWO = Paint(values={"base_color": (1.0, 0.0, 0.0)}, second={"base_color": (0.0, 0.0, 1.0)})


def plane(side: int = 512) -> Scene:
    return Scene(square(2.0), (paint_layer(), BLACK), side=side)


def red(scene: Scene) -> np.ndarray:
    return scene.image("base_color")[..., 0] / 65535


def line(*xs: float, y: float = 0.0) -> list[Point]:
    return [Point((x, y, 0.0)) for x in xs]


def test_a_picture_tip_is_laid_as_it_is_drawn() -> None:
    """A dab of a picture as wide as the picture has texels gives the picture back, upright."""
    scene = plane(512)
    brush, press = dab(0.5, tips=("leaf",), build="level")
    lay(scene, RED, brush, press)
    wanted = load_tips(("leaf",), 256)[0]
    assert wanted.shape == (256, 256)
    assert_allclose(red(scene)[128:384, 128:384], wanted, atol=0.02)
    assert red(scene)[:120].max() == 0


def test_a_picture_is_laid_to_its_corners_and_no_further() -> None:
    for tip in ("square", "leaf"):
        scene = plane(512)
        brush, press = dab(0.5, tips=(tip,), build="level", angle=30.0)
        live = lay(scene, RED, brush, press, keep=False)
        picture = load_tips((tip,), 256)[0]
        # A dab of a picture lays as much as is drawn in it, however it is turned.
        assert live.coverage.values.sum() == pytest.approx(picture.sum(), rel=2e-3)
        far = np.linalg.norm(scene.samples.positions, axis=1)[live.coverage.values > 0].max() / 0.5
        assert reach_of(picture[None]) - 0.03 < far <= reach_of(picture[None])


def test_four_texels_are_read_as_one() -> None:
    picture = np.arange(12, dtype=np.float32).reshape(3, 4)[:, :3] / 11
    values_u16 = np.rint(picture * 65535).astype(np.uint64)
    wrapped, edged = quads(picture, wraps=True), quads(picture, wraps=False)
    for y in range(3):
        for x in range(3):
            near = [values_u16[y, x], values_u16[y, (x + 1) % 3], values_u16[(y + 1) % 3, x], values_u16[(y + 1) % 3, (x + 1) % 3]]
            assert [int(wrapped[y, x] >> np.uint64(16 * k)) & 65535 for k in range(4)] == near
    assert edged.shape == (5, 5)
    assert int(edged[0, 0]) == int(values_u16[0, 0]) << 48
    assert int(edged[3, 3]) == int(values_u16[2, 2])


def test_tips_turn_with_the_stroke() -> None:
    upright, along = plane(), plane()
    brush, _ = dab(0.2, tips=("flat-bristle",), build="level", spacing=0.05)
    lay(upright, RED, brush, line(-0.5, 0.5))
    lay(along, RED, brush.model_copy(update={"follow": True, "angle": 90.0}), line(-0.5, 0.5))
    tall = [int((red(s)[:, 256] > 0.2).sum()) for s in (upright, along)]
    # A flat brush held across its way covers its long side, held along it its short one.
    assert tall[0] == pytest.approx(0.4 * 256 * 0.95, abs=10)
    assert tall[1] == pytest.approx(0.4 * 256 * 0.95 * 0.22, abs=10)


def test_the_first_dab_waits_for_its_way_however_the_stroke_is_cut() -> None:
    brush, _ = dab(0.1, tips=("flat-bristle",), follow=True, mix={"mode": "across"})
    scene = plane(256)
    whole = SurfacePath(brush, scene.samples)
    once = np.concatenate([whole.extend(line(-0.5, 0.0, 0.5)), whole.finish()])
    parts = SurfacePath(brush, scene.samples)
    pieces = np.concatenate([*(parts.extend([p]) for p in line(-0.5, 0.0, 0.5)), parts.finish()])
    assert_array_equal(once, pieces)
    alone = SurfacePath(brush, scene.samples)
    assert len(alone.extend(line(0.0))) == 0
    assert len(alone.finish()) == 1


def test_level_dabs_do_not_add_up_and_past_goes_beyond_the_strength() -> None:
    for build, wanted in (("flow", 0.5 * (1 - 0.5**4)), ("level", 0.5), ("past", 1 - (1 - 0.25) ** 4)):
        scene = plane(256)
        brush, press = dab(0.5, hardness=1.0, flow=0.5, strength=0.5, build=build)
        live = scene.live(target("base_color"), RED, brush=brush)
        for _ in range(4):
            live.dabs(SurfacePath(brush, scene.samples).extend(press))
        scene.keep(live)
        assert red(scene)[128, 128] == pytest.approx(wanted, abs=1e-4), build


def test_a_level_line_has_the_tip_as_its_profile() -> None:
    scene = plane()
    brush, _ = dab(0.25, hardness=0.2, build="level", spacing=0.02)
    lay(scene, RED, brush, line(-0.6, 0.6))
    y = 1 - (np.arange(512) + 0.5) / 256
    assert_allclose(red(scene)[:, 256], smooth(np.abs(y) / 0.25, 0.2), atol=0.01)


def test_mixing_along_runs_to_the_second_colour_and_back() -> None:
    scene = plane()
    brush, _ = dab(0.05, hardness=1.0, build="level", spacing=0.1, mix=Mixing(mode="along", length=4.0))
    lay(scene, TWO, brush, line(-0.8, 0.8))
    picture = scene.image("base_color")[256] / 65535
    x = (np.arange(512) + 0.5) / 256 - 1
    # Four diameters of 0.1 from one colour to the other.
    travelled = (x + 0.8) / 0.4
    wanted = 1 - np.abs(1 - travelled % 2)
    inside = (x > -0.75) & (x < 0.75)
    assert_allclose(picture[inside, 2], wanted[inside], atol=0.16)
    assert_allclose(picture[inside, 0] + picture[inside, 2], 1, atol=0.01)


def test_mixing_across_goes_from_side_to_side() -> None:
    scene = plane()
    brush, _ = dab(0.3, hardness=1.0, build="level", spacing=0.02, mix=Mixing(mode="across"))
    lay(scene, TWO, brush, line(-0.5, 0.5))
    column = scene.image("base_color")[:, 256] / 65535
    y = 1 - (np.arange(512) + 0.5) / 256
    inside = np.abs(y) < 0.25
    assert_allclose(np.sort(column[inside, 2]), np.sort(0.5 + 0.5 * y[inside] / 0.3), atol=0.05)


def test_random_mixing_and_colour_jitter_differ_from_dab_to_dab_and_repeat() -> None:
    brush, _ = dab(0.04, hardness=1.0, build="level", spacing=1.5, mix=Mixing(mode="random"), jitter_hue=0.2, jitter_value=0.4)
    pictures = []
    for _ in range(2):
        scene = plane(256)
        lay(scene, TWO, brush, line(-0.8, 0.8))
        pictures.append(scene.image("base_color")[128])
    assert_array_equal(pictures[0], pictures[1])
    x = np.rint((np.arange(-0.8, 0.8, 0.12) + 1) * 128).astype(int)
    middles = pictures[0][x]
    assert len({tuple(c) for c in middles.tolist()}) > 8


def test_values_jitter_leaves_data_channels_alone() -> None:
    scene = plane(256)
    brush, press = dab(0.3, hardness=1.0, build="level", jitter_value=1.0)
    lay(scene, Paint(values={"roughness": (0.7,)}), brush, press, target("roughness"))
    assert scene.image("roughness")[128, 128, 0] == round(0.7 * 65535)


def test_spray_lays_many_dabs_at_each_stop_within_its_scatter() -> None:
    scene = plane(256)
    brush, _ = dab(0.05, spray=12, jitter_place=1.0, spacing=0.5)
    dabs = whole(SurfacePath(brush, scene.samples), line(-0.5, 0.5))
    single = whole(SurfacePath(brush.model_copy(update={"spray": 1}), scene.samples), line(-0.5, 0.5))
    assert len(dabs) == 12 * len(single)
    assert np.abs(dabs[:, 1]).max() <= 0.1 * (1 + 1e-5)
    assert np.abs(dabs[:, 1]).max() > 0.07


def test_a_surface_grain_stays_where_it_is_and_a_stroke_grain_travels() -> None:
    def painted(fixed: str, shift: float) -> np.ndarray:
        scene = plane(256)
        brush, _ = dab(0.4, hardness=1.0, build="level", spacing=0.02, grain=Grain(picture="clouds", size=0.2, depth=1.0, fixed=fixed))
        lay(scene, RED, brush, line(-0.3 + shift, 0.1 + shift))
        return red(scene)[100:156, 118:138]

    assert_array_equal(painted("surface", 0.0), painted("surface", 0.07))
    assert np.abs(painted("stroke", 0.0) - painted("stroke", 0.07)).mean() > 0.02
    flat = plane(256)
    brush, press = dab(0.4, hardness=1.0, build="level", grain=Grain(picture="grit", size=0.1, depth=0.0))
    lay(flat, RED, brush, press)
    assert red(flat)[128, 128] == 1.0


@pytest.mark.parametrize("name", list(GRAINS))
def test_grains_repeat_without_an_edge(name: str) -> None:
    grain = load_grain(name)
    steps = np.abs(np.diff(grain, axis=0))
    assert np.abs(grain[0] - grain[-1]).mean() < 3 * steps.mean() + 1e-3
    assert grain.min() >= 0
    assert grain.max() <= 1


def test_the_library_draws_and_sizes_down_by_areas() -> None:
    for tip in TIPS:
        large, small = load_tips((tip.id,), 256)[0], load_tips((tip.id,), 16)[0]
        assert small.shape == (16, 16)
        assert 0 <= large.min() <= large.max() <= 1
        assert large.max() > 0.8
        assert small.mean() == pytest.approx(large.mean(), abs=2e-3), tip.id
    with pytest.raises(NotFound, match="no tip"):
        load_tips(("nothing",), 64)
    with pytest.raises(NotFound, match="no grain"):
        load_grain("nothing")


def test_pictures_of_the_project_are_tips_by_their_alpha_or_lightness() -> None:
    picture = np.zeros((3, 5, 4), np.uint16)
    picture[..., 3] = 65535
    picture[1, 2, :3] = 65535
    square_alpha = alpha_of(picture)
    assert square_alpha.shape == (5, 5)
    assert square_alpha[2, 2] == 1
    assert square_alpha.sum() == 1
    picture[..., 3] = 0
    picture[0, 0, 3] = 32768
    assert alpha_of(picture)[1, 0] == pytest.approx(0.5, abs=1e-4)
    with pytest.raises(NotFound, match="gone from the project"):
        load_tips(("image:gone",), 64)


def test_a_tip_mirrors_with_the_model() -> None:
    scene = plane()
    brush, _ = dab(0.2, tips=("splatter",), build="level", mirror=Mirror(x=True))
    lay(scene, RED, brush, line(0.5))
    assert_allclose(red(scene), red(scene)[:, ::-1], atol=1e-3)
    assert red(scene)[:, :200].max() > 0.9


def test_a_turn_about_an_axis_is_exact() -> None:
    """Quarter turns of a square about Z fall on texels again: the picture is its own quarter turn."""
    scene = plane(256)
    brush, _ = dab(0.15, tips=("splatter",), build="level", mirror=Mirror(around=4, axis="z"))
    lay(scene, RED, brush, [Point((0.5, 0.25, 0))])
    assert red(scene).max() > 0.9
    assert_allclose(red(scene), np.rot90(red(scene)), atol=2e-3)


def test_flat_sheet_dabs_are_the_same_picture() -> None:
    for side, lay_flat in ((512, True), (512, False)):
        scene = plane(side)
        brush, press = dab(0.5, tips=("hexagon",), build="level")
        live = scene.live(target("base_color"), RED, brush=brush)
        path = SheetPath(brush, 1.0, scene.samples.spacing, 2.0) if lay_flat else SurfacePath(brush, scene.samples)
        live.dabs(path.extend([Point((256.0, 256.0))] if lay_flat else press))
        scene.keep(live)
        if lay_flat:
            first = red(scene)
    assert_allclose(first, red(scene), atol=2e-3)


def test_facing_lets_only_so_steep_a_surface_take_paint() -> None:
    scene = Scene(globe(96, 48), (paint_layer(), BLACK), side=512)
    brush, _ = dab(0.45, hardness=1.0, build="level", facing_deg=30.0)
    lay(scene, RED, brush, [Point((0.0, 0.0, 1.0))])
    on = scene.samples.covered
    slots = np.flatnonzero(on)
    values = np.array([scene.evaluator.composite("base_color", int(s) >> 16)[0, s & 65535] for s in slots[::7]])
    z = scene.samples.normals[slots[::7], 2]
    assert values[z < np.cos(np.radians(30.0)) - 1e-3].max() == 0
    assert values[(z > 0.95)].min() > 60000


def test_depth_and_the_back_side_of_a_thin_wall() -> None:
    """Two walls 0.02 apart that face away from each other: paint stays on its side, or goes to the other when asked."""
    for back, wanted in ((False, 1), (True, -1)):
        scene = Scene(two_walls(0.02), (paint_layer(), BLACK), side=256)
        brush, _ = dab(0.3, hardness=1.0, build="level", back=back)
        lay(scene, RED, brush, [Point((0.0, 0.0, 0.01))])
        painted = np.concatenate([scene.evaluator.composite("base_color", c)[0] for c in range(scene.samples.chunk_count)]) > 0
        assert painted.any()
        assert (np.sign(scene.samples.normals[painted, 2]) == wanted).all()
    deep = Scene(two_walls(0.2), (paint_layer(), BLACK), side=256)
    brush, _ = dab(0.5, hardness=1.0, build="level", facing=False, depth=0.2)
    lay(deep, RED, brush, [Point((0.0, 0.0, 0.1))])
    painted = np.concatenate([deep.evaluator.composite("base_color", c)[0] for c in range(deep.samples.chunk_count)]) > 0
    assert painted.any()
    assert (deep.samples.positions[painted, 2] > 0).all()


# -- confinement ----------------------------------------------------------------------------------------------------------------


def test_confinement_to_faces_and_to_a_part_lets_nothing_else_through() -> None:
    scene = Scene(split_square(), (paint_layer(), BLACK), side=256)
    brush, press = dab(0.5, hardness=1.0)
    lay(scene, RED.model_copy(update={"confine": Confine(picks=(FacePick(by="face", index=0),))}), brush, press)
    values = np.concatenate([scene.evaluator.composite("base_color", c)[0] for c in range(scene.samples.chunk_count)])
    assert values[scene.samples.face == 0].max() == 65535
    assert values[scene.samples.face == 1].max() == 0


def test_confinement_to_a_colour_range() -> None:
    ground = fill_layer("ground", {"base_color": (0.2, 0.6, 0.2)})
    scene = Scene(square(2.0), (paint_layer(), paint_layer("q"), ground), side=256)
    brush, press = dab(0.3, hardness=1.0)
    lay(scene, Paint(values={"base_color": (0.9, 0.1, 0.1)}), brush, press, target("base_color", layer="q"))
    before = scene.image("base_color").copy()
    wide, _ = dab(0.8, hardness=1.0)
    blue = Paint(values={"base_color": (0.0, 0.0, 1.0)}, confine=Confine(colours=((0.9, 0.1, 0.1),), tolerance=0.05, colour_softness=0.0))
    lay(scene, blue, wide, press)
    after = scene.image("base_color")
    was_red = before[..., 0] == round(0.9 * 65535)
    assert (after[was_red][:, 2] == 65535).all()
    assert_array_equal(after[before[..., 0] < 20000], before[before[..., 0] < 20000])


@pytest.mark.parametrize("source", ["beneath", "shows"])
def test_a_colour_range_stays_as_it_is_however_often_a_stroke_is_repeated(source: str) -> None:
    """Over a wash from green to red: what is beneath does not change, and the paint has one soft border; what shows leaves a ring."""
    scene = Scene(square(2.0), (paint_layer(), paint_layer("q")), side=256)
    x = np.tile(np.arange(256) / 255, 256)
    wash = np.stack([x, 1 - x, np.zeros_like(x), np.ones_like(x)])
    scene.put_plane(plane_id("s", "q", "base_color"), np.rint(wash * 65535).astype(np.uint16))
    confine = Confine(colours=((0.9, 0.1, 0.0),), tolerance=0.05, colour_softness=0.3, colours_from=source)
    alphas = []
    for _ in range(6):
        live = scene.live(target("base_color"), Paint(values={"base_color": (0.0, 0.0, 1.0)}, confine=confine))
        live.flood(None, 0.6, scene.faces)
        scene.keep(live)
        alphas.append(scene.lookup.values(plane_id("s", "p", "base_color"), 0)[-1].reshape(256, 256)[128].astype(float) / 65535)
    assert all((after >= before - 1e-4).all() for before, after in pairwise(alphas))
    weights = alphas[0] / 0.6
    exact = 1 - (1 - 0.6 * weights) ** 6
    if source == "beneath":
        # Six floods are one, to the power of six, everywhere: nothing that was laid feeds the range.
        assert np.abs(alphas[-1] - exact).max() < 2e-3
    else:
        assert np.abs(alphas[-1] - exact).max() > 0.2


@pytest.mark.parametrize("beneath", [(), (paint_layer("empty"),), (GroupLayer(id="g", name="g", layers=(paint_layer("inside"),)),)])
def test_with_nothing_beneath_a_colour_range_reads_what_shows(beneath: tuple[AnyLayer, ...]) -> None:
    scene = Scene(square(2.0), (paint_layer(), *beneath), side=256)
    wide, press = dab(0.8, hardness=1.0)
    lay(scene, Paint(values={"base_color": (0.9, 0.1, 0.1)}), wide, press)
    lay(scene, Paint(values={"base_color": (0.0, 0.0, 1.0)}, confine=Confine(colours=((0.9, 0.1, 0.1),), tolerance=0.05)), wide, press)
    assert scene.image("base_color")[128, 128].tolist() == [0, 0, 65535]


def test_confinement_to_ridges_follows_the_curvature_of_the_mesh() -> None:
    """On a globe everything is as convex: the slider lets all of it through, or nothing."""
    scene = Scene(globe(96, 48, 0.05), (paint_layer(), BLACK), side=256)
    for relief, wanted in ((0.001, 65535), (-0.9, 0)):
        live = scene.live(target("base_color"), RED.model_copy(update={"confine": Confine(relief=relief)}))
        live.flood(None, 1.0, scene.faces)
        colour = live.changes["s/p/base_color"][0][-1]
        inside = scene.samples.covered[:65536] & (np.abs(scene.samples.positions[:65536, 1]) < 0.04)
        assert np.median(colour[inside]) == wanted


def test_the_relief_slider_goes_from_everything_to_the_sharpest_without_a_jump() -> None:
    measure = np.linspace(-1, 1, 201, dtype=np.float32)
    for softness in (0.1, 0.5, 1.0):
        steps = np.stack([passing(measure, amount, softness) for amount in np.linspace(0, 1, 201)])
        assert (steps[0] == 1).all()
        assert (np.diff(steps, axis=0) <= 0).all()
        assert (np.diff(steps, axis=1) >= 0).all()
        # A step of the slider changes no place by more than the ramp's steepest slope over it.
        assert np.abs(np.diff(steps, axis=0)).max() <= 1.5 * 0.01 / (softness + 0.02) + 1e-5
        # At every setting some places are let through more than others, over both halves.
        assert (np.ptp(steps[1:-1], axis=1) > 0).all()
        assert steps[100][measure >= 0].min() == 1
        assert steps[-1][measure == 1] == 1
    # Half way up the ramp: a quarter of a measure has a root of one half.
    assert passing(np.array([0.25], np.float32), 0.875, 0.48)[0] == pytest.approx(0.5, abs=1e-5)
    # A soft one reaches flat places at settings for ridges, a hard one does not.
    flat = np.zeros(1, np.float32)
    assert 0.2 < passing(flat, 0.75, 1.0)[0] < 0.8
    assert passing(flat, 0.75, 0.2)[0] == 0


@pytest.mark.parametrize("amount", [0.01, 0.3, 0.6, 1.0])
@pytest.mark.parametrize("softness", [0.0, 0.5, 1.0])
def test_a_dry_brush_never_touches_what_is_flat_or_hollow(amount: float, softness: float) -> None:
    measure = np.linspace(-1, 1, 201, dtype=np.float32)
    weights = standing_out(measure, amount, softness)
    assert (weights[measure <= 0] == 0).all()
    assert (weights[measure >= amount / 2 + 1e-5] == 1).all()
    assert (np.diff(weights) >= 0).all()


def test_raised_detail_takes_a_dry_brush() -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK), side=256)
    bump, press = dab(0.3, hardness=1.0)
    lay(scene, Paint(values={"height": (0.5,)}), bump, press, target("height"))
    wide, _ = dab(0.9, hardness=1.0)
    lay(scene, RED.model_copy(update={"confine": Confine(raised=0.5)}), wide, press)
    height = scene.image("height")[..., 0] / 32767.5 - 1
    assert (red(scene)[height > 0.45] == 1).all()
    assert (red(scene)[height < 0.1] == 0).all()


# -- blending and gradients -------------------------------------------------------------------------------------------------------


def test_a_blend_mode_meets_what_is_there() -> None:
    ground = fill_layer("ground", {"base_color": (0.5, 0.8, 0.2)})
    scene = Scene(square(2.0), (paint_layer(), ground), side=256)
    brush, press = dab(0.5, hardness=1.0)
    lay(scene, Paint(values={"base_color": (0.5, 0.5, 1.0)}, blend="multiply"), brush, press)
    assert_allclose(scene.image("base_color")[128, 128] / 65535, (0.25, 0.4, 0.2), atol=2e-4)
    # Again: it works on what it left.
    lay(scene, Paint(values={"base_color": (0.5, 0.5, 1.0)}, blend="multiply"), brush, press)
    assert_allclose(scene.image("base_color")[128, 128] / 65535, (0.125, 0.2, 0.2), atol=2e-4)
    with pytest.raises(ValidationError, match="not a blend mode"):
        Paint(blend="sideways")


@pytest.mark.parametrize("form", ["line", "ball"])
def test_a_gradient_fill_runs_between_its_handles(form: str) -> None:
    scene = plane(256)
    live = scene.live(target("base_color"), TWO)
    live.flood(None, 1.0, scene.faces, Gradient(start=(-0.5, 0, 0), end=(0.5, 0, 0), form=form))
    scene.keep(live)
    x = (np.arange(256) + 0.5) / 128 - 1
    y = 1 / 256
    wanted = np.clip(x + 0.5, 0, 1) if form == "line" else np.clip(np.hypot(x + 0.5, y), 0, 1)
    assert_allclose(scene.image("base_color")[127, :, 2] / 65535, wanted, atol=1e-3)
    assert_allclose(scene.image("base_color")[127, :, 0] / 65535, 1 - wanted, atol=1e-3)


brushes = st.builds(
    Brush,
    size=st.floats(0.001, 3.0),
    size_unit=st.just("object"),
    strength=st.floats(0, 1),
    flow=st.floats(0.01, 1),
    hardness=st.floats(0, 1),
    spacing=st.floats(0.02, 4),
    angle=st.floats(-180, 180),
    roundness=st.floats(0.05, 1),
    jitter_place=st.floats(0, 1),
    jitter_size=st.floats(0, 1),
    jitter_strength=st.floats(0, 1),
    jitter_hue=st.floats(0, 1),
    jitter_value=st.floats(0, 1),
    spray=st.integers(1, 4),
    depth=st.floats(0, 1),
    facing_deg=st.floats(5, 180),
    tips=st.sampled_from([(), ("sponge",), ("leaf", "ring")]),
    build=st.sampled_from(["flow", "level"]),
    follow=st.booleans(),
    flip=st.sampled_from(["none", "alternate", "random"]),
    mix=st.builds(Mixing, mode=st.sampled_from(["none", "along", "across", "random"])),
    grain=st.builds(Grain, picture=st.sampled_from([None, "canvas"]), depth=st.floats(0, 1)),
)


@settings(deadline=None, max_examples=40)
@given(brushes)
def test_no_brush_leaves_the_range_or_passes_its_strength(brush: Brush) -> None:
    scene = Scene(square(2.0), (paint_layer(), BLACK), side=256)
    live = lay(scene, TWO, brush, line(-0.7, 0.1, 0.4, 0.4))
    assert np.isfinite(live.coverage.values).all()
    assert live.coverage.values.max() <= brush.strength + 1e-6
    assert scene.image("base_color").max() <= round(brush.strength * 65535) + 1
    assert np.isfinite(live.coverage.marks).all()


def test_what_is_no_size_or_place_lays_nothing() -> None:
    scene = plane(256)
    brush, _ = dab(0.2, tips=("chalk",))
    path = SurfacePath(brush, scene.samples)
    assert path.extend([Point((50.0, 0, 0))]).shape == (0, WIDTH)
    assert SurfacePath(Brush(), scene.samples).extend([]).shape == (0, WIDTH)
    live = scene.live(target("base_color"), RED, brush=brush)
    broken = np.full((1, WIDTH), np.nan, np.float32)
    broken[0, KIND] = RICH_BALL
    assert not live.dabs(broken).blocks

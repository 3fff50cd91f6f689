"""Lines, curves, rows, stamps, filled shapes, snapping and push: where they lie, and what they leave behind."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core.brush.path import Point, SheetPath, SurfacePath
from ruvelt.core.brush.settings import Brush, Mirror
from ruvelt.core.brush.shapes import Row, Shape, lay_shape, shaped_brush, smooth, straight
from ruvelt.core.brush.snapping import EdgeGraph, sharp_edges
from ruvelt.core.brush.target import Paint, SmearSettings, resolve_target
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.stroke.live import LiveStroke
from tests.core.scene import Scene, paint_layer, target, whole
from tests.core.test_reading_tools import by_place, painted, roughness
from tests.core.test_rich_brush import plane, red
from tests.core.test_strokes import BLACK, RED, dab, lay
from tests.meshes import globe, model_of, split_square, square, tube

VIEW = Camera(eye=(0, 0, 6), target=(0, 0, 0), width=800, height=600)
PUSH = Paint(tool="smear", reads="layer", smear=SmearSettings(mode="push"))


def shape_on(scene: Scene, brush: Brush, shape: Shape, paint: Paint = RED) -> LiveStroke:
    caster = RayCaster(scene.model)
    used = shaped_brush(brush, shape)
    live = scene.live(target("base_color"), paint, brush=used)
    laid = lay_shape(used, shape, scene.samples, caster, EdgeGraph(scene.model, caster) if shape.snap else None)
    live.lay_again(laid.dabs, brush.mirror, laid.slots, laid.weights)
    scene.keep(live)
    return live


# -- lines ----------------------------------------------------------------------------------------------------------------------


def test_a_curve_goes_through_its_points_and_a_circle_of_points_stays_round() -> None:
    angle = np.arange(12) / 12 * 2 * np.pi
    points = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    curve = smooth(points, True, 0.01)
    assert np.abs(np.linalg.norm(curve, axis=1) - 1).max() < 4e-3
    for p in points:
        assert np.linalg.norm(curve - p, axis=1).min() < 1e-9
    assert_allclose(curve[0], curve[-1])
    assert np.linalg.norm(np.diff(curve, axis=0), axis=1).max() < 0.012
    assert_allclose(smooth(points[:2], False, 0.1), straight(points[:2], False, 0.1))


def test_a_row_on_a_cylinder_is_even_in_arc_length() -> None:
    """A row round half a tube: the angle between neighbours is the same, whatever the chords of the mesh."""
    scene = Scene(tube(0.5, 2.0, 96), (paint_layer(), BLACK), side=1024)
    ring = [(0.5 * np.cos(a), 0.0, 0.5 * np.sin(a)) for a in np.linspace(0.2, np.pi - 0.2, 9)]
    shape = Shape(kind="curve", surface=ring, row=Row(count=13))
    brush, _ = dab(0.02, tips=("rivet",))
    laid = lay_shape(shaped_brush(brush, shape), shape, scene.samples, RayCaster(scene.model))
    centres = laid.dabs[:, :3].astype(float)
    angles = np.unwrap(np.arctan2(centres[:, 2], centres[:, 0]))
    assert len(centres) == 13
    assert angles[0] == pytest.approx(0.2, abs=0.01)
    assert_allclose(np.diff(angles), (np.pi - 0.4) / 12, rtol=0.01)
    assert_allclose(np.hypot(centres[:, 0], centres[:, 2]), 0.5, rtol=2e-3)
    # Each stands up from the tube, turned along the row.
    assert_allclose(laid.dabs[:, 4:7], centres * [2, 0, 2], atol=0.05)
    assert np.abs((laid.dabs[:, 7:10] * np.gradient(centres, axis=0)).sum(axis=1) / np.linalg.norm(np.gradient(centres, axis=0), axis=1)).min() > 0.98


def test_a_straight_line_in_the_view_is_even_over_the_surface() -> None:
    scene = Scene(globe(96, 48), (paint_layer(), BLACK), side=512)
    shape = Shape(kind="line", surface=((-0.8, 0.0, 0.6), (0.8, 0.0, 0.6)), camera=VIEW, row=Row(count=9))
    brush, _ = dab(0.02)
    laid = lay_shape(shaped_brush(brush, shape), shape, scene.samples, RayCaster(scene.model))
    angles = np.arctan2(laid.dabs[:, 0], laid.dabs[:, 2])
    assert_allclose(np.diff(angles), np.diff(angles).mean(), rtol=0.02)
    assert_allclose(laid.dabs[:, 1], 0, atol=0.02)


def test_rows_fill_their_line_turn_and_alternate() -> None:
    scene = plane(256)
    brush, _ = dab(0.05, tips=("leaf",))
    row = Shape(kind="line", surface=((-0.5, 0, 0), (0.5, 0, 0)), row=Row(spacing=1.9, alternate="turn"))
    laid = lay_shape(shaped_brush(brush, row), row, scene.samples, RayCaster(scene.model))
    # A diameter of 0.1 and 1.9 of it apart: five spaces fill the line.
    assert_allclose(laid.dabs[:, 0], np.linspace(-0.5, 0.5, 6), atol=0.01)
    assert_array_equal(np.sign(laid.dabs[:, 7]), [1, -1, 1, -1, 1, -1])
    flip = row.model_copy(update={"row": Row(count=4, alternate="flip")})
    flipped = lay_shape(shaped_brush(brush, flip), flip, scene.samples, RayCaster(scene.model))
    assert_array_equal(flipped.dabs[:, 20], [1, -1, 1, -1])
    closed = Shape(kind="line", surface=((-0.5, -0.5, 0), (0.5, -0.5, 0), (0.5, 0.5, 0), (-0.5, 0.5, 0)), closed=True, row=Row(count=8))
    around = lay_shape(shaped_brush(brush, closed), closed, scene.samples, RayCaster(scene.model)).dabs[:, :2]
    assert len(around) == 8
    assert_allclose(np.linalg.norm(np.diff(np.concatenate([around, around[:1]]), axis=0), axis=1), 0.5, atol=0.02)


def test_a_line_breaks_where_the_surface_does() -> None:
    """Two squares with a gap between them: no dab lies in it."""
    p = [[-1, -1, 0], [-0.2, -1, 0], [-0.2, 1, 0], [-1, 1, 0], [0.2, -1, 0], [1, -1, 0], [1, 1, 0], [0.2, 1, 0]]
    uv = [[x * 0.5 + 0.5, y * 0.5 + 0.5] for x, y, _ in p]
    scene = Scene(model_of(np.array(p, float), [[0, 1, 2, 3], [4, 5, 6, 7]], np.array(uv)), (paint_layer(), BLACK), side=256)
    brush, _ = dab(0.05)
    shape = Shape(kind="line", surface=((-0.8, 0, 0), (0.8, 0, 0)), camera=VIEW)
    laid = lay_shape(brush, shape, scene.samples, RayCaster(scene.model)).dabs
    assert len(laid) > 50
    assert (np.abs(laid[:, 0]) >= 0.19).all()


def test_filled_shapes_cover_what_they_enclose_in_the_view_and_on_the_sheet() -> None:
    points = ((-0.5, -0.5, 0), (0.5, -0.5, 0), (0.5, 0.5, 0), (-0.5, 0.5, 0))
    brush, _ = dab(0.002)
    solid = plane(512)
    shape_on(solid, brush, Shape(kind="line", surface=points, camera=VIEW, closed=True, filled=True))
    flat = plane(512)
    shape_on(flat, brush, Shape(kind="line", sheet=tuple((256 + 256 * x, 256 - 256 * y) for x, y, _ in points), closed=True, filled=True))
    for scene in (solid, flat):
        assert red(scene)[140:372, 140:372].min() == 1.0
        assert red(scene)[:124].max() == 0
        assert red(scene).mean() == pytest.approx(0.25, abs=0.006)


def test_a_filled_shape_leaves_the_far_side_alone() -> None:
    scene = Scene(globe(64, 32), (paint_layer(), BLACK), side=512)
    brush, _ = dab(0.01)
    live = shape_on(
        scene, brush, Shape(kind="curve", surface=((-0.4, -0.4, 0.8), (0.4, -0.4, 0.8), (0.0, 0.5, 0.8)), camera=VIEW, closed=True, filled=True)
    )
    painted_slots = live.coverage.values > 0
    assert painted_slots.sum() > 1000
    assert scene.samples.positions[painted_slots, 2].min() > 0.5


def test_shaping_again_leaves_only_the_last() -> None:
    scene = plane(256)
    brush, _ = dab(0.1)
    live = scene.live(target("base_color"), RED, brush=brush)
    caster = RayCaster(scene.model)
    first = lay_shape(brush, Shape(kind="line", surface=((-0.8, 0.6, 0), (0.8, 0.6, 0))), scene.samples, caster)
    last = Shape(kind="line", surface=((-0.5, -0.4, 0), (0.5, -0.2, 0)))
    live.lay_again(first.dabs, None)
    touched = live.lay_again(lay_shape(brush, last, scene.samples, caster).dabs, None)
    assert touched.blocks
    scene.keep(live)
    fresh = plane(256)
    shape_on(fresh, brush, last)
    assert_array_equal(scene.image("base_color"), fresh.image("base_color"))


def test_a_stamp_has_the_size_and_turn_of_its_drag() -> None:
    scene = plane(512)
    brush, _ = dab(0.01, tips=("leaf",))
    shape_on(scene, brush, Shape(kind="stamp", surface=((0.1, 0.2, 0), (0.1, 0.6, 0)), camera=VIEW))
    on = np.argwhere(red(scene) > 0.5)
    middle = (on.max(axis=0) + on.min(axis=0)) / 2
    assert_allclose(middle, (256 - 0.2 * 256, 256 + 0.1 * 256), atol=3)
    # The leaf's long side is its height; turned by a quarter it lies along X.
    height, width = on.max(axis=0) - on.min(axis=0)
    assert width == pytest.approx(0.8 * 256 * 0.95, abs=6)
    assert height == pytest.approx(0.8 * 256 * 0.5, abs=8)
    flat = plane(512)
    shape_on(flat, brush, Shape(kind="stamp", sheet=((256 + 0.1 * 256, 256 - 0.2 * 256), (256 + 0.1 * 256, 256 - 0.6 * 256))))
    assert np.abs(red(flat) - red(scene)).mean() < 2e-3


def test_a_bent_stamp_keeps_its_lengths_over_a_cylinder() -> None:
    """A square stamp a quarter of the way round: bent it ends at its arc, flat where the surface leaves its shadow."""
    radius, half = 0.5, 0.5
    for bend, wanted in ((True, 0.94 * half / radius), (False, np.arcsin(0.94 * half / radius))):
        scene = Scene(tube(radius, 2.0, 128), (paint_layer(), BLACK), side=1024)
        brush, _ = dab(0.01, tips=("square",), facing=False)
        live = shape_on(scene, brush, Shape(kind="stamp", surface=((0, 0, radius), (half, 0, radius)), bend=bend))
        slots = np.flatnonzero(live.coverage.values > 0.5)
        places = scene.samples.positions[slots]
        band = places[np.abs(places[:, 1]) < 0.02]
        ahead = band[band[:, 2] > 0] if not bend else band
        assert np.abs(np.arctan2(ahead[:, 0], ahead[:, 2])).max() == pytest.approx(wanted, abs=0.03)


def test_shapes_on_vertices() -> None:
    samples = VertexSamples(globe(64, 32))
    shape = Shape(kind="line", surface=((-0.6, 0, 0.8), (0.6, 0, 0.8)), camera=VIEW)
    laid = lay_shape(dab(0.05)[0], shape, samples, RayCaster(samples.model))
    assert len(laid.dabs) > 20
    assert_allclose(np.linalg.norm(laid.dabs[:, :3], axis=1), 1, atol=0.01)


@pytest.mark.parametrize(
    "wrong",
    [
        {"kind": "stamp", "surface": ((0, 0, 0),)},
        {"kind": "line"},
        {"kind": "line", "surface": ((0, 0, 0), (1, 0, 0)), "filled": True},
        {"kind": "curve", "surface": ((0, 0, 0), (1, 0, 0), (0, 1, 0)), "closed": True, "filled": True},
        {"kind": "line", "surface": ((0, 0, 0),), "sheet": ((0, 0),)},
        {"kind": "line", "surface": ((float("nan"), 0, 0), (1, 0, 0))},
    ],
)
def test_broken_shapes_are_refused(wrong: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Shape.model_validate(wrong)


def test_a_shape_off_the_model_or_without_length_lays_nothing_or_one_dab() -> None:
    scene = plane(256)
    brush, _ = dab(0.1)
    caster = RayCaster(scene.model)
    away = Shape(kind="line", surface=((5, 5, 0), (6, 5, 0)), camera=VIEW)
    assert len(lay_shape(brush, away, scene.samples, caster).dabs) == 0
    point = Shape(kind="line", surface=((0, 0, 0), (0, 0, 0)))
    assert len(lay_shape(brush, point, scene.samples, caster).dabs) == 1
    version = Shape(kind="stamp", surface=((0, 0, 0), (0, 0, 0)), camera=VIEW)
    assert len(lay_shape(shaped_brush(brush, version), version, scene.samples, caster).dabs) == 0


def test_an_endless_line_and_one_behind_the_eye_do_no_harm() -> None:
    scene = plane(256)
    brush, _ = dab(0.1)
    caster = RayCaster(scene.model)
    for shape in (
        Shape(kind="line", sheet=((0, 0), (1e9, 1e9))),
        Shape(kind="curve", sheet=((-1e9, 0), (1e9, 5), (0, 1e9)), closed=True, filled=True),
        Shape(kind="line", surface=((0, 0, 0), (1e9, 0, 0))),
        Shape(kind="line", surface=((0, 0, 0), (0, 0, 12)), camera=VIEW),
        Shape(kind="curve", surface=((0, 0, 0), (0, 0, 12), (0, 1, 0)), camera=VIEW, closed=True, filled=True),
    ):
        laid = lay_shape(brush, shape, scene.samples, caster)
        assert np.isfinite(laid.dabs).all()
        assert len(laid.dabs) <= 4100
    assert len(straight(np.array([[0.0, 0.0], [1e9, 0.0]]), False, 0.5)) <= 40_100


# -- snapping -------------------------------------------------------------------------------------------------------------------


def box() -> Scene:
    p = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
    faces = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    corner_uv, uv = [], []
    for i in range(6):
        u, v = (i % 3) / 3, (i // 3) / 2
        uv += [[u + 0.02, v + 0.02], [u + 0.3, v + 0.02], [u + 0.3, v + 0.46], [u + 0.02, v + 0.46]]
        corner_uv += [4 * i, 4 * i + 1, 4 * i + 2, 4 * i + 3]
    return Scene(model_of(p, faces, np.array(uv), corner_uv), (paint_layer(), BLACK), side=512)


def test_edges_of_a_box_are_its_twelve_and_a_smooth_globe_has_none() -> None:
    assert len(sharp_edges(box().model)) == 12
    assert len(sharp_edges(globe(64, 32))) == 0


def test_a_snapped_line_follows_the_edges_round_a_corner() -> None:
    scene = box()
    caster = RayCaster(scene.model)
    camera = Camera(eye=(3, 2.5, 4), target=(0, 0, 0), width=800, height=600)
    # Near the front top edge and near the right top edge: the way between them turns at the corner.
    shape = Shape(kind="line", surface=((-0.3, 0.49, 0.5), (0.5, 0.49, -0.3)), camera=camera, snap=True)
    laid = lay_shape(dab(0.02)[0], shape, scene.samples, caster, EdgeGraph(scene.model, caster))
    assert_allclose(laid.points[:, 1], 0.5, atol=1e-6)
    assert_allclose(laid.points[0, 2], 0.5, atol=1e-6)
    centres = laid.dabs[:, :3]
    assert len(centres) > 30
    # Every dab lies on one of the two edges, and the corner has one.
    on_front = (np.abs(centres[:, 1] - 0.5) < 0.01) & (np.abs(centres[:, 2] - 0.5) < 0.01)
    on_right = (np.abs(centres[:, 1] - 0.5) < 0.01) & (np.abs(centres[:, 0] - 0.5) < 0.01)
    assert (on_front | on_right).all()
    assert np.linalg.norm(centres - [0.5, 0.5, 0.5], axis=1).min() < 0.01
    far = lay_shape(
        dab(0.02)[0], shape.model_copy(update={"surface": ((-0.1, 0.1, 0.5), (0.2, 0.1, 0.5))}), scene.samples, caster, EdgeGraph(scene.model, caster)
    )
    assert_allclose(far.points[:, 1], 0.1, atol=1e-6)


# -- push -----------------------------------------------------------------------------------------------------------------------


def test_push_moves_a_step_by_the_drag() -> None:
    scene = painted(by_place_of(lambda p: (p[:, 0] > 0).astype(float)))
    brush, _ = dab(0.5, hardness=0.9, spacing=0.02)
    lay(scene, PUSH, brush, [Point((-0.1, 0, 0)), Point((0.2, 0, 0))], target("roughness"))
    row = roughness(scene)[128]
    x = (np.arange(256) + 0.5) / 128 - 1
    step = x[np.argmax(row > 0.5)]
    assert step == pytest.approx(0.3, abs=0.02)
    # The step is as sharp as it was.
    assert ((row > 0.05) & (row < 0.95)).sum() <= 3
    assert roughness(scene)[10].tolist() == (x > 0).astype(float).tolist()


def by_place_of(value: object) -> np.ndarray:
    return by_place(Scene(square(2.0), (paint_layer(),)), value)


def test_push_goes_over_a_seam_and_turns_with_the_layout() -> None:
    model = split_square()
    scene = painted(np.zeros(65536), model)
    scene = painted(by_place(scene, lambda p: (np.abs(p[:, 1]) < 0.2).astype(float) * (p[:, 0] < -0.05)), model)
    brush, _ = dab(0.5, hardness=0.8, spacing=0.02)
    lay(scene, PUSH, brush, [Point((-0.3, 0, 0)), Point((0.3, 0, 0))], target("roughness"))
    assert scene.value("roughness", 0.3, 0.0, 0)[0] > 60000
    assert scene.value("roughness", 0.3, 0.5, 0)[0] == 0
    assert scene.value("roughness", 0.85, 0.0, 0)[0] == 0


def test_push_leaves_a_constant_and_does_nothing_without_a_drag() -> None:
    for points in ([Point((0, 0, 0)), Point((0.4, 0.3, 0))], [Point((0, 0, 0))]):
        scene = painted(np.full(65536, 0.42))
        before = roughness(scene).copy()
        brush, _ = dab(0.4, hardness=0.5)
        live = lay(scene, PUSH, brush, points, target("roughness"))
        assert_allclose(roughness(scene), before, atol=2e-5)
        if len(points) == 1:
            assert live.coverage.values.max() == 0


def test_push_on_the_flat_sheet_and_mirrored() -> None:
    step = by_place_of(lambda p: (np.abs(p[:, 0]) > 0.3).astype(float))
    scene = painted(step)
    brush = Brush(size=0.5, size_unit="object", hardness=0.8, spacing=0.02, mirror=Mirror(x=True))
    live = scene.live(target("roughness"), PUSH, brush=brush)
    path = SurfacePath(brush, scene.samples)
    live.dabs(whole(path, [Point((0.5, 0, 0)), Point((0.4, 0, 0))]), brush.mirror)
    scene.keep(live)
    row = roughness(scene)[128]
    assert_allclose(row, row[::-1], atol=1e-3)
    assert row[128 + int(0.25 * 128)] > 0.9
    flat = painted(by_place_of(lambda p: (p[:, 0] > 0).astype(float)))
    one = Brush(size=120, hardness=0.8, spacing=0.02)
    live = flat.live(target("roughness"), PUSH, brush=one)
    live.dabs(whole(SheetPath(one, 1.0, flat.samples.spacing, 2.0), [Point((110.0, 128.0)), Point((140.0, 128.0))]))
    flat.keep(live)
    assert np.argmax(roughness(flat)[128] > 0.5) == pytest.approx(158, abs=2)


def test_push_on_the_flat_sheet_keeps_twins_apart() -> None:
    """Each mirrored twin goes its own way, not from its brother's place."""
    scene = painted(by_place_of(lambda p: (np.abs(p[:, 0]) > 0.5).astype(float)))
    one = Brush(size=60, hardness=0.8, spacing=0.02, mirror=Mirror(x=True))
    live = scene.live(target("roughness"), PUSH, brush=one)
    live.dabs(whole(SheetPath(one, 1.0, scene.samples.spacing, 2.0), [Point((200.0, 128.0)), Point((180.0, 128.0))]), one.mirror)
    scene.keep(live)
    row = roughness(scene)[128]
    assert_allclose(row, row[::-1], atol=0.02)
    # The step at 192 lies at 172 now.
    assert np.argmax(row[128:] > 0.5) == pytest.approx(44, abs=2)


def test_push_drags_every_channel_of_the_target() -> None:
    """Two channels in one stroke move alike, in one batch and in many."""
    wanted = None
    for batches in (1, 6):
        scene = painted(by_place_of(lambda p: (p[:, 0] > 0).astype(float)))
        values_u16 = scene.planes[plane_id("s", "p", "roughness")]
        scene.put_plane(plane_id("s", "p", "metallic"), np.concatenate([scene.store.get(k) for _, k in sorted(values_u16.chunks.items())], axis=1))
        brush, _ = dab(0.5, hardness=0.9, spacing=0.02)
        live = scene.live(target("roughness", "metallic"), PUSH, brush=brush)
        path = SurfacePath(brush, scene.samples)
        for x in np.linspace(-0.1, 0.2, batches + 1):
            live.dabs(path.extend([Point((float(x), 0, 0))]))
        live.dabs(path.finish())
        scene.keep(live)
        moved = [np.concatenate([scene.evaluator.composite(c, n)[0] for n in range(scene.samples.chunk_count)]) for c in ("roughness", "metallic")]
        assert_array_equal(moved[0], moved[1])
        row = moved[0].reshape(256, 256)[128] / 65535
        assert (np.argmax(row > 0.5) + 0.5) / 128 - 1 == pytest.approx(0.3, abs=0.02)
        wanted = row if wanted is None else wanted
        assert np.abs(row - wanted).max() < 0.51


def test_push_there_and_back_leaves_little_behind() -> None:
    """A ramp dragged right and left again by a wide brush lies where it lay: what is read is where it came from, not a blur of blurs."""
    ramp = by_place_of(lambda p: 0.5 + 0.25 * p[:, 0])
    scene = painted(ramp)
    before = roughness(scene).copy()
    brush, _ = dab(0.6, hardness=0.0, spacing=0.02)
    lay(scene, PUSH, brush, [Point((0, 0, 0)), Point((0.15, 0, 0)), Point((0, 0, 0))], target("roughness"))
    middle = np.abs(roughness(scene) - before)[120:136, 120:136]
    assert middle.max() < 0.25 * 0.06


def test_push_with_a_picture_tip_drags_only_where_the_picture_is() -> None:
    """A leaf dragged along its length takes a narrow strip, across it a wide one."""
    rows = {}
    for angle in (0.0, 90.0):
        scene = painted(by_place_of(lambda p: (p[:, 0] > 0).astype(float)))
        before = roughness(scene).copy()
        brush, _ = dab(0.5, spacing=0.02, tips=("leaf",), angle=angle)
        lay(scene, PUSH, brush, [Point((-0.1, 0, 0)), Point((0.1, 0, 0))], target("roughness"))
        rows[angle] = int((np.abs(roughness(scene) - before) > 0.5).any(axis=1).sum())
    narrow, wide = sorted(rows.values())
    assert 5 < narrow < 0.75 * wide


def test_a_picture_tip_pushes_to_its_corners() -> None:
    scene = painted(by_place_of(lambda p: (p[:, 0] > 0).astype(float)))
    brush, _ = dab(0.5, spacing=0.02, tips=("square",))
    lay(scene, PUSH, brush, [Point((-0.45, 0, 0)), Point((-0.25, 0, 0))], target("roughness"))
    now = roughness(scene)
    x = (np.arange(256) + 0.5) / 128 - 1
    steps = [x[np.argmax(now[128 + int(y * 128)] > 0.5)] for y in (-0.4, 0.0, 0.4)]
    # A disc would end at 0.3 of its way there.
    assert_allclose(steps, steps[1], atol=0.02)
    assert steps[1] > 0.15


@pytest.mark.parametrize("there", [0.3, -0.3])
def test_push_on_vertices(there: float) -> None:
    ball = globe(200, 100)
    scene = Scene(ball, (paint_layer(),))
    samples = VertexSamples(ball)
    name = plane_id("s", "p", "roughness")
    values_u16 = np.where(samples.positions[:, 0] > 0, 65535, 0).astype(np.uint16)
    scene.put_plane(name, np.stack([values_u16, np.full_like(values_u16, 65535)]))
    evaluator = SheetEvaluator(scene.document, scene.document.sheets[0], samples, scene.faces, scene.lookup, scene.cache)
    live = LiveStroke(resolve_target(scene.document, target("roughness"), PUSH), evaluator, scene.lookup, paint=PUSH)
    brush = Brush(size=0.8, size_unit="object", hardness=0.8, spacing=0.02)
    live.dabs(whole(SurfacePath(brush, samples), [Point((0.0, 0.0, 1.0)), Point((there, 0.0, float(np.sqrt(1 - there**2))))]))
    front = samples.covered & (np.abs(samples.positions[:, 1]) < 0.05) & (samples.positions[:, 2] > 0.5)
    now = live.changes[name][0][0]
    # The step went along: what lies between where it was and where it is has changed sides.
    between = front & (samples.positions[:, 0] / there > 0.05) & (samples.positions[:, 0] / there < 0.85)
    assert between.sum() > 20
    assert (now[between] == (0 if there > 0 else 65535)).mean() > 0.97
    beyond = front & (samples.positions[:, 0] / there > 1.6)
    assert_array_equal(now[beyond], values_u16[beyond])

"""Surface samples: rasters cover, positions lie on the surface, the grid finds what brute force finds."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.mesh.z_curve import along_curve
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.workers import Workers
from ruvelt.demo.lantern import low_obj
from tests.meshes import globe, model_of, split_square, square


def sheet(model: Model, side: int = 256) -> SheetSamples:
    return SheetSamples(model, plan_sheets(model)[0], side)


@pytest.fixture(params=["texels", "vertices"])
def samples(request: pytest.FixtureRequest) -> SurfaceSamples:
    """Both kinds of samples of one sphere, under one interface."""
    ball = globe(60, 30)
    return sheet(ball) if request.param == "texels" else VertexSamples(ball)


def test_samples_lie_on_the_sphere(samples: SurfaceSamples) -> None:
    on = samples.covered
    radius = np.linalg.norm(samples.positions[on], axis=1)
    # A flat quad of 6 degrees dips below the sphere by 1 - cos(3°)², both ways.
    assert radius.max() <= 1 + 1e-5
    assert radius.min() > np.cos(np.radians(3)) ** 2 - 1e-3
    assert_allclose(np.linalg.norm(samples.normals[on], axis=1), 1, atol=1e-4)
    assert np.einsum("ij,ij->i", samples.normals[on], samples.positions[on]).min() > 0.97
    assert samples.positions.shape == (samples.slot_count, 3)
    assert samples.positions.dtype == np.float32


def test_area_and_spacing(samples: SurfaceSamples) -> None:
    assert samples.area() == pytest.approx(4 * np.pi, rel=0.01)
    assert samples.spacing == pytest.approx(np.sqrt(samples.area() / samples.covered.sum()))


def test_grid_holds_every_covered_sample_once(samples: SurfaceSamples) -> None:
    assert_array_equal(np.sort(samples.grid.slot), np.flatnonzero(samples.covered))
    assert samples.grid.start[-1] == samples.covered_count


def test_nearest_is_brute_force(samples: SurfaceSamples) -> None:
    points = np.random.default_rng(3).normal(size=(50, 3))
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    found = samples.grid.nearest(points, 0.3)
    on = np.flatnonzero(samples.covered)
    for point, slot in zip(points, found, strict=True):
        distance = np.linalg.norm(samples.positions[on] - point, axis=1)
        assert slot >= 0
        assert np.linalg.norm(samples.positions[slot] - point) == pytest.approx(distance.min(), abs=1e-6)


def test_nearest_out_of_reach(samples: SurfaceSamples) -> None:
    assert_array_equal(samples.grid.nearest(np.array([[5.0, 0, 0], [0, 0, 0]]), 0.2), [-1, -1])


def test_slots_of_faces(samples: SurfaceSamples) -> None:
    faces = np.zeros(samples.model.face_count, bool)
    faces[:60] = True
    marks = samples.slots_of_faces(faces)
    assert marks.any()
    assert samples.positions[marks & samples.covered][:, 1].max() < -0.95


#: Texels; far below what float32 places differ by.
HAIR = 1e-4


def touched_texels(uv: np.ndarray, side: int) -> np.ndarray:
    """(side, side) bool: squares that meet a triangle, by clipping the triangle to each square (Sutherland and Hodgman).

    Squares are a hair smaller than texels: one that is only touched on its rim may be in or out.
    """
    out = np.zeros((side, side), bool)
    low, high = np.floor(uv.min(axis=0)).astype(int), np.floor(uv.max(axis=0)).astype(int)
    for y in range(max(low[1], 0), min(high[1], side - 1) + 1):
        for x in range(max(low[0], 0), min(high[0], side - 1) + 1):
            shape = [tuple(p) for p in uv]
            for axis, edge, keep in ((0, x + HAIR, 1), (0, x + 1 - HAIR, -1), (1, y + HAIR, 1), (1, y + 1 - HAIR, -1)):
                clipped = []
                for a, b in zip(shape, shape[1:] + shape[:1], strict=True):
                    da, db = (a[axis] - edge) * keep, (b[axis] - edge) * keep
                    if da >= 0:
                        clipped.append(a)
                    if (da > 0 > db) or (da < 0 < db):
                        t = da / (da - db)
                        clipped.append((a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t))
                shape = clipped
            out[y, x] = len(shape) > 2
    return out


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(st.floats(0.01, 0.2), st.floats(0.01, 0.2)), min_size=3, max_size=3))
def test_every_touched_texel_is_covered(corners: list[tuple[float, float]]) -> None:
    model = model_of(np.array([[u, v, 0] for u, v in corners]), [[0, 1, 2]], np.array(corners))
    s = sheet(model)
    covered = s.to_image(s.covered)
    wanted = touched_texels(s.uv[0].astype(float), 256)
    assert not (wanted & ~covered).any()
    # A square that is only touched on its rim may be in or out; one beside it must stay out.
    grown = np.pad(wanted, 1)
    near = sum(grown[dy : dy + 256, dx : dx + 256] for dy in range(3) for dx in range(3)) > 0
    assert not (covered & ~near & (wanted.any())).any()


def test_the_coarsest_mesh_is_covered_to_the_last_texel() -> None:
    s = sheet(square(margin=0.0))
    assert s.covered.all()
    thin = model_of(np.array([[0, 0, 0], [1, 0, 0], [1, 0.001, 0]]), [[0, 1, 2]], np.array([[0.1, 0.5], [0.9, 0.5], [0.9, 0.5002]]))
    # A sliver far thinner than a texel still holds a whole row of them.
    assert sheet(thin).covered.sum() >= 204


def test_samples_of_a_plane_are_exact() -> None:
    s = sheet(square(size=2.0))
    y, x = np.mgrid[0:256, 0:256]
    image = s.to_image(s.positions)
    assert_allclose(image[..., 0], (x + 0.5) / 128 - 1, atol=1e-6)
    assert_allclose(image[..., 1], 1 - (y + 0.5) / 128, atol=1e-6)
    assert_allclose(image[..., 2], 0)


def test_a_centre_outside_its_triangle_moves_onto_it() -> None:
    s = sheet(split_square())
    on = s.positions[s.covered]
    assert on[:, 0].min() >= -1 - 1e-6
    assert on[:, 0].max() <= 1 + 1e-6
    assert np.abs(on[:, 2]).max() < 1e-6


def test_image_order_turns_back() -> None:
    s = sheet(square(), 512)
    slots = np.arange(s.slot_count, dtype=np.int64)
    image = s.to_image(slots)
    assert_array_equal(s.from_image(image), slots)
    assert image[300, 17] == s.texel_to_slot(17, 300)


def test_threads_do_not_change_the_raster() -> None:
    model = read_mesh(low_obj(), "lantern.obj")
    plan = plan_sheets(model)[1]
    workers = Workers(2)
    assert_array_equal(SheetSamples(model, plan, 1024).owner, SheetSamples(model, plan, 1024, workers).owner)
    workers.close()


@pytest.mark.parametrize("reach", [1, 4, 8])
def test_gutter_repeats_the_nearest_island_texel(reach: int) -> None:
    s = sheet(split_square())
    gutter = s.gutter(reach)
    covered = s.to_image(s.covered)
    place = {int(slot): (int(y), int(x)) for (y, x), slot in np.ndenumerate(s.to_image(np.arange(s.slot_count)))}
    island = np.argwhere(covered)
    assert len(np.unique(gutter.dst)) == len(gutter.dst)
    for dst, src in list(zip(gutter.dst, gutter.src, strict=True))[:: max(1, len(gutter.dst) // 150)]:
        d, f = np.array(place[int(dst)]), np.array(place[int(src)])
        assert not covered[tuple(d)]
        assert covered[tuple(f)]
        best = np.sqrt(((island - d) ** 2).sum(axis=1).min())
        assert np.linalg.norm(d - f) == pytest.approx(best)
    # Everything within reach is there.
    from scipy.ndimage import distance_transform_edt

    distance = distance_transform_edt(~covered)
    wanted = (distance > 0) & (distance <= reach)
    listed = np.zeros(s.slot_count, bool)
    listed[gutter.dst] = True
    assert not (wanted & ~s.to_image(listed)).any()


def test_a_strange_resolution_is_refused() -> None:
    with pytest.raises(InputError, match="1000 texels a side"):
        sheet(square(), 1000)


def test_uvs_that_are_missing_cover_nothing() -> None:
    model = model_of(
        np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]),
        [[0, 1, 2], [0, 2, 3]],
        np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9]]),
        [0, 1, 2, -1, -1, -1],
    )
    s = sheet(model)
    assert set(np.unique(s.face)) == {-1, 0}


def test_sample_areas_add_up_to_the_surface() -> None:
    """Texels and vertices alike: the surface they stand for is the model's, and a thin island's texels stand for more."""
    sheet = SheetSamples(split_square(), plan_sheets(split_square())[0], 512)
    areas = sheet.sample_areas(sheet.grid.slot)
    assert areas.dtype == np.float32
    # Texels on the rim count whole, so that the sum is a little more than 2 × 2 units.
    assert_allclose(areas.sum(), 4.0, rtol=0.03)
    vertices = VertexSamples(globe())
    assert_allclose(vertices.grid_areas.sum(), vertices.area(), rtol=1e-5)


def test_vertices_lie_along_a_curve_that_keeps_neighbours_together() -> None:
    samples = VertexSamples(globe(60, 30))
    count = samples.model.vertex_count
    assert_array_equal(samples.positions[samples.slot_of_vertex], samples.model.positions)
    assert_array_equal(samples.vertex[samples.slot_of_vertex], np.arange(count))
    assert (samples.vertex[count:] == -1).all()
    # Interleaved bits, written out: the corners of a cube, and of one of its eighths, come in this order.
    corners = np.array([[x, y, z] for z in (0, 1) for y in (0, 1) for x in (0, 1)], np.float32)
    shuffled = np.random.default_rng(5).permutation(8)
    assert_array_equal(corners[shuffled][along_curve(corners[shuffled])], corners)
    near = np.concatenate([corners * 0.1, corners])
    assert_array_equal(along_curve(near)[:9], [0, 8, 1, 2, 3, 4, 5, 6, 7])
    # What a dab covers is fewer tiles than in file order.
    fine = VertexSamples(globe(240, 120))
    tiles = [
        sum(len(np.unique(np.flatnonzero(np.linalg.norm(places - c, axis=1) < 0.1) // 256)) for c in np.eye(3))
        for places in (fine.positions, fine.model.positions)
    ]
    assert tiles[0] < tiles[1]


def test_a_part_of_the_faces_is_found_wherever_its_vertices_lie() -> None:
    samples = VertexSamples(globe(60, 30))
    model = samples.model
    faces = np.arange(model.face_count) < model.face_count // 3
    marked = samples.slots_of_faces(faces)
    wanted = {int(v) for f in np.flatnonzero(faces) for v in model.corner_vertex[model.face_starts[f] : model.face_starts[f + 1]]}
    assert set(samples.vertex[marked].tolist()) == wanted

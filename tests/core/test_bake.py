"""Mesh maps against closed forms: planes, corners, balls, slabs, cylinders, concentric spheres."""

from __future__ import annotations

import dataclasses
from itertools import pairwise

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.bake.baker import Baker, sky_table
from ruvelt.core.bake.mesh_map import SUSPECTS, baked_maps
from ruvelt.core.bake.pairs import part_key
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import FAR_LIMIT, MISSED, OTHER_PART, BakeSource
from ruvelt.core.errors import Cancelled, InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.curvature import curvature_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.workers import SERIAL, Workers
from tests.meshes import globe, model_of, square, two_walls


def sheet_of(model: Model, side: int = 256) -> SheetSamples:
    return SheetSamples(model, plan_sheets(model)[0], side)


def baked(samples: SurfaceSamples, *maps: str, high: tuple[Model, ...] = (), workers: Workers = SERIAL, **settings: object) -> dict[str, np.ndarray]:
    """Maps as (slots, components) 0–1; the suspects as their bits."""
    found: dict[str, np.ndarray] = {}

    def arrived(name: str, chunk: int, values_u16: np.ndarray) -> None:
        rows = found.setdefault(name, np.zeros((samples.slot_count, len(values_u16) - 1)))
        rows[chunk * CHUNK : (chunk + 1) * CHUNK] = values_u16[:-1].T / 65535

    source = BakeSource(samples.model, high)
    Baker(samples, source, BakeSettings.model_validate(settings), workers).bake(maps, arrived=arrived)
    if high:
        found[SUSPECTS] = np.rint(found[SUSPECTS][:, 0] * 255).astype(np.uint8)
    return found


def at(samples: SurfaceSamples, *place: float) -> int:
    slot = int(samples.grid.nearest(np.array([place], np.float64), 1.0)[0])
    assert slot >= 0
    return slot


def around(values: np.ndarray, samples: SurfaceSamples, place: tuple[float, ...], reach: float) -> np.ndarray:
    """Values of samples within `reach` of a place: means of many tell noise from a wrong formula."""
    near = samples.covered & (np.linalg.norm(samples.positions - np.asarray(place), axis=1) < reach)
    assert near.sum() > 8
    return values[near]


def room(walls: int, size: float = 40.0) -> Model:
    """A floor of two units around the origin and, on the same sheet's rim, huge walls along x = 0 and z = 0 that stand on it."""
    floor = [[0, 0, 0], [0, 0, 2], [2, 0, 2], [2, 0, 0]]
    wall_x = [[0, 0, -size], [0, size, -size], [0, size, size], [0, 0, size]]
    wall_z = [[-size, 0, 0], [size, 0, 0], [size, size, 0], [-size, size, 0]]
    positions = np.array([*floor, *wall_x, *wall_z][: 4 + 4 * walls], float)
    uv = [[0.02, 0.02], [0.02, 0.9], [0.9, 0.9], [0.9, 0.02]]
    for w in range(walls):
        a = 0.93 + 0.03 * w
        uv += [[a, 0.02], [a, 0.05], [a + 0.02, 0.05], [a + 0.02, 0.02]]
    return model_of(positions, [[4 * f + k for k in range(4)] for f in range(1 + walls)], np.array(uv))


def cylinder(radius: float, length: float = 6.0, segments: int = 96) -> Model:
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    ring = np.stack([radius * np.sin(angle), np.zeros_like(angle), radius * np.cos(angle)], 1)
    rows = 25
    positions = np.concatenate([ring + np.array([0, y, 0]) for y in np.linspace(-length / 2, length / 2, rows)])
    n = segments + 1
    faces = [[r * n + s, r * n + s + 1, (r + 1) * n + s + 1, (r + 1) * n + s] for r in range(rows - 1) for s in range(segments)]
    u, v = np.meshgrid(np.linspace(0.02, 0.98, n), np.linspace(0.02, 0.98, rows))
    # Shaded round: the file's own normals point away from the axis.
    normals = positions / np.maximum(np.linalg.norm(positions * [1, 0, 1], axis=1, keepdims=True), 1e-9) * [1, 0, 1]
    corner = np.array([i for f in faces for i in f])
    return model_of(positions, faces, np.stack([u, v], -1).reshape(-1, 2), file_normals=normals[corner].astype(np.float32))


def smooth_globe(radius: float = 1.0, segments: int = 96, rings: int = 48, inside: bool = False) -> Model:
    model = globe(segments, rings, radius)
    normals = (model.positions / np.linalg.norm(model.positions, axis=1, keepdims=True))[model.corner_vertex].astype(np.float32)
    if not inside:
        return dataclasses.replace(model, file_normals=normals)
    # Turned inside out: loops reversed, normals to the centre.
    starts, corners = model.face_starts, model.corner_vertex.copy()
    layout = model.uv_layouts[0]
    uv = layout.corner_uv.copy()
    for a, b in pairwise(starts):
        corners[a:b], uv[a:b] = corners[a:b][::-1].copy(), uv[a:b][::-1].copy()
    turned = dataclasses.replace(layout, corner_uv=uv)
    inward = -(model.positions / np.linalg.norm(model.positions, axis=1, keepdims=True))[corners].astype(np.float32)
    return dataclasses.replace(model, corner_vertex=corners, uv_layouts=(turned,), file_normals=inward)


def joined(*models: Model, names: tuple[str, ...]) -> Model:
    """Several models as parts of one, without UVs."""
    positions, faces, part, first = [], [], [], 0
    for i, m in enumerate(models):
        positions.append(m.positions)
        faces += [[int(v) + first for v in m.corner_vertex[a:b]] for a, b in pairwise(m.face_starts)]
        part += [i] * m.face_count
        first += m.vertex_count
    return model_of(np.concatenate(positions), faces, parts=names, face_part=np.array(part, np.int32))


# -- occlusion ------------------------------------------------------------------------------------------------------------------


def test_an_open_plane_sees_the_whole_sky() -> None:
    samples = sheet_of(square(2.0))
    assert baked(samples, "occlusion", rays=32)["occlusion"][samples.covered].min() == 1.0


def test_inside_a_sphere_there_is_no_sky() -> None:
    samples = sheet_of(smooth_globe(inside=True))
    assert baked(samples, "occlusion", rays=16, occlusion_reach=1)["occlusion"][samples.covered].max() == 0.0


@pytest.mark.parametrize("distance", [0.25, 0.5, 1.0])
def test_occlusion_beside_a_wall(distance: float) -> None:
    """A wall of height h at distance d hides (1 − d/√(d² + h²))/2 of a floor's cosine-weighted sky."""
    height = 40.0
    samples = sheet_of(room(1))
    shade = baked(samples, "occlusion", rays=512, occlusion_reach=1)["occlusion"][:, 0]
    wanted = 1 - (1 - distance / np.hypot(distance, height)) / 2
    assert_allclose(around(shade, samples, (distance, 0, 1.0), 0.03).mean(), wanted, atol=0.008)


def test_a_box_corner_sees_a_quarter() -> None:
    samples = sheet_of(room(2))
    shade = baked(samples, "occlusion", rays=512, occlusion_reach=1)["occlusion"][:, 0]
    assert_allclose(around(shade, samples, (0.06, 0, 0.06), 0.03).mean(), 0.25, atol=0.01)


def test_what_is_out_of_reach_does_not_shade() -> None:
    samples = sheet_of(room(1))
    near = baked(samples, "occlusion", rays=64, occlusion_reach=0.001)["occlusion"][:, 0]
    assert around(near, samples, (1.0, 0, 1.0), 0.1).min() == 1.0


def test_noise_falls_as_low_discrepancy_sampling_should() -> None:
    samples = sheet_of(room(2))
    truth = baked(samples, "occlusion", rays=1024, occlusion_reach=1, grain=0)["occlusion"][:, 0]
    floor = samples.covered & (np.abs(samples.positions[:, 1]) < 1e-6) & (samples.positions[:, 0] > 0.02)
    error = {
        n: float(np.sqrt(np.mean((baked(samples, "occlusion", rays=n, occlusion_reach=1, grain=0)["occlusion"][floor, 0] - truth[floor]) ** 2)))
        for n in (16, 64, 256)
    }
    # Random rays would halve the error with four times the rays; these do better, and 64 of them are within 2.5 %.
    assert error[64] < 0.025
    assert error[64] < 0.5 * error[16]
    assert error[256] < 0.5 * error[64]


def test_bent_normals_lean_away_from_a_wall() -> None:
    samples = sheet_of(room(1))
    bent = baked(samples, "bent_normal", rays=512, occlusion_reach=1)["bent_normal"] * 2 - 1
    mean = around(bent, samples, (0.05, 0, 1.0), 0.03).mean(axis=0)
    # At the foot of an infinite wall a quarter is open; its cosine-weighted mean direction is (4/3π, 2/3).
    wanted = np.array([4 / (3 * np.pi), 2 / 3, 0])
    assert_allclose(mean / np.linalg.norm(mean), wanted / np.linalg.norm(wanted), atol=0.01)


# -- thickness ------------------------------------------------------------------------------------------------------------------


def test_thickness_of_a_slab() -> None:
    samples = sheet_of(two_walls(gap=0.02))
    diagonal = samples.model.diagonal
    thick = baked(samples, "thickness", rays=256, thickness_reach=0.02)["thickness"][:, 0] * 0.02 * diagonal
    assert_allclose(around(thick, samples, (0, 0, 0.01), 0.2).mean(), 0.02, rtol=0.01)


def test_thickness_of_a_ball() -> None:
    """Chords of a ball are 2R cos θ long, so that distance times cosine has the cosine-weighted mean R."""
    samples = sheet_of(smooth_globe(0.5))
    reach = 0.9
    thick = baked(samples, "thickness", rays=128, thickness_reach=reach)["thickness"][:, 0] * reach * samples.model.diagonal
    assert_allclose(thick[samples.covered].mean(), 0.5, rtol=0.01)


# -- curvature ------------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("radius", [0.5, 1.0, 2.0])
def test_curvature_of_spheres(radius: float) -> None:
    samples = sheet_of(smooth_globe(radius))
    found = curvature_of(samples, samples.positions, samples.normals, 0.15 * radius, SERIAL)[samples.covered]
    assert_allclose(np.median(found), 1 / radius, rtol=0.01)
    inside = sheet_of(smooth_globe(radius, inside=True))
    hollow = curvature_of(inside, inside.positions, inside.normals, 0.15 * radius, SERIAL)[inside.covered]
    assert_allclose(np.median(hollow), -1 / radius, rtol=0.01)


def test_curvature_of_a_cylinder_is_half_a_spheres() -> None:
    samples = sheet_of(cylinder(0.5))
    found = curvature_of(samples, samples.positions, samples.normals, 0.1, SERIAL)
    assert_allclose(around(found, samples, (0, 0, 0.5), 0.6).mean(), 1 / (2 * 0.5), rtol=0.03)


def test_curvature_map_is_flat_in_the_middle_and_scales_with_its_radius() -> None:
    plane = sheet_of(square(2.0))
    assert_allclose(baked(plane, "curvature")["curvature"][plane.covered], 0.5, atol=1e-4)
    ball = sheet_of(smooth_globe(1.0))
    for share in (0.02, 0.05):
        wanted = 0.5 + 0.5 * share * ball.model.diagonal
        found = np.median(baked(ball, "curvature", curvature_radius=share)["curvature"][ball.covered])
        assert_allclose(found, wanted, rtol=0.01)


# -- surface measures -----------------------------------------------------------------------------------------------------------


def test_position_and_facing() -> None:
    samples = sheet_of(smooth_globe(1.0))
    maps = baked(samples, "position", "facing", "object_normal", facing=(0, 0, -0.5))
    on = samples.covered
    # Texels that only touch the island are measured at its rim, as close as makes no matter.
    assert np.quantile(np.abs(maps["position"][on] - (samples.positions[on] + 1) / 2), 0.99) < 2e-3
    assert np.quantile(np.abs(maps["object_normal"][on] * 2 - 1 - samples.normals[on]), 0.99) < 2e-3
    assert_allclose(maps["facing"][on, 0], 1 - maps["object_normal"][on, 2], atol=2e-5)


def test_height_and_normals_between_concentric_spheres() -> None:
    low = sheet_of(smooth_globe(1.0, 160, 80))
    high = smooth_globe(1.03, 320, 160)
    maps = baked(low, "height", "object_normal", "normal", high=(high,), front=0.02, back=0.02)
    reach = 0.02 * low.model.diagonal
    on = low.covered & (maps[SUSPECTS] == 0)
    assert on.sum() > 0.999 * low.covered_count
    assert_allclose((maps["height"][on, 0] * 2 - 1) * reach, 0.03, atol=6e-4)
    direction = low.positions[on] / np.linalg.norm(low.positions[on], axis=1, keepdims=True)
    assert_allclose(maps["object_normal"][on] * 2 - 1, direction, atol=0.02)
    # In the low mesh's own smooth frame the high sphere is flat.
    assert_allclose(maps["normal"][on] * 2 - 1, np.broadcast_to([0, 0, 1], (int(on.sum()), 3)), atol=0.02)


def test_a_tilted_high_plane_in_the_tangent_frame() -> None:
    low = sheet_of(square(2.0))
    slope = 0.05
    tilted = model_of(np.array([[-1, -1, -slope], [1, -1, slope], [1, 1, slope], [-1, 1, -slope]], float), [[0, 1, 2, 3]])
    normal = baked(low, "normal", high=(tilted,), front=0.05, back=0.05)["normal"][low.covered] * 2 - 1
    # U runs along +X on the square, so that a surface rising with X leans to −U.
    wanted = np.array([-slope, 0, 1]) / np.hypot(slope, 1)
    assert_allclose(normal, np.broadcast_to(wanted, normal.shape), atol=1e-4)


def test_antialiasing_averages_a_step() -> None:
    low = sheet_of(square(2.0))
    # A high step whose edge lies inside a column of texels: 0.3 of the texel is high.
    edge = -1 + 2 * (100.7 / 256)
    flat = model_of(np.array([[-1, -1, 0], [edge, -1, 0], [edge, 1, 0], [-1, 1, 0]], float), [[0, 1, 2, 3]])
    step = model_of(np.array([[edge, -1, 0.05], [1, -1, 0.05], [1, 1, 0.05], [edge, 1, 0.05]], float), [[0, 1, 2, 3]])
    high = joined(flat, step, names=("flat", "step"))
    heights = {}
    for aa in (1, 4):
        maps = baked(low, "height", high=(high,), antialias=aa, match_parts=False, front=0.05, back=0.05)["height"][:, 0] * 2 - 1
        heights[aa] = maps[low.texel_to_slot(100, 128)] * 0.05 * low.model.diagonal
    assert_allclose(heights[1], 0.0, atol=1e-4)
    assert_allclose(heights[4], 0.05 * 0.25, atol=1e-3)


# -- matching, suspects ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("a", "b"),
    [
        ("Lid_lp", "Lid_hp"),
        ("Lid_lo", "LID_HI"),
        ("Lid_lowpoly", "Lid_highpoly"),
        ("Lid_low.001", "Lid_high_a"),
        ("Lid_low", "Lid_High_b.002"),
        ("Lid_low", "lid_high"),
        ("Lid", "Lid"),
        ("Lid low", "LID HIGH"),
        ("Lid_low_01", "Lid_high_01"),
        ("arm.low.2", "arm.high.2"),
    ],
)
def test_parts_are_matched_by_name(a: str, b: str) -> None:
    assert part_key(a) == part_key(b)


def test_names_that_only_look_alike_do_not_match() -> None:
    assert part_key("slow") == "slow"
    assert part_key("Lid_low") != part_key("Lid_low_2")
    assert part_key("Lower_low") == "lower"
    assert part_key("Yo-yo_hip") == "yo-yo_hip"
    assert part_key("Chi") == "chi"


def near_neighbours() -> tuple[SheetSamples, Model]:
    """A low square with another part's high square floating closer above it than its own."""
    low = dataclasses.replace(square(2.0), parts=("Plate_low",))
    own = square(2.0)
    other = dataclasses.replace(square(1.0), positions=square(1.0).positions + np.float32([0, 0, 0.03]))
    return sheet_of(low), joined(own, other, names=("Plate_high", "Bolt_high"))


def test_matched_parts_do_not_bleed_and_unmatched_ones_are_suspect() -> None:
    low, high = near_neighbours()
    matched = baked(low, "height", high=(high,), front=0.05, back=0.05)
    assert_allclose(matched["height"][low.covered], 0.5, atol=1e-4)
    assert (matched[SUSPECTS] == 0).all()
    mixed = baked(low, "height", high=(high,), front=0.05, back=0.05, match_parts=False)
    under = low.covered & (np.abs(low.positions[:, :2]).max(axis=1) < 0.49)
    outside = low.covered & (np.abs(low.positions[:, :2]).max(axis=1) > 0.51)
    assert (mixed[SUSPECTS][under] == OTHER_PART).all()
    assert (mixed[SUSPECTS][outside] == 0).all()


def test_misses_and_the_far_limit_are_suspect() -> None:
    low = sheet_of(square(2.0))
    half = dataclasses.replace(square(1.0), positions=square(1.0).positions - np.float32([0, 0, 0.0565 * 0.99]))
    found = baked(low, "height", high=(half,), front=0.02, back=0.02)[SUSPECTS]
    middle = low.covered & (np.abs(low.positions[:, :2]).max(axis=1) < 0.49)
    rim = low.covered & (np.abs(low.positions[:, :2]).max(axis=1) > 0.51)
    assert (found[middle] == FAR_LIMIT).all()
    assert (found[rim] == MISSED).all()


def test_faces_seen_from_behind_are_passed() -> None:
    low = sheet_of(square(2.0))
    back = dataclasses.replace(square(2.0), positions=square(2.0).positions * np.float32([-1, 1, 1]) + np.float32([0, 0, 0.03]))
    high = joined(square(2.0), back, names=("a", "b"))
    passed = baked(low, "height", high=(high,), front=0.05, back=0.05, match_parts=False)["height"][low.covered]
    assert_allclose(passed, 0.5, atol=1e-4)
    met = baked(low, "height", high=(high,), front=0.05, back=0.05, match_parts=False, ignore_back=False)["height"][low.covered]
    assert_allclose((met * 2 - 1) * 0.05 * low.model.diagonal, 0.03, atol=1e-4)


# -- the rest -------------------------------------------------------------------------------------------------------------------


def test_the_same_seed_gives_the_same_bytes_on_any_number_of_threads() -> None:
    samples = SheetSamples(smooth_globe(), plan_sheets(smooth_globe())[0], 512)
    names = tuple(m for m in baked_maps() if m != "id")
    workers = Workers(2)
    one, two = baked(samples, *names, rays=4), baked(samples, *names, rays=4, workers=workers)
    workers.close()
    for name in names:
        assert_array_equal(one[name], two[name])
    other = baked(samples, "thickness", rays=4, seed=7)["thickness"]
    assert (other != one["thickness"]).any()
    assert_array_equal(sky_table(32, 3), sky_table(32, 3))


@pytest.mark.parametrize("by", ["part", "material", "group", "island"])
def test_id_colours_tell_apart(by: str) -> None:
    model = two_walls()
    samples = sheet_of(model)
    colours = baked(samples, "id", id_by=by)["id"]
    front, back = at(samples, 0, 0, 0.01), at(samples, 0, 0, -0.01)
    same = by in ("material", "group")
    assert (colours[front] == colours[back]).all() == same


def test_vertices_hold_the_same_measures() -> None:
    model = smooth_globe(1.0)
    samples = VertexSamples(model)
    maps = baked(samples, "occlusion", "position", "curvature", "facing", rays=16, curvature_radius=0.05)
    on = samples.covered
    assert maps["occlusion"][on].min() == 1.0
    assert_allclose(maps["position"][on], (samples.positions[on] + 1) / 2, atol=2e-3)
    assert_allclose(np.median(maps["curvature"][on]), 0.5 + 0.5 * 0.05 * model.diagonal, rtol=0.02)


def test_a_cancel_is_heard_and_progress_is_true() -> None:
    samples = sheet_of(square(2.0))
    baker = Baker(samples, BakeSource(samples.model), BakeSettings(rays=64))
    told: list[tuple[int, int]] = []
    baker.bake(["occlusion", "thickness"], progress=lambda done, planned, _: told.append((done, planned)))
    assert told[-1][0] == told[-1][1] == baker.planned(["occlusion", "thickness"]) == 65536 * (1 + 2 * 64)
    assert [d for d, _ in told] == sorted(d for d, _ in told)

    def stop(done: int, planned: int, what: str) -> None:
        if done > planned // 4:
            raise Cancelled("Stopped.")

    arrived: list[str] = []
    with pytest.raises(Cancelled):
        baker.bake(["occlusion"], stop, lambda name, c, v: arrived.append(name))
    assert arrived == []


def test_high_meshes_out_of_place_are_refused() -> None:
    low = square(2.0)
    far = dataclasses.replace(square(2.0), positions=square(2.0).positions + np.float32([50, 0, 0]))
    with pytest.raises(InputError, match="does not lie where the model lies"):
        BakeSource(low, (far,))
    bad = dataclasses.replace(square(2.0), positions=np.full((4, 3), np.nan, np.float32))
    with pytest.raises(InputError, match="not numbers"):
        BakeSource(low, (bad,))


def test_unknown_maps_and_missing_colours_have_words() -> None:
    samples = sheet_of(square(2.0))
    with pytest.raises(InputError, match="no mesh map 'sheen'"):
        baked(samples, "sheen")
    with pytest.raises(InputError, match="no vertex colours"):
        baked(samples, "id", id_by="colour")

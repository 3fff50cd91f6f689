"""Bakes against truths that nothing here wrote: decoding by the letter of the tangent-space paper, faces of a cube, ray casts by formula."""

from __future__ import annotations

import dataclasses
from itertools import pairwise

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.bake.maps.id_colour import id_colours
from ruvelt.core.bake.mesh_map import SUSPECTS
from ruvelt.core.color.oklab import oklab
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.sheet import SheetSamples
from tests.core.test_bake import baked, joined, sheet_of, smooth_globe
from tests.meshes import model_of, square


def cube(*, smooth: bool, cells: int = 1) -> Model:
    """A cube of two units with a square of the sheet for each face; smooth: normals averaged at its corners."""
    positions: list[np.ndarray] = []
    uvs: list[list[float]] = []
    faces: list[list[int]] = []
    n = cells + 1
    for axis in range(3):
        for sign in (-1, 1):
            k = 2 * axis + (sign > 0)
            out, a, b = np.zeros(3), np.zeros(3), np.zeros(3)
            out[axis], a[(axis + 1) % 3], b[(axis + 2) % 3] = sign, sign, 1
            first = len(positions)
            for j in range(n):
                for i in range(n):
                    s, t = i / cells, j / cells
                    positions.append(out + a * (2 * s - 1) + b * (2 * t - 1))
                    uvs.append([(k % 3 + 0.05 + 0.9 * s) / 3, (k // 3 + 0.05 + 0.9 * t) / 2])
            faces += [
                [first + j * n + i, first + j * n + i + 1, first + (j + 1) * n + i + 1, first + (j + 1) * n + i]
                for j in range(cells)
                for i in range(cells)
            ]
    places = np.array(positions)
    corner = np.array([v for f in faces for v in f])
    normals = places / np.linalg.norm(places, axis=1, keepdims=True) if smooth else None
    return model_of(places, faces, np.array(uvs), file_normals=None if normals is None else normals[corner].astype(np.float32))


def frames(samples: SheetSamples) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Slots whose centre lies inside their triangle, with interpolated, unnormalised normal and tangent, its sign, and the place, in float64."""
    slots = np.flatnonzero(samples.covered)
    order = np.asarray(samples.to_image(np.arange(samples.slot_count))).ravel()
    place = np.empty(samples.slot_count, np.int64)
    place[order] = np.arange(samples.slot_count)
    y, x = place[slots] // samples.side + 0.5, place[slots] % samples.side + 0.5
    uv = samples.uv[samples.owner[slots]].astype(np.float64)
    a, b, c = uv[:, 0], uv[:, 1], uv[:, 2]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
    wb = ((x - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (y - a[:, 1])) / area
    wc = ((b[:, 0] - a[:, 0]) * (y - a[:, 1]) - (x - a[:, 0]) * (b[:, 1] - a[:, 1])) / area
    weights = np.stack([1 - wb - wc, wb, wc], axis=1)
    inside = (weights >= 0).all(axis=1)
    slots, weights = slots[inside], weights[inside]
    t = samples.owner[slots]
    normal = np.einsum("nk,nkd->nd", weights, samples.triangle_normals[t].astype(np.float64))
    tangent = np.einsum("nk,nkd->nd", weights, samples.triangle_tangents[t][..., :3].astype(np.float64))
    position = np.einsum("nk,nkd->nd", weights, samples.triangle_positions[t].astype(np.float64))
    return slots, normal, tangent, samples.triangle_tangents[t, 0, 3].astype(np.float64), position


def decoded(values: np.ndarray, normal: np.ndarray, tangent: np.ndarray, sign: np.ndarray) -> np.ndarray:
    """Mikkelsen (2008): vNout = normalize(x · vT + y · sign · cross(vN, vT) + z · vN), with nothing normalised before."""
    n = values * 2 - 1
    out = n[:, :1] * tangent + n[:, 1:2] * (sign[:, None] * np.cross(normal, tangent)) + n[:, 2:] * normal
    return np.asarray(out / np.linalg.norm(out, axis=1, keepdims=True))


def degrees(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Angles between unit vectors; the sine keeps what the cosine loses near 0."""
    return np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=1), (a * b).sum(axis=1)))


def facing(position: np.ndarray) -> np.ndarray:
    """The face of the cube that a place lies on."""
    axis = np.abs(position).argmax(axis=1)
    out = np.zeros_like(position)
    out[np.arange(len(axis)), axis] = np.sign(position[np.arange(len(axis)), axis])
    return out


@pytest.mark.parametrize("cells", [1, 3])
def test_tangent_normals_decode_to_the_high_normal(cells: int) -> None:
    low = sheet_of(cube(smooth=True, cells=cells), 512)
    maps = baked(low, "normal", "object_normal", high=(cube(smooth=False),), front=0.05, back=0.05)
    slots, normal, tangent, sign, position = frames(low)
    assert len(slots) > 0.9 * low.covered_count
    error = degrees(decoded(maps["normal"][slots], normal, tangent, sign), facing(position))
    assert error.mean() < 0.002
    assert error.max() < 0.02


def test_a_mesh_baked_from_itself_is_flat() -> None:
    model = smooth_globe(1.0, 24, 12)
    low = sheet_of(model, 512)
    found = baked(low, "normal", high=(model,), front=0.01, back=0.01)["normal"]
    slots = frames(low)[0]
    assert_allclose(found[slots], np.broadcast_to([0.5, 0.5, 1], (len(slots), 3)), atol=4e-5)


def test_engines_with_bitangents_of_vertices_have_a_choice() -> None:
    """three.js and others: tangent, bitangent and normal interpolated, then each of unit length. Chosen, it decodes exactly; the other is told."""
    low = sheet_of(cube(smooth=True, cells=3), 512)
    slots, normal, tangent, _, position = frames(low)
    t = low.owner[slots]
    corner_b = (
        np.cross(low.triangle_normals[t].astype(np.float64), low.triangle_tangents[t][..., :3].astype(np.float64)) * low.triangle_tangents[t][..., 3:]
    )
    # Interpolated with the weights that give the place.
    corners = low.triangle_positions[t].astype(np.float64)
    weights = np.stack(
        [np.linalg.lstsq(np.vstack([c.T, np.ones(3)]), np.append(p, 1), rcond=None)[0] for c, p in zip(corners[::97], position[::97], strict=True)]
    )
    unit = lambda v: v / np.linalg.norm(v, axis=1, keepdims=True)  # noqa: E731
    bitangent = unit(np.einsum("nk,nkd->nd", weights, corner_b[::97]))
    errors = {}
    for direction in ("pixel", "vertex"):
        n = baked(low, "normal", high=(cube(smooth=False),), front=0.05, back=0.05, bitangents=direction)["normal"][slots[::97]] * 2 - 1
        out = n[:, :1] * unit(tangent[::97]) + n[:, 1:2] * bitangent + n[:, 2:] * unit(normal[::97])
        errors[direction] = degrees(unit(out), facing(position[::97])).mean()
    assert errors["vertex"] < 0.003
    assert 0.05 < errors["pixel"] < 3


# -- rims -----------------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("antialias", [1, 4])
def test_no_texel_of_a_cubes_rim_looks_another_way(antialias: int) -> None:
    low = sheet_of(cube(smooth=True), 1024)
    maps = baked(low, "object_normal", high=(cube(smooth=False),), front=0.05, back=0.05, antialias=antialias)
    face = low.owner // 2  # Two triangles a face, in order.
    wanted = np.array([facing(low.triangle_positions[2 * k].mean(axis=0)[None])[0] for k in range(6)])
    on = np.flatnonzero(low.covered)
    error = degrees(maps["object_normal"][on] * 2 - 1, wanted[face[on]])
    assert error.max() < 1
    assert (maps[SUSPECTS][on] == 0).all()


def test_the_foot_of_a_wall_is_half_open() -> None:
    """Along a concave edge of two squares an infinitesimal step from the wall, half the cosine-weighted sky is left: never none."""
    floor = [[0, 0, 0], [0, 0, 2], [2, 0, 2], [2, 0, 0]]
    wall = [[0, 0, 0], [0, 40, 0], [0, 40, 2], [0, 0, 2]]
    uv = [[0.05, 0.05], [0.05, 0.45], [0.45, 0.45], [0.45, 0.05], [0.55, 0.05], [0.55, 0.45], [0.95, 0.45], [0.95, 0.05]]
    low = sheet_of(model_of(np.array([*floor, *wall], float), [[0, 1, 2, 3], [4, 5, 6, 7]], np.array(uv)), 512)
    open_share = baked(low, "occlusion", rays=256, occlusion_reach=1)["occlusion"][:, 0]
    foot = low.covered & (low.face == 0) & (low.positions[:, 0] < 0.004) & (np.abs(low.positions[:, 2] - 1) < 0.7)
    assert foot.sum() > 50
    # A wall of height 40 and ends at one unit: (1 − d/√(d² + h²))/2 of the sky is hidden by an endless one, a little less by this.
    assert open_share[foot].min() > 0.44
    assert abs(open_share[foot].mean() - 0.55) < 0.07


def ring(segments: int) -> Model:
    """A flat ring between radii 0.5 and 1: the hole of a coarse one reaches under the rim of a round one's."""
    angle = np.linspace(0, 2 * np.pi, segments, endpoint=False)
    circle = np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
    positions = np.concatenate([0.5 * circle, circle])
    faces = [[i, segments + i, segments + (i + 1) % segments, (i + 1) % segments] for i in range(segments)]
    return model_of(positions, faces, positions[:, :2] * 0.45 + 0.5)


def test_a_coarse_border_that_reaches_past_a_round_one_is_no_miss() -> None:
    low = sheet_of(ring(24), 512)
    maps = baked(low, "height", "object_normal", high=(ring(240),), front=0.02, back=0.02)
    on = low.covered
    assert (maps[SUSPECTS][on] == 0).all()
    assert_allclose(maps["height"][on], 0.5, atol=1e-4)
    # What is really missing is still told: a high ring with a wider hole.
    wide = ring(240)
    wide = Model(
        **{**wide.__dict__, "positions": np.where(np.linalg.norm(wide.positions, axis=1, keepdims=True) < 0.75, wide.positions * 1.4, wide.positions)}
    )
    told = baked(low, "height", high=(wide,), front=0.02, back=0.02)[SUSPECTS]
    inner = on & (np.linalg.norm(low.positions, axis=1) < 0.64)
    assert (told[inner] > 0).mean() > 0.95


# -- curvature ------------------------------------------------------------------------------------------------------------------


def ridge(distance: np.ndarray, radius: float) -> np.ndarray:
    """Curvature at distances from a right-angled edge: ∫ over the far face of (1 − g²/R²) · 2 (a + b), over ∫ of (1 − g²/R²) g² over the disc.

    Unfolded, the far face is the plane beyond the edge at x = d; there a + b = x, so that the sum is ∫∫ 2 x (1 − (x² + y²)/R²).
    """
    x, y = np.meshgrid(np.linspace(-1, 1, 2001), np.linspace(-1, 1, 2001))
    g = x * x + y * y
    w = np.where(g < 1, 1 - g, 0)
    below = (w * g).sum()
    beyond = (w * 2 * x).sum(axis=0)[::-1].cumsum()[::-1] / below
    return np.asarray(np.interp(distance / radius, x[0], beyond) / radius)


@pytest.mark.parametrize("side", [512, 1024])
def test_curvature_along_a_sharp_edge_is_even_and_falls_steadily(side: int) -> None:
    low = sheet_of(cube(smooth=False), side)
    share = 0.03
    radius = share * low.model.diagonal
    found = (baked(low, "curvature", curvature_radius=share)["curvature"][:, 0] * 2 - 1) / radius
    p = np.abs(low.positions)
    second = np.sort(p, axis=1)[:, 1]
    # Far from corners: one coordinate is 1, one tells the distance to the edge, one is small.
    clear = low.covered & (np.sort(p, axis=1)[:, 0] < 0.8)
    distance = 1 - second
    bins = np.linspace(0, radius, 11)
    means = []
    for a, b in pairwise(bins):
        inside = clear & (distance >= a) & (distance < b)
        wanted = ridge(distance[inside], radius)
        assert np.abs(found[inside] - wanted).max() < 0.03 * ridge(np.zeros(1), radius)[0], (a, b)
        assert np.std(found[inside] - wanted) < 0.02 * ridge(np.zeros(1), radius)[0]
        means.append(found[inside].mean())
    assert (np.diff(means) < 0).all()
    assert np.abs(found[clear & (distance > 1.05 * radius)]).max() < 1e-3 / radius


def test_curvature_goes_on_over_the_border_of_a_sheet() -> None:
    """A cube in two materials: edges between them are as bright as those within one."""
    model = cube(smooth=False)
    two = Model(**{**model.__dict__, "materials": (*model.materials, *model.materials), "face_material": np.array([0, 0, 0, 1, 1, 1], np.int32)})
    plans = plan_sheets(two, "materials")
    assert len(plans) == 2
    means = []
    for plan in plans:
        low = SheetSamples(two, plan, 512)
        found = baked(low, "curvature", curvature_radius=0.03)["curvature"][:, 0]
        p = np.sort(np.abs(low.positions), axis=1)
        edge = low.covered & (p[:, 1] > 0.99) & (p[:, 0] < 0.8)
        assert edge.sum() > 200
        means.append(found[edge].mean())
        assert np.ptp(found[edge]) < 0.12 * means[-1]
    assert abs(means[0] - means[1]) < 0.02 * means[0]


def test_curvature_is_the_same_at_every_resolution() -> None:
    """Against the closed form, texel by texel: neither finer texels nor other places on the sheet change what an edge reads."""
    for side in (256, 1024):
        low = sheet_of(cube(smooth=False), side)
        radius = 0.04 * low.model.diagonal
        values = (baked(low, "curvature", curvature_radius=0.04)["curvature"][:, 0] * 2 - 1) / radius
        p = np.sort(np.abs(low.positions), axis=1)
        near = low.covered & (1 - p[:, 1] < 0.6 * radius) & (p[:, 0] < 0.8)
        assert abs((values[near] / ridge(1 - p[near, 1], radius)).mean() - 1) < 0.01


# -- other measures -------------------------------------------------------------------------------------------------------------


def test_a_convex_smooth_high_shades_nothing() -> None:
    """A coarse ball with smooth normals: around those, hemispheres dip under its faces."""
    low, high = sheet_of(smooth_globe(1.0, 48, 24), 256), smooth_globe(1.0, 16, 8)
    found = baked(low, "occlusion", high=(high,), rays=64, front=0.06, back=0.06, match_parts=False)["occlusion"][low.covered, 0]
    assert found.min() > 0.999


def test_a_coarse_smooth_ball_over_the_ground_shows_no_triangles() -> None:
    """Over endless ground a convex body sees (1 + n · up) / 2 of the sky, n the smooth normal, whatever triangle a place lies on."""
    ball = smooth_globe(1.0, 16, 8)
    size = 4000.0
    ground = np.array([[-size, -1.5, -size], [-size, -1.5, size], [size, -1.5, size], [size, -1.5, -size]])
    low = sheet_of(ball, 256)
    both = joined(ball, model_of(ground, [[0, 1, 2, 3]]), names=("Ball", "Ground"))
    normals = np.concatenate([ball.file_normals, np.tile(np.float32([0, 1, 0]), (4, 1))])
    high = Model(**{**both.__dict__, "file_normals": normals})
    maps = baked(low, "occlusion", "object_normal", high=(high,), rays=256, front=0.05, back=0.05, occlusion_reach=1, match_parts=False, grain=0)
    on = low.covered & (low.positions[:, 1] > -0.9)
    up = maps["object_normal"][on, 1] * 2 - 1
    off = maps["occlusion"][on, 0] - (1 + up) / 2
    assert np.abs(off).max() < 0.03
    assert np.sqrt(np.mean(off**2)) < 0.008


def test_what_shades_fades_over_the_far_half_of_the_reach() -> None:
    """Under a ceiling at height h the whole sky is met, at h / cos from it: the share of rays that get there in closed form.

    Cosine-weighted, the distance d = h / c has c² even in 0–1; a ray is stopped if d is less than its reach, which is even in R/2 – R.
    """
    floor, ceiling = square(1.0), square(4000.0)
    high = 0.3
    above = dataclasses.replace(ceiling, positions=(ceiling.positions + np.array([0, 0, high])).astype(np.float32))
    both = joined(floor, above, names=("Floor", "Ceiling"))
    low = sheet_of(floor)
    reach = 0.5 * floor.diagonal
    settings = {"rays": 1024, "front": 0.01, "back": 0.01, "match_parts": False, "ignore_back": False, "grain": 0}
    found = baked(low, "occlusion", high=(both,), occlusion_reach=0.5, **settings)["occlusion"][low.covered, 0]
    c = np.sqrt((np.arange(200_000) + 0.5) / 200_000)
    stopped = np.clip((reach - high / c) / (reach / 2), 0, 1)
    assert 0.3 < stopped.mean() < 0.7
    assert abs(found.mean() - (1 - stopped.mean())) < 0.002


def test_own_and_matched_parts_are_shaded_by_themselves() -> None:
    """A floor under two ceilings: one that belongs to its name, one that does not."""
    floor, lid, far = square(1.0), square(4000.0), square(1.0)
    parts = joined(
        floor,
        dataclasses.replace(lid, positions=(lid.positions + np.array([0, 0, 0.3])).astype(np.float32)),
        dataclasses.replace(far, positions=(far.positions - [0, 0, 5]).astype(np.float32)),
        names=("Floor_high_a", "Floor_high_b", "Other_high"),
    )
    model = dataclasses.replace(floor, parts=("Floor_low",))
    low = sheet_of(model)
    settings = {"rays": 16, "front": 0.01, "back": 0.01, "ignore_back": False, "occlusion_reach": 1}
    found = {s: baked(low, "occlusion", high=(parts,), shading=s, **settings)["occlusion"][low.covered, 0] for s in ("everything", "matched", "own")}
    assert found["everything"].max() < 0.01
    assert found["matched"].max() < 0.01
    assert found["own"].min() == 1
    alone = dataclasses.replace(parts, parts=("Floor_high", "Lid_high", "Other_high"))
    assert baked(low, "occlusion", high=(alone,), shading="matched", **settings)["occlusion"][low.covered, 0].min() == 1


def test_height_is_told_along_the_normal_whatever_way_the_ray_came() -> None:
    """A cube 0.01 larger all round: 0.01 on all its faces, also near edges, where averaged normals slant the rays."""
    model = cube(smooth=False)
    high = Model(**{**model.__dict__, "positions": (model.positions * np.float32(1.01))})
    low = sheet_of(model, 512)
    maps = baked(low, "height", high=(high,), front=0.02, back=0.02)
    height = (maps["height"][:, 0] * 2 - 1) * 0.02 * low.model.diagonal
    p = np.sort(np.abs(low.positions), axis=1)
    clear = low.covered & (p[:, 1] < 0.98)
    assert_allclose(height[clear], 0.01, atol=2e-5)


def test_a_flat_model_lies_in_the_middle_of_its_flat_axis() -> None:
    low = sheet_of(ring(24), 256)
    found = baked(low, "position")["position"][low.covered]
    assert_allclose(found[:, 2], 0.5, atol=1e-5)
    assert found[:, 0].min() < 0.02
    assert found[:, 0].max() > 0.98


def test_256_id_colours_lie_far_apart_and_stay_when_parts_are_added() -> None:
    colours = id_colours(256)
    lab = oklab(colours)
    gaps = np.linalg.norm(lab[:, None] - lab[None], axis=2) + np.eye(256)
    assert gaps.min() > 0.045  # Twice what an eye just tells apart.
    assert np.array_equal(id_colours(12), colours[:12])
    assert len(np.unique(id_colours(1000), axis=0)) == 1000


def test_id_colours_are_never_mixed() -> None:
    model = cube(smooth=False)
    parts = Model(**{**model.__dict__, "parts": tuple("abcdef"), "face_part": np.arange(6, dtype=np.int32)})
    low = sheet_of(parts, 256)
    found = baked(low, "id", antialias=4)["id"][low.covered]
    assert {tuple(np.rint(c * 1000)) for c in found} == {tuple(np.rint(c * 1000)) for c in id_colours(6)}


def test_faces_without_area_own_no_texel() -> None:
    """A face on a line in space with a large place on the sheet."""
    positions = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0.5, 0, 0]], float)
    uvs = np.array([[0.05, 0.05], [0.45, 0.05], [0.45, 0.45], [0.05, 0.45], [0.6, 0.6], [0.95, 0.6], [0.75, 0.95]])
    model = model_of(positions, [[0, 1, 2, 3], [0, 4, 1]], uvs, [0, 1, 2, 3, 4, 5, 6])
    low = sheet_of(model, 256)
    assert set(np.unique(low.face)) == {-1, 0}
    assert baked(low, "occlusion", rays=16)["occlusion"][~low.covered].max() == 0

"""Which way rays leave the low mesh: bolts and grooves near edges against where they are, closed edges, distances along the face."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.bake.baker import Baker
from ruvelt.core.bake.cage import Cage
from ruvelt.core.bake.mesh_map import SUSPECTS
from ruvelt.core.bake.points import PointMaker, Points
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BakeSource
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.samples.address import CHUNK
from tests.core.test_bake import baked, joined, sheet_of
from tests.core.test_bake_truth import cube
from tests.meshes import model_of


def bolt(radius: float, high: float, centre: tuple[float, float]) -> Model:
    """A round head on the cube's face x = 1: a top and a rim of 64 sides."""
    a = np.linspace(0, 2 * np.pi, 64, endpoint=False)
    rim = np.stack([0 * a, centre[0] + radius * np.cos(a), centre[1] + radius * np.sin(a)], axis=1)
    positions = np.concatenate([rim + np.array([1.0, 0, 0]), rim + np.array([1.0 + high, 0, 0])])
    faces = [list(range(64, 128)), *([i, (i + 1) % 64, 64 + (i + 1) % 64, 64 + i] for i in range(64))]
    return model_of(positions, faces)


def raised(kind: str, side: int = 512) -> tuple[float, float]:
    """How far the middle of a bolt 0.06 from the cube's edge lies from its place, in texels, and how many texels are wrong."""
    low = sheet_of(cube(smooth=False), side)
    centre = (0.84, 0.1)
    high = joined(cube(smooth=False), bolt(0.1, 0.02, centre), names=("Cube", "Bolt"))
    found = baked(low, "height", high=(high,), match_parts=False, front=0.02, back=0.02, cage=kind, cage_blend=0.015)
    height = (found["height"][:, 0] * 2 - 1) * 0.02 * low.model.diagonal
    face = low.covered & (low.positions[:, 0] > 1 - 1e-6)
    up = face & (height > 0.01)
    places = low.positions[:, 1:]
    wanted = face & (np.linalg.norm(places - centre, axis=1) < 0.1)
    texel = 2 / (0.3 * side)
    return float(np.linalg.norm(places[up].mean(axis=0) - centre)) / texel, float((up != wanted).sum() / wanted.sum())


def test_a_bolt_near_an_edge_stays_where_it_is() -> None:
    off, wrong = raised("blended")
    assert off < 0.1
    assert wrong < 0.03
    off, wrong = raised("split")
    assert off < 0.1
    # What the averaged cage makes of it is what this is for.
    off, wrong = raised("averaged")
    assert off > 0.5


def rim_points(low: Model, share: float) -> tuple[Points, Points]:
    """Places on every edge that two triangles share, once from either side: the same places, other corners."""
    place = low.welded[low.triangles]
    known: dict[tuple[int, int], tuple[int, int]] = {}
    sides: tuple[list[tuple[int, np.ndarray]], list[tuple[int, np.ndarray]]] = ([], [])
    for t, corners in enumerate(place):
        for k in range(3):
            a, b = int(corners[k]), int(corners[(k + 1) % 3])
            weights = np.zeros(3, np.float32)
            weights[k], weights[(k + 1) % 3] = (share, 1 - share) if a < b else (1 - share, share)
            key = (min(a, b), max(a, b))
            if key in known:
                first, j = known[key]
                other = np.zeros(3, np.float32)
                c, d = int(place[first][j]), int(place[first][(j + 1) % 3])
                other[j], other[(j + 1) % 3] = (share, 1 - share) if c < d else (1 - share, share)
                sides[0].append((first, other))
                sides[1].append((t, weights))
            known[key] = (t, k)

    def points(rows: list[tuple[int, np.ndarray]]) -> Points:
        triangle = np.array([r for r, _ in rows], np.int32)
        bary = np.array([w for _, w in rows], np.float32)
        corners = low.positions[low.triangles[triangle]]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normal = (normal / np.linalg.norm(normal, axis=1, keepdims=True)).astype(np.float32)
        position = np.einsum("nk,nkd->nd", bary, corners).astype(np.float32)
        return Points(triangle, low.triangle_face[triangle], position, normal, normal, triangle, bary, None)

    return points(sides[0]), points(sides[1])


@pytest.mark.parametrize("kind", ["averaged", "blended"])
def test_rays_of_two_faces_leave_an_edge_the_same_way(kind: str) -> None:
    """At every share of every edge, those inside a face included, so that nothing gapes and nothing is seen twice."""
    low = cube(smooth=False, cells=3)
    cage = Cage(low, kind, 0.3, 30.0)
    for share in (0.0, 0.2, 0.5, 0.9):
        one, other = rim_points(low, share)
        assert len(one.local) == 162  # 108 triangles, closed: three halves each.
        assert_allclose(one.position, other.position, atol=1e-6)
        a, b = (cage.leaving(p, BakeSettings(), low.diagonal) for p in (one, other))
        assert_allclose(a.direction, b.direction, atol=1e-5)


def test_a_blended_cage_is_straight_from_its_distance_on() -> None:
    low = sheet_of(cube(smooth=False), 256)
    cage = Cage(low.model, "blended", 0.2, 30.0)
    points = PointMaker(low).chunk(0)
    direction = cage.leaving(points, BakeSettings(), low.model.diagonal).direction
    to_edge = 1 - np.sort(np.abs(points.position), axis=1)[:, 1]
    assert_allclose(direction[to_edge > 0.2], points.geometric[to_edge > 0.2], atol=1e-5)
    slant = np.degrees(np.arccos(np.clip((direction * points.geometric).sum(axis=1), -1, 1)))
    middle = np.sort(np.abs(points.position), axis=1)[:, 0] < 0.3
    assert slant[middle & (to_edge < 0.01)].min() > 40  # 45° on the edge itself.


@pytest.mark.parametrize("kind", ["averaged", "blended", "split"])
def test_the_search_reaches_as_far_at_corners_as_on_faces(kind: str) -> None:
    """A cube larger by nine tenths of the search: met everywhere, with its height along the face. Slanted rays have further to go."""
    model = cube(smooth=False)
    front = 0.02
    grown = dataclasses.replace(model, positions=model.positions * np.float32(1 + 0.9 * front * model.diagonal))
    low = sheet_of(model, 256)
    maps = baked(low, "height", high=(grown,), front=front, back=front, cage=kind)
    height = (maps["height"][:, 0] * 2 - 1) * front * model.diagonal
    near_edge = 1 - np.sort(np.abs(low.positions), axis=1)[:, 1] < 0.01
    on = low.covered & ~near_edge
    assert (maps[SUSPECTS][low.covered] == 0).all()
    assert_allclose(height[on], 0.9 * front * model.diagonal, atol=1e-4)


def pipe(sides: int, height: float = 2.0, radius: float = 1.0) -> Model:
    """A closed pipe of flat caps: its sides are smooth at 30°."""
    a = np.linspace(0, 2 * np.pi, sides + 1)
    ring = np.stack([radius * np.sin(a), 0 * a, radius * np.cos(a)], axis=1)
    ring[-1] = ring[0]  # The sine of a whole turn is not quite 0, and the pipe is closed.
    positions = np.concatenate([ring - [0, height / 2, 0], ring + np.array([0, height / 2, 0])])
    n = sides + 1
    faces = [[i, i + 1, n + i + 1, n + i] for i in range(sides)]
    faces += [list(range(sides))[::-1], [n + i for i in range(sides)]]
    u = np.concatenate([0.02 + 0.9 * np.arange(n) / sides] * 2)
    v = np.repeat([0.05, 0.6], n)
    uv = np.stack([u, v], axis=1)
    caps = [0.15 + 0.12 * np.stack([np.sin(a), np.cos(a)], axis=1) + [x, 0.65] for x in (0.05, 0.45)]
    rows = [v for f in faces[:sides] for v in f] + [2 * n + v for v in faces[sides]] + [2 * n + v for v in faces[sides + 1]]
    return model_of(positions, faces, np.concatenate([uv, caps[0], caps[1]]), rows)


def test_a_groove_near_a_pipes_cap_stays_straight() -> None:
    """A low of 12 sides under a round high with a groove a tenth below its cap: on the sheet the groove is as straight as on the pipe."""
    a = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    profile = [(1.0, -1.0), (1.0, 0.86), (0.96, 0.86), (0.96, 0.90), (1.0, 0.90), (1.0, 1.0)]
    rings = np.concatenate([np.stack([r * np.sin(a), 0 * a + y, r * np.cos(a)], axis=1) for r, y in profile])
    n = len(a)
    faces = [[j * n + i, j * n + (i + 1) % n, (j + 1) * n + (i + 1) % n, (j + 1) * n + i] for j in range(len(profile) - 1) for i in range(n)]
    faces += [list(range(n))[::-1], [(len(profile) - 1) * n + i for i in range(n)]]
    low, high = sheet_of(pipe(12), 512), model_of(rings, faces)
    waves = {}
    for kind in ("blended", "averaged"):
        found = baked(low, "height", "position", high=(high,), match_parts=False, front=0.05, back=0.05, cage=kind, cage_blend=0.02)
        side = low.covered & (np.abs(low.positions[:, 1]) < 0.97) & (low.face < 12)
        met = found["position"][:, 1] * 2 - 1
        # How far along the pipe what a texel met lies from the texel itself, in texels, over the groove's neighbourhood.
        near = side & (low.positions[:, 1] > 0.8) & (low.positions[:, 1] < 0.93)
        off = np.abs(met[near] - low.positions[near, 1]) / (2 / (0.55 * 512))
        # Texels of the seam's rim are measured a hair inside it: one in a hundred.
        waves[kind] = float(np.quantile(off, 0.99))
    assert waves["blended"] < 0.2
    assert waves["averaged"] > 1


def plate(shift: tuple[float, float, float] = (0, 0, 0)) -> Model:
    positions = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float) + shift
    return model_of(positions, [[0, 1, 2, 3]], np.array([[0.05, 0.05], [0.95, 0.05], [0.95, 0.95], [0.05, 0.95]]))


def test_rays_come_from_a_cage_of_a_file() -> None:
    """A plate whose cage stands 0.1 above it and 0.1 aside: what lies 0.05 above is met 0.05 aside."""
    low = sheet_of(plate())
    high = model_of(np.array([[-1, -1, 0.05], [2, -1, 0.05], [2, 2, 0.05], [-1, 2, 0.05]], float), [[0, 1, 2, 3]])
    source = BakeSource(low.model, (high,), plate((0.1, 0, 0.1)))
    points = PointMaker(low).chunk(0)
    surface = source.project(points, BakeSettings(cage="file", match_parts=False))
    assert (surface.triangle >= 0).all()
    assert_allclose(surface.position - points.position, np.broadcast_to([0.05, 0, 0.05], points.position.shape), atol=1e-5)
    assert_allclose(surface.height, 0.05, atol=1e-5)
    broken = plate()
    broken.positions[2, 1] = np.nan
    with pytest.raises(InputError, match="not numbers"):
        BakeSource(low.model, (high,), broken).cage(BakeSettings(cage="file"))
    with pytest.raises(InputError, match="same vertices in the same order"):
        BakeSource(low.model, (high,), cube(smooth=False)).cage(BakeSettings(cage="file"))


def test_rays_painted_straight_leave_straight() -> None:
    low = sheet_of(cube(smooth=False), 256)
    source = BakeSource(low.model, (cube(smooth=False),))
    settings = BakeSettings(cage="averaged", front=0.05, back=0.05)
    mask = np.zeros(CHUNK, np.float32)
    mask[: CHUNK // 2] = 1
    found: dict[str, np.ndarray] = {}
    baker = Baker(low, source, settings, straight=lambda chunk: mask)
    baker.bake(["position"], arrived=lambda name, chunk, values_u16: found.update({name: values_u16}))
    met = found["position"][:3].T / 65535 * 2 - 1
    off = np.linalg.norm(met - low.positions, axis=1)
    # Texels of the rim are measured a hair inside it.
    inner = low.covered & (np.sort(np.abs(low.positions), axis=1)[:, 1] < 0.98)
    here = inner & (np.arange(CHUNK) < CHUNK // 2)
    assert off[here].max() < 1e-4
    grown = dataclasses.replace(source.low, positions=source.low.positions * np.float32(1.02))
    baker = Baker(low, BakeSource(low.model, (grown,)), settings, straight=lambda chunk: mask)
    baker.bake(["position"], arrived=lambda name, chunk, values_u16: found.update({name: values_u16}))
    met = found["position"][:3].T / 65535 * 2 - 1
    aside = np.sort(np.abs(met - low.positions), axis=1)[:, 1]
    assert aside[here].max() < 1e-4
    assert np.quantile(aside[inner & ~here], 0.9) > 0.005

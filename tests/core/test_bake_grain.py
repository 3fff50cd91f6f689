"""The grain's filter: noise against many rays, and what it may never even out: edges, contacts, thin walls, borders of sheets."""

from __future__ import annotations

import numpy as np

from ruvelt.core.bake.grain import Answers, evened
from ruvelt.core.mesh.model import Model
from ruvelt.core.workers import SERIAL
from tests.core.test_bake import baked, room, sheet_of
from tests.meshes import model_of


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(values**2)))


def test_64_rays_are_as_even_as_thousands() -> None:
    """Within half a per cent of 1,024 rays where 64 bare ones are off by nearly two; the bias of the filter itself is far below that."""
    samples = sheet_of(room(2), 256)
    maps = ("occlusion", "bent_normal")
    truth = baked(samples, *maps, rays=1024, occlusion_reach=1, grain=0)
    floor = samples.covered & (np.abs(samples.positions[:, 1]) < 1e-6) & (samples.positions[:, 0] > 0.02)
    bare, even = (baked(samples, *maps, rays=64, occlusion_reach=1, grain=g) for g in (0, 0.5))
    for name in maps:
        off = {kind: rms((found[name] - truth[name])[floor]) for kind, found in (("bare", bare), ("even", even))}
        assert off["even"] < 0.005 < 0.01 < off["bare"]
    bias = baked(samples, "occlusion", rays=1024, occlusion_reach=1, grain=0.5)["occlusion"] - truth["occlusion"]
    assert rms(bias[floor]) < 0.003
    assert np.abs(bias[floor]).max() < 0.02


def test_thickness_is_evened_too() -> None:
    """A slab of thickness 0.2: the cosine-weighted mean of depth · cosine is 0.2 wherever its sides are out of reach."""
    low = np.array([[0, 0, 0], [0, 0, 2], [2, 0, 2], [2, 0, 0]], float)
    slab = np.concatenate([low + np.array([0, 0.2, 0]), low])
    uv = np.array([[0.02, 0.02], [0.02, 0.9], [0.9, 0.9], [0.9, 0.02], [0.93, 0.02], [0.93, 0.05], [0.96, 0.05], [0.96, 0.02]])
    samples = sheet_of(model_of(slab, [[0, 1, 2, 3], [7, 6, 5, 4]], uv), 256)
    middle = samples.covered & (samples.positions[:, 1] > 0.1) & (np.abs(samples.positions[:, [0, 2]] - 1) < 0.3).all(axis=1)
    reach = 0.5
    bare, even = (
        baked(samples, "thickness", rays=16, thickness_reach=reach, grain=g)["thickness"][middle, 0] * reach * samples.model.diagonal
        for g in (0, 0.5)
    )
    assert abs(even.mean() - bare.mean()) < 0.002
    assert even.std() < 0.45 * bare.std() or bare.std() < 1e-6


def standing(gap: float = 0.0) -> Model:
    """A floor and a block that stands on it, sunk in, so that the floor goes on beneath; one sheet."""
    floor = [[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]]
    positions, faces, uv = [*floor], [[0, 1, 2, 3]], [[0.02, 0.02], [0.02, 0.9], [0.9, 0.9], [0.9, 0.02]]
    a, low, high = 0.4, -0.1 + gap, 0.6
    box = [[-a, low, -a], [a, low, -a], [a, low, a], [-a, low, a], [-a, high, -a], [a, high, -a], [a, high, a], [-a, high, a]]
    sides = [[0, 1, 2, 3], [4, 7, 6, 5], [0, 4, 5, 1], [1, 5, 6, 2], [2, 6, 7, 3], [3, 7, 4, 0]]
    for i, side in enumerate(sides):
        first = len(positions)
        positions += [box[v] for v in side]
        faces.append([first, first + 1, first + 2, first + 3])
        u, v = 0.92 + 0.03 * (i % 2), 0.05 + 0.1 * (i // 2)
        uv += [[u, v], [u + 0.02, v], [u + 0.02, v + 0.02], [u, v + 0.02]]
    return model_of(np.array(positions, float), faces, np.array(uv))


def test_a_contact_line_stays_sharp() -> None:
    """Beneath a block that stands in the floor there is no sky, beside it nearly half: not one texel in between but those on the line."""
    samples = sheet_of(standing(), 256)
    even = baked(samples, "occlusion", rays=64, occlusion_reach=1, grain=1)["occlusion"][:, 0]
    bare = baked(samples, "occlusion", rays=1024, occlusion_reach=1, grain=0)["occlusion"][:, 0]
    floor = samples.covered & (np.abs(samples.positions[:, 1]) < 1e-6)
    away = np.abs(samples.positions[:, [0, 2]]).max(axis=1) - 0.4
    texel = 2 / (0.88 * 256)
    beneath, beside = floor & (away < -0.6 * texel), floor & (away > 0.6 * texel) & (away < 4 * texel)
    assert bare[beneath].max() < 0.01
    assert even[beneath].max() < 0.02
    assert rms(even[beside] - bare[beside]) < 0.02
    assert even[beside].min() > 0.3


def test_edges_and_thin_walls_keep_their_sides() -> None:
    """Two faces of a wall a hundredth of a texel thick, one answering 0 and one 1, and two faces of a right angle."""
    y, x = np.meshgrid(np.arange(32), np.arange(32), indexing="ij")
    flat = np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], axis=1).astype(np.float32)
    up, down = np.tile(np.float32([0, 0, 1]), (len(flat), 1)), np.tile(np.float32([0, 0, -1]), (len(flat), 1))
    upright = np.stack([0 * x.ravel() - 0.5, y.ravel(), x.ravel() + 0.5], axis=1).astype(np.float32)
    right = np.tile(np.float32([1, 0, 0]), (len(flat), 1))
    position = np.concatenate([flat, flat - [0, 0, 0.01], upright]).astype(np.float32)
    normal = np.concatenate([up, down, right])
    value = np.repeat(np.float32([1, 0, 0.2]), len(flat))
    slot = np.arange(len(value), dtype=np.int32)
    found = evened(Answers(slot, position, normal, np.ones(len(value), np.float32), value), 1.0, 1, SERIAL).open_share
    assert found is not None
    np.testing.assert_allclose(found, value, atol=1e-6)


def test_it_goes_on_over_the_border_of_a_sheet() -> None:
    """A floor in two materials: evened beside each other, both sheets are what one sheet of both is, to the last bit but sums' order."""
    rng = np.random.default_rng(3)
    y, x = np.meshgrid(np.arange(40), np.arange(80), indexing="ij")
    position = np.stack([x.ravel(), 0 * x.ravel(), y.ravel()], axis=1).astype(np.float32)
    n = len(position)
    value = rng.uniform(0.4, 0.6, n).astype(np.float32)
    whole = Answers(np.arange(n, dtype=np.int32), position, np.tile(np.float32([0, 1, 0]), (n, 1)), np.ones(n, np.float32), value)
    left = whole.rows(position[:, 0] < 40)
    right = whole.rows(position[:, 0] >= 40)
    wanted = evened(whole, 0.5, 4, SERIAL).open_share
    found = evened(left, 0.5, 4, SERIAL, [right]).open_share
    alone = evened(left, 0.5, 4, SERIAL).open_share
    assert wanted is not None
    assert found is not None
    assert alone is not None
    np.testing.assert_allclose(found, wanted[position[:, 0] < 40], atol=1e-5)
    border = left.position[:, 0] > 38
    assert rms(alone[border] - found[border]) > 0.003

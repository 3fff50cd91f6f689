"""The crease angle: what is smooth, what stays sharp, and what old projects keep."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.testing import assert_allclose

from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.stack.document import Document, Settings
from tests.core.test_bake import baked, sheet_of
from tests.core.test_cage import pipe
from tests.meshes import model_of


def chamfered() -> tuple[np.ndarray, np.ndarray]:
    """Corner normals of two squares at a right angle with a chamfer of 45° between them, and those of its faces."""
    a, b = 0.2, 1.0
    outline = [[-b, b], [b - a, b], [b, b - a], [b, -b]]
    positions = np.array([[x, y, z] for z in (-1, 1) for x, y in outline], float)
    faces = [[i, 4 + i, 5 + i, 1 + i] for i in range(3)]
    model = model_of(positions, faces)
    p = model.positions[model.triangles[np.searchsorted(model.triangle_face, np.arange(3))]].astype(float)
    own = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    return corner_normals(model).reshape(3, 4, 3), own / np.linalg.norm(own, axis=1, keepdims=True)


def test_chamfers_stay_flat_and_pipes_round() -> None:
    corners, own = chamfered()
    assert_allclose(corners, np.broadcast_to(own[:, None], corners.shape), atol=1e-6)
    # Twelve sides meet at 30° exactly and are round; eleven at more and are not.
    for sides, round_ in ((12, True), (11, False)):
        model = pipe(sides)
        normals = corner_normals(model)[: 4 * sides].reshape(sides, 4, 3)
        out = model.positions[model.corner_vertex[: 4 * sides]].reshape(sides, 4, 3) * [1, 0, 1]
        out = out / np.linalg.norm(out, axis=2, keepdims=True)
        assert (np.abs(normals - out).max() < 1e-5) == round_


def test_the_angle_is_the_models_own() -> None:
    model = pipe(8)
    flat, smooth = corner_normals(model), corner_normals(replace(model, crease_deg=50.0))
    assert np.abs(flat - smooth).max() > 0.3
    own = replace(model, file_normals=smooth)
    assert np.array_equal(corner_normals(replace(own, crease_deg=0.0)), smooth)


def test_projects_of_old_keep_the_angle_they_were_painted_with() -> None:
    assert Settings().crease_deg == 30
    stored = Document(sheets=()).model_dump(mode="json")
    del stored["settings"]["crease_deg"]
    assert Document.model_validate(stored).settings.crease_deg == 50
    again = Document.model_validate(Document.model_validate(stored).model_dump(mode="json"))
    assert again.settings.crease_deg == 50


def test_more_places_are_better_on_a_dense_low_too() -> None:
    """A low whose triangles are as small as texels under a high of fine ribs: the more places a texel, the nearer its mean to the ribs' own."""
    n = 180
    g = np.linspace(-1, 1, n + 1)
    x, y = np.meshgrid(g, g)
    low = model_of(
        np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], axis=1),
        [[j * (n + 1) + i, j * (n + 1) + i + 1, (j + 1) * (n + 1) + i + 1, (j + 1) * (n + 1) + i] for j in range(n) for i in range(n)],
        np.stack([(x.ravel() + 1) / 2, (y.ravel() + 1) / 2], axis=1),
    )
    ribs, step = 2 / 31.7, 0.02
    edges = np.arange(-1.1, 1.1, ribs / 2)
    faces, positions = [], []
    for k, (a, b) in enumerate(pairwise(edges)):
        z, first = (step if k % 2 else -step), len(positions)
        positions += [[a, -2, z], [b, -2, z], [b, 2, z], [a, 2, z]]
        faces.append([first, first + 1, first + 2, first + 3])
    high = model_of(np.array(positions), faces)
    samples = sheet_of(low)
    texel = 2 / 256
    fine = np.linspace(-0.5, 0.5, 201) * texel
    column = samples.positions[:, 0][:, None] + fine
    wanted = np.where((np.floor((column + 1.1) / (ribs / 2)).astype(int) % 2) == 1, step, -step).mean(axis=1)
    errors = []
    for places in (1, 2, 4):
        found = baked(samples, "height", high=(high,), front=0.02, back=0.02, antialias=places)["height"][:, 0]
        height = (found * 2 - 1) * 0.02 * low.diagonal
        inner = samples.covered & (np.abs(samples.positions[:, :2]).max(axis=1) < 0.98)
        errors.append(float(np.sqrt(np.mean((height[inner] - wanted[inner]) ** 2))))
    assert errors[1] < 0.55 * errors[0]
    assert errors[2] < 0.6 * errors[1]

"""Tangent frames against the reference build of MikkTSpace."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.tangents import corner_tangents
from ruvelt.demo.lantern import low_obj
from tests.meshes import globe, split_square

FRONT = Path(__file__).parents[2] / "frontend"
SCRIPT = """
const { generateTangents } = require('mikktspace');
const data = JSON.parse(require('fs').readFileSync(0, 'utf8'));
const f = (a) => new Float32Array(a);
process.stdout.write(JSON.stringify(Array.from(generateTangents(f(data.p), f(data.n), f(data.t)))));
"""


def arrays(model: Model) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    layout = model.uv_layouts[0]
    uv = layout.uvs[layout.corner_uv[model.triangle_corners]]
    return model.positions[model.triangles], corner_normals(model)[model.triangle_corners], uv


def reference(positions: np.ndarray, normals: np.ndarray, uvs: np.ndarray) -> np.ndarray:
    given = json.dumps({"p": positions.ravel().tolist(), "n": normals.ravel().tolist(), "t": uvs.ravel().tolist()})
    done = subprocess.run(["node", "-e", SCRIPT], input=given, capture_output=True, text=True, cwd=FRONT, check=True)
    return np.array(json.loads(done.stdout), np.float32).reshape(-1, 3, 4)


def mirrored_globe() -> Model:
    """A globe whose upper half is mirrored on the sheet."""
    ball = globe(24, 12)
    uv = ball.uv_layouts[0].uvs.copy()
    upper = uv[:, 1] > 0.5001
    uv[upper, 0] = 1 - uv[upper, 0]
    layout = ball.uv_layouts[0]
    return Model(**{**ball.__dict__, "uv_layouts": (type(layout)("UV", uv, layout.corner_uv),)})


@pytest.mark.parametrize(
    "model",
    [globe(24, 12), mirrored_globe(), split_square(), read_mesh(low_obj(), "lantern.obj")],
    ids=["globe", "mirrored", "seam", "lantern"],
)
def test_same_as_the_reference(model: Model) -> None:
    positions, normals, uvs = arrays(model)
    ours, theirs = corner_tangents(positions, normals, uvs), reference(positions, normals, uvs)
    # Corners whose triangle has no area on the sheet are free; all others must agree.
    u = uvs.astype(float)
    size = np.abs((u[:, 1, 0] - u[:, 0, 0]) * (u[:, 2, 1] - u[:, 0, 1]) - (u[:, 2, 0] - u[:, 0, 0]) * (u[:, 1, 1] - u[:, 0, 1]))
    good = size > 1e-12
    dot = np.einsum("tkd,tkd->tk", ours[good][..., :3], theirs[good][..., :3])
    assert np.mean(dot > 0.9999) > 0.999
    assert_allclose(np.abs(ours[good][..., 3]), 1)
    assert (ours[good][..., 3] == theirs[good][..., 3]).mean() > 0.999


def test_tangents_are_unit_and_across_the_normal() -> None:
    positions, normals, uvs = arrays(globe(32, 16))
    frames = corner_tangents(positions, normals, uvs)
    assert_allclose(np.linalg.norm(frames[..., :3], axis=2), 1, atol=1e-5)
    assert np.abs(np.einsum("tkd,tkd->tk", frames[..., :3], normals)).max() < 1e-4


def test_a_triangle_without_uv_area_still_gets_a_frame() -> None:
    positions = np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]]], np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (1, 3, 1))
    with np.errstate(all="raise"):
        frames = corner_tangents(positions, normals, np.zeros((1, 3, 2), np.float32))
    assert_allclose(np.linalg.norm(frames[..., :3], axis=2), 1, atol=1e-6)

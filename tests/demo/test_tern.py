"""The tern: a closed sculpt without UVs, painted whole at two levels, and a sheet that shows the same."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import cKDTree

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.demo import tern
from ruvelt.demo.build import TOP_LEVEL, build_tern
from ruvelt.demo.carved import onto, quads_of
from ruvelt.demo.paint_tern import CORAL
from ruvelt.studio.levels import level_size
from ruvelt.studio.studio import Studio

COARSE = 0.034


@pytest.fixture(scope="module")
def model() -> Model:
    return read_mesh(tern.ply(COARSE), "tern.ply")


def test_a_ball_of_surface_nets_is_a_ball() -> None:
    """Closed (Euler's formula), facing out, and as near to the ball as cells allow."""
    places, quads = quads_of(lambda p: np.linalg.norm(p, axis=-1) - 0.7, (-1, -1, -1), (1, 1, 1), 0.05)
    edges = {tuple(sorted(e)) for q in quads.tolist() for e in zip(q, q[1:] + q[:1], strict=True)}
    assert len(places) - len(edges) + len(quads) == 2
    assert np.abs(np.linalg.norm(places, axis=1) - 0.7).max() < 0.05 / 4
    p = places[quads]
    normal = np.cross(p[:, 2] - p[:, 0], p[:, 3] - p[:, 1])
    assert ((normal * p.mean(axis=1)).sum(axis=1) > 0).all()
    # Volume by the divergence theorem, quad by quad as two triangles.
    volume = sum(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, a], p[:, b])).sum() for a, b in ((1, 2), (2, 3))) / 6
    assert abs(volume / (4 / 3 * np.pi * 0.7**3) - 1) < 0.01


def test_it_is_one_closed_bird_that_looks_outward(model: Model) -> None:
    assert not model.uv_layouts
    assert (np.diff(model.face_starts) == 4).all()
    loops = model.corner_vertex.reshape(-1, 4)
    edges = np.sort(np.stack([loops, np.roll(loops, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
    assert (np.unique(edges, axis=0, return_counts=True)[1] % 2 == 0).all()
    away = np.abs(tern.tern(model.positions.astype(np.float64)))
    assert np.quantile(away, 0.99) < COARSE / 2
    directions = np.random.default_rng(3).normal(size=(500, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    hits = RayCaster(model).cast(np.array([0.0, 0.3, 0.0]) - 5 * directions, directions)
    met = hits.triangle >= 0
    assert met.sum() > 250
    assert np.mean((hits.normal[met] * directions[met]).sum(axis=1) < 0) > 0.99


def test_points_are_moved_onto_it() -> None:
    near = onto(tern.tern, np.array([[0.1, 0.8, 0.5], [0.25, 0.4, -0.2], [0.0, 0.3, 0.3]]))
    assert np.abs(tern.tern(near)).max() < 2e-3


def test_its_top_level_has_some_four_hundred_thousand_vertices(studio: Studio) -> None:
    session = studio.session(studio.create(tern.ply(), "tern.ply", name="Whole"))
    assert 380_000 < level_size(session, session.sheet("vertices"), TOP_LEVEL)[1] < 480_000


def test_it_builds_whole_and_its_sheet_shows_the_same(studio: Studio) -> None:
    told: list[str] = []
    session = studio.session(build_tern(studio, 1024, lambda done, planned, text: told.append(text), COARSE))
    assert any("strokes laid" in text for text in told)
    vertices, sheet = session.sheet("vertices"), session.document.textured[0]
    assert (vertices.level, [x.name for x in sheet.layers][:1]) == (TOP_LEVEL, ["From Vertices"])
    points, texels = session.samples(vertices), session.samples(sheet)
    assert isinstance(points, VertexSamples)

    def colours(sheet_id: str) -> np.ndarray:
        display = session.display(sheet_id)
        return np.concatenate([display.evaluator.composite("base_color", c) for c in range(display.samples.chunk_count)], axis=1) / 65535

    mine, theirs = colours("vertices"), colours(sheet.id)
    # The bill is coral, on both sides of the middle alike, and the eye is the glossiest place there is.
    bill = points.covered & (points.positions[:, 2] > 0.70)
    # The wash over ridges has lightened it.
    assert np.abs(np.median(mine[:, bill], axis=1) - CORAL).max() < 0.2
    assert (mine[0, bill] > 1.8 * mine[1, bill]).mean() > 0.9
    rough = np.concatenate([session.display("vertices").evaluator.composite("roughness", c)[0] for c in range(points.chunk_count)]) / 65535
    glossy = points.positions[points.covered & (rough < 0.15)]
    assert np.linalg.norm(np.abs(glossy) * [1, 0, 0] + glossy * [0, 1, 1] - tern.EYE, axis=1).max() < 3 * tern.EYE_RADIUS
    # Sheet and vertices show the same but for the detail that one of them has more of.
    on = np.flatnonzero(texels.covered)[::7]
    _, near = cKDTree(points.positions[points.covered]).query(texels.positions[on])
    apart = np.abs(theirs[:, on] - mine[:, np.flatnonzero(points.covered)[near]]).max(axis=0)
    assert np.median(apart) < 0.03
    assert np.quantile(apart, 0.9) < 0.2

"""Unwrap and packing: every face laid out once, without overlap, at one density; islands moved by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.errors import Cancelled, InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.mesh.topology import islands
from ruvelt.core.mesh.unwrap import pack_islands, place_islands, unwrap
from ruvelt.core.samples.sheet import SheetSamples, overlap_faces
from tests.meshes import cube_obj, globe, split_square, square, two_walls


def triangle_uvs(model: Model) -> np.ndarray:
    layout = model.uv_layouts[0]
    return layout.uvs[layout.corner_uv[model.triangle_corners]].astype(np.float64)


def areas(points: np.ndarray) -> np.ndarray:
    a, b = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    if points.shape[-1] == 2:
        return np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    return np.linalg.norm(np.cross(a, b), axis=1) / 2


@pytest.mark.parametrize(
    "model", [replace(globe(24, 12), uv_layouts=()), read_mesh(cube_obj(), "cube.obj"), two_walls()], ids=["globe", "cube", "walls"]
)
def test_every_face_is_laid_out_once_at_one_density(model: Model) -> None:
    told: list[tuple[int, int]] = []
    made = unwrap(model, lambda done, planned, _: told.append((done, planned)))
    assert told[-1] == (len(model.triangles), len(model.triangles))
    assert made.uv_layouts[0].name == "Unwrapped"
    assert len(made.uv_layouts) == len(model.uv_layouts) + 1
    uv = triangle_uvs(made)
    assert uv.min() >= 0
    assert uv.max() <= 1
    # The surface itself is as it was.
    assert_allclose(areas(made.positions[made.triangles].astype(float)).sum(), areas(model.positions[model.triangles].astype(float)).sum(), rtol=1e-6)
    density = np.sqrt(areas(uv) / areas(made.positions[made.triangles].astype(float)))
    assert density.std() / density.mean() < 0.2
    plans = plan_sheets(made, "tiles")
    assert len(overlap_faces(made, plans[0], 512)) == 0
    samples = SheetSamples(made, plans[0], 512)
    assert set(np.unique(samples.face[samples.covered])) == set(range(made.face_count))


def test_islands_never_span_parts() -> None:
    made = unwrap(read_mesh(cube_obj(), "cube.obj"))
    labels = islands(made, made.uv_layouts[0])
    for label in np.unique(labels):
        assert len(np.unique(made.face_part[labels == label])) == 1


def test_a_stop_is_heard() -> None:
    def stop(done: int, planned: int, what: str) -> None:
        if done:
            raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        unwrap(two_walls(), stop)


def test_an_island_is_moved_turned_and_scaled_alone() -> None:
    model = split_square()
    labels = islands(model, model.uv_layouts[0])
    before = triangle_uvs(model)
    moved = place_islands(model, [int(labels[0])], move=(0.02, 0.1), scale=0.5, turn_deg=90)
    after = triangle_uvs(moved)
    mine = labels[model.triangle_face] == labels[0]
    assert_allclose(after[~mine], before[~mine], atol=1e-6)
    corners = before[mine].reshape(-1, 2)
    centre = (corners.min(axis=0) + corners.max(axis=0)) / 2
    relative = before[mine] - centre
    wanted = np.stack([-relative[..., 1], relative[..., 0]], axis=-1) * 0.5 + centre + [0.02, 0.1]
    assert_allclose(after[mine], wanted, atol=1e-6)
    back = place_islands(moved, [int(labels[0])], move=(-0.02, -0.1), scale=2, turn_deg=-90)
    assert_allclose(triangle_uvs(back), before, atol=1e-5)
    assert len(back.uv_layouts[0].uvs) == 8


def test_islands_stay_on_their_sheet() -> None:
    model = square(2.0)
    with pytest.raises(InputError, match="leave the sheet"):
        place_islands(model, [0], move=(0.2, 0))
    with pytest.raises(InputError, match="no such island"):
        place_islands(model, [5])
    with pytest.raises(InputError, match="Unwrap it first"):
        place_islands(replace(model, uv_layouts=()), [0])


def test_packing_keeps_proportions_and_takes_overlaps_apart() -> None:
    model = split_square()
    both = replace(model.uv_layouts[0], uvs=np.ascontiguousarray(model.uv_layouts[0].uvs[[0, 1, 2, 3, 0, 1, 2, 3]]))
    stacked = replace(model, uv_layouts=(both,))
    assert len(overlap_faces(stacked, plan_sheets(stacked)[0], 256)) == 2
    packed = pack_islands(stacked)
    assert len(overlap_faces(packed, plan_sheets(packed)[0], 256)) == 0
    size = areas(triangle_uvs(packed))
    assert_allclose(size, size[0], rtol=1e-3)
    assert size.sum() > 0.3
    assert_array_equal(packed.corner_vertex, model.corner_vertex)
    with pytest.raises(InputError, match="no UVs"):
        pack_islands(replace(model, uv_layouts=()))

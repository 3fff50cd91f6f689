"""Unwrap and packing: every face laid out once, without overlap, at one density; islands moved by hand."""

from __future__ import annotations

import os
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from scipy import ndimage

from ruvelt.core.errors import Cancelled, InputError
from ruvelt.core.mesh.apart import apart
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.mesh.topology import islands
from ruvelt.core.mesh.unwrap import Squares, UnwrapSettings, filled, pack_islands, place_islands, unwrap
from ruvelt.core.samples.sheet import SheetSamples, overlap_faces
from tests.core.test_bake import joined
from tests.core.test_bake_truth import cube
from tests.core.test_cage import pipe
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


def signed(model: Model) -> np.ndarray:
    p = triangle_uvs(model)
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2


def test_no_triangle_is_mirrored() -> None:
    for model in (replace(globe(48, 24), uv_layouts=()), read_mesh(cube_obj(), "cube.obj"), box(1, 2, 1.5), pipe(12)):
        assert (signed(unwrap(model)) > 0).all()


def box(x: float, y: float, z: float) -> Model:
    whole = cube(smooth=False)
    return replace(whole, positions=(whole.positions * [x, y, z]).astype(np.float32), uv_layouts=())


def gap(model: Model, side: int) -> float:
    """The least distance of two islands, and of any to the border, in texels: by SciPy's distance transform of a fine raster."""
    fine = 2 * side
    labels = islands(model, model.uv_layouts[0])[model.triangle_face]
    least = np.inf
    places = triangle_uvs(model) * fine
    masks = []
    for label in np.unique(labels):
        mask = np.zeros((fine, fine), np.uint8)
        for triangle in places[labels == label]:
            cv2.fillPoly(mask, [np.round(triangle * 16).astype(np.int32)], 1, shift=4)
        masks.append(mask > 0)
    for i, mask in enumerate(masks):
        away = ndimage.distance_transform_edt(~mask)
        others = np.any([m for k, m in enumerate(masks) if k != i], axis=0) if len(masks) > 1 else np.zeros_like(mask)
        y, x = np.nonzero(mask)
        border = min(x.min(), y.min(), fine - 1 - x.max(), fine - 1 - y.max())
        least = min(least, border / 2, away[others].min() / 2 if others.any() else np.inf)
    return float(least)


@pytest.mark.parametrize(("side", "padding"), [(256, 4.0), (1024, 8.0)])
def test_islands_keep_their_padding_in_texels_of_the_sheet(side: int, padding: float) -> None:
    model = pipe(12)
    made = unwrap(model, squares=Squares.one(model, side), settings=UnwrapSettings(padding=padding))
    # A cell of the raster is half a texel, and edges are drawn over it.
    assert gap(made, side) >= padding - 1.2


def test_hard_edges_and_marked_seams_are_cut() -> None:
    round_pipe = replace(pipe(24), uv_layouts=())
    made = unwrap(round_pipe, settings=UnwrapSettings(hard_edges=True, fewer=1))
    labels = islands(made, made.uv_layouts[0])
    upright = np.abs(face_normals_y(made)) < 0.5
    assert not set(labels[upright]) & set(labels[~upright])
    # A seam up the pipe: whatever else is cut, no island goes on over it.
    for side in (1, 4, 7, 10, 13):
        edges = seam_up(round_pipe, side)
        made = unwrap(round_pipe, settings=UnwrapSettings(fewer=1, hard_edges=True), seams=edges)
        loose = unwrap(round_pipe, settings=UnwrapSettings(fewer=1, hard_edges=True, seams=False), seams=edges)
        assert cut_at(made, edges)
        if not cut_at(loose, edges):
            break
    else:
        pytest.fail("every edge is cut anyhow")


def face_normals_y(model: Model) -> np.ndarray:
    p = model.positions[model.triangles].astype(float)
    n = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    y = n[:, 1] / np.linalg.norm(n, axis=1)
    out = np.zeros(model.face_count)
    out[model.triangle_face] = y
    return out


def seam_up(model: Model, side: int) -> list[tuple[int, int]]:
    """The edge between two sides of a pipe, by welded vertices."""
    corners = model.corner_vertex[model.face_starts[side] : model.face_starts[side] + 4]
    a, b = int(model.welded[corners[1]]), int(model.welded[corners[2]])
    return [(min(a, b), max(a, b))]


def cut_at(model: Model, edges: list[tuple[int, int]]) -> bool:
    """Whether the triangles at both sides of every edge have other UVs there."""
    layout = model.uv_layouts[0]
    place, uv = model.welded[model.triangles], layout.corner_uv[model.triangle_corners]
    for edge in edges:
        pairs = []
        for t in range(len(place)):
            if set(edge) <= set(place[t].tolist()):
                pairs.append(tuple(int(uv[t][place[t].tolist().index(v)]) for v in edge))
        if len(pairs) != 2 or set(pairs[0]) & set(pairs[1]):
            return False
    return True


def test_sheets_share_one_density_and_parts_may_have_more() -> None:
    """A small cube and a large one in two materials: as many texels a unit on both sheets, and twice as many where a part asks for it."""
    parts = joined(box(1, 1, 1), box(0.2, 0.2, 0.2), names=("Large", "Small"))
    model = replace(parts, materials=(*parts.materials, *parts.materials), face_material=parts.face_part)
    squares = Squares(model.face_part, (1024, 512))

    def densities(made: Model) -> list[float]:
        texels = np.sqrt(np.abs(signed(made)) / areas(made.positions[made.triangles].astype(float)))
        part = made.face_part[made.triangle_face]
        return [float(texels[part == k].mean()) * side for k, side in enumerate(squares.sides)]

    large, small = densities(unwrap(model, squares=squares))
    assert abs(large / small - 1) < 0.01
    large, small = densities(unwrap(model, squares=squares, settings=UnwrapSettings(factors={"Small": 2.0})))
    assert abs(small / large - 2) < 0.02
    large, small = densities(unwrap(model, squares=squares, settings=UnwrapSettings(one_density=False)))
    assert small > 1.5 * large


def test_a_box_fills_three_quarters_of_its_sheet() -> None:
    made = unwrap(box(1, 2, 1.5))
    assert filled(made, Squares.one(made))[0] == pytest.approx(np.abs(signed(made)).sum(), abs=1e-6)
    assert filled(made, Squares.one(made))[0] > 0.75


def test_a_large_part_is_laid_out_piece_by_piece(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("ruvelt.core.mesh.unwrap.AT_ONCE", 300)
    told: list[int] = []
    model = replace(globe(48, 24), uv_layouts=())
    made = unwrap(model, lambda done, planned, what: told.append(done))
    assert len(set(told)) > 5
    assert (signed(made) > 0).all()
    assert len(overlap_faces(made, plan_sheets(made, "tiles")[0], 512)) == 0
    monkeypatch.setattr("ruvelt.core.mesh.unwrap.MOST_TRIANGLES", 100)
    with pytest.raises(InputError, match="up to 100 are unwrapped here"):
        unwrap(model)


def test_more_islands_than_padding_leaves_room_for_are_refused_in_words() -> None:
    model = replace(globe(24, 12), uv_layouts=())
    with pytest.raises(InputError, match="do not fit into one sheet with that padding"):
        unwrap(model, squares=Squares.one(model, 256), settings=UnwrapSettings(padding=64, hard_edges=True))


def test_the_same_model_is_unwrapped_the_same() -> None:
    one, other = (unwrap(pipe(12)) for _ in range(2))
    assert_array_equal(one.uv_layouts[0].uvs, other.uv_layouts[0].uvs)


def own_children(of: str) -> list[str]:
    """Command lines of this process's children that hold a text."""
    found = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            parent = int(stat.read_text().rpartition(")")[2].split()[1])
            command = (stat.parent / "cmdline").read_text()
        except (OSError, ValueError):
            continue
        if parent == os.getpid() and of in command:
            found.append(command)
    return found


def test_a_child_process_unwraps_and_is_ended_by_a_stop() -> None:
    model = pipe(12)
    here = unwrap(model)
    there = apart("unwrap", model, lambda done, planned, what: None, Squares.one(model), UnwrapSettings())
    assert_array_equal(here.uv_layouts[0].uvs, there.uv_layouts[0].uvs)
    with pytest.raises(InputError, match="no UVs to pack"):
        apart("pack", replace(model, uv_layouts=()), lambda done, planned, what: None, Squares.one(model), UnwrapSettings())
    dense = replace(globe(200, 100), uv_layouts=())
    began = time.monotonic()

    def stop(done: int, planned: int, what: str) -> None:
        if what.startswith("Unwrapping"):
            raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        apart("unwrap", dense, stop, Squares.one(dense), UnwrapSettings())
    # Charts of its first piece alone take far longer than a stop is heard in.
    assert time.monotonic() - began < 20
    assert own_children("ruvelt.core.mesh.apart") == []


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

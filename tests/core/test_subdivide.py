"""Levels of subdivision against the rules told in plain Python, limit positions, and their own way back."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.errors import InputError
from ruvelt.core.mesh import subdivide
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.subdivide import Subdivision
from tests.core.test_vertex_paint import bare, coloured, plane_of, sculpt
from tests.meshes import model_of


def box() -> Model:
    places = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float64)
    faces = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    return bare(model_of(places, faces, np.zeros((8, 2))))


def mixed() -> Model:
    """A box whose top is four triangles, and whose bottom is missing: quads, triangles and a border."""
    model = box()
    places = np.concatenate([model.positions, [[0, 1.4, 0]]])
    faces = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 2, 6, 4], [1, 5, 7, 3], [2, 3, 8], [3, 7, 8], [7, 6, 8], [6, 2, 8]]
    return bare(model_of(places, faces, np.zeros((9, 2))))


def plainly(places: np.ndarray, faces: list[list[int]], sharp: set[tuple[int, int]] = frozenset()) -> tuple[np.ndarray, list[list[int]]]:  # type: ignore[assignment]
    """One Catmull-Clark step as the paper tells it, vertex by vertex."""
    edges: dict[tuple[int, int], list[int]] = {}
    for f, loop in enumerate(faces):
        for a, b in zip(loop, loop[1:] + loop[:1], strict=True):
            edges.setdefault((min(a, b), max(a, b)), []).append(f)
    middle = [places[loop].mean(axis=0) for loop in faces]
    hard = {e for e, mine in edges.items() if len(mine) != 2} | set(sharp)
    on_edge = {
        e: places[list(e)].mean(axis=0) if e in hard else (places[list(e)].sum(axis=0) + sum(middle[f] for f in mine)) / 4
        for e, mine in edges.items()
    }
    moved = []
    for v, p in enumerate(places):
        mine = [f for f, loop in enumerate(faces) if v in loop]
        spokes = [e for e in edges if v in e]
        creases = [e for e in spokes if e in hard]
        n = len(spokes)
        if not n or len(creases) > 2 or (len(creases) == 2 and len(mine) == 1):
            moved.append(p)
        elif len(creases) == 2:
            moved.append(0.75 * p + 0.125 * sum(places[a if b == v else b] for a, b in creases))
        else:
            moved.append(
                (np.mean([middle[f] for f in mine], axis=0) + 2 * np.mean([places[list(e)].mean(axis=0) for e in spokes], axis=0) + (n - 3) * p) / n
            )
    names = {e: len(places) + i for i, e in enumerate(edges)}
    first = len(places) + len(edges)
    quads = []
    for f, loop in enumerate(faces):
        for i, v in enumerate(loop):
            after, before = loop[(i + 1) % len(loop)], loop[i - 1]
            quads.append([v, names[min(v, after), max(v, after)], first + f, names[min(v, before), max(v, before)]])
    return np.array([*moved, *on_edge.values(), *middle]), quads


def loops(model: Model) -> list[list[int]]:
    return [model.corner_vertex[a:b].tolist() for a, b in zip(model.face_starts, model.face_starts[1:], strict=False)]


@pytest.mark.parametrize("model", [box(), mixed(), bare(sculpt(9, 5)), plane_of(4)], ids=["box", "mixed", "ball", "plate"])
def test_two_levels_are_what_the_paper_tells(model: Model) -> None:
    levels = Subdivision(model)
    places, faces = model.positions.astype(np.float64), loops(model)
    for level in (1, 2):
        places, faces = plainly(places, faces)
        fine = levels.model(level)
        # Edges are numbered otherwise from the second level on; faces lie at the same places.
        assert_allclose(fine.positions[fine.corner_vertex], places[np.concatenate(faces)], atol=2e-6)
        assert levels.size(level)[:2] == (fine.face_count, fine.vertex_count)


def test_vertices_come_near_their_limit() -> None:
    """Of a smooth vertex of valence n with neighbours e and far corners f the limit is (n² v + 4 Σ e + Σ f) / n (n + 5) (Halstead et al. 1993)."""
    levels = Subdivision(box())
    first = levels.model(1)
    faces = loops(first)
    for v in range(8):
        mine = [f for f in faces if v in f]
        near = {w for f in mine for w in (f[(f.index(v) + 1) % 4], f[f.index(v) - 1])}
        far = [f[(f.index(v) + 2) % 4] for f in mine]
        n = len(near)
        p = first.positions.astype(np.float64)
        limit = (n * n * p[v] + 4 * p[list(near)].sum(axis=0) + p[far].sum(axis=0)) / (n * (n + 5))
        assert_allclose(levels.model(5).positions[v], limit, atol=2e-3)


def test_simple_levels_lie_on_the_old_faces_and_borders_keep_their_ends() -> None:
    simple = Subdivision(box(), smooth=False).model(3)
    assert_allclose(np.abs(simple.positions).max(axis=1), 1, atol=1e-6)
    plate = Subdivision(plane_of(4)).model(3)
    assert_allclose(plate.positions[:, 2], 0, atol=1e-7)
    assert_allclose([plate.positions[:, :2].min(), plate.positions[:, :2].max()], [-1, 1], atol=1e-6)


def test_sharp_edges_stay_and_so_do_what_comes_of_them() -> None:
    """At 30 degrees every edge of a box is sharp: all levels are the box; at 100 none is."""
    assert_allclose(np.abs(Subdivision(box(), sharp_deg=30).model(3).positions).max(axis=1), 1, atol=1e-6)
    assert_array_equal(Subdivision(box(), sharp_deg=100).model(2).positions, Subdivision(box()).model(2).positions)


def test_vertices_split_along_seams_stay_together() -> None:
    """A box of 24 vertices, as files with UVs split it, moves as the box of eight."""
    model = box()
    split = dataclasses.replace(model, positions=model.positions[model.corner_vertex], corner_vertex=np.arange(24, dtype=np.int32))
    one, other = Subdivision(model), Subdivision(split)
    for level in (1, 2, 3):
        assert_allclose(
            other.model(level).positions[other.model(level).corner_vertex], one.model(level).positions[one.model(level).corner_vertex], atol=1e-6
        )
    assert len(np.unique(other.model(3).welded)) == one.model(3).vertex_count


def test_parts_materials_groups_and_colours_follow() -> None:
    text = b"o A\nusemtl red\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\nf 1 2 3 4\no B\nusemtl blue\ng rim\nf 2 5 6 3\n"
    model = coloured(bare(read_mesh(text, "two.obj")))
    fine = Subdivision(model).model(1)
    assert fine.face_part.tolist() == [0] * 4 + [1] * 4
    assert fine.face_material.tolist() == [0] * 4 + [1] * 4
    assert [g.faces.tolist() for g in fine.groups] == [list(range(4 * g.faces[0], 4 * g.faces[0] + 4)) for g in model.groups]
    assert fine.vertex_colors is not None
    assert model.vertex_colors is not None
    assert_array_equal(fine.vertex_colors[:6], model.vertex_colors)
    middle = model.vertex_colors[[0, 1, 2, 3]].mean(axis=0)
    assert_allclose(fine.vertex_colors[-2], middle, atol=1e-4)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(1, 4))
def test_down_and_up_again_is_exact(seed: int, components: int) -> None:
    """Whatever lies on the finer level, extremes too: the coarse values and the detail give it back to the code."""
    random = np.random.default_rng(seed)
    step = Subdivision(mixed()).step(2)
    values = random.integers(0, 65536, (components, step.fine_count)).astype(np.uint16)
    values[random.random(values.shape) < 0.3] = 0
    values[random.random(values.shape) < 0.3] = 65535
    coarse, detail = step.down(values)
    assert_array_equal(coarse, values[:, : step.count])
    assert_array_equal(step.restored(coarse, detail), values)


def test_what_is_painted_below_shows_above_with_the_detail_over_it() -> None:
    step = Subdivision(bare(sculpt(9, 5))).step(1)
    values = np.full((1, step.fine_count), 20000, np.uint16)
    values[0, -1] = 23000
    coarse, detail = step.down(values)
    assert step.up(coarse)[0, -1] == 20000
    shifted = step.restored(coarse + np.uint16(10000), detail)
    assert shifted[0, -1] == 33000
    assert (np.delete(shifted[0], -1) == 30000).all()
    # Detail never wraps around.
    assert step.restored(coarse + np.uint16(45000), detail)[0, -1] == 65535


def test_a_linear_field_goes_up_without_error_but_rounding() -> None:
    levels = Subdivision(bare(sculpt(40, 20)), smooth=False)
    codes = np.rint((levels.model(0).positions[:, 1] * 0.4 + 0.5) * 65535).astype(np.uint16)[None]
    fine = levels.step(1).up(codes)[0] / 65535
    assert np.abs(fine - (levels.model(1).positions[:, 1] * 0.4 + 0.5)).max() < 1.1 / 65535


def test_too_many_faces_are_refused_before_anything_is_made(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(subdivide, "MAX_FACES", 100)
    levels = Subdivision(box())
    assert levels.size(3)[0] == 384
    with pytest.raises(InputError, match="at most 100"):
        levels.model(3)


def test_strange_meshes_have_levels_too() -> None:
    """Three faces at an edge, a face twice, a vertex in no face, a face without area."""
    places = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [9, 9, 9]], np.float64)
    model = bare(model_of(places, [[0, 1, 2], [0, 1, 3], [0, 1, 4], [0, 1, 2], [0, 1, 1]], np.zeros((6, 2))))
    fine = Subdivision(model).model(2)
    assert np.isfinite(fine.positions).all()
    assert_array_equal(fine.positions[5], [9, 9, 9])
    assert fine.checked() is fine


def test_paint_fades_without_the_colour_of_what_is_not_painted() -> None:
    """Red on one end of an edge and nothing on the other: between them there is half as much red, not dark red."""
    step = Subdivision(box()).step(1)
    values = np.zeros((4, 8), np.uint16)
    values[:, 0] = [60000, 1000, 200, 65535]
    fine = step.up(values)
    half = fine[:, 8:20][:, fine[3, 8:20] > 0]
    assert_array_equal(half, np.tile([[60000], [1000], [200], [32768]], 3))
    quarter = fine[:, 20:][:, fine[3, 20:] > 0]
    assert_array_equal(quarter, np.tile([[60000], [1000], [200], [16384]], 3))


def test_edges_where_the_file_breaks_its_normals_are_creases() -> None:
    """A box with a normal a face is as one creased by angle; with normals that are smooth but along one loop, only that loop is."""
    flat = np.repeat([[-1, 0, 0], [1, 0, 0], [0, -1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1]], 4, axis=0).astype(np.float32)
    model = dataclasses.replace(box(), file_normals=flat)
    assert_array_equal(Subdivision(model, file_creases=True).model(3).positions, Subdivision(model, sharp_deg=40).model(3).positions)
    # Normals of the vertices, and of the top its own: the rim of the top is sharp.
    smooth = (box().positions[box().corner_vertex] / np.sqrt(3)).astype(np.float32)
    assert_array_equal(
        Subdivision(dataclasses.replace(box(), file_normals=smooth), file_creases=True).model(2).positions, Subdivision(box()).model(2).positions
    )
    smooth[12:16] = (0, 1, 0)
    fine = Subdivision(dataclasses.replace(box(), file_normals=smooth), file_creases=True).model(3).positions
    sharp, faces = {(2, 3), (3, 7), (6, 7), (2, 6)}, box().corner_vertex.reshape(-1, 4).tolist()
    places = box().positions.astype(np.float64)
    for _ in range(3):
        edges = list(dict.fromkeys((min(a, b), max(a, b)) for loop in faces for a, b in zip(loop, loop[1:] + loop[:1], strict=True)))
        halves = {(end, len(places) + edges.index(e)) for e in sharp for end in e}
        places, faces = plainly(places, faces, sharp)
        sharp = halves
    assert_allclose(fine[np.lexsort(np.round(fine, 4).T)], places[np.lexsort(np.round(places, 4).T)], atol=1e-5)

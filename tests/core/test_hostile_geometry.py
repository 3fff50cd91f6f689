"""Geometry that means no good: no number becomes a wild index, no claim is believed, and everything ends soon."""

from __future__ import annotations

import base64
import json
import os
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvelt.core.errors import Cancelled, InputError
from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.sheets import MAX_SHEETS, plan_sheets
from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.samples._raster_kernels import mark_overlaps, raster_band
from ruvelt.core.samples.sheet import SheetSamples, overlap_faces, raster
from tests.meshes import globe, model_of, split_square, square, tube

#: How many odd meshes an everyday run makes; `make soak` asks for thousands.
MESHES = int(os.environ.get("RUVELT_FUZZ_MESHES", "60"))
ODD = [0.0, -0.0, 1.0, -1.0, 0.5, 1e-38, 1e-30, 1e-7, 1e3, 1e4, 9999.0, 1e8, -1e8, 1e12, -1e12, 1e16, 1e17, -1e17, 3e38, -3e38, 1.0000001]


# -- the rasteriser -------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("far", [1e5, 1e9, 1e15, 1e16, 1e17, 1e30, 3e38, -1e17, -3e38, np.nan, np.inf, -np.inf])
def test_one_triangle_far_out_ends_no_process(far: float) -> None:
    """It ended the server from 1e16 on: the kernels are called with what no import lets through any more."""
    for corner in range(3):
        for axis in range(2):
            uv = np.array([[[10.0, 10.0], [200.0, 20.0], [30.0, 220.0]]], np.float32)
            uv[0, corner, axis] = far
            owner, gap = np.full(256 * 256, -1, np.int32), np.full(256 * 256, np.inf, np.float32)
            raster_band(uv, np.zeros(1, np.int32), 256, 0, 256, owner, gap, np.full(256, 256, np.int16))
            assert set(np.unique(owner)) <= {-1, 0}
            mark_overlaps(uv, 256, owner, gap, np.zeros(1, np.uint8), np.zeros(256 * 16, np.uint8))


def plain_raster(uv: np.ndarray, side: int) -> np.ndarray:
    """(side, side) bool: texels whose centre lies inside some triangle, by the signs of three cross products in double precision."""
    y, x = np.mgrid[0:side, 0:side] + 0.5
    inside = np.zeros((side, side), bool)
    for a, b, c in uv.astype(np.float64):
        signs = [(q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0]) for p, q in ((a, b), (b, c), (c, a))]
        inside |= np.all([s > 1e-6 for s in signs], axis=0) | np.all([s < -1e-6 for s in signs], axis=0)
    return inside


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10_000), count=st.integers(1, 30), size=st.sampled_from([0.02, 0.3, 3.0]))
def test_centres_inside_a_triangle_are_owned_whatever_was_skipped(seed: int, count: int, size: float) -> None:
    rng = np.random.default_rng(seed)
    uvs = rng.uniform(-0.2, 1.2, (count, 1, 2)) + rng.normal(0, size, (count, 3, 2))
    model = model_of(rng.normal(0, 1, (3 * count, 3)), [[3 * i, 3 * i + 1, 3 * i + 2] for i in range(count)], uvs.reshape(-1, 2))
    plan = plan_sheets(model, "materials")[0]
    owned = raster(model, plan, 256).reshape(256, 256) >= 0
    texels = np.stack([uvs[..., 0].astype(np.float32) * 256.0, (1 - uvs[..., 1].astype(np.float32)) * 256.0], axis=-1)
    inside = plain_raster(texels, 256)
    assert owned[inside].all()
    # What is owned beyond that touches a triangle's edge: it lies beside something inside, or the triangle is a sliver.
    if size == 3.0:
        assert owned.mean() <= 1.0


def stacked(count: int) -> Model:
    """So many triangles on one half of the square."""
    positions = np.random.default_rng(1).normal(0, 1, (3 * count, 3))
    uvs = np.tile([[0, 0], [1, 0], [0, 1]], (count, 1)) + np.random.default_rng(2).normal(0, 1e-4, (3 * count, 2))
    return model_of(positions, [[3 * i, 3 * i + 1, 3 * i + 2] for i in range(count)], uvs)


def slivers(count: int) -> Model:
    """Triangles as thin as can be, from end to end of the square."""
    rng = np.random.default_rng(3)
    a, b = rng.uniform(0, 1, (count, 2)), rng.uniform(0, 1, (count, 2))
    uvs = np.stack([a, b, b + 1e-5], axis=1).reshape(-1, 2)
    return model_of(rng.normal(0, 1, (3 * count, 3)), [[3 * i, 3 * i + 1, 3 * i + 2] for i in range(count)], uvs)


@pytest.mark.parametrize("make", [stacked, slivers])
def test_work_grows_with_what_is_covered_not_with_what_is_claimed(make) -> None:  # type: ignore[no-untyped-def]
    """Ten times the triangles on one place took ten times as long, and ten thousand of them took minutes."""
    took = []
    for count in (400, 4000):
        model = make(count)
        plan = plan_sheets(model, "materials")[0]
        raster(model, plan, 256)
        began = time.process_time()
        raster(model, plan, 1024)
        overlap_faces(model, plan, 1024)
        took.append(time.process_time() - began)
    # Where everything is walked for every triangle it is some five seconds for the few; this bound is a hundred times what it takes.
    assert took[1] < 60
    assert (len(overlap_faces(model, plan, 256)) > 0) == (make is stacked)


# -- meshes ---------------------------------------------------------------------------------------------------------------------

GOOD = [globe(12, 6), split_square(), tube(1, 2, 8), square()]


def odd_model(seed: int) -> Model:
    """A good mesh with some of its numbers turned into odd ones."""
    rng = np.random.default_rng(seed)
    base = GOOD[rng.integers(len(GOOD))]
    layout = base.uv_layouts[0]
    positions, uvs = base.positions.copy(), layout.uvs.copy()
    corner_vertex, corner_uv = base.corner_vertex.copy(), layout.corner_uv.copy()
    for values in (positions, uvs):
        for _ in range(rng.integers(0, 4)):
            values.flat[rng.integers(values.size)] = np.float32(ODD[rng.integers(len(ODD))])
    for _ in range(rng.integers(0, 4)):
        corner_vertex[rng.integers(len(corner_vertex))] = rng.integers(len(positions))
        corner_uv[rng.integers(len(corner_uv))] = rng.integers(-1, len(uvs))
    if rng.random() < 0.2:
        positions[:] = positions[0]
    if rng.random() < 0.2:
        positions *= np.float32(10.0 ** rng.integers(-20, 11))
    layouts = (TextureCoords("UV", uvs, corner_uv),)
    return replace(base, positions=positions, corner_vertex=corner_vertex, uv_layouts=layouts)


def walk(seed: int) -> str:
    """An odd mesh through findings, samples and a thumbnail; "refused" when it was not let in."""
    try:
        model = odd_model(seed).checked()
        plans = plan_sheets(model)
    except InputError:
        return "refused"
    with np.errstate(all="ignore"):
        find_problems(model, plans)
        assert np.isfinite(corner_normals(model)).all()
        for plan in plans[:3]:
            samples = SheetSamples(model, plan, 256)
            assert np.isfinite(samples.positions).all()
            _ = samples.grid, samples.screen_gutter, samples.triangle_tangents
        render(model, [], RayCaster(model), card_camera(model, 24, 16), 1)
    return "walked"


def test_odd_meshes_walk_through_findings_samples_and_thumbnails(tmp_path: Path) -> None:
    """In processes of their own: what they must not do is end one, or take longer than two seconds."""
    code = (
        "import sys, time, faulthandler; faulthandler.enable(); sys.path.insert(0, sys.argv[3])\n"
        "from tests.core.test_hostile_geometry import walk\n"
        "walk(0)\n"
        "for seed in range(int(sys.argv[1]), int(sys.argv[2])):\n"
        "    began = time.monotonic(); print(seed, 'began', flush=True); told = walk(seed)\n"
        "    print(seed, told, round(time.monotonic() - began, 2), flush=True)\n"
    )
    command = [sys.executable, "-W", "ignore", "-c", code, "0", str(MESHES), str(Path(__file__).parents[2])]
    result = subprocess.run(command, capture_output=True, text=True, timeout=120 + MESHES)
    lines = [line.split() for line in result.stdout.splitlines()]
    assert result.returncode == 0, (lines[-1:], result.stderr[-2000:])
    told = [line[1] for line in lines if line[1] != "began"]
    assert len(told) == MESHES
    assert told.count("walked") > MESHES / 2
    assert max(float(line[2]) for line in lines if line[1] != "began") < 2.0


def test_uvs_from_another_world_are_left_out_with_a_finding() -> None:
    lines = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvt 1e17 -1e17\nf 1/1 2/2 3/3\nf 2/2 4/4 3/3\n"
    model = read_mesh(lines, "far.obj")
    assert model.uv_layouts[0].corner_uv.tolist() == [0, 1, 2, 1, -1, 2]
    assert np.abs(model.uv_layouts[0].uvs).max() <= 1
    (note,) = [n for n in model.notes if n.outcome == "left out"]
    assert "1 UV lay" in note.text
    found = next(f for f in find_problems(model, plan_sheets(model)) if f.kind == "missing-uvs")
    assert found.faces.tolist() == [1]
    assert "too far out" in found.advice
    assert Model.from_bytes(Model.to_bytes(model)).notes == model.notes


# -- claims ---------------------------------------------------------------------------------------------------------------------


def gltf(**changes: object) -> bytes:
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
    content: dict[str, object] = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": 36, "uri": "data:;base64," + base64.b64encode(points).decode()}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
    }
    return json.dumps({**content, **changes}).encode()


def test_a_count_that_no_byte_stands_for_is_refused_before_anything_is_taken() -> None:
    """429 bytes that took 4 GB."""
    data = gltf(accessors=[{"componentType": 5126, "count": 79_999_999, "type": "VEC3"}])
    assert len(data) < 600
    with pytest.raises(InputError, match=r"about 14\.9 GiB of memory for 79,999,999 vertices.*2\.0 GiB are allowed.*--import-mib"):
        read_mesh(data, "claim.gltf")
    allowance = Allowance(1 << 20)
    with pytest.raises(InputError, match="1.0 GiB|0.0 GiB"):
        read_mesh(
            gltf(nodes=[{"mesh": 0, "name": str(i)} for i in range(20_000)], scenes=[{"nodes": list(range(20_000))}]), "many.gltf", None, allowance
        )
    assert allowance.taken < 2 << 20


def test_many_small_parts_cost_what_they_are() -> None:
    """20 000 parts in one megabyte took 5.8 GB; each of them as a sheet is refused in words."""
    data = gltf(nodes=[{"mesh": 0, "name": f"Part {i}"} for i in range(20_000)], scenes=[{"nodes": list(range(20_000))}])
    model = read_mesh(data, "many.gltf")
    assert len(model.parts) == len(set(model.parts)) == 20_000
    lines = ["v 0 0 0", "v 1 0 0", "v 0 1 0", "vt 0 0", "vt 1 0", "vt 0 1"]
    lines += [line for i in range(MAX_SHEETS + 1) for line in (f"o p{i}", "f 1/1 2/2 3/3")]
    with pytest.raises(InputError, match=f"would have {MAX_SHEETS + 1} sheets; at most {MAX_SHEETS}"):
        plan_sheets(read_mesh("\n".join(lines).encode(), "parts.obj"), "parts")


@pytest.mark.parametrize("shape", ["circle", "star", "zigzag", "same", "random"])
def test_a_polygon_of_many_corners_comes_to_an_end(shape: str) -> None:
    count = 60_000 if shape == "circle" else 12_000
    a = np.arange(count) / count * 2 * np.pi
    radius = np.where(np.arange(count) % 2, 1.0, 0.1) if shape == "star" else np.ones(count)
    points = np.stack([radius * np.cos(a), radius * np.sin(a), 0 * a], axis=1)
    if shape == "zigzag":
        points = np.stack([np.arange(count) / count, np.arange(count) % 2, 0 * a], axis=1)
    elif shape == "same":
        points[:] = 0
    elif shape == "random":
        points = np.random.default_rng(0).normal(size=(count, 3))
    began = time.process_time()
    model = model_of(points, [list(range(count))], points[:, :2] * 0.45 + 0.5)
    found = find_problems(model, plan_sheets(model, "materials"))
    assert len(model.triangles) == count - 2
    assert isinstance(found, list)
    assert time.process_time() - began < 60


def test_a_vertex_of_sixty_thousand_faces() -> None:
    """Every face was weighed against every other. Around so busy a vertex normals are gathered first, and stay right."""
    count = 60_000
    a = np.arange(count) / count * 2 * np.pi
    rim = np.stack([np.cos(a), np.full(count, -0.2), np.sin(a)], axis=1)
    faces = [[0, i + 1, (i + 1) % count + 1] for i in range(count)]
    normals = corner_normals(model_of(np.concatenate([[[0, 0, 0]], rim]), faces))
    tip = normals[::3]
    # A flat cone: every face lies within the crease of every other, so their mean is its axis.
    assert np.abs(np.abs(tip[:, 1]) - 1).max() < 1e-4
    few = corner_normals(model_of(np.concatenate([[[0, 0, 0]], rim[::600]]), [[0, i + 1, (i + 1) % 100 + 1] for i in range(100)]))
    assert np.abs(few[0] - tip[0]).max() < 1e-3


def test_stl_text_in_another_encoding_needs_no_package() -> None:
    text = "solid Möwe\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid Möwe\n"
    for encoding in ("utf-8", "latin-1", "utf-16-le"):
        data = text.encode(encoding)
        if encoding == "utf-16-le":
            with pytest.raises(InputError, match="not an STL"):
                read_mesh(data, "gull.stl")
            continue
        assert read_mesh(data, "gull.stl").triangles.tolist() == [[0, 1, 2]]


@pytest.mark.parametrize("name", ["big.obj", "big.stl", "big.ply", "big.gltf"])
def test_a_reader_stops_when_it_is_asked_to(name: str) -> None:
    lines = "".join(f"v {i} 0 0\n" for i in range(60_000)) + "f 1 2 3\n"
    ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\n"
    ply += "property list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"
    stl = "solid a\n" + "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n" * 10 + "endsolid a\n"
    data = {"big.obj": lines.encode(), "big.stl": stl.encode(), "big.ply": ply.encode(), "big.gltf": gltf()}[name]

    def stop() -> None:
        raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        read_mesh(data, name, None, Allowance(asked=stop))
    read_mesh(data, name)


@pytest.mark.parametrize(
    "header",
    [
        "element vertex 1000000000\nproperty double x\n",
        "element x 1000000000\nelement vertex 1\nproperty float x\n",
        "element vertex 100\n" + "property double p\n" * 200,
        "element vertex -5\nproperty float x\n",
    ],
)
def test_a_ply_header_is_only_a_claim(header: str) -> None:
    data = (
        f"ply\nformat binary_little_endian 1.0\n{header}element face 1\nproperty list uchar int vertex_indices\nend_header\n".encode() + b"\0" * 400
    )
    with pytest.raises(InputError, match="promises"):
        read_mesh(data, "claim.ply")


def test_memory_for_a_mesh_is_told_before_it_is_taken() -> None:
    lines = "".join(f"v {i} 0 0\n" for i in range(300_000)) + "f 1 2 3\n"
    with pytest.raises(InputError, match="GiB are allowed"):
        read_mesh(lines.encode(), "big.obj", None, Allowance(10 << 20))

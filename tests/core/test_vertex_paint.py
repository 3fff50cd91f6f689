"""Paint on vertices: layers, relief, and what goes out and comes back."""

from __future__ import annotations

import dataclasses
import io
import json
import struct

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from plyfile import PlyData

from ruvelt.core import Brush, InputError, VertexCanvas, read_mesh
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.target import Paint
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.output._vertex_normal_kernels import LEAN_ONE, LEAN_ZERO
from ruvelt.core.output.display import LiveDisplay
from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.samples.resolutions import side_for
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import ChannelUse, Document, FillLayer
from ruvelt.core.stack.kinds.contents.vertex_colours import VertexContent
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.stroke.touched import Touched
from tests.core.scene import fill_layer, paint_layer, target
from tests.core.test_glb import parts_of, validate
from tests.meshes import globe, model_of


def bare(model: Model) -> Model:
    return dataclasses.replace(model, uv_layouts=())


def sculpt(segments: int = 64, rings: int = 32) -> Model:
    return bare(globe(segments, rings))


def plane_of(n: int) -> Model:
    """A flat grid of n × n vertices in z = 0, 2 units a side."""
    x, y = np.meshgrid(np.linspace(-1, 1, n), np.linspace(-1, 1, n))
    a = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).ravel()
    return bare(
        model_of(np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], 1), np.stack([a, a + 1, a + n + 1, a + n], 1).tolist(), np.zeros((n * n, 2)))
    )


def coloured(model: Model, bits: int = 8, seed: int = 1) -> Model:
    codes = np.random.default_rng(seed).integers(0, 1 << bits, (model.vertex_count, 3))
    colours = np.concatenate([codes / ((1 << bits) - 1), np.ones((len(codes), 1))], axis=1).astype(np.float32)
    return dataclasses.replace(model, vertex_colors=colours)


def colours_layer() -> FillLayer:
    return FillLayer(id="v", name="Vertex colours", channels={"base_color": ChannelUse(content=VertexContent())})


def test_a_stroke_colours_the_vertices_under_it() -> None:
    canvas = VertexCanvas(sculpt(), (paint_layer(), fill_layer("g", {"base_color": (0.2, 0.2, 0.2)})))
    canvas.stroke(
        "p", [(0, 0, 1.0)], {"base_color": (1.0, 0.0, 0.0), "roughness": (0.25,)}, Brush(size=0.4, size_unit="object", hardness=1.0, flow=1.0)
    )
    far = np.linalg.norm(canvas.model.positions - [0, 0, 1], axis=1)
    values = canvas.vertex_values("base_color")
    assert (far < 0.3).sum() > 5
    assert (values[far < 0.3] == [65535, 0, 0]).all()
    assert (values[far > 0.5] == round(0.2 * 65535)).all()
    assert (canvas.vertex_values("roughness")[far < 0.3] == round(0.25 * 65535)).all()


def test_a_mask_of_baked_recesses_works_on_vertices() -> None:
    flat = plane_of(129)
    places = flat.positions.copy()
    places[:, 2] = -0.1 * np.exp(-((places[:, 0] / 0.1) ** 2))
    layers = (fill_layer("w", {"base_color": (1.0, 1.0, 1.0)}), fill_layer("g", {"base_color": (0.0, 0.0, 0.0)}))
    canvas = VertexCanvas(dataclasses.replace(flat, positions=places), layers)
    canvas.bake("curvature")
    canvas.mask(
        "w", Mask.model_validate({"sources": [{"id": "m", "kind": "curvature", "which": "recesses", "low": 0.05, "high": 0.06, "softness": 0.0}]})
    )
    across, inside = np.abs(places[:, 0]), np.abs(places[:, 1]) < 0.8
    values = canvas.vertex_values("base_color")[:, 0]
    assert (values[inside & (across < 0.04)] == 65535).all()
    assert (values[inside & (across > 0.3)] == 0).all()


def test_relief_leans_normals_by_the_slope() -> None:
    """A ramp of height over a plane: every normal leans by the angle whose tangent is the slope."""
    model = plane_of(65)
    canvas = VertexCanvas(model, (paint_layer(),))
    x = model.positions[:, 0]
    heights = np.zeros((2, canvas.samples.slot_count), np.uint16)
    codes = np.rint(32768 + x * 20000).astype(np.uint16)
    heights[0, canvas.samples.slot_of_vertex], heights[1] = codes, 65535
    canvas.put_plane(plane_id("s", "p", "height"), heights)
    lean = (canvas.display.normals(0)[:, canvas.samples.slot_of_vertex].T.astype(np.float64) - LEAN_ZERO) / LEAN_ONE
    slope = 20000 / 32767 * canvas.document.settings.height_range * model.diagonal
    wanted = np.array([-slope, 0, 1]) / np.hypot(slope, 1) - [0, 0, 1]
    assert_allclose(lean, np.tile(wanted, (len(x), 1)), atol=5e-5)


def test_no_relief_is_exactly_none() -> None:
    canvas = VertexCanvas(sculpt(), (fill_layer("g", {"height": (0.4,)}),))
    tile = canvas.display.tile("normal", 0)
    assert (tile[canvas.samples.covered[:65536], :3] == 128).all()


def test_batches_of_a_stroke_leave_the_textures_a_fresh_look_has() -> None:
    """What patches of rows come to is what is drawn from scratch afterwards, relief and neighbours over chunks included."""
    model = sculpt(400, 250)
    canvas = VertexCanvas(model, (paint_layer(), fill_layer("g", {"base_color": (0.5, 0.4, 0.3)})))
    samples = canvas.samples
    assert (samples.chunk_count, canvas.display.side) == (2, 512)
    pictures = {t: [canvas.display.tile(t, c) for c in range(2)] for t in ("colour", "data", "normal")}
    live = canvas.live(target("base_color", "height"), Paint(values={"base_color": (1.0, 0.2, 0.0), "height": (0.5,)}))
    shown = LiveDisplay(canvas.display, live, ("colour", "data", "normal"))
    path = SurfacePath(Brush(size=0.3, size_unit="object"), samples)

    def draw(touched: Touched) -> None:
        for patch in shown.update(touched):
            square = pictures[patch.texture][patch.y // 256 * 2 + patch.x // 256].reshape(256, 256, 4)
            square[patch.y % 256 : patch.y % 256 + patch.height, patch.x % 256 : patch.x % 256 + patch.width] = patch.pixels

    for a in np.linspace(0, 6, 25):
        draw(live.dabs(path.extend([Point((float(np.sin(a)), float(np.cos(3 * a)) * 0.3, float(np.cos(a))))])))
    draw(live.dabs(path.finish()))
    draw(live.settle())
    canvas.keep(live)
    for texture, held in pictures.items():
        for chunk in range(2):
            on = samples.covered[chunk * 65536 : (chunk + 1) * 65536]
            assert_array_equal(held[chunk][on], canvas.display.tile(texture, chunk)[on], err_msg=texture)


@pytest.mark.parametrize("bits", [8, 16])
def test_ply_colours_survive_to_the_code(bits: int, tmp_path) -> None:  # type: ignore[no-untyped-def]
    model = coloured(sculpt(), bits)
    canvas = VertexCanvas(model, (colours_layer(),))
    canvas.export(tmp_path, "vertex-colours", bits=bits, vertex_files=("ply",))
    file = next(tmp_path.glob("*.ply"))
    seen = PlyData.read(io.BytesIO(file.read_bytes()))
    wanted = np.rint(model.vertex_colors[:, :3].astype(np.float64) * ((1 << bits) - 1)).astype(int)  # type: ignore[index]
    assert_array_equal(np.stack([seen["vertex"][c] for c in ("red", "green", "blue")], 1), wanted)
    assert_array_equal(np.stack([seen["vertex"][c] for c in "xyz"], 1), model.positions)
    assert [len(f) for f in seen["face"]["vertex_indices"]] == np.diff(model.face_starts).tolist()
    assert_array_equal(np.concatenate(list(seen["face"]["vertex_indices"])), model.corner_vertex)
    assert_allclose(seen["vertex"]["roughness"], 0.5, atol=1e-4)
    again = VertexCanvas(read_mesh(file.read_bytes(), "again.ply"), (colours_layer(),))
    assert_array_equal(again.vertex_values("base_color"), canvas.vertex_values("base_color"))


@pytest.mark.parametrize("suffix", ["glb", "obj"])
def test_glb_and_obj_colours_survive_to_the_code(suffix: str, tmp_path) -> None:  # type: ignore[no-untyped-def]
    canvas = VertexCanvas(coloured(sculpt(), 16), (colours_layer(),))
    canvas.export(tmp_path, "vertex-colours", vertex_files=(suffix,))
    file = next(tmp_path.glob(f"*.{suffix}"))
    model = read_mesh(file.read_bytes(), file.name)
    again = VertexCanvas(model, (colours_layer(),))
    order = np.arange(model.vertex_count)
    if not np.array_equal(model.positions, canvas.model.positions):
        places = {tuple(p): i for i, p in enumerate(canvas.model.positions.tolist())}
        order = np.array([places[tuple(p)] for p in model.positions.tolist()])
    assert_array_equal(again.vertex_values("base_color"), canvas.vertex_values("base_color")[order])


def test_a_glb_of_vertex_colours_is_valid_and_linear(tmp_path) -> None:  # type: ignore[no-untyped-def]
    canvas = VertexCanvas(sculpt(), (paint_layer(), fill_layer("g", {"base_color": (0.5, 0.0, 1.0), "roughness": (0.3,), "metallic": (0.0,)})))
    canvas.stroke("p", [(0, 0, 1.0)], {"roughness": (0.9,), "height": (0.5,)}, Brush(size=0.4, size_unit="object"))
    canvas.export(tmp_path, "vertex-colours", vertex_files=("glb",))
    glb = next(tmp_path.glob("*.glb")).read_bytes()
    report = validate(glb)
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report
    document, body = parts_of(glb)
    attributes = document["meshes"][0]["primitives"][0]["attributes"]  # type: ignore[index]
    assert set(attributes) == {"POSITION", "NORMAL", "COLOR_0", "_ROUGHNESS", "_HEIGHT"}
    view = document["bufferViews"][document["accessors"][attributes["COLOR_0"]]["bufferView"]]  # type: ignore[index]
    first = struct.unpack_from("<3f", body, view["byteOffset"])
    assert_allclose(first, [0.2140411, 0, 1], atol=2e-5)
    assert document["materials"][0]["pbrMetallicRoughness"]["metallicFactor"] == 0  # type: ignore[index]
    assert json.dumps(document).count("texture") == 0


def test_opacity_goes_out_as_alpha(tmp_path) -> None:  # type: ignore[no-untyped-def]
    canvas = VertexCanvas(sculpt(8, 4), (fill_layer("g", {"base_color": (1.0, 1.0, 1.0), "opacity": (0.2,)}),))
    canvas.export(tmp_path, "vertex-colours", vertex_files=("ply", "glb"))
    ply = PlyData.read(io.BytesIO(next(tmp_path.glob("*.ply")).read_bytes()))
    assert set(ply["vertex"]["alpha"].tolist()) == {51}
    document, _ = parts_of(next(tmp_path.glob("*.glb")).read_bytes())
    assert document["materials"][0]["alphaMode"] == "BLEND"  # type: ignore[index]


def test_maps_of_vertices_are_refused_in_words(tmp_path) -> None:  # type: ignore[no-untyped-def]
    canvas = VertexCanvas(sculpt(8, 4), (paint_layer(),))
    with pytest.raises(InputError, match="no UV layout"):
        canvas.export(tmp_path, "separate-maps")


def test_a_card_shows_vertex_paint() -> None:
    canvas = VertexCanvas(sculpt(), (fill_layer("g", {"base_color": (0.9, 0.1, 0.1), "roughness": (1.0,)}),))
    picture = render(canvas.model, [canvas.display], RayCaster(canvas.model), card_camera(canvas.model, 60, 40))
    middle = picture[20, 30].astype(int)
    assert middle[0] > 2 * middle[1:].max()


def test_neighbours_over_chunks_are_those_of_the_edges() -> None:
    samples = VertexCanvas(sculpt(400, 250)).samples
    edges = np.concatenate([samples.triangles[:, [0, 1]], samples.triangles[:, [1, 2]], samples.triangles[:, [2, 0]]])
    assert samples.chunks_beside(0) == [1]
    marks = np.zeros(256, np.uint8)
    marks[37] = 1
    met = {(int(b) >> 8) for a, b in np.concatenate([edges, edges[:, ::-1]]).tolist() if a >> 8 == 37} | {37}
    found = samples.with_neighbours({0: marks})
    assert {c * 256 + int(i) for c, row in found.items() for i in np.flatnonzero(row)} == met


def test_the_square_that_holds_as_many() -> None:
    assert [side_for(n) for n in (1, 65536, 65537, 3_300_000)] == [256, 256, 512, 2048]
    with pytest.raises(InputError, match="coarser"):
        side_for(8192**2 + 1)


def test_documents_are_stored_as_stacks_over_samples() -> None:
    """Sheets that share layers need no other form: today each stack lies over one set of samples."""
    document = VertexCanvas(sculpt(8, 4), (paint_layer(), fill_layer("g", {"height": (0.1,)}))).document
    text = json.loads(document.to_stored())
    assert [s["id"] for s in text["stacks"]] == [text["sheets"][0]["stack"]] == ["s"]
    assert "layers" not in text["sheets"][0]
    assert Document.from_stored(document.to_stored()) == document
    # As they were stored before, and as they might be once two sheets share a stack.
    assert Document.from_stored(document.model_dump_json()) == document
    text["sheets"].append({**text["sheets"][0], "id": "t", "name": "T", "of": "texels"})
    shared = Document.from_stored(json.dumps(text))
    assert shared.sheets[0].layers == shared.sheets[1].layers == document.sheets[0].layers
    text["sheets"][1]["stack"] = "gone"
    with pytest.raises(ValueError, match="not there"):
        Document.from_stored(json.dumps(text))


def test_colours_of_too_few_vertices_are_told() -> None:
    some = b"v 0 0 0 1 0 0\nv 1 0 0\nv 0 1 0 0 1 0\nf 1 2 3\n"
    model = read_mesh(some, "some.obj")
    assert model.vertex_colors is None
    assert any("only 2 of 3 vertices" in n.text and n.outcome == "left out" for n in model.notes)


def test_own_channels_may_be_called_what_a_file_calls_its_own(tmp_path) -> None:  # type: ignore[no-untyped-def]
    canvas = VertexCanvas(sculpt(8, 4), (fill_layer("g", {"x": (0.25,), "red": (0.75,), "dye": (0.1, 0.2, 0.3)}),))
    own = (Channel(id="x", name="X", kind="data", start=(0.0,)), Channel(id="red", name="Red", kind="data", start=(0.0,)))
    dye = Channel(id="dye", name="Dye", kind="colour", start=(0.0, 0.0, 0.0))
    canvas.document = canvas.document.model_copy(update={"channels": (*canvas.document.channels, *own, dye)})
    canvas.export(tmp_path, "vertex-colours", vertex_files=("ply", "glb"))
    vertices = PlyData.read(io.BytesIO(next(tmp_path.glob("*.ply")).read_bytes()))["vertex"]
    assert_array_equal(vertices["x"], canvas.model.positions[:, 0])
    for name, value in (("x_channel", 0.25), ("red_channel", 0.75), ("dye_r", 0.1), ("dye_g", 0.2), ("dye_b", 0.3)):
        assert_allclose(vertices[name], value, atol=1e-4)
    report = validate(next(tmp_path.glob("*.glb")).read_bytes())
    assert (report["numErrors"], report["numWarnings"]) == (0, 0), report


def uneven(n: int = 121) -> Model:
    """A flat strip of n × 41 vertices in z = 0, ten times as dense at its left end as at its right."""
    along = np.cumsum(np.concatenate([[0], np.geomspace(0.01, 0.1, n - 1)]))
    places = []
    for x, gap in zip(along, np.concatenate([np.diff(along), [0.1]]), strict=True):
        places += [(x, (j - 20) * gap, 0) for j in range(41)]
    a = (np.arange(n - 1)[:, None] * 41 + np.arange(40)).ravel()
    return bare(model_of(np.array(places), np.stack([a, a + 41, a + 42, a + 1], 1).tolist(), np.zeros((n * 41, 2))))


def test_thin_lines_are_whole_whatever_the_density() -> None:
    """A line half a vertex wide along the strip: wherever it goes, the vertices beside it hold it, and no stretch of it is empty or blown up."""
    model = uneven()
    canvas = VertexCanvas(model, (paint_layer(), fill_layer("g", {"base_color": (0.0, 0.0, 0.0)})))
    end = float(model.positions[:, 0].max())
    width = 0.02
    brush = Brush(size=width / end, size_unit="object", hardness=0.9, spacing=0.1)
    # Between two rows of vertices, which is where thin lines fall apart.
    line = [(x, 0.3 * 0.01 * (1 + 9 * x / end), 0.0) for x in np.linspace(0.02, end - 0.1, 200)]
    canvas.stroke("p", line, {"base_color": (1.0, 0.0, 0.0)}, brush)
    cover = canvas.vertex_values("base_color")[:, 0].reshape(121, 41)[4:-4] / 65535
    gap = np.diff(np.unique(model.positions[:, 0]))[4:-3]
    # What each row holds across it is the line's width, and no more rows hold it than must.
    held = cover.sum(axis=1) * gap
    assert_allclose(held, width, rtol=0.13)
    assert (cover > 0.02).sum(axis=1).max() <= 3
    # Where vertices are fine the line is as full as it was asked for.
    assert cover[:6].max(axis=1).min() > 0.9

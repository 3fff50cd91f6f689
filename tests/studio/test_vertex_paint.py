"""A project painted on vertices: brought in, painted, unwrapped beside it, written, opened again."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from plyfile import PlyData, PlyElement

from ruvelt.core import read_mesh
from ruvelt.core.brush.script import parse_script
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.edits import SetSettings
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.cells import cell_pictures, map_pictures
from ruvelt.studio.exports import export_project
from ruvelt.studio.geometry import sheet_facts, viewport_geometry
from ruvelt.studio.laying import flood
from ruvelt.studio.layout import pack, unwrap_model
from ruvelt.studio.levels import set_level
from ruvelt.studio.looking import seen_chunks, unpainted
from ruvelt.studio.probe import probe
from ruvelt.studio.recording import script_since
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import PointerSample, StrokeBegin, StrokeMessage
from ruvelt.studio.studio import Studio
from ruvelt.studio.vertex_paint import add_vertex_paint, remove_vertex_paint
from tests.core.test_vertex_paint import coloured, sculpt
from tests.meshes import cube_obj

CAMERA = Camera(eye=(0, 0, 4), target=(0, 0, 0), fov_deg=40, width=200, height=200)
PAINT = Target(sheet="vertices", layer="l2", channels=("base_color",))
RED = Paint(values={"base_color": (1.0, 0.0, 0.0)})


def ply_of(model) -> bytes:  # type: ignore[no-untyped-def]
    """The model as a PLY with vertex colours, written by plyfile."""
    vertices = np.zeros(model.vertex_count, [("x", "f4"), ("y", "f4"), ("z", "f4"), ("red", "u1"), ("green", "u1"), ("blue", "u1")])
    for i, axis in enumerate("xyz"):
        vertices[axis] = model.positions[:, i]
    for i, name in enumerate(("red", "green", "blue")):
        vertices[name] = np.rint(model.vertex_colors[:, i] * 255)
    faces = np.zeros(model.face_count, [("vertex_indices", "i4", (3,))]) if (np.diff(model.face_starts) == 3).all() else None
    if faces is None:
        faces = np.empty(model.face_count, [("vertex_indices", object)])
        faces["vertex_indices"] = [model.corner_vertex[a:b].astype(np.int32) for a, b in zip(model.face_starts, model.face_starts[1:], strict=False)]
    out = io.BytesIO()
    PlyData([PlyElement.describe(vertices, "vertex"), PlyElement.describe(faces, "face")]).write(out)
    return out.getvalue()


@pytest.fixture
def ball(studio: Studio) -> str:
    return studio.create(ply_of(coloured(sculpt(60, 40))), "ball.ply", name="Ball")


def values(session: Session, channel: str = "base_color") -> np.ndarray:
    display, samples = session.display("vertices"), session.samples(session.sheet("vertices"))
    assert isinstance(samples, VertexSamples)
    whole = np.concatenate([display.evaluator.composite(channel, c) for c in range(samples.chunk_count)], axis=1)
    return whole[:, samples.slot_of_vertex].T


def stroke(studio: Studio, uid: str, *places: tuple[float, float], target: Target = PAINT, paint: Paint = RED) -> None:
    session = studio.session(uid)
    brush = Brush(size=0.3, size_unit="object", hardness=0.9)
    begin = StrokeBegin(revision=session.revision, target=target, brush=brush, paint=paint, camera=CAMERA)
    points = tuple(PointerSample(x=x, y=y, time=i / 60) for i, (x, y) in enumerate(places))
    answer = studio.desk(uid).handle(StrokeMessage(stroke="s", begin=begin, points=points, end=True))
    assert answer.stored
    assert answer.patches


def test_colours_of_the_file_are_a_layer_and_a_stroke_lies_over_them(studio: Studio, ball: str, tmp_path: Path) -> None:
    session = studio.session(ball)
    sheet = session.sheet("vertices")
    assert [layer.name for layer in sheet.layers] == ["Paint", "Vertex colours", "Ground"]
    wanted = np.rint(coloured(sculpt(60, 40)).vertex_colors[:, :3].astype(np.float64) * 255).astype(int) * 257  # type: ignore[index]
    assert_array_equal(values(session), wanted)
    stroke(studio, ball, (90, 100), (110, 100))
    front = np.linalg.norm(session.model.positions - [0, 0, 1], axis=1) < 0.1
    assert_allclose(values(session)[front] / 65535, np.tile([1, 0, 0], (int(front.sum()), 1)), atol=0.02)
    assert session.undo() == "Brush · Paint · Base colour"
    assert_array_equal(values(session), wanted)
    session.redo()
    painted = values(session)
    studio.close()
    again = Studio(tmp_path / "data")
    try:
        assert_array_equal(values(again.session(ball)), painted)
    finally:
        again.close()


def test_what_views_ask_of_vertices(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    model = session.model
    _, blocks = viewport_geometry(session, "vertices")
    samples = session.samples(session.sheet("vertices"))
    rows = np.frombuffer(blocks[0], np.float32).reshape(-1, 6)
    assert_array_equal(rows[:, :3], samples.positions[: model.vertex_count])
    # A smooth ball's normals point outwards.
    assert_allclose(rows[:, 3:], rows[:, :3], atol=0.06)
    triangles = np.frombuffer(blocks[1], np.uint32).reshape(-1, 3)
    assert_array_equal(np.sort(rows[triangles][:, :, :3].reshape(-1, 9), axis=0), np.sort(model.positions[model.triangles].reshape(-1, 9), axis=0))
    assert sheet_facts(session, "vertices")["covered"] == model.vertex_count
    assert seen_chunks(session, "vertices", CAMERA) == [0]
    found = probe(session, CAMERA, "vertices", 100, 100, True)
    assert (found["hit"], found["sheet"]) == (True, "vertices")
    assert set(found["values"]) >= {"base_color", "roughness"}
    assert probe(session, CAMERA, "vertices", 1, 1, True) == {"hit": False}
    with pytest.raises(InputError, match="no UV layout"):
        probe(session, None, "vertices", 10, 10, False)
    stroke(studio, ball, (90, 100), (110, 100))
    assert cell_pictures(session, "vertices")["l2/base_color"].startswith("data:image/png")
    assert unpainted(session, "vertices", "base_color")[0] == 0


def test_fills_bakes_and_masks_work_as_on_sheets(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    flood(session, PAINT, RED, [FacePick(by="face", index=5)], 1.0)
    corners = session.model.corner_vertex[session.model.face_starts[5] : session.model.face_starts[6]]
    mine = np.isin(np.arange(session.model.vertex_count), corners)
    assert ((values(session) == [65535, 0, 0]).all(axis=1) == mine).all()
    told = studio.bakery(ball).bake(BakeRequest(maps=("normal", "occlusion", "position"), source="model"))
    assert told["sheets"] == ["vertices"]
    assert {m.id for m in session.sheet("vertices").mesh_maps} == {"occlusion", "position"}
    assert set(map_pictures(session, "vertices")) == {"occlusion", "position"}
    assert_allclose(values(session, "map:position") / 65535, (session.model.positions + 1) / 2, atol=2e-3)
    with pytest.raises(InputError, match="tangent space"):
        studio.bakery(ball).bake(BakeRequest(maps=("normal",), source="model"))


def test_unwrapping_later_keeps_vertex_paint_and_leaves_untouched_layers_behind(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    stroke(studio, ball, (90, 100), (110, 100))
    before = values(session)
    unwrap_model(session, lambda *told: None, 256)
    assert [s.of for s in session.document.sheets] == ["vertices", "texels"]
    assert_array_equal(values(session), before)
    sheet = session.document.sheets[1]
    # The layout belongs to no pixel yet, whatever vertices hold.
    pack(session, lambda *told: None)
    flood(session, Target(sheet=sheet.id, layer="l2", channels=("base_color",)), RED, None, 1.0)
    assert_array_equal(values(session), before)
    # And once it does, what is painted on either stays.
    pack(session, lambda *told: None)
    assert_array_equal(values(session), before)
    assert (session.display(sheet.id).evaluator.composite("base_color", 0)[:, session.texels(sheet).covered] == [[65535], [0], [0]]).all()
    remove_vertex_paint(session)
    assert [s.of for s in session.document.sheets] == ["texels"]
    session.undo()
    assert_array_equal(values(session), before)


def test_vertex_paint_beside_sheets_is_one_step(studio: Studio) -> None:
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    session = studio.session(uid)
    assert add_vertex_paint(session) == "vertices"
    with pytest.raises(Conflict, match="already"):
        add_vertex_paint(session)
    flood(session, PAINT, RED, None, 1.0)
    assert (values(session) == [65535, 0, 0]).all()
    session.undo()
    session.undo()
    assert session.document.vertices is None


def test_the_last_layers_of_a_project_stay(studio: Studio, ball: str) -> None:
    with pytest.raises(InputError, match="all there is"):
        remove_vertex_paint(studio.session(ball))


def test_exports_of_vertices_and_of_sheets(studio: Studio, ball: str, tmp_path: Path) -> None:
    session = studio.session(ball)
    stroke(studio, ball, (90, 100), (110, 100))
    files = export_project(session, studio.presets.get("vertex-colours"), tmp_path / "out")
    assert [f.name for f in files] == ["Ball_Vertices_colours.ply", "Ball_Vertices_colours.glb", "Ball_Vertices_colours.obj"]
    ply = PlyData.read(str(tmp_path / "out" / "Ball_Vertices_colours.ply"))
    assert_array_equal(np.stack([ply["vertex"][c] for c in ("red", "green", "blue")], 1), (values(session).astype(int) * 255 + 32767) // 65535)
    with pytest.raises(InputError, match="no sheet"):
        export_project(session, studio.presets.get("separate-maps"), tmp_path / "maps")
    assert not (tmp_path / "maps").exists()
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    with pytest.raises(InputError, match="Add vertex paint"):
        export_project(studio.session(uid), studio.presets.get("vertex-colours"), tmp_path / "none")


def test_what_was_painted_replays_as_a_script(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    stroke(studio, ball, (90, 100), (110, 100))
    flood(session, PAINT, Paint(values={"base_color": (0.0, 0.0, 1.0)}), [FacePick(by="face", index=900)], 0.5)
    script = parse_script(script_since(session, 0))
    other = studio.session(studio.create(ply_of(coloured(sculpt(60, 40))), "ball.ply", name="Other"))
    replay(other, script)
    assert_array_equal(values(other), values(session))


def test_a_glb_without_uvs_has_its_colours_once(studio: Studio, ball: str, tmp_path: Path) -> None:
    """glTF's vertex colours multiply; on vertices they are a layer, and multiply nothing beside that."""
    session = studio.session(ball)
    before = values(session)
    export_project(session, studio.presets.get("vertex-colours"), tmp_path / "out")
    data = (tmp_path / "out" / "Ball_Vertices_colours.glb").read_bytes()
    again = studio.session(studio.create(data, "ball.glb", name="Again"))
    assert not again.document.settings.multiply_vertex_colours
    assert_array_equal(values(again), before)


def test_alpha_of_a_ply_is_opacity(studio: Studio) -> None:
    header = b"ply\nformat ascii 1.0\nelement vertex 3\n" + b"".join(b"property float %c\n" % c for c in b"xyz")
    header += b"".join(b"property uchar %s\n" % c for c in (b"red", b"green", b"blue", b"alpha")) + b"element face 1\n"
    header += b"property list uchar int vertex_indices\nend_header\n"
    uid = studio.create(header + b"0 0 0 9 9 9 255\n1 0 0 9 9 9 128\n0 1 0 9 9 9 0\n3 0 1 2\n", "clear.ply", name="Clear")
    session = studio.session(uid)
    assert any("'opacity', as opacity" in n.text for n in session.model.notes)
    found = session.display("vertices").evaluator.composite("opacity", 0)[0, session.samples(session.document.sheets[0]).slot_of_vertex]
    assert_allclose(found / 257, [255, 128, 0], atol=0.01)


def test_a_project_begins_with_finishes_and_refuses_ones_that_are_none(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    finishes = session.document.settings.finishes
    assert {f.id: (f.values["roughness"][0], f.values["metallic"][0]) for f in finishes}["bare-metal"] == (0.32, 1.0)
    mouth = {"id": "mouth", "name": "Wet mouth", "values": {"roughness": [0.04], "gone": [1.0]}}
    session.edit(SetSettings(values={"finishes": [mouth]}), "Keep a finish")
    assert session.document.settings.finishes[0].name == "Wet mouth"
    for values, match in (({"roughness": [2.0]}, "less than or equal to 1"), ({"roughness": [0.1, 0.2, 0.3]}, "takes one number"), ({}, "finishes")):
        with pytest.raises(InputError, match=match):
            session.edit(SetSettings(values={"finishes": [{**mouth, "values": values}]}), "Keep a finish")
    with pytest.raises(InputError, match="Two finishes"):
        session.edit(SetSettings(values={"finishes": [mouth, mouth]}), "Keep a finish")


def with_fields(model, **fields) -> bytes:  # type: ignore[no-untyped-def]
    """The model as a PLY with more properties of its vertices."""
    ply = PlyData.read(io.BytesIO(ply_of(model)))
    old = ply["vertex"].data
    rows = np.zeros(len(old), [*((n, old.dtype[n]) for n in old.dtype.names), *((n, v.dtype) for n, v in fields.items())])
    for name in old.dtype.names:
        rows[name] = old[name]
    for name, values in fields.items():
        rows[name] = values
    out = io.BytesIO()
    PlyData([PlyElement.describe(rows, "vertex"), ply["face"]]).write(out)
    return out.getvalue()


def test_numbers_of_a_ply_come_in_and_go_out_to_the_code(studio: Studio, tmp_path: Path) -> None:
    model = coloured(sculpt(24, 12))
    dice = np.random.default_rng(4)
    codes = {name: dice.integers(0, 65536, model.vertex_count) for name in ("roughness", "wetness", "dye_r", "dye_g", "dye_b")}
    fields = {name: (values / 65535).astype(np.float32) for name, values in codes.items()}
    fields["height"] = (dice.integers(-32767, 32768, model.vertex_count) / 32767).astype(np.float32)
    alpha = dice.integers(0, 256, model.vertex_count).astype(np.uint8)
    sixteen = studio.presets.get("vertex-colours").model_copy(update={"bits": 16, "vertex_files": ("ply",)})
    loose = np.full(model.vertex_count, 7.5, np.float32)
    uid = studio.create(with_fields(model, **fields, alpha=alpha, confidence=loose), "ball.ply", name="Ball")
    session = studio.session(uid)
    assert [c.id for c in session.document.channels][-2:] == ["wetness", "dye"]
    layer = session.document.sheets[0].layers[1]
    assert (layer.name, set(layer.channels)) == ("Values of vertices", {"base_color", "roughness", "height", "wetness", "dye", "opacity"})
    told = {n.text.split("'")[1]: n.outcome for n in session.model.notes if "Numbers" in n.text}
    assert (told["confidence"], told["wetness"], told["height"]) == ("left out", "kept", "kept")
    export_project(session, sixteen, tmp_path / "a")
    got = PlyData.read(next((tmp_path / "a").glob("*.ply")).open("rb"))["vertex"]
    for name in codes:
        assert_array_equal(np.rint(got[name].astype(np.float64) * 65535), codes[name], name)
    assert_array_equal(got["height"], fields["height"])
    assert_array_equal(got["alpha"] // 257, alpha)
    # And once more through what was written.
    again = studio.create(next((tmp_path / "a").glob("*.ply")).read_bytes(), "again.ply", name="Again")
    session = studio.session(again)
    export_project(session, sixteen, tmp_path / "b")
    once = PlyData.read(next((tmp_path / "b").glob("*.ply")).open("rb"))["vertex"]
    assert all(np.array_equal(once[n], got[n]) for n in got.data.dtype.names)


def test_numbers_lie_on_sheets_and_levels_too(studio: Studio) -> None:
    """Of a linear field every place between vertices is known: the field itself."""
    model = coloured(sculpt(48, 24))
    uid = studio.create(with_fields(model, wetness=((model.positions[:, 1] + 2) / 4).astype(np.float32)), "ball.ply", name="Ball")
    session = studio.session(uid)
    set_level(session, "vertices", 1, subdivision="simple")
    samples = session.samples(session.document.sheets[0])
    found = session.display("vertices").evaluator.composite("wetness", 0)[0, : samples.model.vertex_count]
    assert_allclose(found / 65535, (samples.positions[: len(found), 1] + 2) / 4, atol=2e-5)
    set_level(session, "vertices", 0)
    unwrap_model(session, lambda *_: None, 256)
    sheet = session.document.textured[0]
    texels = session.texels(sheet)
    found = session.display(sheet.id).evaluator.composite("wetness", 0)[0]
    assert_allclose(found[texels.covered] / 65535, (texels.positions[texels.covered, 1] + 2) / 4, atol=1e-3)


@pytest.mark.parametrize("order", ["<", ">"])
def test_faces_alike_and_mixed_read_the_same(studio: Studio, order: str) -> None:
    """Meshes of equal faces take another path through the reader; one more face of five corners sends them along the usual one."""
    model = coloured(sculpt(16, 8))
    quads = [model.corner_vertex[a:b] for a, b in zip(model.face_starts, model.face_starts[1:], strict=False) if b - a == 4]
    for faces in (quads, [*quads, np.arange(5)], [q[:3] for q in quads]):
        rows = np.empty(len(faces), [("vertex_indices", object)])
        rows["vertex_indices"] = [np.asarray(f, np.int32) for f in faces]
        vertex = PlyData.read(io.BytesIO(ply_of(model)))["vertex"]
        out = io.BytesIO()
        PlyData([vertex, PlyElement.describe(rows, "face")], byte_order=order).write(out)
        found = read_mesh(out.getvalue(), "x.ply")
        assert_array_equal(found.corner_vertex, np.concatenate(faces))
        assert_array_equal(np.diff(found.face_starts), [len(f) for f in faces])
        for cut in (len(out.getvalue()) - 7, len(out.getvalue()) // 2):
            with pytest.raises(InputError):
                read_mesh(out.getvalue()[:cut], "x.ply")


def test_vertices_of_one_part_beside_the_sheet_of_another(studio: Studio) -> None:
    """Two boxes, one of them without UVs: its vertices are painted, and the picture of the whole has both."""
    box = cube_obj().decode()
    first = box.replace("f ", "g body\nf ", 1) if "\ng " not in box and "\no " not in box else box
    count = sum(line.startswith("v ") for line in box.splitlines())
    other = []
    for line in box.splitlines():
        words = line.split()
        if words[:1] == ["v"]:
            other.append(f"v {float(words[1]) + 3} {words[2]} {words[3]}")
        elif words[:1] == ["f"]:
            other.append("f " + " ".join(str(int(w.split("/")[0]) + count) for w in words[1:]))
    uid = studio.create((first + "\no eye\n" + "\n".join(other) + "\n").encode(), "both.obj", name="Both", resolution=256)
    session = studio.session(uid)
    eye = list(session.model.parts).index("eye")
    with pytest.raises(InputError, match="counted from 0"):
        add_vertex_paint(session, parts=(7,))
    assert add_vertex_paint(session, parts=(eye,)) == "vertices"
    mine, samples = session.sheet("vertices"), session.samples(session.sheet("vertices"))
    assert mine.parts == (eye,)
    assert (samples.covered_count, samples.positions[samples.covered][:, 0].min()) == (count, pytest.approx(2.5, abs=0.6))
    assert set(session.model.face_part[samples.face[samples.covered]].tolist()) == {eye}
    header, _ = viewport_geometry(session, "vertices")
    assert [r["part"] for r in header["parts"]] == [eye]
    flood(session, PAINT, RED, None, 1.0)
    found = session.display("vertices").evaluator.composite("base_color", 0)
    assert (found[0, samples.covered] == 65535).all()
    # An undo takes them away, and all parts together are the whole.
    session.undo()
    session.undo()
    assert session.document.vertices is None
    add_vertex_paint(session, parts=range(len(session.model.parts)))
    assert session.sheet("vertices").parts == ()

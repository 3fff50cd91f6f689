"""The `ruvelt` command as a person at a shell uses it."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner, Result
from PIL import Image
from plyfile import PlyData

from ruvelt.cli.main import main
from tests.gltf_files import noise_png
from tests.meshes import CUBE_MTL, cube_obj
from tests.studio.test_bakes import grown_cube


def ruvelt(data: Path, *words: str) -> Result:
    return CliRunner().invoke(main, [*words, "--data", str(data)])


def told(result: Result) -> dict[str, object]:
    assert result.exit_code == 0, result.output
    return dict(json.loads(result.stdout))


@pytest.fixture
def mesh(tmp_path: Path) -> Path:
    (tmp_path / "cube.obj").write_bytes(cube_obj())
    (tmp_path / "cube.mtl").write_bytes(CUBE_MTL)
    return tmp_path / "cube.obj"


def test_from_mesh_to_maps(tmp_path: Path, mesh: Path) -> None:
    data = tmp_path / "data"
    made = told(ruvelt(data, "import", str(mesh), "--name", "Crate", "--resolution", "256", "--json"))
    assert made["faces"] == 6
    assert [s["name"] for s in made["sheets"]] == ["Wood", "Iron"]  # type: ignore[attr-defined]
    script = tmp_path / "s.json"
    script.write_text(
        json.dumps(
            {
                "format": "ruvelt-strokes",
                "version": 1,
                "steps": [
                    {"do": "target", "sheet": "Wood", "layer": "Paint", "channels": ["base_color"]},
                    {"do": "paint", "paint": {"values": {"base_color": [0, 0, 1]}}},
                    {"do": "brush", "brush": {"size": 0.3, "size_unit": "object", "hardness": 0.9, "flow": 1}},
                    {"do": "stroke", "surface": [[0, 0, 1], [0.2, 0, 1]]},
                ],
            }
        )
    )
    assert told(ruvelt(data, "replay", "Crate", str(script), "--json"))["strokes"] == 1
    info = told(ruvelt(data, "info", str(made["project"]), "--json"))
    assert (info["history"], info["layers"]) == (1, 4)
    assert info["channels"][:2] == ["base_color", "roughness"]  # type: ignore[index]
    out = tmp_path / "maps"
    exported = told(ruvelt(data, "export", "Crate", "--preset", "separate-maps", "--all-maps", "--out", str(out), "--json"))
    assert len(exported["files"]) == 16  # type: ignore[arg-type]
    picture = np.asarray(Image.open(out / "Crate_Wood_base_color.png"))
    assert (picture == [0, 0, 255]).all(axis=2).sum() > 100
    again = tmp_path / "again"
    ruvelt(data, "export", "Crate", "--preset", "separate-maps", "--all-maps", "--out", str(again))
    for file in out.iterdir():
        assert file.read_bytes() == (again / file.name).read_bytes()
    text = ruvelt(data, "info", "Crate")
    assert "history: 1" in text.stdout


def test_pictures_beside_a_mesh_come_along_and_nothing_else_is_read(tmp_path: Path) -> None:
    folder = tmp_path / "work"
    (folder / "maps").mkdir(parents=True)
    pixels, data = noise_png(256, 3)
    (folder / "maps" / "old wood.png").write_bytes(data)
    (tmp_path / "secret.png").write_bytes(data)
    (folder / "plate.mtl").write_text("newmtl paint\nmap_Kd maps/old wood.png\nmap_Pr ../secret.png\n")
    (folder / "plate.obj").write_text("mtllib plate.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl paint\nf 1/1 2/2 3/3\n")
    data_folder = tmp_path / "data"
    made = told(ruvelt(data_folder, "import", str(folder / "plate.obj"), "--json"))
    assert made["sheets"][0]["resolution"] == 256  # type: ignore[index]
    notes = {(n["about"], n["outcome"]): n["text"] for n in made["notes"]}  # type: ignore[attr-defined]
    assert notes["paint", "kept"] == "'old wood.png' (256 × 256) as base colour."
    assert "'secret.png' did not come along" in notes["paint", "left out"]
    assert notes["plate", "kept"] == "1 face, with one UV set."
    out = tmp_path / "maps"
    told(ruvelt(data_folder, "export", "plate", "--preset", "flat-colour", "--out", str(out), "--json"))
    written = np.asarray(Image.open(out / "plate_paint_base_color.png"))
    inside = np.add.outer(np.arange(256), np.arange(256)) >= 255
    assert (written[inside] == pixels[inside]).all()


def test_unwrap_on_the_command_line(tmp_path: Path) -> None:
    (tmp_path / "bare.obj").write_text("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n")
    data = tmp_path / "data"
    assert told(ruvelt(data, "import", str(tmp_path / "bare.obj"), "--json"))["sheets"][0]["id"] == "vertices"
    made = told(ruvelt(data, "unwrap", "bare", "--resolution", "512", "--json"))
    assert [(s["resolution"], s["islands"]) for s in made["sheets"]] == [(512, 1)]  # type: ignore[attr-defined]
    assert ruvelt(data, "unwrap", "nothing").exit_code == 2
    two = ["import", str(tmp_path / "bare.obj"), "--uv-set", "1"]
    assert "no UV set 1" in ruvelt(data, *two).output


def test_vertex_paint_on_the_command_line(tmp_path: Path) -> None:
    """A model without UVs comes in, is painted by a script, gets a level, and goes out with its colours."""
    (tmp_path / "tile.obj").write_text("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n")
    data = tmp_path / "data"
    told(ruvelt(data, "import", str(tmp_path / "tile.obj"), "--json"))
    script = {
        "format": "ruvelt-strokes",
        "version": 1,
        "steps": [
            {"do": "target", "sheet": "vertices", "layer": "Paint", "channels": ["base_color"]},
            {"do": "paint", "paint": {"values": {"base_color": [1.0, 0.0, 0.0]}}},
            {"do": "flood"},
        ],
    }
    (tmp_path / "red.json").write_text(json.dumps(script))
    made = ruvelt(data, "replay", "tile", str(tmp_path / "red.json"), "--json")
    assert made.exit_code == 0, made.output
    told(ruvelt(data, "unwrap", "tile", "--resolution", "256", "--json"))
    gone = told(ruvelt(data, "transfer", "tile", "--from", "vertices", "--to", "default", "--json"))
    assert (gone["from"], gone["to"]) == (4, told(ruvelt(data, "info", "tile", "--json"))["sheets"][1]["covered"])  # type: ignore[index]
    assert "one of each" in ruvelt(data, "transfer", "tile", "--from", "vertices", "--to", "vertices").output
    level = told(ruvelt(data, "level", "tile", "2", "--simple", "--json"))
    assert (level["level"], level["faces"], level["covered"]) == (2, 16, 25)
    assert "no level 9" in ruvelt(data, "level", "tile", "9").output
    out = tmp_path / "out"
    files = told(ruvelt(data, "export", "tile", "--preset", "vertex-colours", "--format", "ply", "--out", str(out), "--json"))["files"]
    assert [f["name"] for f in files] == ["tile_Vertices_colours.ply"]  # type: ignore[index]
    ply = PlyData.read(str(out / "tile_Vertices_colours.ply"))
    assert len(ply["face"]) == 16
    assert set(zip(*(ply["vertex"][c].tolist() for c in ("red", "green", "blue")), strict=True)) == {(255, 0, 0)}


def test_vertex_paint_beside_sheets_on_the_command_line(tmp_path: Path, mesh: Path) -> None:
    data = tmp_path / "data"
    told(ruvelt(data, "import", str(mesh), "--resolution", "256", "--name", "Crate", "--json"))
    assert "no vertex paint" in ruvelt(data, "level", "Crate", "1").output
    assert told(ruvelt(data, "vertex-paint", "Crate", "--json"))["sheet"] == "vertices"
    assert ruvelt(data, "vertex-paint", "Crate").exit_code == 2


@pytest.mark.parametrize(
    ("words", "match"),
    [
        (["import", "nothing.obj"], "no file"),
        (["import", "MESH", "--resolution", "5"], "5 texels"),
        (["info", "Barrel"], "no project 'Barrel'"),
        (["replay", "Barrel", "MESH"], "is not JSON"),
        (["export", "Barrel", "--out", "x"], "no project"),
        (["import", "MESH", "--sheets", "colours"], "Invalid value"),
        (["explode"], "No such command"),
    ],
)
def test_errors_exit_with_2(tmp_path: Path, mesh: Path, words: list[str], match: str) -> None:
    result = ruvelt(tmp_path / "data", *[str(mesh) if w == "MESH" else w for w in words])
    assert result.exit_code == 2
    assert match in result.output
    assert "Traceback" not in result.output


def test_errors_in_json(tmp_path: Path) -> None:
    result = ruvelt(tmp_path / "data", "info", "Barrel", "--json")
    assert (result.exit_code, json.loads(result.stdout)) == (2, {"error": "There is no project 'Barrel'."})


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


def test_serve_listens_on_this_machine_only_and_stops(tmp_path: Path) -> None:
    port = free_port()
    command = [sys.executable, "-m", "ruvelt.cli.main", "serve", "--data", str(tmp_path), "--port", str(port), "--json"]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"})
    try:
        assert process.stdout is not None
        assert json.loads(process.stdout.readline())["url"] == f"http://127.0.0.1:{port}"
        for _ in range(50):
            try:
                answer = urllib.request.urlopen(f"http://127.0.0.1:{port}/api/projects", timeout=5)
                break
            except OSError:
                time.sleep(0.1)
        assert json.load(answer) == {"projects": []}
        listening = Path("/proc/net/tcp").read_text()
        assert f"0100007F:{port:04X}" in listening
        assert f"00000000:{port:04X}" not in listening
        taken = CliRunner().invoke(main, ["serve", "--data", str(tmp_path), "--port", str(port)])
        assert taken.exit_code == 2
        assert "Choose another with --port" in taken.output
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(10) == 0


def test_bake_from_the_command_line(tmp_path: Path, mesh: Path) -> None:
    data = tmp_path / "data"
    made = told(ruvelt(data, "import", str(mesh), "--name", "Crate", "--resolution", "256", "--json"))
    (tmp_path / "high.obj").write_bytes(grown_cube(1.01))
    answer = told(
        ruvelt(data, "bake", "Crate", "--maps", "height,occlusion", "--high", str(tmp_path / "high.obj"), "--rays", "8", "--antialias", "2", "--json")
    )
    assert answer["project"] == made["project"]
    assert answer["maps"] == ["height", "occlusion"]
    assert answer["suspects"] == []
    # One step for the high mesh, one for the bake.
    assert answer["history"] == 2
    facts = told(ruvelt(data, "info", "Crate", "--json"))
    assert facts["mesh_maps"] == {"wood": ["occlusion", "height", "suspects"], "iron": ["occlusion", "height", "suspects"]}
    assert facts["high_meshes"] == ["high"]
    # The baked occlusion is in the exported map set: open outside, so white wherever the model is.
    out = tmp_path / "maps"
    files = told(ruvelt(data, "export", "Crate", "--preset", "packed-orm", "--out", str(out), "--json"))["files"]
    orm = next(f["name"] for f in files if f["sheet"] == "Wood" and f["map"] == "orm")  # type: ignore[attr-defined]
    picture = np.asarray(Image.open(out / orm))
    assert picture[200, 30, 0] == 255


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("--maps", "sheen"), "no mesh map 'sheen'"),
        (("--maps", "occlusion", "--rays", "0"), "settings.rays is wrong"),
        (("--maps", "occlusion", "--settings", "[1]"), "not a JSON object"),
        (("--maps", "occlusion", "--settings", '{"front": 9}'), "settings.front is wrong"),
        (("--maps", "occlusion", "--settings", '{"shine": 1}'), "settings.shine is wrong"),
        (("--maps", "occlusion", "--high", "nowhere.obj"), "no file 'nowhere.obj'"),
        (("--maps", "thickness", "--source", "normal-map"), "says nothing about Thickness"),
        (("--maps", "curvature", "--source", "normal-map"), "no normal map"),
        (("--maps", "occlusion", "--sheet", "roof"), "no sheet 'roof'"),
    ],
)
def test_wrong_bakes_exit_with_2(tmp_path: Path, mesh: Path, words: tuple[str, ...], says: str) -> None:
    data = tmp_path / "data"
    told(ruvelt(data, "import", str(mesh), "--name", "Crate", "--resolution", "256", "--json"))
    result = ruvelt(data, "bake", "Crate", *words)
    assert result.exit_code == 2
    assert says in result.output
    assert told(ruvelt(data, "info", "Crate", "--json"))["history"] == 0


# -- two programs on one data folder ----------------------------------------------------------------------------------------------


def serving(data: Path, port: int) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "ruvelt.cli.main", "serve", "--data", str(data), "--port", str(port)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"})
    assert process.stdout is not None
    assert f":{port}" in process.stdout.readline()
    return process


def asked(port: int, path: str, body: object = None) -> tuple[int, dict[str, object]]:
    data = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(f"http://127.0.0.1:{port}/api{path}", data, {"Content-Type": "application/json"} if data else {})
    try:
        with urllib.request.urlopen(request) as answer:
            return answer.status, dict(json.load(answer))
    except urllib.error.HTTPError as error:
        return error.code, dict(json.load(error))


def test_a_command_and_a_second_server_are_told_who_holds_a_project(tmp_path: Path, mesh: Path) -> None:
    """What one has acknowledged no other overwrites; a killed one holds nothing."""
    data = tmp_path / "data"
    uid = str(told(ruvelt(data, "import", str(mesh), "--name", "Crate", "--resolution", "256", "--json"))["project"])
    script = tmp_path / "s.json"
    steps = [{"do": "target", "sheet": "Wood", "layer": "Paint"}, {"do": "paint", "paint": {"values": {"base_color": [0, 0, 1]}}}, {"do": "flood"}]
    script.write_text(json.dumps({"format": "ruvelt-strokes", "version": 1, "steps": steps}))
    ports = [free_port(), free_port()]
    first, second = (serving(data, port) for port in ports)
    try:
        flood = {
            "revision": 1,
            "target": {"sheet": "wood", "layer": "l2", "channels": ["base_color"]},
            "paint": {"values": {"base_color": [1, 0, 0]}},
        }
        assert asked(ports[0], f"/projects/{uid}/flood", flood)[0] == 200
        status, answer = asked(ports[1], f"/projects/{uid}/flood", flood)
        assert status == 409
        assert f"http://127.0.0.1:{ports[0]} (process {first.pid})" in str(answer["error"])
        assert asked(ports[1], "/projects")[1]["projects"][0]["revision"] == 2  # type: ignore[index]
        result = ruvelt(data, "replay", "Crate", str(script))
        assert result.exit_code == 2
        assert f"127.0.0.1:{ports[0]}" in result.stderr
        assert "stop that first" in result.stderr
        first.send_signal(signal.SIGKILL)
        first.wait(10)
        assert asked(ports[1], f"/projects/{uid}/flood", {**flood, "revision": 2})[0] == 200
    finally:
        for server in (first, second):
            server.terminate()
            server.wait(15)
    assert told(ruvelt(data, "info", "Crate", "--json"))["history"] == 2
    assert told(ruvelt(data, "replay", "Crate", str(script), "--json"))["history"] == 3


def test_a_layout_and_a_mesh_under_paint_on_the_command_line(tmp_path: Path) -> None:
    """Painted on vertices, taken flat to a sheet, grouped by colour, then swapped for the same tile cut in two and for one far away."""
    (tmp_path / "tile.obj").write_text("v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\nf 1 2 3 4\nf 2 5 6 3\n")
    data = tmp_path / "data"
    told(ruvelt(data, "import", str(tmp_path / "tile.obj"), "--json"))
    steps = [
        {"do": "target", "sheet": "vertices", "layer": "Paint", "channels": ["base_color"]},
        {"do": "paint", "paint": {"values": {"base_color": [1.0, 0.0, 0.0]}}},
        {"do": "flood"},
    ]
    (tmp_path / "red.json").write_text(json.dumps({"format": "ruvelt-strokes", "version": 1, "steps": steps}))
    assert ruvelt(data, "replay", "tile", str(tmp_path / "red.json"), "--json").exit_code == 0
    told(ruvelt(data, "unwrap", "tile", "--resolution", "256", "--json"))
    measured = told(ruvelt(data, "transfer", "tile", "--from", "vertices", "--to", "default", "--measure", "--json"))
    assert (measured["share"], measured["worst"]) == (0.0, 0.0)
    told(ruvelt(data, "transfer", "tile", "--from", "vertices", "--to", "default", "--flat", "--json"))
    groups = told(ruvelt(data, "colour-groups", "tile", "--sheet", "default", "--colour", "#ff0000", "--json"))["groups"]
    assert groups == [{"name": "Colour #ff0000", "faces": 2}]
    assert "is no colour" in ruvelt(data, "colour-groups", "tile", "--sheet", "default", "--colour", "red").output
    cut = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\n"
    cut += "".join(f"vt {u} {v}\n" for u, v in ((0.1, 0.1), (0.5, 0.1), (0.5, 0.5), (0.1, 0.5), (0.9, 0.1), (0.9, 0.5)))
    cut += "f 1/1 2/2 3/3\nf 1/1 3/3 4/4\nf 2/2 5/5 6/6\nf 2/2 6/6 3/3\n"
    (tmp_path / "cut.obj").write_text(cut)
    swapped = told(ruvelt(data, "swap", "tile", str(tmp_path / "cut.obj"), "--json"))
    assert (swapped["relation"], swapped["lost"]) == ("shape", {})
    out = tmp_path / "out"
    told(ruvelt(data, "export", "tile", "--preset", "flat-colour", "--out", str(out), "--json"))
    picture = np.asarray(Image.open(next(out.glob("*.png"))).convert("RGB"))[256 * 6 // 10 : 256 * 8 // 10, 40:220]
    assert (picture == [255, 0, 0]).all()
    far = cut.replace("v 0 ", "v 90 ").replace("v 1 ", "v 91 ").replace("v 2 ", "v 92 ").replace("f 1/1 2/2 3/3\n", "")
    (tmp_path / "far.obj").write_text(far)
    assert "same size, place and axes" in ruvelt(data, "swap", "tile", str(tmp_path / "far.obj")).output
    assert "has no UV set 5" in ruvelt(data, "uv-set", "tile", "5").output
    assert "no file" in ruvelt(data, "swap", "tile", str(tmp_path / "none.obj")).output


EDITOR = Path(__file__).parents[2] / "tools" / "simulated_editor.py"


def test_colour_work_by_commands_alone(mesh: Path, tmp_path: Path) -> None:
    """An adjustment with a range and its number changed, variants exported together, a map out and back."""
    data = tmp_path / "data"
    uid = str(told(ruvelt(data, "import", str(mesh), "--name", "Crate", "--resolution", "256", "--json"))["project"])
    sheet = str(told(ruvelt(data, "info", "Crate", "--json"))["sheets"][0]["id"])  # type: ignore[index]
    made = told(ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--settings", '{"kind": "hsv", "value": -0.5}', "--json"))
    layer = str(made["layer"])
    ranged = told(ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--layer", layer, "--range", "#bbaa99", "--settings", '{"hue": 40}', "--json"))
    again = told(ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--layer", layer, "--range", "#bbaa99", "--settings", '{"hue": 90}',
                        "--tolerance", "0.2", "--json"))  # fmt: skip
    assert [r["adjust"]["hue"] for r in ranged["ranges"]] == [40]  # type: ignore[index, attr-defined]
    assert [(r["adjust"]["hue"], r["tolerance"]) for r in again["ranges"]] == [(90, 0.2)]  # type: ignore[index, attr-defined]
    assert again["adjust"]["value"] == -0.5  # type: ignore[index]
    assert ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--settings", "hue").exit_code == 2
    assert ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--settings", '{"kind": "wish"}').exit_code == 2
    assert "no colour" in ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--range", "red").stderr
    told(ruvelt(data, "variants", "Crate", "--add", "Dark", "--add", "Light", "--role", "Hull=#102030", "--json"))
    shown = told(ruvelt(data, "variants", "Crate", "--show", "v1", "--role", "Hull=#ffffff", "--json"))
    assert (shown["showing"], [v["id"] for v in shown["variants"]]) == ("v1", ["v1", "v2"])  # type: ignore[attr-defined]
    told(ruvelt(data, "adjust", "Crate", "--sheet", sheet, "--layer", layer, "--settings", '{"value": -0.9}', "--json"))
    listed = told(ruvelt(data, "variants", "Crate", "--show", "base", "--json"))
    assert [v["changes"] for v in listed["variants"]] == [1, 0]  # type: ignore[attr-defined]
    out = tmp_path / "maps"
    told(ruvelt(data, "export", "Crate", "--out", str(out), "--sheet", sheet, "--variant", "base", "--variant", "v1", "--variant", "v2", "--json"))
    names = sorted(f.name for f in out.iterdir())
    assert [n for n in names if "base_color" in n] == [n for n in names if n.endswith(("_color_base.png", "_color_Dark.png", "_color.png"))]
    assert sum("roughness" in n for n in names) == 1
    assert ruvelt(data, "export", "Crate", "--out", str(out), "--variant", "v9").exit_code == 2
    alone = told(ruvelt(data, "variants", "Crate", "--as-project", "v1", "--name", "Dark crate", "--json"))
    assert told(ruvelt(data, "info", str(alone["made"]), "--json"))["name"] == "Dark crate"

    away = tmp_path / "away"
    sent = told(ruvelt(data, "take-out", "Crate", "--sheet", sheet, "--folder", str(away), "--json"))
    assert told(ruvelt(data, "bring-back", "Crate", "--folder", str(away), "--json"))["back"] == []
    subprocess.run([sys.executable, str(EDITOR), str(sent["file"]), "--square", "0", "0", "256", "256", "--colour", "0", "1", "0"], check=True)
    looked = told(ruvelt(data, "bring-back", "Crate", "--folder", str(away), "--look", "--json"))["back"][0]  # type: ignore[index]
    assert looked["changed"] == looked["covered"] > 1000
    landed = told(ruvelt(data, "bring-back", "Crate", "--folder", str(away), "--json"))["back"][0]  # type: ignore[index]
    assert landed["layer"]
    assert told(ruvelt(data, "merge-down", "Crate", "--sheet", sheet, "--layer", str(landed["layer"]), "--json"))["layer"]
    again_out = tmp_path / "again"
    told(ruvelt(data, "export", uid, "--out", str(again_out), "--sheet", sheet, "--map", "base_color", "--json"))
    picture = np.asarray(Image.open(next(again_out.glob("*.png"))))
    assert (picture.reshape(-1, 3) == [0, 255, 0]).all(axis=1).mean() > 0.25
    # A watched folder lays what is saved while it waits.
    waiting = subprocess.Popen(
        [sys.executable, "-m", "ruvelt.cli.main", "bring-back", "Crate", "--folder", str(away), "--watch", "8", "--json", "--data", str(data)],
        stdout=subprocess.PIPE,
        text=True,
    )
    time.sleep(3)
    subprocess.run([sys.executable, str(EDITOR), str(sent["file"]), "--square", "0", "0", "99", "99", "--colour", "0", "0", "1"], check=True)
    answer, _ = waiting.communicate(timeout=60)
    assert [b["trip"] for b in json.loads(answer)["back"]] == [sent["trip"]]

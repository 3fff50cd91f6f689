"""Exports, presets and checks at a shell: every format, the last export again, and exit codes for pipelines."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from ruvelt.core.output.asset import asset_writers
from ruvelt.core.output.writer import writers
from tests.cli.test_cli import ruvelt, told
from tests.meshes import CUBE_MTL, cube_obj


@pytest.fixture
def data(tmp_path: Path) -> Path:
    (tmp_path / "cube.obj").write_bytes(cube_obj())
    (tmp_path / "cube.mtl").write_bytes(CUBE_MTL)
    told(ruvelt(tmp_path / "data", "import", str(tmp_path / "cube.obj"), "--name", "Crate", "--resolution", "256", "--json"))
    return tmp_path / "data"


def test_every_format_and_asset_from_one_command(data: Path, tmp_path: Path) -> None:
    words = [w for f in writers() for w in ("--format", f)] + [w for a in asset_writers() for w in ("--asset", a)]
    made = told(ruvelt(data, "export", "Crate", "--out", str(tmp_path / "out"), *words, "--json"))
    assert {Path(str(e["out"])).name for e in made["exports"]} == set(writers())  # type: ignore[attr-defined]
    for file_format in writers():
        folder = tmp_path / "out" / file_format
        assert {f["kind"] for f in json.loads((folder / "listing.json").read_text())["files"]} >= {file_format, "glb", "usda", "mtlx"}
    # What no layer says anything in is left out, unless it is asked for.
    names = {f["map"] for f in made["files"]}  # type: ignore[attr-defined]
    assert "emission" not in names
    made = told(ruvelt(data, "export", "Crate", "--out", str(tmp_path / "all"), "--all-maps", "--json"))
    assert "emission" in {f["map"] for f in made["files"]}  # type: ignore[attr-defined]


def test_the_last_export_again(data: Path, tmp_path: Path) -> None:
    assert "Nothing was exported of this project yet" in ruvelt(data, "export", "Crate", "--last", "--json").output
    assert "Give a folder with --out" in ruvelt(data, "export", "Crate", "--json").output
    first = told(ruvelt(data, "export", "Crate", "--preset", "packed-orm", "--out", str(tmp_path / "out"), "--json"))
    assert first["changed"] == len(first["files"])  # type: ignore[arg-type]
    again = told(ruvelt(data, "export", "Crate", "--last", "--json"))
    assert again["changed"] == 0
    assert again["files"] == first["files"]
    (tmp_path / "out" / "Crate_Wood_orm.png").write_bytes(b"someone else's")
    refused = ruvelt(data, "export", "Crate", "--last", "--json")
    assert refused.exit_code == 2
    assert "was changed since" in json.loads(refused.output)["error"]
    assert told(ruvelt(data, "export", "Crate", "--last", "--over", "--json"))["files"] == first["files"]


def test_presets_go_out_and_come_in_as_files(data: Path, tmp_path: Path) -> None:
    preset = told(ruvelt(data, "presets", "--show", "mobile", "--json"))
    preset |= {"id": "mine", "name": "Mine"}
    (tmp_path / "mine.json").write_text(json.dumps(preset))
    assert {"id": "mine", "name": "Mine"} in told(ruvelt(data, "presets", "--import", str(tmp_path / "mine.json"), "--json"))["presets"]  # type: ignore[operator]
    made = told(ruvelt(data, "export", "Crate", "--preset", str(tmp_path / "mine.json"), "--out", str(tmp_path / "out"), "--json"))
    assert made["preset"] == "mine"
    told(ruvelt(data, "presets", "--delete", "mine", "--json"))
    preset["maps"][0]["components"] = ["no such thing"]  # type: ignore[index]
    (tmp_path / "mine.json").write_text(json.dumps(preset))
    refused = ruvelt(data, "presets", "--import", str(tmp_path / "mine.json"), "--json")
    assert refused.exit_code == 2
    assert "is no export preset" in json.loads(refused.output)["error"]
    (tmp_path / "mine.json").write_text("{")
    assert "is no export preset" in ruvelt(data, "presets", "--import", str(tmp_path / "mine.json")).output


def test_checks_end_with_a_code_for_pipelines(data: Path, tmp_path: Path) -> None:
    clean = told(ruvelt(data, "check", "Crate", "--check", "base-range", "--json"))
    assert (clean["warnings"], clean["findings"]) == (0, [])
    preset = told(ruvelt(data, "presets", "--show", "separate-maps", "--json")) | {"id": "thin", "name": "Thin", "padding": 1}
    (tmp_path / "thin.json").write_text(json.dumps(preset))
    found = ruvelt(data, "check", "Crate", "--preset", str(tmp_path / "thin.json"), "--json")
    assert found.exit_code == 1
    kinds = {f["check"] for f in json.loads(found.output)["findings"]}
    assert "thin-padding" in kinds
    assert ruvelt(data, "check", "Crate", "--check", "dust").exit_code == 2

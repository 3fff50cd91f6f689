"""The core by itself: its page is run, and a canvas says what is wrong."""

from __future__ import annotations

import doctest
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import ruvelt.core
from ruvelt.core import Canvas, FacePick, InputError, NotFound, PaintLayer
from tests.meshes import CUBE_MTL, cube_obj, globe, square

PAGE = Path(__file__).parents[2] / "docs" / "developers" / "core.md"


def test_every_example_of_the_page_runs() -> None:
    failed, tried = doctest.testfile(str(PAGE), module_relative=False)
    assert tried > 20
    assert failed == 0


def test_public_names_are_there_and_are_read_when_asked_for() -> None:
    for name in ruvelt.core.__all__:
        assert getattr(ruvelt.core, name).__name__ == name
    with pytest.raises(AttributeError, match="has no attribute 'Easel'"):
        _ = ruvelt.core.Easel  # type: ignore[attr-defined]
    # Importing the core compiles and reads nothing.
    code = "import sys, ruvelt.core; print(any(m in sys.modules for m in ('numba', 'cv2', 'ruvelt.core.canvas')))"
    ran = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert ran.stdout.strip() == "False"


def test_a_file_is_opened_with_what_lies_beside_it(tmp_path: Path) -> None:
    (tmp_path / "cube.obj").write_bytes(cube_obj())
    (tmp_path / "cube.mtl").write_bytes(CUBE_MTL)
    canvas = Canvas.open(tmp_path / "cube.obj", side=256)
    assert [m.name for m in canvas.model.materials] == ["Wood", "Iron"]
    for missing in (tmp_path / "gone.obj", tmp_path):
        with pytest.raises(InputError, match="cannot be read"):
            Canvas.open(missing)


def test_floods_take_picked_faces_only() -> None:
    canvas = Canvas(globe(), side=256)
    canvas.paint_layer("p")
    half = [FacePick(by="face", index=i) for i in range(canvas.model.face_count // 2)]
    canvas.flood("p", {"roughness": (1.0,)}, half)
    painted = canvas.image("roughness")[..., 0] == 65535
    covered = canvas.samples.to_image(canvas.samples.covered[:, None].astype(np.uint16))[..., 0] > 0
    assert painted[covered].mean() == pytest.approx(0.5, abs=0.02)


def test_what_cannot_be() -> None:
    canvas = Canvas(square(), [PaintLayer(id="p", name="P")], side=256)
    with pytest.raises(InputError, match="a layer 'p' already"):
        canvas.paint_layer("p")
    with pytest.raises(NotFound, match="no layer 'q'"):
        canvas.mask("q", None)
    with pytest.raises(NotFound, match="no channel 'glow'"):
        canvas.value("glow", 0, 0, 0)
    with pytest.raises(NotFound, match="Nothing of the surface"):
        canvas.at(1e6, 0, 0)
    with pytest.raises(InputError, match="texels a side"):
        Canvas(square(), side=300)
    bare = square()
    object.__setattr__(bare, "uv_layouts", ())
    with pytest.raises(InputError, match="no UVs to paint on"):
        Canvas(bare)


def test_a_map_set_is_written_twice_alike(tmp_path: Path) -> None:
    canvas = Canvas(square(), side=256)
    canvas.fill_layer("f", {"base_color": (0.25, 0.5, 0.75)})
    first = canvas.export(tmp_path / "a", "packed-orm")
    second = canvas.export(tmp_path / "b", "packed-orm")
    assert [f.sha256 for f in first] == [f.sha256 for f in second]
    assert {f.kind for f in first} == {"png", "glb"}
    tiff = canvas.export(tmp_path / "c", "flat-colour", format="tiff")
    assert (tmp_path / "c" / tiff[0].name).read_bytes()[:4] == b"II*\0"

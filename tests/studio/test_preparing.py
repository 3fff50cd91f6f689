"""What is made behind an open server: kernels that are missing, and demo projects."""

from __future__ import annotations

import sys
import time
from pathlib import Path

import pytest

from ruvelt.core import kernels
from ruvelt.core.errors import InputError
from ruvelt.core.warming import digests, first
from ruvelt.demo import build
from ruvelt.demo.build import Demo, make_behind
from ruvelt.studio import preparing
from ruvelt.studio.preparing import Preparing
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj


def until(done: object) -> None:
    end = time.monotonic() + 120
    while not done():  # type: ignore[operator]
        assert time.monotonic() < end
        time.sleep(0.02)


def test_a_plain_stroke_waits_for_few_kernels() -> None:
    now = {name for name in digests() if first(f"ruvelt.core.{name}")}
    assert {"brush._dab_kernels", "stack._blend_kernels", "bake._bake_kernels", "samples._raster_kernels"} <= now
    assert not now & {"brush._smear_kernels", "brush._push_kernels", "brush._clone_kernels", "brush._rich_kernels", "mesh._pack_kernels"}


def test_whether_a_kernel_is_kept_is_told_by_its_cache(tmp_path: Path) -> None:
    (tmp_path / "__pycache__").mkdir()
    (tmp_path / "_some_kernels.py").write_text("def one(): ...\ndef two(): ...\n")
    (tmp_path / "__pycache__" / "_some_kernels.one-1.py311.nbi").write_bytes(b"")
    room: dict[str, object] = {}
    exec(compile((tmp_path / "_some_kernels.py").read_text(), str(tmp_path / "_some_kernels.py"), "exec"), room)
    assert kernels._is_kept(room["one"])  # type: ignore[arg-type]
    assert not kernels._is_kept(room["two"])  # type: ignore[arg-type]


def test_nothing_is_started_where_all_is_there(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kernels, "missing", lambda: 0)
    made = Preparing()
    made.start()
    assert not made.running


def test_progress_is_followed_and_the_process_ends_with_the_server(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kernels, "missing", lambda: 3)
    # Stands in for the compiler: one kernel, then a long one.
    script = "import time; print(1, 3, flush=True); time.sleep(600)"
    popen = preparing.subprocess.Popen
    monkeypatch.setattr(preparing.subprocess, "Popen", lambda command, **options: popen([sys.executable, "-c", script], **options))
    made = Preparing()
    made.start()
    until(lambda: made.done == 1)
    assert (made.planned, made.running) == (3, True)
    made.stop()
    assert not made.running


def test_demo_projects_are_made_once_and_one_that_fails_leaves_nothing(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    def crate(here: Studio, resolution: int, say: build.Say) -> str:
        say(1, 2, "Painting the crate")
        return here.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL})

    def broken(here: Studio, resolution: int, say: build.Say) -> str:
        uid = here.create(cube_obj(), "cube.obj", name="Broken", resolution=256, companions={"cube.mtl": CUBE_MTL})
        with build._whole_or_gone(here, uid):
            here.session(uid)
            raise InputError("no paint")

    monkeypatch.setattr(build, "DEMOS", (Demo("Crate", crate), Demo("Broken", broken)))
    make_behind(studio)
    until(lambda: not studio.jobs.running("demo"))
    assert [p.name for p in studio.projects()] == ["Crate"]
    monkeypatch.setattr(build, "DEMOS", (Demo("Crate", crate),))
    make_behind(studio)
    assert studio.jobs.running("demo") == []


def test_a_demo_that_was_killed_half_painted_is_made_anew(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    """What a kill leaves: a project with its mark. One of the same name that a person made has none and stays."""
    monkeypatch.setattr(build, "DEMOS", (Demo("Crate", lambda here, resolution, say: ""),))
    half, own = (studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL}) for _ in range(2))
    (studio.data / "projects" / half / build.MAKING).touch()
    assert build.missing(studio) == []
    assert [p.uid for p in studio.projects()] == [own]
    studio.delete(own)
    assert [d.name for d in build.missing(studio)] == ["Crate"]

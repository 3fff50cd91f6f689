"""Fixtures every room of the tests shares."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj


class Clock:
    """A clock that only moves when told."""

    def __init__(self) -> None:
        self.now = 1_790_000_000.0

    def __call__(self) -> float:
        self.now += 1.0
        return self.now


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def studio(tmp_path: Path, clock: Clock) -> Iterator[Studio]:
    made = Studio(tmp_path / "data", Limits(memory_bytes=256 << 20, threads=2), clock)
    yield made
    made.close()


@pytest.fixture
def cube(studio: Studio) -> str:
    """A project of the cube with two sheets of 256 texels; its id."""
    return studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL})


#: The worked plug-in of the developers' docs.
PLUG_IN = Path(__file__).parents[1] / "docs" / "developers" / "plug-ins" / "ruvelt-moss"


@pytest.fixture(scope="session")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder into which it was installed as a person would."""
    folder = tmp_path_factory.mktemp("plug-in")
    copy = tmp_path_factory.mktemp("source") / "moss"
    subprocess.run(["cp", "-r", str(PLUG_IN), str(copy)], check=True)
    command = [sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--no-build-isolation", "--no-index", "--target", str(folder), str(copy)]
    subprocess.run(command, check=True, capture_output=True)
    return folder

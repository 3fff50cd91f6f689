"""A real server and a real browser. Tests wait for the document's idle mark, never for time."""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from ruvelt.studio.session import Limits
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj

ROOT = Path(__file__).parents[2]
# A busy machine is no failure.
expect.set_options(timeout=60_000)
FLAGS = ["--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist",
         "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]  # fmt: skip


def chromium() -> str:
    here = ROOT / ".cache" / "chromium" / "run"
    return str(here) if here.is_file() else (shutil.which("chromium") or "/usr/bin/chromium")


class Server:
    """`ruvelt serve` in a process of its own, which can be killed and started again on the same data."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = int(s.getsockname()[1])
        self.url = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[str] | None = None

    def start(self) -> None:
        command = [sys.executable, "-m", "ruvelt.cli.main", "serve", "--data", str(self.data), "--port", str(self.port)]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"})
        assert self.process.stdout is not None
        assert self.url in self.process.stdout.readline()

    def stop(self, sign: signal.Signals = signal.SIGTERM) -> None:
        if self.process is not None:
            self.process.send_signal(sign)
            self.process.wait(15)
            self.process = None

    def get(self, path: str) -> dict[str, object]:
        with urllib.request.urlopen(f"{self.url}/api{path}") as answer:
            return dict(json.load(answer))

    def post(self, path: str, content: object) -> dict[str, object]:
        request = urllib.request.Request(f"{self.url}/api{path}", json.dumps(content).encode(), {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as answer:
            return dict(json.load(answer))


@pytest.fixture
def crate(tmp_path: Path) -> str:
    """A project made before the server starts; its id."""
    studio = Studio(tmp_path / "data", Limits(threads=2))
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL})
    studio.close()
    return uid


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    made = Server(tmp_path / "data")
    made.start()
    yield made
    made.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path=chromium(), args=FLAGS)
        yield made
        made.close()


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A window that fails its test when the page logs an error."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    made = context.new_page()
    made.set_default_timeout(60_000)
    errors: list[str] = []
    made.on("pageerror", lambda error: errors.append(str(error)))
    made.on("console", lambda m: errors.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None)
    yield made
    context.close()
    assert errors == []

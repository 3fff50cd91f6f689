"""A real server and a real browser. Tests wait for the document's idle mark, never for time."""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from ruvelt.studio.limits import Limits
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

    def __init__(self, data: Path, more_packages: Path | None = None) -> None:
        self.data, self.environment = data, {**os.environ, "PYTHONUNBUFFERED": "1"}
        if more_packages is not None:
            self.environment["PYTHONPATH"] = str(more_packages)
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = int(s.getsockname()[1])
        self.url = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[str] | None = None

    def start(self) -> None:
        command = [sys.executable, "-m", "ruvelt.cli.main", "serve", "--data", str(self.data), "--port", str(self.port)]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=self.environment)
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

    def delete(self, path: str) -> None:
        with urllib.request.urlopen(urllib.request.Request(f"{self.url}/api{path}", method="DELETE")):
            pass

    def post(self, path: str, content: object) -> dict[str, object]:
        request = urllib.request.Request(f"{self.url}/api{path}", json.dumps(content).encode(), {"Content-Type": "application/json"})
        with urllib.request.urlopen(request) as answer:
            return dict(json.load(answer))


@pytest.fixture(scope="session")
def running(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """One server for all tests of a worker: starting it takes longer than most of them."""
    made = Server(tmp_path_factory.mktemp("browser") / "data")
    made.start()
    yield made
    made.stop()


@pytest.fixture
def server(running: Server) -> Iterator[Server]:
    """A server without projects."""
    yield running
    until = time.monotonic() + 60
    while left := running.get("/projects")["projects"]:
        for project in left:  # type: ignore[attr-defined]
            try:
                running.delete(f"/projects/{project['uid']}")
            except urllib.error.HTTPError as error:
                # Something still works on it.
                if error.code != 409 or time.monotonic() > until:
                    raise
                time.sleep(0.1)


@pytest.fixture
def crate(server: Server) -> str:
    """A project's id."""
    studio = Studio(server.data, Limits(threads=2))
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL})
    studio.close()
    return uid


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

"""What the browser is sent has its licence beside it."""

from __future__ import annotations

import json
from pathlib import Path

from ruvelt import __version__
from ruvelt.studio.studio import Studio
from ruvelt.web.app import create_app

ROOT = Path(__file__).parents[2]


def test_every_shipped_package_is_named_with_its_version_and_licence() -> None:
    lock = json.loads((ROOT / "frontend" / "package-lock.json").read_text())
    text = (ROOT / "frontend" / "public" / "licences.txt").read_text()
    for name in json.loads((ROOT / "frontend" / "package.json").read_text())["dependencies"]:
        entry = lock["packages"][f"node_modules/{name}"]
        assert f"{name} {entry['version']} ({entry['license']})" in text, "run tools/licences.py"
    # The font's own, whole.
    assert "SIL OPEN FONT LICENSE" in text.upper()


def test_licences_and_changes_are_served_and_the_version_is_told(studio: Studio) -> None:
    client = create_app(studio).test_client()
    assert "three" in client.get("/licences.txt").get_data(as_text=True)
    assert f"## {__version__}" in client.get("/changelog.txt").get_data(as_text=True)
    assert client.get("/api/registries").get_json()["version"] == __version__

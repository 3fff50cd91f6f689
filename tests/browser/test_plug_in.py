"""A plug-in's mask source and hand tool, with no line written for them in the browser."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.browser.conftest import Server
from tests.browser.hand import at, away, colour, drag, look, open_paint, settled
from tests.meshes import CUBE_MTL, cube_obj


def test_a_source_and_a_tool_of_a_plug_in_work_in_the_browser(page: Page, installed: Path, tmp_path: Path) -> None:
    server = Server(tmp_path / "data", installed)
    studio = Studio(server.data, Limits(threads=2))
    crate = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL})
    studio.close()
    server.start()
    try:
        open_paint(page, server.url, crate)
        # The tool stands in the rail with its key, and its slider in a card of its own.
        page.get_by_role("button", name="Flat", exact=True).click()
        colour(page, "#204080")
        drag(page, "solid", (0.46, 0.5), (0.56, 0.5))
        away(page)
        before = at(look(page, "solid"), 0.5, 0.5)
        page.keyboard.press("u")
        expect(page.get_by_role("button", name="Bleach", exact=True)).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_role("status", name="Target")).to_contain_text("Bleaching")
        amount = page.get_by_role("textbox", name="Amount value")
        amount.fill("75")
        amount.press("Enter")
        drag(page, "solid", (0.46, 0.5), (0.56, 0.5))
        away(page)
        after = at(look(page, "solid"), 0.5, 0.5)
        assert np.mean(after) > np.mean(before) + 60
        history = server.get(f"/projects/{crate}/history")
        assert history["steps"][0]["label"] == "Bleach · Paint · Base colour"  # type: ignore[index]

        # The source is in the menu of masks and draws what looks up.
        page.get_by_role("button", name="Mask of Paint", exact=True).click()
        page.get_by_role("button", name="Source", exact=True).click()
        page.get_by_role("menuitem", name="Moss").first.click()
        settled(page)
        card = page.get_by_role("listitem", name="Moss")
        expect(card.get_by_role("slider", name="Steepness")).to_be_visible()
        away(page)
        # The side that was painted does not look up: nothing shows there now.
        assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - after).max() > 30
    finally:
        server.stop()

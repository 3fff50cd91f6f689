"""axe-core, the open accessibility engine, finds nothing on any screen: roles, names, contrast, keyboard."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import ROOT, Server
from tests.browser.hand import settled

AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


@pytest.fixture
def open_page(browser: Browser) -> Iterator[Page]:
    """A window into which a script may be put."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page = context.new_page()
    page.set_default_timeout(60_000)
    yield page
    context.close()


def faults(page: Page, popped_up: bool = False) -> list[str]:
    """popped_up : menus and dialogs lie outside landmarks, as the patterns of ARIA have them"""
    page.add_script_tag(content=AXE.read_text())
    page.mouse.move(640, 4)
    expect(page.get_by_role("tooltip")).to_have_count(0)
    found = page.evaluate("rules => axe.run({ rules })", {"region": {"enabled": not popped_up}})["violations"]
    return [f"{v['id']}: {n['html'][:160]}" for v in found for n in v["nodes"]]


@pytest.mark.parametrize("mode", ["dark", "light"])
def test_no_screen_has_faults(open_page: Page, server: Server, crate: str, mode: str) -> None:
    page = open_page
    page.goto(server.url)
    expect(page.get_by_text("Crate")).to_be_visible()
    if mode == "light":
        page.get_by_role("button", name="Light or dark").click()
    assert faults(page) == []
    for screen in ("model", "bake", "paint", "variants", "check", "export"):
        page.goto(f"{server.url}/#/{crate}/{screen}")
        settled(page)
        expect(page.locator("html")).to_have_attribute("data-mode", mode)
        assert faults(page) == [], screen


def test_cards_and_dialogs_have_none_either(open_page: Page, server: Server, crate: str) -> None:
    page = open_page
    page.goto(f"{server.url}/#/{crate}/paint")
    settled(page)
    page.get_by_role("button", name="Mask of Paint", exact=True).click()
    page.get_by_role("button", name="Source", exact=True).click()
    page.get_by_role("menuitem", name="Noise").first.click()
    settled(page)
    page.get_by_role("button", name="All settings").click()
    for name in ("Tip", "Confine"):
        page.get_by_role("heading", name=name, exact=True).click()
    settled(page)
    assert faults(page) == []
    for opened in ("Add layer", "Columns"):
        page.get_by_role("button", name=opened).click()
        expect(page.get_by_role("menu")).to_be_visible()
        assert faults(page, True) == [], opened
        page.keyboard.press("Escape")
        expect(page.get_by_role("menu")).to_have_count(0)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    assert faults(page, True) == []

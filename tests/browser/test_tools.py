"""Tone and repeated strokes as a person uses them."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, colour, drag, look, open_paint, settled


def test_tone_darkens_what_is_there_and_keeps_the_layers_coverage(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.keyboard.press("4")
    page.get_by_role("button", name="Flat", exact=True).click()
    drag(page, "solid", (0.46, 0.5), (0.5, 0.5))
    away(page)
    before = at(look(page, "solid"), 0.48, 0.5)
    bare = at(look(page, "solid"), 0.55, 0.5)
    page.get_by_role("button", name="Tone", exact=True).click()
    card = page.get_by_label("Tone", exact=True).last
    card.get_by_role("button", name="Darken").click()
    card.get_by_role("button", name="This layer").click()
    amount = page.get_by_role("textbox", name="Amount value")
    amount.fill("80")
    amount.press("Enter")
    expect(page.get_by_role("status", name="Target")).to_contain_text("Toning")
    drag(page, "solid", (0.46, 0.5), (0.56, 0.5))
    away(page)
    after = look(page, "solid")
    assert sum(at(after, 0.48, 0.5)) < 0.6 * sum(before)
    # Beside the paint the layer holds nothing, so nothing came.
    assert np.abs(np.array(at(after, 0.55, 0.5)) - bare).max() < 4
    page.get_by_role("button", name="Undo").click()
    settled(page)
    away(page)
    assert np.abs(np.array(at(look(page, "solid"), 0.48, 0.5)) - before).max() < 4


def test_strokes_repeat_around_an_axis(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.keyboard.press("4")
    page.get_by_role("button", name="Flat", exact=True).click()
    colour(page, "#20e040")
    away(page)
    before = look(page, "solid")
    choose(page, "Repeat around an axis", "4 × Z")
    # One dab right of the middle comes back above, left and below it.
    drag(page, "solid", (0.55, 0.5))
    away(page)
    after = look(page, "solid")
    h, w = after.shape[:2]
    step = 0.05 * w
    for dx, dy in ((step, 0), (0, -step), (-step, 0), (0, step)):
        x, y = int(w / 2 + dx), int(h / 2 + dy)
        assert np.abs(after[y, x] - before[y, x]).max() > 40
    assert np.abs(after[h // 2, w // 2] - before[h // 2, w // 2]).max() < 10

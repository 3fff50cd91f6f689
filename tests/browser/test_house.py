"""The small things of the house: what can be selected, what stays in sight, what a slider does, what is shown at first."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Locator, Page, expect

from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.browser.conftest import Server
from tests.browser.hand import away, drag, look, open_paint, settled


def box_of(found: Locator) -> dict[str, float]:
    box = found.bounding_box()
    assert box is not None
    return dict(box)


def test_a_drag_selects_no_text_of_the_page(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name="Paint layer").wait_for()
    # The menu is still closing when the hand comes down on the view.
    page.keyboard.press("Escape")
    drag(page, "solid", (0.3, 0.3), (0.9, 0.95))
    head = box_of(page.get_by_role("columnheader", name="Blend"))
    page.mouse.move(head["x"], head["y"])
    page.mouse.down()
    page.mouse.move(head["x"] + 300, head["y"] + 60, steps=5)
    page.mouse.up()
    assert page.evaluate("String(getSelection())") == ""
    # Fields are there to be selected.
    number = page.get_by_role("textbox", name="Size value")
    number.click()
    assert page.evaluate("document.activeElement.selectionEnd") > 0


def test_names_stay_when_the_grid_scrolls_and_heads_of_views_are_whole(page: Page, server: Server, crate: str) -> None:
    page.set_viewport_size({"width": 1100, "height": 760})
    open_paint(page, server.url, crate)
    name = page.get_by_role("rowheader", name="Ground")
    before = box_of(name)
    page.evaluate("document.querySelector('.grid').scrollLeft = 300")
    assert page.evaluate("document.querySelector('.grid').scrollLeft") > 100
    assert box_of(name) == before
    for head in page.locator(".vhead").all():
        whole = box_of(head)
        for part in head.locator("> *").all():
            inner = box_of(part)
            assert inner["x"] + inner["width"] <= whole["x"] + whole["width"] + 0.5
            assert inner["y"] + inner["height"] <= whole["y"] + whole["height"] + 0.5


#: A wide plate, and a tag of a tenth of its size beside its middle, both towards the front.
PLATES = b"""o Plate
v -4 -2 0\nv 4 -2 0\nv 4 2 0\nv -4 2 0
o Tag
v -0.4 -0.4 1\nv 0.4 -0.4 1\nv 0.4 0.4 1\nv -0.4 0.4 1
vt 0 0\nvt 0.6 0\nvt 0.6 0.6\nvt 0 0.6\nvt 0.7 0.7\nvt 0.9 0.7\nvt 0.9 0.9\nvt 0.7 0.9
o Plate
f 1/1 2/2 3/3 4/4
o Tag
f 5/5 6/6 7/7 8/8
"""


def test_home_frames_what_is_visible(page: Page, server: Server) -> None:
    studio = Studio(server.data, Limits(threads=2))
    uid = studio.create(PLATES, "plates.obj", name="Plates", resolution=256)
    studio.close()

    def width() -> int:
        """Of what stands before the background."""
        away(page)
        picture = look(page, "solid")
        shown = np.abs(picture - picture[5, 5]).max(axis=2) > 12
        return int(np.ptp(np.flatnonzero(shown.any(axis=0))))

    page.goto(f"{server.url}/#/{uid}/paint")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    page.keyboard.press("4")
    box = box_of(page.get_by_test_id("solid"))
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.keyboard.press("i")
    expect(page.get_by_text("1 hidden")).to_be_visible()
    small = width()
    page.keyboard.press("Home")
    assert width() > 4 * small


def test_a_slider_is_its_whole_row(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    slider, number = page.get_by_role("slider", name="Hardness"), page.get_by_role("textbox", name="Hardness value")
    row = box_of(slider.locator("xpath=../../.."))
    card = box_of(page.get_by_label("Brush settings"))
    assert row["width"] > 0.85 * card["width"]
    y = row["y"] + row["height"] / 2

    def dragged(begin: float, end: float) -> float:
        page.mouse.move(row["x"] + begin * row["width"], y)
        page.mouse.down()
        page.mouse.move(row["x"] + end * row["width"], y, steps=6)
        page.mouse.up()
        return float(number.input_value())

    # From over the name to three tenths of the row.
    assert abs(dragged(0.05, 0.3) - 0.3) < 0.03
    # With Shift a tenth as far.
    page.keyboard.down("Shift")
    fine = dragged(0.3, 0.7)
    page.keyboard.up("Shift")
    assert abs(fine - 0.34) < 0.02
    number.fill("0.8")
    number.press("Enter")
    expect(number).to_have_value("0.80")
    page.mouse.dblclick(row["x"] + 0.2 * row["width"], y)
    expect(number).to_have_value("0.50")


def test_troubles_stay_and_figures_are_asked_for(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    expect(page.get_by_text("ms per dab")).to_have_count(0)
    page.keyboard.press("Control+Shift+Y")
    expect(page.get_by_role("status", name="Diagnostics")).to_contain_text("ms per dab")
    page.keyboard.press("Control+Shift+Y")
    expect(page.get_by_text("ms per dab")).to_have_count(0)
    page.get_by_role("button", name="Lock Paint").click()
    settled(page)
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("Nothing painted: Paint is locked")
    # Far longer than it takes to read.
    page.wait_for_timeout(16_000)
    expect(alert).to_be_visible()
    alert.get_by_role("button", name="Dismiss").click()
    expect(alert).to_have_count(0)

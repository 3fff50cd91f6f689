"""Painting with the real interface: pixels on screen, targets, undo, restarts, two windows."""

from __future__ import annotations

import re
import signal

import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, colour, drag, look, open_paint, settled

pytestmark = pytest.mark.browser
#: A place on the front of the crate in the 3D view, and its face on the flat sheet of Wood.
FRONT = (0.5, 0.55)


def red_on_solid(page: Page) -> int:
    away(page)
    picture = look(page, "solid")
    return int(((picture[..., 0] > 150) & (picture[..., 1] < 90)).sum())


def red_on_flat(page: Page) -> int:
    away(page)
    picture = look(page, "flat")
    return int(((picture[..., 0] > 200) & (picture[..., 1] < 60)).sum())


def ready(page: Page, server: Server, uid: str) -> None:
    open_paint(page, server.url, uid)
    page.get_by_role("button", name="Flat", exact=True).click()
    colour(page, "#ff0000")
    page.get_by_role("textbox", name="Hardness value").fill("0.9")
    page.get_by_role("textbox", name="Hardness value").press("Enter")
    settled(page)


def test_paint_in_3d_shows_in_both_views_and_undo_takes_it_back(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    ribbon = page.get_by_role("status", name="Target")
    expect(ribbon).to_contain_text("Painting into")
    expect(ribbon).to_contain_text("Wood ›")
    expect(ribbon).to_contain_text("Base colour")
    away(page)
    before = look(page, "solid")
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    away(page)
    after = look(page, "solid")
    assert at(after, *FRONT)[0] > 180
    assert at(after, *FRONT)[1] < 60
    assert red_on_flat(page) > 100
    assert server.get(f"/projects/{crate}")["head"] == 1
    expect(page.get_by_role("button", name="Wood")).to_have_count(0)
    # The stroke changes nothing far from it.
    assert np.abs(after[10:60, 10:60] - before[10:60, 10:60]).max() == 0
    page.keyboard.press("Control+z")
    settled(page)
    away(page)
    assert np.abs(look(page, "solid") - before).max() <= 2
    page.get_by_role("button", name="Redo").click()
    settled(page)
    away(page)
    assert np.abs(look(page, "solid") - after).max() <= 2


def test_paint_on_the_flat_sheet_shows_in_3d(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    assert red_on_solid(page) == 0
    # The sheet's first square holds the face that looks at us; it lies at the bottom left.
    drag(page, "flat", (0.15, 0.72), (0.22, 0.72))
    assert red_on_flat(page) > 100
    assert red_on_solid(page) > 60


def test_yesterdays_stroke_is_undone_after_the_server_was_killed(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    assert red_on_flat(page) > 100
    server.stop(signal.SIGKILL)
    server.start()
    page.goto("about:blank")
    ready(page, server, crate)
    assert red_on_flat(page) > 100
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()
    page.keyboard.press("Control+z")
    settled(page)
    assert red_on_flat(page) == 0
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()


def test_several_channels_in_one_stroke_and_the_grid_shows_the_target(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.get_by_role("button", name="Paint, Height").click(modifiers=["Control"])
    page.get_by_role("button", name="Paint, Roughness").click(modifiers=["Control"])
    expect(page.get_by_role("status", name="Target")).to_contain_text("Base colour · Roughness · Height")
    for channel, on in (("Base colour", "true"), ("Roughness", "true"), ("Height", "true"), ("Metallic", "false")):
        expect(page.get_by_role("button", name=f"Paint, {channel}")).to_have_attribute("aria-pressed", on)
    page.get_by_role("textbox", name="Roughness value").fill("1")
    page.get_by_role("textbox", name="Roughness value").press("Enter")
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    found = server.post(f"/projects/{crate}/probe", {"sheet": "wood", "x": 32, "y": 220, "values": True})
    away(page)
    page.get_by_role("button", name="Channel", exact=True).click()
    choose(page, "Channel shown", "Roughness")
    settled(page)
    assert at(look(page, "solid"), *FRONT)[0] > 200
    choose(page, "Channel shown", "Height")
    settled(page)
    # Raised by 0.15: lighter than the flat grey beside it on the same face.
    picture = look(page, "solid")
    assert at(picture, *FRONT)[0] - at(picture, FRONT[0], FRONT[1] + 0.15)[0] > 8
    assert found["hit"] is True
    assert set(page.evaluate("Object.keys(document.documentElement.dataset)")) >= {"idle", "mode"}


def test_a_mask_is_painted_and_the_chips_turn_grey(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name="Fill layer").click()
    settled(page)
    assert red_on_flat(page) > 2000
    page.get_by_role("button", name="Mask of Fill 2", exact=True).click()
    page.get_by_role("button", name="Source", exact=True).click()
    page.get_by_role("menuitem", name="Paint to reveal").click()
    settled(page)
    assert red_on_flat(page) == 0
    expect(page.get_by_role("status", name="Target")).to_contain_text("Mask · painted source")
    expect(page.get_by_role("button", name="Swap values")).to_be_visible()
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    revealed = red_on_flat(page)
    assert revealed > 100
    # The other value hides again.
    page.keyboard.press("s")
    drag(page, "solid", (0.48, 0.55), (0.5, 0.55))
    assert red_on_flat(page) < revealed


def test_erase_fill_and_pick(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.get_by_role("button", name="Fill", exact=True).click()
    page.get_by_role("button", name="Face", exact=True).click()
    drag(page, "solid", FRONT)
    filled = red_on_flat(page)
    assert filled > 1000
    page.keyboard.press("e")
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    assert red_on_flat(page) < filled - 50
    page.keyboard.press("b")
    colour(page, "#0000ff")
    page.keyboard.press("p")
    drag(page, "solid", (0.6, 0.75))
    expect(page.get_by_role("textbox", name="Base colour")).to_have_value("#ff0000")


def test_mirror_paints_the_twin(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.keyboard.press("4")
    settled(page)
    page.get_by_role("button", name="Mirror X").click()
    drag(page, "solid", (0.42, 0.5), (0.42, 0.55))
    away(page)
    picture = look(page, "solid")
    red = (picture[..., 0] > 180) & (picture[..., 1] < 60)
    assert red.sum() > 200
    assert np.abs(red.sum(axis=0) - red[:, ::-1].sum(axis=0)).sum() < 0.15 * red.sum()


def test_a_straight_line_from_the_last_point(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.keyboard.press("4")
    settled(page)
    drag(page, "solid", (0.42, 0.45))
    page.keyboard.down("Shift")
    drag(page, "solid", (0.58, 0.55))
    page.keyboard.up("Shift")
    away(page)
    assert at(look(page, "solid"), 0.5, 0.5)[0] > 180


def test_locked_and_hidden_layers_take_no_paint(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.get_by_role("button", name="Lock Paint").click()
    settled(page)
    expect(page.get_by_role("status", name="Target")).to_contain_text("Paint is locked")
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    expect(page.get_by_role("alert")).to_contain_text("Nothing painted")
    assert red_on_flat(page) == 0
    page.get_by_role("button", name="Lock Paint").click()
    settled(page)
    page.get_by_role("button", name="Show Paint").click()
    settled(page)
    expect(page.get_by_role("status", name="Target")).to_contain_text("Paint is hidden")


def test_layers_are_added_renamed_reordered_and_deleted(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)

    def names() -> list[str]:
        settled(page)
        return [n or "" for n in page.get_by_role("row").evaluate_all("rows => rows.slice(1).map(r => r.getAttribute('aria-label'))")]

    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name="Paint layer").click()
    assert names() == ["Paint 2", "Paint", "Ground"]
    page.get_by_role("button", name="Paint 2", exact=True).dblclick()
    page.get_by_role("textbox", name="Layer name").fill("Mud")
    page.keyboard.press("Enter")
    assert names() == ["Mud", "Paint", "Ground"]
    page.get_by_role("button", name="Mud", exact=True).focus()
    page.keyboard.press("Alt+ArrowDown")
    assert names() == ["Paint", "Mud", "Ground"]
    page.get_by_role("button", name="Group", exact=True).click()
    assert names() == ["Paint", "Mud group", "Mud", "Ground"]
    page.get_by_role("button", name="Duplicate", exact=True).click()
    assert names() == ["Paint", "Mud group", "Mud copy", "Mud", "Ground"]
    page.get_by_role("button", name="Delete", exact=True).click()
    assert names() == ["Paint", "Mud group", "Mud", "Ground"]
    # Drag Ground in front of Paint.
    source = page.get_by_role("row", name="Ground").get_by_title("Drag to reorder").bounding_box()
    goal = page.get_by_role("row", name="Paint", exact=True).bounding_box()
    assert source is not None
    assert goal is not None
    page.mouse.move(source["x"] + 5, source["y"] + 5)
    page.mouse.down()
    page.mouse.move(source["x"] + 8, source["y"] - 20, steps=4)
    page.mouse.move(goal["x"] + 120, goal["y"] + 12, steps=8)
    page.mouse.up()
    assert names() == ["Ground", "Paint", "Mud group", "Mud"]
    for _ in range(7):
        page.keyboard.press("Control+z")
        settled(page)
    assert names() == ["Paint", "Ground"]


def test_a_fill_value_is_set_in_its_cell(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.get_by_role("button", name="Ground, Base colour").click()
    dialog = page.get_by_role("dialog", name="Base colour of Ground")
    dialog.get_by_role("textbox").fill("#ff0000")
    dialog.get_by_role("textbox").blur()
    dialog.get_by_role("button", name="Set").click()
    assert red_on_flat(page) > 2000
    values = server.get(f"/projects/{crate}")["document"]["sheets"][0]["layers"][1]["channels"]["base_color"]["value"]  # type: ignore[index]
    assert values == [1, 0, 0]


def test_a_second_window_sees_the_first(page: Page, browser: Browser, server: Server, crate: str) -> None:
    ready(page, server, crate)
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    other = context.new_page()
    other.set_default_timeout(60_000)
    open_paint(other, server.url, crate)
    other.get_by_role("button", name="Flat", exact=True).click()
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    expect(other.get_by_role("button", name="Undo")).to_be_enabled()
    settled(other)
    assert red_on_flat(other) > 100
    context.close()


def test_the_interface_outlives_its_server(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    drag(page, "solid", (0.45, 0.55), (0.5, 0.55))
    stored = red_on_flat(page)
    server.stop(signal.SIGKILL)
    drag(page, "solid", (0.5, 0.65), (0.55, 0.65))
    expect(page.get_by_role("alert")).to_contain_text("does not answer")
    expect(page.get_by_text("Server away")).to_be_visible()
    server.start()
    expect(page.get_by_text(re.compile("Stored"))).to_be_visible()
    settled(page)
    assert red_on_flat(page) == pytest.approx(stored, abs=5)
    drag(page, "solid", (0.5, 0.65), (0.55, 0.65))
    assert red_on_flat(page) > stored


def test_swatches_and_the_two_colours(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.get_by_role("button", name="Add swatch").click()
    settled(page)
    expect(page.get_by_role("button", name="Swatch #ff0000")).to_be_visible()
    page.keyboard.press("s")
    expect(page.get_by_role("textbox", name="Base colour")).not_to_have_value("#ff0000")
    page.get_by_role("button", name="Swatch #ff0000").click()
    expect(page.get_by_role("textbox", name="Base colour")).to_have_value("#ff0000")
    page.get_by_role("button", name="Remove swatch").click()
    settled(page)
    expect(page.get_by_role("button", name="Swatch #ff0000")).to_have_count(0)


def test_view_and_light_turn_without_changing_the_project(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    away(page)
    first = look(page, "solid")
    drag(page, "solid", (0.5, 0.5), (0.6, 0.5), button="right")
    away(page)
    turned = look(page, "solid")
    assert np.abs(turned - first).max() > 40
    dial = page.get_by_role("slider", name="Light direction")
    dial.focus()
    for _ in range(10):
        page.keyboard.press("ArrowRight")
    assert np.abs(look(page, "solid") - turned).max() > 10
    expect(dial).to_have_attribute("aria-valuenow", "90")
    page.keyboard.press("Home")
    assert server.get(f"/projects/{crate}")["revision"] == 1

"""Lines, rows, stamps, smear, confinement, picks and keys, by hand."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, colour, drag, look, open_paint, settled


def ready(page: Page, server: Server, crate: str, hex_text: str = "#20e040") -> np.ndarray:
    open_paint(page, server.url, crate)
    page.keyboard.press("4")
    page.get_by_role("button", name="Flat", exact=True).click()
    colour(page, hex_text)
    away(page)
    return look(page, "solid")


def differs(a: np.ndarray, b: np.ndarray, u: float, v: float) -> bool:
    return bool(np.abs(np.array(at(a, u, v)) - at(b, u, v)).max() > 40)


def size(page: Page, px: int) -> None:
    field = page.get_by_role("textbox", name="Size value")
    field.fill(str(px))
    field.press("Enter")


def test_a_line_stays_editable_until_it_is_kept(page: Page, server: Server, crate: str) -> None:
    before = ready(page, server, crate)
    page.keyboard.press("l")
    size(page, 14)
    drag(page, "solid", (0.44, 0.45), (0.56, 0.45))
    away(page)
    assert differs(look(page, "solid"), before, 0.5, 0.45)
    # Its second point is dragged down; the line follows, and where it was nothing stays.
    handle = page.get_by_role("button", name="Point 2 of the line")
    box, view = handle.bounding_box(), page.get_by_test_id("solid").bounding_box()
    assert box is not None
    assert view is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(view["x"] + 0.44 * view["width"], view["y"] + 0.6 * view["height"], steps=4)
    page.mouse.up()
    settled(page)
    away(page)
    moved = look(page, "solid")
    assert differs(moved, before, 0.44, 0.53)
    assert not differs(moved, before, 0.52, 0.45)
    assert server.get(f"/projects/{crate}")["head"] == 0
    page.keyboard.press("Enter")
    settled(page)
    expect(page.get_by_role("button", name="Point 1 of the line")).to_have_count(0)
    page.wait_for_function("() => document.querySelector('[aria-label=Undo]') && !document.querySelector('[aria-label=Undo]').disabled")
    assert server.get(f"/projects/{crate}")["head"] == 1
    # Dropped with Escape, a line leaves nothing.
    drag(page, "solid", (0.46, 0.4), (0.56, 0.4))
    page.keyboard.press("Escape")
    settled(page)
    away(page)
    assert not differs(look(page, "solid"), before, 0.52, 0.4)
    assert server.get(f"/projects/{crate}")["head"] == 1


def test_a_row_of_stamps_raises_height(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    page.keyboard.press("l")
    size(page, 14)
    page.get_by_role("button", name="Row of stamps").click()
    page.get_by_role("button", name="By count").click()
    count = page.get_by_role("textbox", name="Count value")
    count.fill("4")
    count.press("Enter")
    page.get_by_label("Tip settings").get_by_role("button", name="Open the tip settings").click()
    page.get_by_role("button", name="Rivet", exact=True).click()
    drag(page, "solid", (0.44, 0.5), (0.56, 0.5))
    page.get_by_label("Line settings").get_by_role("button", name="Keep").click()
    settled(page)
    away(page)
    row = look(page, "solid")
    h, w = row.shape[:2]
    line = row[int(0.5 * h), int(0.42 * w) : int(0.58 * w)].astype(int)
    green = (line[:, 1] - line[:, 0] > 60).astype(int)
    # Four separate domes along the line.
    assert int((np.diff(green) == 1).sum()) == 4


def test_a_stamp_is_dragged_to_its_size(page: Page, server: Server, crate: str) -> None:
    before = ready(page, server, crate)
    page.keyboard.press("k")
    page.get_by_label("Tip settings").get_by_role("button", name="Open the tip settings").click()
    page.get_by_role("button", name="Square", exact=True).click()
    drag(page, "solid", (0.5, 0.5), (0.55, 0.5))
    away(page)
    after = look(page, "solid")
    h, w = after.shape[:2]
    changed = np.abs(after - before).max(axis=2) > 60
    across = int(changed[h // 2].sum())
    assert abs(across - 2 * 0.05 * w * 0.94) < 8
    assert server.get(f"/projects/{crate}")["head"] == 1


def test_smear_drags_paint_along(page: Page, server: Server, crate: str) -> None:
    before = ready(page, server, crate)
    size(page, 40)
    drag(page, "solid", (0.46, 0.5), (0.47, 0.5))
    page.keyboard.press("m")
    page.get_by_label("Smear", exact=True).last.get_by_role("button", name="This layer").click()
    expect(page.get_by_role("status", name="Target")).to_contain_text("Smearing")
    assert not differs(look(page, "solid"), before, 0.54, 0.5)
    drag(page, "solid", (0.465, 0.5), (0.5, 0.5), (0.54, 0.5))
    away(page)
    assert differs(look(page, "solid"), before, 0.54, 0.5)


def keep_front(page: Page) -> None:
    """Pick what shows of the front by a box, and keep it as a face group."""
    page.keyboard.press("f")
    page.get_by_role("button", name="Box", exact=True).click()
    drag(page, "solid", (0.3, 0.2), (0.7, 0.8))
    page.get_by_label("Keep as").fill("Front")
    page.get_by_label("Fill settings").get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("group", name="Kept face groups")).to_contain_text("Front")


def test_lasso_picks_are_filled_kept_and_confine_a_stroke(page: Page, server: Server, crate: str) -> None:
    before = ready(page, server, crate)
    keep_front(page)
    page.get_by_role("button", name="Fill them").click()
    settled(page)
    page.get_by_role("button", name="Let go").click()
    away(page)
    filled = look(page, "solid")
    assert differs(filled, before, 0.5, 0.5)
    # Confined to colours that are not there, a stroke changes nothing; set aside, it does.
    page.keyboard.press("b")
    colour(page, "#ff2020")
    page.get_by_label("Confine settings").get_by_role("button", name="Open the limits").click()
    page.get_by_role("button", name="Add the colour in hand").click()
    expect(page.get_by_role("status", name="Target")).to_contain_text("confined")
    drag(page, "solid", (0.48, 0.5), (0.52, 0.5))
    away(page)
    assert not differs(look(page, "solid"), filled, 0.5, 0.5)
    page.keyboard.press("j")
    drag(page, "solid", (0.48, 0.5), (0.52, 0.5))
    away(page)
    assert differs(look(page, "solid"), filled, 0.5, 0.5)


def test_a_gradient_runs_between_two_handles(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate, "#ff0000")
    page.keyboard.press("s")
    colour(page, "#0000ff")
    page.keyboard.press("s")
    page.keyboard.press("f")
    page.get_by_role("button", name="Gradient", exact=True).click()
    drag(page, "solid", (0.5, 0.36), (0.5, 0.62))
    expect(page.get_by_role("button", name="End of the gradient fill")).to_be_visible()
    page.get_by_role("button", name="Fill the gradient").click()
    settled(page)
    page.keyboard.press("b")
    away(page)
    seen = look(page, "solid")
    top, middle, low = (at(seen, 0.45, v) for v in (0.37, 0.49, 0.61))
    assert top[0] > 200
    assert top[2] < 60
    assert abs(middle[0] - middle[2]) < 40
    assert low[2] > 200
    assert low[0] < 60


def test_keys_size_borrow_and_bring_back(page: Page, server: Server, crate: str) -> None:
    ready(page, server, crate)
    view = page.get_by_test_id("solid").bounding_box()
    assert view is not None
    middle = (view["x"] + view["width"] / 2, view["y"] + view["height"] / 2)
    field = page.get_by_role("textbox", name="Size value")
    before = int((field.input_value()).split()[0])
    page.mouse.move(*middle)
    page.keyboard.down("r")
    page.mouse.down()
    page.mouse.move(middle[0] + 60, middle[1], steps=5)
    page.mouse.up()
    page.keyboard.up("r")
    settled(page)
    assert int(field.input_value().split()[0]) > 1.6 * before
    assert server.get(f"/projects/{crate}")["head"] == 0
    # A tool's key that is held is only borrowed.
    expect(page.get_by_role("button", name="Brush", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.down("e")
    expect(page.get_by_role("button", name="Erase", exact=True)).to_have_attribute("aria-pressed", "true")
    drag(page, "solid", (0.48, 0.5), (0.52, 0.5))
    page.keyboard.up("e")
    expect(page.get_by_role("button", name="Brush", exact=True)).to_have_attribute("aria-pressed", "true")
    # Another tip, and back to the brush before.
    page.get_by_label("Tip settings").get_by_role("button", name="Open the tip settings").click()
    page.get_by_role("button", name="Sponge", exact=True).click()
    expect(page.get_by_role("button", name="Sponge", exact=True)).to_have_attribute("aria-pressed", "true")
    page.mouse.move(*middle)
    page.keyboard.press("g")
    expect(page.get_by_role("button", name="Round", exact=True).last).to_have_attribute("aria-pressed", "true")


def test_undo_while_drawing_takes_the_stroke_back(page: Page, server: Server, crate: str) -> None:
    before = ready(page, server, crate)
    view = page.get_by_test_id("solid").bounding_box()
    assert view is not None
    page.mouse.move(view["x"] + 0.47 * view["width"], view["y"] + 0.5 * view["height"])
    page.mouse.down()
    page.mouse.move(view["x"] + 0.53 * view["width"], view["y"] + 0.5 * view["height"], steps=5)
    page.keyboard.press("Control+z")
    page.mouse.up()
    settled(page)
    away(page)
    assert not differs(look(page, "solid"), before, 0.5, 0.5)
    assert server.get(f"/projects/{crate}")["head"] == 0


def test_a_mask_takes_a_kept_face_group(page: Page, server: Server, crate: str) -> None:
    before = ready(page, server, crate)
    keep_front(page)
    page.get_by_role("button", name="Let go").click()
    page.keyboard.press("b")
    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name="Fill layer").click()
    settled(page)
    away(page)
    everywhere = look(page, "flat")
    page.get_by_role("button", name="Mask of Fill 2", exact=True).click()
    page.get_by_role("button", name="Source", exact=True).click()
    page.get_by_role("menuitem", name="Faces").first.click()
    settled(page)
    card = page.get_by_label("Mask of Fill 2", exact=True).last
    choose(card, "Kept face group", "Front")
    settled(page)
    document = server.get(f"/projects/{crate}")["document"]
    layer = next(x for x in document["sheets"][0]["layers"] if x["name"] == "Fill 2")  # type: ignore[index]
    assert layer["mask"]["sources"][0]["picks"] == document["face_sets"][0]["picks"]  # type: ignore[index]
    away(page)
    # The front takes the fill, the sheet's other faces lose it again.
    assert differs(look(page, "solid"), before, 0.5, 0.5)
    front = look(page, "flat")
    lost = np.abs(front - everywhere).max(axis=2) > 20
    assert 0.1 < lost.mean() < 0.5


@pytest.mark.parametrize(("key", "seen"), [("b", "#20e040"), ("m", "#fff"), ("e", "#fff")], ids=["brush", "smear", "erase"])
def test_what_is_in_flight_is_seen_ahead_of_its_answer(page: Page, server: Server, crate: str, key: str, seen: str) -> None:
    ready(page, server, crate)
    page.keyboard.press(key)
    held: list[Route] = []
    holds = True

    def hold(route: Route) -> None:
        if holds:
            held.append(route)
        else:
            route.continue_()

    page.route("**/stroke", hold)
    box = page.get_by_test_id("solid").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 0.45 * box["width"], box["y"] + 0.5 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.55 * box["width"], box["y"] + 0.5 * box["height"], steps=4)
    direction = page.locator("[data-testid=ahead-solid] path")
    direction.wait_for(state="attached")
    assert direction.get_attribute("stroke") == seen
    holds = False
    for route in held:
        route.continue_()
    page.mouse.up()
    settled(page)
    expect(direction).to_have_count(0)

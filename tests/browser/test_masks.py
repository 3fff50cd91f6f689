"""Masks as a person builds them: worn edges from nothing, painted into, looked at, copied, reused, exported; fills and adjustments."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, drag, look, open_paint, settled


def add(page: Page, kind: str, menu: str = "Source") -> None:
    page.get_by_role("button", name=menu, exact=True).click()
    page.get_by_role("menuitem", name=kind).first.click()
    settled(page)


def steps_of(server: Server, project: str, layer: str) -> list[dict[str, object]]:
    document = server.get(f"/projects/{project}")["document"]
    found = next(x for x in document["sheets"][0]["layers"] if x["id"] == layer)  # type: ignore[index]
    return [] if found["mask"] is None else list(found["mask"]["sources"])


def test_worn_edges_from_nothing(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.keyboard.press("4")
    # A fill, and its mask opened beside the model.
    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name="Fill layer").click()
    settled(page)
    page.get_by_role("button", name="Mask of Fill 2", exact=True).click()
    card = page.get_by_label("Mask of Fill 2", exact=True).last
    # Curvature is not baked: the step says so, and bakes it.
    add(page, "Curvature")
    expect(card.get_by_text("Needs Curvature, which is not baked")).to_be_visible()
    card.get_by_role("button", name="Bake it").click()
    expect(card.get_by_text("Needs Curvature")).to_have_count(0, timeout=60_000)
    settled(page)
    add(page, "Noise")
    add(page, "Contrast", "Shaper")
    add(page, "Blur", "Shaper")
    layer = next(x["id"] for x in server.get(f"/projects/{crate}")["document"]["sheets"][0]["layers"] if x["name"] == "Fill 2")  # type: ignore[index]
    assert [s["kind"] for s in steps_of(server, crate, layer)] == ["curvature", "noise", "contrast", "blur"]

    # Grey shows it: some edges bright, the middle of the face dark.
    page.get_by_role("button", name="Grey", exact=True).click()
    away(page)
    board = look(page, "flat").max(axis=2)
    assert board.max() > 120
    assert np.mean(at(look(page, "solid"), 0.5, 0.5)) < 30
    # It has nothing to paint on yet: a stroke is refused in plain words.
    expect(page.get_by_role("status", name="Target")).to_contain_text("choose its mask")
    head = server.get(f"/projects/{crate}")["head"]
    drag(page, "solid", (0.5, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("Nothing painted")
    assert server.get(f"/projects/{crate}")["head"] == head
    # A press on a small picture shows one source alone.
    page.get_by_role("button", name="Show Noise alone").click()
    away(page)
    alone = look(page, "flat").max(axis=2)
    assert alone.mean() > board.mean() + 5
    page.get_by_role("button", name="Show Noise alone").click()

    # A slider shows its change while it is held, and takes it once.
    head = server.get(f"/projects/{crate}")["head"]
    page.get_by_role("button", name="Grey", exact=True).click()
    row = card.get_by_role("listitem", name="Noise")
    row.get_by_text("Noise", exact=True).click()
    away(page)
    before = look(page, "flat")
    slider = row.get_by_role("slider", name="Balance")
    box = slider.locator("xpath=..").bounding_box()
    assert box is not None
    page.mouse.move(box["x"], box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 40, box["y"] + box["height"] / 2, steps=4)
    settled(page)
    assert server.get(f"/projects/{crate}")["head"] == head
    assert (np.abs(look(page, "flat") - before).max(axis=2) > 15).mean() > 0.005
    page.mouse.up()
    settled(page)
    assert server.get(f"/projects/{crate}")["head"] == head + 1  # type: ignore[operator]

    # Paint into it: the middle shows the fill now, and the ribbon says where strokes go.
    add(page, "Paint to reveal")
    expect(page.get_by_role("status", name="Target")).to_contain_text("Mask")
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    away(page)
    assert np.mean(at(look(page, "solid"), 0.5, 0.5)) > 200
    # Over the lit model the mask is violet.
    page.get_by_role("button", name="Over", exact=True).click()
    away(page)
    r, g, b = at(look(page, "solid"), 0.5, 0.5)
    assert b > r + 15
    assert b > g + 30
    page.get_by_role("button", name="Off", exact=True).click()

    # Copied onto another layer with its paint, then read by a third.
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Copy the mask").click()
    page.get_by_role("button", name="Mask of Paint", exact=True).click()
    page.get_by_role("button", name="More", exact=True).click()
    page.get_by_role("menuitem", name="Put the copied mask here").click()
    settled(page)
    assert steps_of(server, crate, "l2") == steps_of(server, crate, layer)
    page.get_by_role("button", name="Mask of Ground", exact=True).click()
    add(page, "Another layer")
    expect(page.get_by_text("Choose a layer that has what it reads")).to_be_visible()
    choose(page, "Layer that is read", "Fill 2")
    settled(page)
    expect(page.get_by_text("Choose a layer that has what it reads")).to_have_count(0)
    # A circle is refused in plain words, and nothing changes.
    page.get_by_role("button", name="Mask of Fill 2", exact=True).click()
    add(page, "Another layer")
    choose(page, "Layer that is read", "Ground")
    expect(page.get_by_role("alert")).to_contain_text("circle")
    assert steps_of(server, crate, layer)[-1]["layer"] is None

    # After a restart it is all there.
    server.stop()
    server.start()
    open_paint(page, server.url, crate)
    assert len(steps_of(server, crate, layer)) == 6


def test_a_gradient_by_its_handles_and_colours_picked_on_the_model(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.keyboard.press("4")
    page.get_by_role("button", name="Mask of Ground", exact=True).click()
    add(page, "Gradient line")
    page.get_by_role("button", name="Grey", exact=True).click()
    away(page)
    low, high = (np.mean(at(look(page, "solid"), 0.46, v)) for v in (0.6, 0.4))
    assert high > low + 20
    end = page.get_by_role("button", name="End of the gradient")
    box, view = end.bounding_box(), page.get_by_test_id("solid").bounding_box()
    assert box is not None
    assert view is not None
    # The end is taken across to the right side of the face.
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(view["x"] + 0.6 * view["width"], view["y"] + 0.5 * view["height"], steps=5)
    settled(page)
    page.mouse.up()
    settled(page)
    step = steps_of(server, crate, "l1")[0]
    assert step["end"] is not None
    # Faces picked on the model: a press on the front adds what it belongs to.
    add(page, "Faces")
    drag(page, "solid", (0.5, 0.5))
    settled(page)
    assert len(steps_of(server, crate, "l1")[1]["picks"]) == 1  # type: ignore[arg-type]


def test_fills_of_patterns_and_pictures_and_an_adjustment(page: Page, server: Server, crate: str, tmp_path: Path) -> None:
    open_paint(page, server.url, crate)
    page.get_by_role("button", name="Ground, Base colour").click()
    page.get_by_role("button", name="Picture or pattern…").click()
    page.get_by_role("button", name="Pattern", exact=True).click()
    page.get_by_role("button", name="Stripes and checks").click()
    settled(page)
    page.get_by_role("button", name="Done").click()
    page.keyboard.press("3")
    away(page)
    striped = look(page, "flat")
    assert striped.std() > 10
    # A right press tells strength and blend mode of the layer in that channel.
    page.get_by_role("button", name="Ground, Base colour").click(button="right")
    expect(page.get_by_role("menuitem", name="As the layer")).to_be_visible()
    page.keyboard.press("Escape")
    # A picture from a file takes its place.
    image = np.zeros((16, 16, 3), np.uint8)
    image[..., 2] = 220
    cv2.imwrite(str(tmp_path / "red.png"), image)
    page.get_by_role("button", name="Ground, Base colour").click()
    dialog = page.get_by_role("dialog", name="Base colour of Ground")
    dialog.get_by_role("button", name="Picture", exact=True).click()
    settled(page)
    dialog.get_by_label("Picture file").set_input_files(tmp_path / "red.png")
    settled(page)
    expect(dialog.get_by_role("combobox", name="Picture")).to_contain_text("red")
    # Its handles are on the model: the edge makes it larger.
    edge = page.get_by_role("button", name="Edge of the picture").bounding_box()
    view = page.get_by_test_id("solid").bounding_box()
    assert edge is not None
    assert view is not None
    page.mouse.move(edge["x"] + edge["width"] / 2, edge["y"] + edge["height"] / 2)
    page.mouse.down()
    page.mouse.move(view["x"] + 0.55 * view["width"], view["y"] + 0.55 * view["height"], steps=4)
    page.mouse.up()
    settled(page)
    document = server.get(f"/projects/{crate}")["document"]
    content = document["sheets"][0]["layers"][1]["channels"]["base_color"]["content"]  # type: ignore[index]
    assert content["projection"]["size"] != 0.3
    dialog.get_by_role("button", name="Done").click()
    page.get_by_role("button", name="Flat", exact=True).click()
    away(page)
    r, g, b = at(look(page, "solid"), 0.5, 0.5)
    assert r > 120
    assert max(g, b) < 40
    # An adjustment turns it: red by 120 degrees is green.
    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name="Hue, saturation, value").click()
    settled(page)
    hue = page.get_by_role("textbox", name="Hue value")
    hue.fill("120")
    hue.press("Enter")
    settled(page)
    away(page)
    r, g, b = at(look(page, "solid"), 0.5, 0.5)
    assert g > 120
    assert max(r, b) < 40
    page.get_by_role("button", name="Undo").click()
    settled(page)
    away(page)
    assert at(look(page, "solid"), 0.5, 0.5)[0] > 120

"""Colour work by hand: bands recoloured by a picked range, before and after, variants side by side, a map that goes outside and back."""

from __future__ import annotations

import io
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.stack.basics import FacePick
from ruvelt.studio.laying import flood
from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, drag, look, open_paint, settled
from tests.meshes import globe
from tests.studio.test_exchange import obj_of

EDITOR = Path(__file__).parents[2] / "tools" / "simulated_editor.py"


@pytest.fixture
def ball(server: Server) -> str:
    """A ball with a red lower half and a white upper one."""
    studio = Studio(server.data, Limits(threads=2))
    uid = studio.create(obj_of(globe(32, 16), globe(32, 16).uv_layouts[0]), "ball.obj", name="Ball", resolution=512)
    session = studio.session(uid)
    target = Target(sheet=session.document.sheets[0].id, layer="l2", channels=("base_color",))
    flood(session, target, Paint(values={"base_color": (0.9, 0.9, 0.9)}), None, 1.0)
    model = session.model
    middle = np.add.reduceat(model.positions[model.corner_vertex, 1].astype(float), model.face_starts[:-1]) / np.diff(model.face_starts)
    low = tuple(FacePick(by="face", index=int(f)) for f in np.flatnonzero(middle < 0))
    flood(session, target, Paint(values={"base_color": (0.8, 0.1, 0.1)}), low, 1.0)
    studio.close()
    return uid


def flat(page: Page) -> None:
    page.get_by_role("button", name="Flat", exact=True).click()
    settled(page)


def add_adjustment(page: Page, name: str) -> None:
    page.get_by_role("button", name="Add layer").click()
    page.get_by_role("menuitem", name=f"Adjust: {name}").click()
    settled(page)


def slide(page: Page, name: str, value: str) -> None:
    field = page.get_by_label(f"{name} value", exact=True)
    field.click()
    field.fill(value)
    field.press("Enter")
    settled(page)


def test_only_the_picked_colour_changes_and_the_number_is_there_after_a_restart(page: Page, server: Server, ball: str) -> None:
    open_paint(page, server.url, ball)
    flat(page)
    add_adjustment(page, "Hue, saturation, value")
    page.get_by_role("button", name="+ Pick").click()
    drag(page, "solid", (0.5, 0.7), (0.52, 0.7))
    expect(page.get_by_role("button", name="Range 1")).to_have_attribute("aria-pressed", "true")
    # What it catches is marked at once.
    away(page)
    marked = at(look(page, "solid"), 0.5, 0.7)
    assert abs(marked[0] - 204) + abs(marked[1] - 26) + abs(marked[2] - 26) > 90
    slide(page, "Hue", "120")
    away(page)
    seen = look(page, "solid")
    assert at(seen, 0.5, 0.7)[1] > 180 > 60 > at(seen, 0.5, 0.7)[0]
    assert min(at(seen, 0.5, 0.3)) > 215
    server.stop()
    server.start()
    open_paint(page, server.url, ball)
    page.get_by_role("row", name="Hue, saturation, value").get_by_role("rowheader").click()
    page.get_by_role("button", name="Range 1").click()
    expect(page.get_by_label("Hue value", exact=True)).to_have_value("120°")
    slide(page, "Hue", "-120")
    flat(page)
    away(page)
    seen = look(page, "solid")
    assert at(seen, 0.5, 0.7)[2] > 180 > 60 > at(seen, 0.5, 0.7)[1]


def test_a_catch_is_masked_and_painted_into(page: Page, server: Server, ball: str) -> None:
    open_paint(page, server.url, ball)
    flat(page)
    add_adjustment(page, "Lightness, chroma, hue")
    page.get_by_role("button", name="+ Pick").click()
    drag(page, "solid", (0.5, 0.7), (0.5, 0.7))
    page.get_by_role("group", name="Open range").get_by_role("button", name="Mask", exact=True).click()
    settled(page)
    expect(page.get_by_role("status", name="Target")).to_contain_text("range 1")
    page.get_by_role("textbox", name="Base colour").fill("#2040e0")
    page.get_by_role("textbox", name="Base colour").press("Enter")
    # Over the border: only what was caught takes it.
    drag(page, "solid", (0.5, 0.2), (0.5, 0.8))
    away(page)
    seen = look(page, "solid")
    assert at(seen, 0.5, 0.7)[2] > 180 > at(seen, 0.5, 0.7)[0]
    assert min(at(seen, 0.5, 0.3)) > 200


def test_before_is_seen_as_long_as_its_key_is_held_and_left_of_a_line(page: Page, server: Server, ball: str) -> None:
    open_paint(page, server.url, ball)
    flat(page)
    add_adjustment(page, "Invert")
    away(page)
    now = at(look(page, "solid"), 0.5, 0.7)
    page.keyboard.down("u")
    expect(page.get_by_text("Before: without")).to_have_count(2)
    before = at(look(page, "solid"), 0.5, 0.7)
    page.keyboard.up("u")
    assert np.abs(np.array(before) - [204, 26, 26]).max() < 12
    assert np.abs(np.array(now) - [51, 229, 229]).max() < 12
    page.get_by_role("button", name="Split", exact=True).click()
    settled(page)
    away(page)
    seen = look(page, "solid")
    assert np.abs(np.array(at(seen, 0.42, 0.7)) - [204, 26, 26]).max() < 12
    assert np.abs(np.array(at(seen, 0.58, 0.7)) - [51, 229, 229]).max() < 12
    line = page.get_by_role("slider", name="Line between before and after").first
    line.focus()
    for _ in range(8):
        line.press("ArrowLeft")
    away(page)
    assert np.abs(np.array(at(look(page, "solid"), 0.42, 0.7)) - [51, 229, 229]).max() < 12


def test_variants_side_by_side_and_their_export(page: Page, server: Server, ball: str) -> None:
    open_paint(page, server.url, ball)
    add_adjustment(page, "Hue, saturation, value")
    page.get_by_role("link", name="Variants").click()
    for name in ("Green", "Blue"):
        page.get_by_role("button", name="Add a variant").click()
        page.get_by_role("textbox", name="Name").fill(name)
        page.get_by_role("button", name="Add variant", exact=True).click()
        settled(page)
    for name, hue in (("Green", "120"), ("Blue", "-120")):
        page.get_by_role("link", name="Paint", exact=True).click()
        choose(page, "Variant shown", name)
        page.get_by_role("row", name="Hue, saturation, value").get_by_role("rowheader").click()
        slide(page, "Hue", hue)
    page.get_by_role("link", name="Variants").click()
    page.get_by_role("button", name="Show Base").click()
    settled(page)
    means = {}
    for name in ("Base", "Green", "Blue"):
        view = page.get_by_label(f"View of {name}").locator(".stage")
        picture = np.asarray(Image.open(io.BytesIO(view.screenshot())).convert("RGB")).astype(int)
        h, w = picture.shape[:2]
        means[name] = picture[int(h * 0.6) : int(h * 0.7), int(w * 0.45) : int(w * 0.55)].mean(axis=(0, 1))
    assert means["Base"].argmax() == 0
    assert means["Green"].argmax() == 1
    assert means["Blue"].argmax() == 2
    page.get_by_role("button", name="Show Green").click()
    settled(page)
    expect(page.get_by_label("Changes of the variant")).to_contain_text("adjustment")
    page.get_by_role("link", name="Export").click()
    for name in ("Base", "Green", "Blue"):
        page.get_by_role("checkbox", name=name, exact=True).check()
    settled(page)
    # It says nothing, but may be wanted.
    page.get_by_role("checkbox", name="Write Roughness").check()
    page.get_by_role("button", name=re.compile("^Write [0-9]+ maps$")).click()
    listing = page.get_by_label("Listing")
    expect(listing).to_contain_text("Ball_Default_base_color_Green.png")
    expect(listing).to_contain_text("Ball_Default_roughness.png")
    expect(listing).not_to_contain_text("roughness_Green")


def test_a_map_goes_outside_and_comes_back_each_time_it_is_saved(page: Page, server: Server, ball: str) -> None:
    open_paint(page, server.url, ball)
    flat(page)
    page.get_by_role("button", name="Outside…").click()
    page.get_by_role("button", name="Take Default out").click()
    row = page.get_by_role("group", name="default-base_color.png")
    expect(row).to_contain_text("as it was sent")
    path = server.data / "outside" / ball / "default-base_color.png"
    paint_outside(path, "0 0 512 512", "0.1 0.8 0.1", "--bits", "8")
    row.get_by_role("button", name="Look").click()
    expect(page.get_by_label("What differs")).to_contain_text("8 bits")
    expect(row).to_contain_text("saved since")
    page.get_by_role("button", name="Bring it back as a layer").click()
    page.get_by_role("button", name="Watch the folder").click()
    page.get_by_role("button", name="Close").click()
    expect(page.get_by_role("row", name="Base colour from outside")).to_be_attached()
    away(page)
    assert at(look(page, "solid"), 0.5, 0.7)[1] > 180
    paint_outside(path, "0 0 512 512", "0.1 0.1 0.8")
    expect(page.get_by_text("texels came back").last).to_be_visible()
    expect(page.get_by_role("row", name="Base colour from outside")).to_have_count(1)
    # The message of the first time may still be there: what counts is what is seen.
    for _ in range(40):
        if at(look(page, "solid"), 0.5, 0.7)[2] > 180:
            break
        page.wait_for_timeout(250)
    assert at(look(page, "solid"), 0.5, 0.7)[2] > 180
    page.get_by_role("button", name="Outside: watching").click()
    paint_outside(path, "0 0 10 10", "0 0 0", "--side", "256")
    expect(page.get_by_text("256 × 256; it was taken out at 512 × 512")).to_be_visible()


def paint_outside(path: Path, square: str, colour: str, *more: str) -> None:
    subprocess.run([sys.executable, str(EDITOR), str(path), "--square", *square.split(), "--colour", *colour.split(), *more], check=True)

"""What a person's hand does in the interface."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from playwright.sync_api import Locator, Page, expect


def settled(page: Page) -> None:
    page.wait_for_selector('html[data-idle="true"]', state="attached")


def open_paint(page: Page, url: str, uid: str, screen: str = "paint") -> None:
    page.goto(f"{url}/#/{uid}/{screen}")
    expect(page.get_by_role("link", name=screen.capitalize())).to_have_attribute("aria-current", "page")
    page.get_by_label("Flat sheet" if screen != "export" else "Maps of Wood", exact=True).wait_for()
    settled(page)


def drag(page: Page, view: str, *places: tuple[float, float], button: str = "left") -> None:
    """Press, move and release over a view; places are shares of its width and height."""
    box = page.get_by_test_id(view).bounding_box()
    assert box is not None
    at = [(box["x"] + u * box["width"], box["y"] + v * box["height"]) for u, v in places]
    page.mouse.move(*at[0])
    page.mouse.down(button=button)  # type: ignore[arg-type]
    for place in at[1:]:
        page.mouse.move(*place, steps=4)
    page.mouse.up(button=button)  # type: ignore[arg-type]
    settled(page)


def look(page: Page, view: str) -> np.ndarray:
    """(h, w, 3) pixels of a view as they are on screen."""
    settled(page)
    picture = Image.open(io.BytesIO(page.get_by_test_id(view).screenshot()))
    return np.asarray(picture.convert("RGB")).astype(int)


def at(picture: np.ndarray, u: float, v: float) -> list[int]:
    """The pixel at shares of the picture's width and height."""
    h, w = picture.shape[:2]
    return [int(c) for c in picture[int(v * h), int(u * w)]]


def colour(page: Page, hex_text: str) -> None:
    field = page.get_by_role("textbox", name="Base colour")
    field.fill(hex_text)
    field.press("Enter")
    field.blur()


def away(page: Page) -> None:
    """Move the pointer over the 3D view (which takes its first hint away) and off again, so that no ring is in the picture."""
    settled(page)
    box = page.get_by_test_id("solid").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.move(box["x"] + 9, box["y"] + 9)
    expect(page.get_by_text("Right-drag: orbit")).to_have_count(0)
    page.mouse.move(640, 20)
    settled(page)


def choose(page: Page | Locator, label: str, option: str) -> None:
    """One of a list, by what it is called."""
    page.get_by_role("combobox", name=label).click()
    whole = page if isinstance(page, Page) else page.page
    whole.get_by_role("option", name=option, exact=True).click()
    expect(whole.get_by_role("listbox")).to_have_count(0)

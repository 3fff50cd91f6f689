"""A model without UVs becomes paintable on the Model screen, and its islands are moved by hand."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.browser.conftest import Server
from tests.browser.hand import at, away, colour, drag, look, settled
from tests.meshes import CUBE_MTL, cube_obj


@pytest.fixture
def bare(server: Server) -> str:
    """The cube without UVs; its id."""
    lines = [line for line in cube_obj().decode().splitlines() if not line.startswith("vt ")]
    text = "\n".join(" ".join(w.split("/")[0] for w in line.split()) if line.startswith("f ") else line for line in lines)
    studio = Studio(server.data, Limits(threads=2))
    uid = studio.create(text.encode(), "cube.obj", name="Bare", companions={"cube.mtl": CUBE_MTL})
    studio.close()
    return uid


def covered(page: Page) -> int:
    """Texels of the first sheet, as the Model screen counts them."""
    text = page.get_by_text(" texels · ").first.inner_text()
    return int(text.split(" texels")[0].split("·")[-1].strip().replace(",", ""))


def island_on(light: np.ndarray) -> tuple[float, float]:
    """A place well inside some island of a picture of the flat sheet, as shares of its height and width."""
    whole = cv2.erode(light.astype(np.uint8), np.ones((15, 15), np.uint8))
    rows, columns = np.nonzero(whole)
    assert len(rows)
    i = len(rows) // 2
    return float(rows[i] / light.shape[0]), float(columns[i] / light.shape[1])


def test_unwrap_place_and_paint(page: Page, bare: str, server: Server) -> None:
    page.goto(f"{server.url}/#/{bare}/model")
    page.get_by_role("button", name="Unwrap the model", exact=True).wait_for()
    settled(page)
    page.get_by_role("button", name="Unwrap the model", exact=True).click()
    expect(page.get_by_text("The model is unwrapped. The islands fill")).to_be_visible()
    settled(page)
    before = covered(page)
    # An island is chosen in the 3D view, and made half as large.
    page.keyboard.press("4")
    drag(page, "solid", (0.5, 0.5))
    group = page.get_by_role("group", name="Chosen island")
    expect(group).to_be_visible()
    group.get_by_role("textbox", name="Scale, %").fill("50")
    group.get_by_role("button", name="Apply").click()
    settled(page)
    expect(page.get_by_text(" texels · ").first).to_be_visible()
    assert covered(page) < 0.95 * before
    # It is coarser than its sheet now; one button makes it as fine again.
    density = page.get_by_role("group", name="Density", exact=True)
    expect(density).to_contain_text("0.50 ×")
    density.get_by_role("button", name="Match the others").click()
    settled(page)
    expect(density).to_contain_text("1.00 ×")
    assert abs(covered(page) - before) < 0.02 * before
    page.get_by_role("button", name="Undo").click()
    settled(page)
    page.get_by_role("button", name="Undo").click()
    settled(page)
    assert covered(page) == before
    # An island is moved by dragging it across the flat sheet, towards the middle.
    history = server.get(f"/projects/{bare}")["head"]
    board = look(page, "flat")
    light = (board[..., 1] > board[..., 0].min() + 12) & (np.abs(board - 97).max(axis=2) > 8) & (board.max(axis=2) > 45)
    v, u = island_on(light)
    drag(page, "flat", (u, v), (u + 0.06 * np.sign(0.5 - u), v))
    assert server.get(f"/projects/{bare}")["head"] == history + 1  # type: ignore[operator]
    assert server.get(f"/projects/{bare}/history")["steps"][0]["label"] == "Place an island"  # type: ignore[index]
    moved = look(page, "flat")
    assert (np.abs(moved - board).max(axis=2) > 20).sum() > 200
    page.get_by_role("button", name="Undo").click()
    settled(page)
    # What was unwrapped can be painted.
    page.get_by_role("link", name="Paint").click()
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    colour(page, "#ff0000")
    page.keyboard.press("4")
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    away(page)
    red, green, blue = at(look(page, "solid"), 0.5, 0.5)
    assert red > 1.5 * green
    assert red > 1.5 * blue
    # Packed anew the paint lies where it did, and the Model screen says that it will.
    page.get_by_role("link", name="Model").click()
    expect(page.get_by_text("What is painted is laid again on a changed layout")).to_be_visible()
    page.get_by_role("button", name="Pack islands").click()
    expect(page.get_by_text("The islands are packed")).to_be_visible()
    away(page)
    red, green, blue = at(look(page, "solid"), 0.5, 0.5)
    assert red > 1.5 * max(green, blue)

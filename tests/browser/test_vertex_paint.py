"""A sculpt without UVs is brought in, painted on its vertices, unwrapped later, and written; all by hand in the window."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect
from plyfile import PlyData

from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, colour, drag, look, settled
from tests.browser.test_incoming import bring_in
from tests.core.test_vertex_paint import coloured, sculpt
from tests.studio.test_vertex_paint import ply_of


def even_ball() -> bytes:
    """A ball of 6,000 vertices, blue all over."""
    model = coloured(sculpt(100, 60))
    assert model.vertex_colors is not None
    model.vertex_colors[:] = [0.2, 0.4, 0.8, 1.0]
    return ply_of(model)


def aside(page: Page) -> None:
    """Off the view, and not onto anything whose tooltip would lie over it."""
    away(page)
    page.mouse.move(500, 770)
    settled(page)


def alike(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether two looks show the same; outlines may fall to either side of a pixel. A stroke of these tests is five times as much."""
    return bool((np.abs(one - other).max(axis=2) > 40).mean() < 0.005)


def test_painted_unwrapped_and_written(page: Page, server: Server, tmp_path: Path) -> None:
    file = tmp_path / "ball.ply"
    file.write_bytes(even_ball())
    bring_in(page, server, file)
    expect(page.get_by_role("region", name="Import notes")).to_contain_text("Vertex colours, as a layer of base colour.")
    expect(page.get_by_role("button", name="Show Vertices")).to_be_visible()
    page.get_by_role("link", name="Paint", exact=True).click()
    settled(page)
    # Nothing can be laid flat yet, so the model has the room to itself.
    expect(page.get_by_test_id("flat")).to_have_count(0)
    page.get_by_role("button", name="Flat", exact=True).click()
    aside(page)
    assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - [51, 102, 204]).max() <= 2
    colour(page, "#ff8000")
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    # A view frames the model by the shape it has just then; Home does so again.
    page.keyboard.press("Home")
    aside(page)
    picture = look(page, "solid")
    assert np.abs(np.array(at(picture, 0.5, 0.5)) - [255, 128, 0]).max() <= 6
    assert np.abs(np.array(at(picture, 0.5, 0.35)) - [51, 102, 204]).max() <= 2
    # What comes back after a reload is what was drawn batch by batch.
    page.reload()
    settled(page)
    page.get_by_role("button", name="Flat", exact=True).click()
    page.keyboard.press("Home")
    aside(page)
    assert alike(look(page, "solid"), picture)
    page.keyboard.press("Control+z")
    settled(page)
    assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - [51, 102, 204]).max() <= 2
    page.keyboard.press("Control+Shift+z")
    settled(page)

    # A finish goes into the hand, and on the model nothing changes until a stroke lays it.
    aside(page)
    before = look(page, "solid")
    page.get_by_role("button", name="Finish Wet").click()
    expect(page.get_by_text("Base colour · Roughness · Metallic")).to_be_visible()
    aside(page)
    assert alike(look(page, "solid"), before)
    page.get_by_role("button", name="Finish", exact=True).click()
    drag(page, "solid", (0.48, 0.55), (0.52, 0.55))
    aside(page)
    # Finish alone leaves the colour alone.
    assert alike(look(page, "solid"), before)
    page.get_by_role("button", name="Channel", exact=True).click()
    choose(page, "Channel shown", "Roughness")
    aside(page)
    wet = at(look(page, "solid"), 0.5, 0.55)
    assert max(wet) < 30

    page.get_by_role("button", name="Flat", exact=True).click()
    aside(page)
    at_zero = look(page, "solid")
    page.get_by_role("button", name="Raise the level").click()
    expect(page.get_by_label("Level 1", exact=True)).to_be_visible()
    aside(page)
    # Four times the faces, a rounder outline, and the same paint.
    assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - [255, 128, 0]).max() <= 8
    page.get_by_role("button", name="Colour", exact=True).click()
    colour(page, "#00c060")
    drag(page, "solid", (0.47, 0.42), (0.53, 0.42))
    aside(page)
    at_one = look(page, "solid")
    assert np.abs(np.array(at(at_one, 0.5, 0.42)) - [0, 192, 96]).max() <= 8
    page.get_by_role("button", name="Lower the level").click()
    expect(page.get_by_label("Level 0", exact=True)).to_be_visible()
    page.get_by_role("button", name="Raise the level").click()
    expect(page.get_by_label("Level 1", exact=True)).to_be_visible()
    aside(page)
    again = look(page, "solid")
    assert alike(again, at_one)
    assert np.abs(np.array(at(again, 0.5, 0.42)) - [0, 192, 96]).max() <= 8
    for _ in range(4):
        page.keyboard.press("Control+z")
        settled(page)
    expect(page.get_by_label("Level 0", exact=True)).to_be_visible()
    aside(page)
    assert alike(look(page, "solid"), at_zero)

    page.get_by_role("link", name="Export").click()
    # Without a sheet, vertex colours are what is written.
    page.get_by_role("checkbox", name="GLB").uncheck()
    page.get_by_role("button", name="Write 2 files").click()
    with page.expect_download() as download:
        page.get_by_role("region", name="Listing").get_by_role("link", name="Download as zip").click()
    archive = zipfile.ZipFile(download.value.path())
    assert sorted(n.rsplit(".", 1)[1] for n in archive.namelist()) == ["json", "obj", "ply"]
    name = next(n for n in archive.namelist() if n.endswith(".ply"))
    vertices = PlyData.read(io.BytesIO(archive.read(name)))["vertex"]
    colours = np.stack([vertices[c] for c in ("red", "green", "blue")], axis=1).astype(int)
    assert 0.002 < (np.abs(colours - [255, 128, 0]).max(axis=1) <= 6).mean() < 0.1
    assert (np.abs(colours - [51, 102, 204]).max(axis=1) == 0).mean() > 0.8

    page.get_by_role("link", name="Model").click()
    page.get_by_role("button", name="Unwrap the model").click()
    expect(page.get_by_text("The model is unwrapped.")).to_be_visible()
    settled(page)
    page.get_by_role("link", name="Paint", exact=True).click()
    settled(page)
    expect(page.get_by_test_id("flat")).to_have_count(1)
    # The vertices are still chosen, with their paint; a sheet is there beside them.
    aside(page)
    assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - [255, 128, 0]).max() <= 6
    expect(page.get_by_text("Vertex paint has no flat sheet")).to_be_visible()
    choose(page, "Sheet", "Default")
    settled(page)
    aside(page)
    # A sheet of the same model begins with the file's colours.
    assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - [51, 102, 204]).max() <= 2
    expect(page.get_by_text("Vertex paint has no flat sheet")).to_have_count(0)

    # The stroke goes along, and is laid again there.
    page.get_by_role("link", name="Model").click()
    settled(page)
    expect(page.get_by_text("room for all of the detail.")).to_be_visible()
    page.get_by_role("button", name="Take all layers of Vertices to Default").click()
    expect(page.get_by_text("The layers of Vertices are in front on Default")).to_be_visible()
    settled(page)
    page.get_by_role("link", name="Paint", exact=True).click()
    settled(page)
    expect(page.get_by_text("From Vertices", exact=True)).to_be_visible()
    aside(page)
    assert np.abs(np.array(at(look(page, "solid"), 0.5, 0.5)) - [255, 128, 0]).max() <= 6


def test_stairs_are_shown_and_faces_of_a_colour_seen_alone(page: Page, server: Server, tmp_path: Path) -> None:
    """One face in another colour: its rim is too sharp for the mesh, and it is a group that can be hidden and seen alone."""
    file = tmp_path / "ball.ply"
    file.write_bytes(even_ball())
    bring_in(page, server, file)
    page.get_by_role("link", name="Paint", exact=True).click()
    settled(page)
    page.get_by_role("button", name="Flat", exact=True).click()
    colour(page, "#ff8000")
    page.get_by_role("button", name="Fill", exact=True).click()
    page.get_by_role("group", name="What is filled").get_by_role("button", name="Face", exact=True).click()
    drag(page, "solid", (0.5, 0.5))
    aside(page)
    filled = look(page, "solid")
    assert is_orange(filled).sum() > 20
    page.get_by_role("link", name="Model").click()
    settled(page)
    page.get_by_role("button", name="Stairs of paint on").click()
    settled(page)
    aside(page)
    marked = look(page, "solid")
    assert ((marked[..., 0] > 150) & (marked[..., 1] > 110) & (marked[..., 2] < 120)).sum() > 50
    page.get_by_role("link", name="Paint", exact=True).click()
    settled(page)
    page.get_by_role("button", name="Fill", exact=True).click()
    page.get_by_role("group", name="What is filled").get_by_role("button", name="Colour range", exact=True).click()
    page.get_by_role("group", name="Groups from colours").get_by_role("button", name="This colour").click()
    group = page.get_by_role("group", name="Kept face groups").get_by_role("button").first
    expect(group).to_contain_text("Colour #ff8000")
    group.click()
    shows = page.get_by_role("group", name="What shows")
    blue = (look(page, "solid")[..., 2] > 150).sum()
    shows.get_by_role("button", name="Only them").click()
    settled(page)
    aside(page)
    assert (look(page, "solid")[..., 2] > 150).sum() < 0.2 * blue
    # So it stays over a reload.
    page.reload()
    settled(page)
    page.get_by_role("button", name="Flat", exact=True).click()
    aside(page)
    assert (look(page, "solid")[..., 2] > 150).sum() < 0.2 * blue
    page.get_by_role("button", name="Fill", exact=True).click()
    shows.get_by_role("button", name="All faces").click()
    settled(page)
    aside(page)
    assert (look(page, "solid")[..., 2] > 150).sum() > 0.8 * blue


def is_orange(picture: np.ndarray) -> np.ndarray:
    """(h, w) bool: pixels near the paint."""
    found: np.ndarray = (np.abs(picture - [255, 128, 0]) < 40).all(axis=2)
    return found

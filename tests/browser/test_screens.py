"""Projects, Model, Export and the keyboard page, used the way a person would."""

from __future__ import annotations

import io
import json
import re
import sqlite3
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import Server
from tests.browser.hand import away, colour, drag, look, open_paint, settled
from tests.meshes import CUBE_MTL, cube_obj

pytestmark = pytest.mark.browser


def files(*named: tuple[str, bytes]) -> list[dict[str, object]]:
    return [{"name": name, "mimeType": "application/octet-stream", "buffer": content} for name, content in named]


def test_a_new_project_from_a_dropped_file(page: Page, server: Server) -> None:
    page.goto(server.url)
    settled(page)
    page.get_by_label("Model files").set_input_files(files(("cube.obj", cube_obj()), ("cube.mtl", CUBE_MTL)))  # type: ignore[arg-type]
    page.get_by_role("textbox", name="Name").fill("Harbour crate")
    page.get_by_role("combobox", name="Sheet resolution").click()
    page.get_by_role("option", name="256 × 256").click()
    page.get_by_role("button", name="Create").click()
    expect(page.get_by_role("link", name="Model")).to_have_attribute("aria-current", "page")
    settled(page)
    expect(page.get_by_text("Nothing stands in the way of painting.")).to_be_visible()
    expect(page.get_by_text("4 faces · 1 islands")).to_be_visible()
    page.get_by_role("link", name="All projects").click()
    card = page.get_by_role("article", name="Harbour crate")
    expect(card).to_contain_text("2 sheets · 4 layers")
    picture = card.get_by_role("img")
    assert picture.evaluate("i => i.decode().then(() => i.naturalWidth)") == 480
    card.get_by_role("button", name="Rename").click()
    page.get_by_role("textbox", name="Name").fill("Old crate")
    page.get_by_role("dialog").get_by_role("button", name="Rename").click()
    page.get_by_role("article", name="Old crate").get_by_role("button", name="Delete").click()
    page.get_by_role("button", name="Delete project").click()
    expect(page.get_by_role("article")).to_have_count(0)


@pytest.mark.parametrize(
    ("name", "content", "match"),
    [("a.obj", b"v 0 0 0\nf 1 2 3\n", "names vertex 2"), ("a.glb", b"glTF\2\0\0\0", "cut off"), ("a.docx", b"x", "not a mesh format")],
)
def test_a_bad_file_says_what_to_do(page: Page, server: Server, name: str, content: bytes, match: str) -> None:
    page.goto(server.url)
    settled(page)
    page.get_by_label("Model files").set_input_files(files((name, content)))  # type: ignore[arg-type]
    page.get_by_role("button", name="Create").click()
    expect(page.get_by_role("alert")).to_contain_text(match)
    assert server.get("/projects")["projects"] == []


def test_findings_are_shown_on_the_model(page: Page, server: Server) -> None:
    page.goto(server.url)
    settled(page)
    text = cube_obj().replace(b"vt 0.0000 0.0000", b"vt 1.5000 0.0000")
    page.get_by_label("Model files").set_input_files(files(("cube.obj", text)))  # type: ignore[arg-type]
    page.get_by_role("combobox", name="Sheet resolution").click()
    page.get_by_role("option", name="256 × 256").click()
    page.get_by_role("button", name="Create").click()
    finding = page.get_by_role("button", name=re.compile("faces folded into the square"))
    finding.wait_for()
    settled(page)
    away(page)
    before = look(page, "solid")
    finding.click()
    after = look(page, "solid")
    assert (np.abs(after - before).max(axis=2) > 40).sum() > 500


def test_parts_are_hidden_isolated_and_brought_back(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate, "model")
    away(page)
    whole = look(page, "solid")
    page.get_by_role("button", name="Isolate Upper").click()
    settled(page)
    away(page)
    changed = (np.abs(look(page, "solid") - whole).max(axis=2) > 12).sum()
    assert changed > 20_000
    expect(page.get_by_text("1 hidden")).to_be_visible()
    page.get_by_role("button", name="Show all").click()
    settled(page)
    away(page)
    # Edges and shadow rims are drawn anew and may differ by a sample; whole faces may not.
    back = (np.abs(look(page, "solid") - whole).max(axis=2) > 12).sum()
    assert back < 0.05 * changed


def test_a_sheets_resolution_is_changed_with_its_paint(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    colour(page, "#ff0000")
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    page.get_by_role("link", name="Model").click()
    settled(page)
    page.get_by_role("combobox", name="Resolution").first.click()
    page.get_by_role("option", name="512 × 512").click()
    expect(page.get_by_text("Wood is now 512 × 512")).to_be_visible()
    settled(page)
    expect(page.get_by_text("1001 · Wood · 512")).to_be_visible()
    page.get_by_role("button", name="Flat", exact=True).click()
    away(page)
    picture = look(page, "flat")
    assert ((picture[..., 0] > 200) & (picture[..., 1] < 60)).sum() > 100


def test_export_writes_what_it_shows(page: Page, server: Server, crate: str, tmp_path: Path) -> None:
    open_paint(page, server.url, crate)
    page.get_by_role("button", name="Fill", exact=True).click()
    page.get_by_role("button", name="Sheet", exact=True).click()
    page.get_by_role("button", name="Brush", exact=True).click()
    colour(page, "#ff0000")
    page.get_by_role("button", name="Fill", exact=True).click()
    drag(page, "solid", (0.5, 0.55))
    page.get_by_role("link", name="Export").click()
    page.get_by_role("img", name="Base colour of Wood").wait_for()
    settled(page)
    page.get_by_role("combobox", name="Preset", exact=True).click()
    page.get_by_role("option", name="Engine: occlusion, roughness, metallic").click()
    settled(page)
    page.get_by_role("checkbox", name="Iron · 256").uncheck()
    page.get_by_role("combobox", name="Size", exact=True).click()
    page.get_by_role("option", name="512 × 512").click()
    # What says nothing is off at first, and is written once it is wanted.
    expect(page.get_by_role("row", name="Emission")).to_contain_text("no layer says anything in it")
    page.get_by_role("checkbox", name="Write Emission").check()
    page.get_by_role("button", name="Write 3 maps").click()
    listing = page.get_by_role("region", name="Listing")
    expect(listing).to_contain_text("Crate_Wood_orm.png")
    expect(listing).to_contain_text("Crate_asset.glb")
    with page.expect_download() as download:
        listing.get_by_role("link", name="Download as zip").click()
    archive = zipfile.ZipFile(download.value.path())
    told = {f["name"]: f for f in json.loads(archive.read("listing.json"))["files"]}
    assert set(archive.namelist()) == {*told, "listing.json"}
    picture = Image.open(io.BytesIO(archive.read("Crate_Wood_base_color.png")))
    assert picture.size == (512, 512)
    assert picture.getpixel((30, 480))[:3] == (255, 0, 0)
    assert archive.read("Crate_asset.glb")[:4] == b"glTF"


def test_strokes_are_recorded_and_replayed(page: Page, server: Server, crate: str, tmp_path: Path) -> None:
    open_paint(page, server.url, crate)
    colour(page, "#ff0000")
    page.get_by_role("button", name="Record").click()
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    with page.expect_download() as download:
        page.get_by_role("button", name="Stop").click()
    script = Path(download.value.path()).read_text()
    assert [s["do"] for s in json.loads(script)["steps"]] == ["target", "paint", "brush", "stroke"]
    page.keyboard.press("Control+z")
    settled(page)
    page.get_by_label("Stroke script").set_input_files(files(("strokes.json", script.encode())))  # type: ignore[arg-type]
    settled(page)
    page.get_by_role("button", name="Messages").click()
    expect(page.get_by_role("log", name="Messages")).to_contain_text("1 stroke replayed.")
    page.keyboard.press("Escape")
    assert server.get(f"/projects/{crate}")["head"] == 1
    page.get_by_label("Stroke script").set_input_files(files(("strokes.json", b'{"format": "x"}')))  # type: ignore[arg-type]
    settled(page)
    page.get_by_role("button", name="Messages: 1 unread").click()
    expect(page.get_by_role("log", name="Messages")).to_contain_text("stroke script is wrong")
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Messages", exact=True)).to_be_visible()


def test_shortcuts_are_listed_and_rebound(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.keyboard.press("?")
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Swap the two colours")
    dialog.get_by_role("button", name=re.compile("^Erase .*: change key")).click()
    page.keyboard.press("k")
    expect(dialog.get_by_role("button", name=re.compile("^Erase .*: change key"))).to_contain_text("K")
    dialog.get_by_role("button", name="Close").click()
    expect(dialog).to_have_count(0)
    page.keyboard.press("k")
    expect(page.get_by_role("button", name="Erase", exact=True)).to_have_attribute("aria-pressed", "true")
    page.reload()
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    page.keyboard.press("b")
    page.keyboard.press("e")
    expect(page.get_by_role("button", name="Brush", exact=True)).to_have_attribute("aria-pressed", "true")


def test_versions_from_the_history_page(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    page.get_by_role("button", name="History and versions").click()
    page.get_by_role("textbox", name="Name of the version").fill("Bare")
    page.get_by_role("button", name="Keep version").click()
    expect(page.get_by_role("dialog")).to_contain_text("Bare")
    page.get_by_role("button", name="Close").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    drag(page, "solid", (0.45, 0.55), (0.55, 0.55))
    page.get_by_role("button", name="History and versions").click()
    expect(page.get_by_role("dialog")).to_contain_text("Brush · Paint · Base colour")
    page.get_by_role("button", name="Go back to it").click()
    settled(page)
    found = server.get(f"/projects/{crate}")
    assert (found["head"], found["undo_label"]) == (2, "Back to Bare")


def test_every_button_has_a_name_and_text_is_legible(page: Page, server: Server, crate: str) -> None:
    """Accessible names everywhere, and WCAG AA contrast of texts against their grounds, in both themes."""
    open_paint(page, server.url, crate)
    check = """() => {
      const lum = (c) => { const v = c.map(x => x / 255).map(x => x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4);
        return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2]; };
      const rgba = (s) => (s.match(/[\\d.]+/g) || []).map(Number);
      const ground = (e) => { for (let n = e; n; n = n.parentElement) { const c = rgba(getComputedStyle(n).backgroundColor);
        if (c.length === 3 || (c.length === 4 && c[3] > 0.7)) return c.slice(0, 3); } return [30, 30, 30]; };
      const bad = [];
      for (const e of document.querySelectorAll('button, a, span, b, h2, label, p, option')) {
        const own = [...e.childNodes].some(n => n.nodeType === 3 && n.textContent.trim());
        if (!own || e.closest('[disabled], .dim, .value, svg') || !e.getClientRects().length) continue;
        const f = lum(rgba(getComputedStyle(e).color).slice(0, 3)), g = lum(ground(e));
        const ratio = (Math.max(f, g) + 0.05) / (Math.min(f, g) + 0.05);
        if (ratio < 4.5) bad.push(`${e.textContent.trim().slice(0, 30)}: ${ratio.toFixed(2)}`);
      }
      const nameless = [...document.querySelectorAll('button, [role=slider], input:not([type=hidden]), select')]
        .filter(e => !(e.getAttribute('aria-label') || e.textContent.trim() || e.labels?.length || e.title ||
          e.closest('[aria-hidden=true]'))).length;
      return { bad, nameless };
    }"""
    for _ in range(2):
        assert page.evaluate(check) == {"bad": [], "nameless": 0}
        page.get_by_role("button", name="Light or dark").click()
        settled(page)


def test_a_project_that_cannot_be_opened_says_why_and_gives_its_last_good_state(page: Page, server: Server, crate: str) -> None:
    with sqlite3.connect(server.data / "projects" / crate / "project.sqlite") as connection:
        connection.execute("UPDATE project SET document = '{}'")
    page.goto(server.url)
    card = page.get_by_role("article", name="Crate", exact=True)
    expect(card).to_contain_text("layers cannot be read")
    expect(card.get_by_role("link")).to_have_count(0)
    card.get_by_role("button", name="Open last good state").click()
    copy = page.get_by_role("article", name="Crate (recovered)")
    copy.get_by_role("link").click()
    expect(page.get_by_label("Flat sheet", exact=True)).to_be_visible()
    settled(page)
    expect(page.get_by_role("table", name="Layers").or_(page.get_by_text("Ground")).first).to_be_visible()
    page.get_by_role("link", name="All projects").click()
    expect(card).to_be_visible()


def test_what_undo_keeps_and_what_it_takes_on_disk(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate)
    colour(page, "#ff0000")
    for y in (0.45, 0.5, 0.55):
        drag(page, "solid", (0.45, y), (0.55, y))
        settled(page)
    page.get_by_role("button", name="History and versions").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("on disk")
    expect(dialog.get_by_role("combobox", name="Undo keeps")).to_contain_text("Every step")
    dialog.get_by_role("combobox", name="Undo keeps").click()
    page.get_by_role("option", name="The last 30 steps").click()
    expect(dialog.get_by_role("combobox", name="Undo keeps")).to_contain_text("The last 30 steps")
    assert server.get(f"/projects/{crate}/history")["undo_steps"] == 30

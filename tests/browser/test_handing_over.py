"""Handing work over: a GLB comes in, is checked, a seam is mended, it goes out for an engine and a renderer, and again after one stroke."""

from __future__ import annotations

import json
import re
import zipfile
from pathlib import Path

import imagecodecs
import numpy as np
from playwright.sync_api import Page, expect

from ruvelt.core.output.presets import BUILT_IN
from ruvelt.studio.bring_in import picture_layer
from ruvelt.studio.exports import export_project
from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.browser.conftest import Server
from tests.browser.hand import away, choose, colour, drag, look, open_paint, settled
from tests.browser.test_incoming import bring_in
from tests.core.test_picture_formats import exr
from tests.meshes import globe
from tests.studio.test_exchange import obj_of

WRITE = re.compile("^Write [0-9]+ maps$")


def striped_glb(folder: Path) -> Path:
    """A ball whose picture runs across the sheet and knows nothing of the ball: it jumps where the layout does."""
    studio = Studio(folder / "made", Limits(threads=2))
    uid = studio.create(obj_of(globe(32, 16), globe(32, 16).uv_layouts[0]), "ball.obj", name="Ball", resolution=512)
    session = studio.session(uid)
    across = np.linspace(12000, 52000, 512).astype(np.uint16)
    image = np.full((512, 512, 4), 65535, np.uint16)
    image[..., :3] = across[None, :, None]
    picture_layer(session, session.document.sheets[0].id, "base_color", image, "Stripes")
    export_project(session, next(p for p in BUILT_IN if p.id == "packed-orm"), folder / "glb")
    studio.close()
    return folder / "glb" / "Ball_asset.glb"


def export(page: Page, preset: str) -> None:
    page.get_by_role("combobox", name="Preset", exact=True).click()
    page.get_by_role("option", name=preset, exact=True).click()
    settled(page)


def downloaded(page: Page) -> zipfile.ZipFile:
    with page.expect_download() as download:
        page.get_by_role("region", name="Listing").get_by_role("link", name="Download as zip").click()
    return zipfile.ZipFile(download.value.path())


def test_in_checked_mended_out_and_out_again(page: Page, server: Server, tmp_path: Path) -> None:
    bring_in(page, server, striped_glb(tmp_path))
    page.get_by_role("link", name="Check").click()
    settled(page)
    expect(page.get_by_role("region", name="Findings")).to_contain_text("Visible seams")
    page.get_by_role("button", name="Check", exact=True).click()
    seam = page.get_by_role("group", name=re.compile("Base colour differs across"))
    seam.wait_for()
    settled(page)
    # Pressed: the views go there, and mark it.
    before = look(page, "solid")
    seam.get_by_role("button", name=re.compile("Base colour differs across")).click()
    settled(page)
    assert np.abs(look(page, "solid") - before).max(axis=2).mean() > 5
    # Seen grey, every pixel of the views is.
    choose(page, "How the views are seen", "Greyscale")
    away(page)
    seen = look(page, "solid")[120:-60, 40:-40]
    assert np.abs(seen - seen.mean(axis=2, keepdims=True)).max() <= 2
    choose(page, "How the views are seen", "As it is")
    # Mended by a layer that undo takes back.
    seam.get_by_role("button", name="Soften these seams").click()
    settled(page)
    expect(page.get_by_role("group", name=re.compile("Base colour differs across"))).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile("^Undo"))).to_be_enabled()

    page.get_by_role("link", name="Export").click()
    page.get_by_role("region", name=re.compile("^Maps of")).first.wait_for()
    export(page, "Engine: occlusion, roughness, metallic")
    page.get_by_role("button", name=WRITE).click()
    page.get_by_role("region", name="Listing").wait_for()
    settled(page)
    archive = downloaded(page)
    assert any(n.endswith("_asset.glb") for n in archive.namelist())
    export(page, "Offline renderer")
    page.get_by_role("checkbox", name="Write Emission").check()
    page.get_by_role("button", name=WRITE).click()
    settled(page)
    archive = downloaded(page)
    name = next(n for n in archive.namelist() if n.endswith("base_color.exr"))
    assert set(exr(archive.read(name))[0]) == {"R", "G", "B", "name"}

    page.get_by_role("link", name="Paint").click()
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    colour(page, "#ff0000")
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    page.get_by_role("link", name="Export").click()
    page.get_by_role("region", name="Last export").wait_for()
    page.get_by_role("button", name="Write again").click()
    settled(page)
    listing = page.get_by_role("region", name="Listing")
    written = listing.get_by_role("row").filter(has_not=page.get_by_text("as before"))
    names = [n for n in written.all_inner_texts() if ".exr" in n]
    assert any("base_color" in n for n in names)
    assert listing.get_by_text("as before").count() >= 1


def test_a_map_of_ones_own_is_packed_and_kept_as_a_file(page: Page, server: Server, crate: str, tmp_path: Path) -> None:
    open_paint(page, server.url, crate, "export")
    page.get_by_role("button", name="Add a map").click()
    settled(page)
    for label, option in (("Components", "RGBA"), ("R", "Metallic"), ("G", "0.5"), ("A", "Roughness")):
        choose(page, f"{label} of New map", option)
        settled(page)
    page.get_by_role("button", name="1− A of New map").click()
    settled(page)
    for name in ("Base colour", "Roughness", "Metallic", "Height"):
        page.get_by_role("checkbox", name=f"Write {name}", exact=True).uncheck()
    page.get_by_role("checkbox", name="Check before writing").uncheck()
    page.get_by_role("button", name=WRITE).click()
    page.get_by_role("region", name="Listing").wait_for()
    settled(page)
    archive = downloaded(page)
    pixels = imagecodecs.png_decode(archive.read("Crate_Wood_new_map.png"))
    assert pixels.shape == (256, 256, 4)
    assert set(np.unique(pixels[..., 1])) == {128}
    with page.expect_download() as download:
        page.get_by_role("link", name="To a file").click()
    kept = json.loads(Path(download.value.path()).read_text())
    assert kept["maps"][-1]["components"] == ["metallic", "0.5", "0", "1-roughness"]
    kept |= {"id": "mine", "name": "Mine"}
    page.get_by_label("Preset file").set_input_files({"name": "mine.json", "mimeType": "application/json", "buffer": json.dumps(kept).encode()})
    settled(page)
    expect(page.get_by_role("combobox", name="Preset", exact=True)).to_have_text("Mine")
    page.get_by_role("button", name="Delete preset").click()
    settled(page)
    expect(page.get_by_role("combobox", name="Preset", exact=True)).to_have_text("Separate maps")

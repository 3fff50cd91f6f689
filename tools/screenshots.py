"""Take the pictures of docs/screenshots and docs/artists/maps from the demo project. Usage: screenshots.py URL

Every mesh map should be baked first, finer than the demo has them:
ruvelt bake "Storm lantern" --maps normal,occlusion,curvature,thickness,position,facing,height,id,object_normal,bent_normal --rays 64
"""

from __future__ import annotations

import json
import shutil
import sys
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).parent.parent / "docs" / "screenshots"
MAPS_OUT = Path(__file__).parent.parent / "docs" / "artists" / "maps"
MAPS = {
    "normal": "Normal (tangent)", "occlusion": "Occlusion", "curvature": "Curvature", "thickness": "Thickness", "position": "Position",
    "facing": "Facing", "height": "Height", "id": "Id colour", "object-normal": "Normal (object)", "bent-normal": "Bent normal",
}  # fmt: skip
FLAGS = ["--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist"]


def settled(page: Page) -> None:
    page.wait_for_selector('html[data-idle="true"]', state="attached", timeout=120_000)


def shot(page: Page, name: str) -> None:
    settled(page)
    page.evaluate("document.fonts.ready")
    page.screenshot(path=OUT / f"{name}.png")


def take(page: Page, url: str, uid: str) -> None:
    page.goto(url)
    page.get_by_role("img").first.wait_for()
    shot(page, "projects")

    page.goto(f"{url}/#/{uid}/paint")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    solid = page.get_by_test_id("solid").bounding_box()
    assert solid is not None
    page.get_by_role("button", name="Rust, Base colour").click()
    page.get_by_role("button", name="Rust, Roughness").click(modifiers=["Control"])
    page.mouse.move(solid["x"] + 0.42 * solid["width"], solid["y"] + 0.8 * solid["height"])
    shot(page, "paint")

    page.get_by_role("button", name="Mask of Chips to primer: Painted").click()
    page.mouse.move(solid["x"] + 0.62 * solid["width"], solid["y"] + 0.82 * solid["height"])
    shot(page, "mask")

    page.get_by_role("button", name="Bare steel, Height").click()
    page.get_by_role("button", name="Channel", exact=True).click()
    page.get_by_label("Channel shown").select_option("normal")
    page.mouse.move(640, 20)
    shot(page, "channel")

    page.get_by_role("button", name="Lit", exact=True).click()
    page.get_by_role("button", name="Light or dark").click()
    page.get_by_role("button", name="All settings").click()
    page.mouse.move(640, 20)
    shot(page, "light")
    page.get_by_role("button", name="Light or dark").click()
    page.mouse.move(640, 20)

    page.goto(f"{url}/#/{uid}/model")
    page.get_by_text("Every texel is painted.").first.wait_for()
    shot(page, "model")

    page.goto(f"{url}/#/{uid}/bake")
    page.get_by_role("table", name="Mesh maps by sheets").wait_for()
    settled(page)
    view = page.get_by_test_id("solid").bounding_box()
    assert view is not None
    # The first move over the view takes its hint away.
    page.mouse.move(view["x"] + 5, view["y"] + 5)
    show = page.get_by_label("Suspect texels").get_by_role("button", name="Show")
    show.click()
    page.mouse.move(640, 20)
    shot(page, "bake")
    show.click()
    for cell in page.get_by_role("button", name=" of Enamel", exact=False).all():
        name = cell.get_attribute("aria-label") or ""
        page.get_by_role("button", name=name, exact=True).click()
        page.mouse.move(640, 20)
        settled(page)
        kind = next(k for k, v in MAPS.items() if v == name.removesuffix(" of Enamel"))
        page.get_by_test_id("solid").screenshot(path=MAPS_OUT / f"{kind}.png")
    touch_up(page)

    page.goto(f"{url}/#/{uid}/export")
    page.get_by_role("img", name="Opacity of Fittings").wait_for(timeout=120_000)
    shot(page, "export")


def touch_up(page: Page) -> None:
    """Clone a lit patch of the hood over a dark one, and show what the hand has."""
    page.get_by_role("button", name="Occlusion of Enamel", exact=True).click()
    page.get_by_role("button", name="Clone", exact=True).click()
    solid = page.get_by_test_id("solid").bounding_box()
    assert solid is not None

    def press(u: float, v: float, *way: tuple[float, float]) -> None:
        page.mouse.move(solid["x"] + u * solid["width"], solid["y"] + v * solid["height"])
        page.mouse.down()
        for x, y in way:
            page.mouse.move(solid["x"] + x * solid["width"], solid["y"] + y * solid["height"], steps=6)
        page.mouse.up()
        settled(page)

    press(0.5, 0.82)
    press(0.44, 0.74, (0.56, 0.745))
    page.mouse.move(solid["x"] + 0.58 * solid["width"], solid["y"] + 0.76 * solid["height"])
    shot(page, "touch-up")


if __name__ == "__main__":
    where = sys.argv[1].rstrip("/")
    with urllib.request.urlopen(f"{where}/api/projects") as answer:
        project = next(p["uid"] for p in json.load(answer)["projects"] if p["name"] == "Storm lantern")
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium") or ".cache/chromium/run", args=FLAGS)
        take(browser.new_page(viewport={"width": 1280, "height": 800}), where, project)
        browser.close()

"""Take the pictures of docs/screenshots, docs/artists/maps and docs/artists/masks from the demo project. Usage: screenshots.py URL

Every mesh map should be baked first, finer than the demo has them:
ruvelt bake "Storm lantern" --maps normal,occlusion,curvature,thickness,position,facing,height,id,object_normal,bent_normal --rays 64
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).parent.parent / "docs" / "screenshots"
MAPS_OUT = Path(__file__).parent.parent / "docs" / "artists" / "maps"
MASKS_OUT = Path(__file__).parent.parent / "docs" / "artists" / "masks"
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
    page.wait_for_function("() => [...document.images].every(i => i.complete && i.naturalWidth > 0)", timeout=60_000)
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
    page.get_by_role("button", name="Over", exact=True).click()
    page.locator(".srow .text", has_text="Noise").click()
    page.mouse.move(solid["x"] + 0.62 * solid["width"], solid["y"] + 0.82 * solid["height"])
    shot(page, "mask")
    page.get_by_role("button", name="Off", exact=True).click()
    page.get_by_role("button", name="Close the mask").click()
    fill(page)

    page.get_by_role("button", name="Bare steel, Height").click()
    page.get_by_role("button", name="Channel", exact=True).click()
    page.get_by_role("combobox", name="Channel shown").click()
    page.get_by_role("option", name="Normal", exact=True).click()
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

    hand_over(page, url, uid)


def hand_over(page: Page, url: str, uid: str) -> None:
    """What a check found, the views gone to the first of it; then the table of maps."""
    page.goto(f"{url}/#/{uid}/check")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    page.get_by_role("button", name="Check", exact=True).click()
    page.locator(".finding").nth(1).wait_for(timeout=120_000)
    page.locator(".finding").nth(1).click()
    shot(page, "check")
    page.goto(f"{url}/#/{uid}/export")
    page.get_by_role("img", name="Opacity of Fittings").wait_for(timeout=120_000)
    shot(page, "export")


def hand(page: Page, url: str, uid: str) -> None:
    """The buoy: a row of rivets that is being shaped; dropped again."""
    page.goto(f"{url}/#/{uid}/paint")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    solid = page.get_by_test_id("solid").bounding_box()
    assert solid is not None

    def press(*direction: tuple[float, float]) -> None:
        for i, (u, v) in enumerate(direction):
            page.mouse.move(solid["x"] + u * solid["width"], solid["y"] + v * solid["height"], steps=4 if i else 1)
            if not i:
                page.mouse.down()
        page.mouse.up()
        settled(page)

    page.mouse.move(solid["x"] + 0.5 * solid["width"], solid["y"] + 0.5 * solid["height"])
    for _ in range(3):
        page.mouse.wheel(0, -120)
        settled(page)
    page.get_by_role("button", name="Bands and number, Base colour").click()
    page.get_by_role("button", name="Bands and number, Height").click(modifiers=["Control"])
    colour = page.get_by_role("textbox", name="Base colour")
    colour.fill("#ead9b0")
    colour.press("Enter")
    page.keyboard.press("l")
    page.get_by_role("button", name="Curved").click()
    page.get_by_role("button", name="Row of stamps").click()
    size = page.get_by_role("textbox", name="Size value")
    size.fill("20")
    size.press("Enter")
    height = page.get_by_role("textbox", name="Height value")
    height.fill("0.9")
    height.press("Enter")
    page.get_by_label("Tip settings").get_by_role("button", name="Open the tip settings").click()
    page.get_by_role("button", name="Bolt head", exact=True).click()
    page.evaluate("document.querySelector('aside.side').scrollTop = 0")
    press((0.3, 0.62), (0.42, 0.73))
    press((0.54, 0.63), (0.54, 0.64))
    press((0.68, 0.70), (0.68, 0.69))
    page.mouse.move(640, 20)
    shot(page, "lines")
    page.keyboard.press("Escape")
    settled(page)
    page.keyboard.press("b")


def colour_work(page: Page, url: str, lantern: str, buoy: str) -> None:
    """An adjustment with ranges, variants side by side, and a map that came back from outside; the last taken back."""
    page.goto(f"{url}/#/{buoy}/paint")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    page.get_by_role("row", name="Bands in green").get_by_role("rowheader").click()
    page.get_by_role("button", name="Red bands").click()
    page.get_by_role("group", name="Open range").get_by_role("button", name="Show", exact=True).click()
    page.get_by_role("button", name="Split", exact=True).click()
    page.mouse.move(640, 20)
    shot(page, "adjustment")
    page.get_by_role("button", name="Split", exact=True).click()

    page.goto(f"{url}/#/{lantern}/variants")
    page.get_by_label("View of Rescue orange", exact=True).wait_for()
    page.wait_for_function("() => document.querySelectorAll('.vlook img').length > 5", timeout=120_000)
    shot(page, "variants")

    page.goto(f"{url}/#/{lantern}/paint")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    page.get_by_role("button", name="Outside…").click()
    page.get_by_role("button", name="Take Enamel out").click()
    row = page.get_by_role("group", name="enamel-base_color.png")
    folder = Path(page.locator(".path-told").inner_text())
    editor = Path(__file__).parent / "simulated_editor.py"
    square = ["--square", "560", "700", "1040", "900", "--colour", "0.85", "0.6", "0.15"]
    subprocess.run([sys.executable, str(editor), str(folder / "enamel-base_color.png"), *square], check=True)
    row.get_by_role("button", name="Look").click()
    page.get_by_label("What differs").wait_for()
    # No picture tells where it was taken.
    page.evaluate("document.querySelector('.path-told').textContent = '~/.local/share/ruvelt/outside/storm-lantern'")
    page.add_style_tag(content=".MuiSnackbar-root { display: none }")
    shot(page, "outside")
    row.get_by_role("button", name="Forget").click()
    page.get_by_role("button", name="Close").click()


def fill(page: Page) -> None:
    """Stripes in the enamel's roughness, then taken back."""
    page.get_by_role("button", name="Enamel coat, Base colour").click()
    page.get_by_role("button", name="Picture or pattern…").click()
    page.get_by_role("button", name="Pattern", exact=True).click()
    page.get_by_role("button", name="Stripes and checks").click()
    page.mouse.move(640, 20)
    shot(page, "fill")
    page.keyboard.press("Escape")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
        settled(page)


def call(url: str, body: object) -> dict[str, object]:
    request = urllib.request.Request(url, json.dumps(body).encode(), {"Content-Type": "application/json"})
    with urllib.request.urlopen(request) as answer:
        found: dict[str, object] = json.load(answer)
    return found


#: What each step is shown with, where its first values alone say little on the lantern.
SHOWN = {
    "painted": {"base": 0.5}, "faces": {"picks": [{"by": "part", "index": 0}]}, "curvature": {"low": 0.2, "high": 0.6}, "noise": {"size": 0.12},
    "spots": {"size": 0.06}, "colour_range": {"colours": [[0.87, 0.825, 0.7]], "tolerance": 0.1}, "thickness": {"low": 0.1, "high": 0.5},
}  # fmt: skip


def steps(page: Page, url: str, uid: str) -> None:
    """A picture of every mask source, and of every shaper over noise, each taken back at once."""
    with urllib.request.urlopen(f"{url}/api/registries") as answer:
        stack = json.load(answer)["stack"]
    with urllib.request.urlopen(f"{url}/api/projects/{uid}") as answer:
        state = json.load(answer)
    sheet = state["document"]["sheets"][0]
    ids = {layer["name"]: layer["id"] for layer in sheet["layers"]}
    page.goto(f"{url}/#/{uid}/paint")
    page.get_by_label("Flat sheet", exact=True).wait_for()
    settled(page)
    solid = page.get_by_test_id("solid").bounding_box()
    assert solid is not None
    page.mouse.move(solid["x"] + 5, solid["y"] + 5)
    page.get_by_role("button", name="Mask of Grime at the foot", exact=True).click()
    page.get_by_role("button", name="Grey", exact=True).click()
    picture = bring_picture(url, uid)
    SHOWN["image"] = {"image": picture, "projection": {"mode": "three-way", "size": 0.35}}
    SHOWN["layer"] = {"layer": ids["Chips to primer"]}
    SHOWN["id_colour"] = {"colours": [id_colour(url, uid, sheet["id"])]}
    for kind in (*stack["sources"], *stack["shapers"]):
        step = {**stack["first_steps"][kind["id"]], "id": "x", **SHOWN.get(kind["id"], {})}
        under = [] if "combine" in step else [{"kind": "noise", "id": "n", "size": 0.12, "contrast": 0.2}]
        if kind["id"] == "grow":
            under, step["amount"] = [{"kind": "spots", "id": "n", "size": 0.06}], 0.008
        revision = state["revision"]
        change = {"edit": "set-layer", "sheet": sheet["id"], "layer": ids["Grime at the foot"], "values": {"mask": {"sources": [*under, step]}}}
        with urllib.request.urlopen(f"{url}/api/projects/{uid}/revision") as answer:
            revision = json.load(answer)["revision"]
        call(f"{url}/api/projects/{uid}/edit", {"revision": revision, "label": kind["name"], "edit": change})
        page.wait_for_function("name => document.querySelector('.maskcard')?.textContent.includes(name)", arg=kind["name"], timeout=20_000)
        page.wait_for_timeout(400)
        settled(page)
        page.get_by_test_id("solid").screenshot(path=MASKS_OUT / f"{kind['id'].replace('_', '-')}.png")
        call(f"{url}/api/projects/{uid}/undo", {})


def bring_picture(url: str, uid: str) -> str:
    """A checked picture with a light corner, so that its way up shows."""
    import cv2
    import numpy as np

    y, x = np.mgrid[0:256, 0:256]
    grey = np.where((x // 32 + y // 32) % 2, 220, 60) * np.clip((x + 256 - y) / 512 + 0.3, 0, 1)
    data = cv2.imencode(".png", grey.astype(np.uint8))[1].tobytes()
    edge = "----picture"
    head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="Checks.png"\r\nContent-Type: image/png\r\n\r\n'
    body = head.encode() + data + f"\r\n--{edge}--\r\n".encode()
    request = urllib.request.Request(f"{url}/api/projects/{uid}/images", body, {"Content-Type": f"multipart/form-data; boundary={edge}"})
    with urllib.request.urlopen(request) as answer:
        return str(json.load(answer)["image"])


def id_colour(url: str, uid: str, sheet: str) -> object:
    found = call(f"{url}/api/projects/{uid}/probe", {"sheet": sheet, "x": 1015, "y": 1235, "values": True})
    return found["values"]["map:id"]  # type: ignore[index, call-overload]


def touch_up(page: Page) -> None:
    """Clone a lit patch of the hood over a dark one, and show what the hand has."""
    page.get_by_role("button", name="Occlusion of Enamel", exact=True).click()
    page.get_by_role("button", name="Clone", exact=True).click()
    solid = page.get_by_test_id("solid").bounding_box()
    assert solid is not None

    def press(u: float, v: float, *direction: tuple[float, float]) -> None:
        page.mouse.move(solid["x"] + u * solid["width"], solid["y"] + v * solid["height"])
        page.mouse.down()
        for x, y in direction:
            page.mouse.move(solid["x"] + x * solid["width"], solid["y"] + y * solid["height"], steps=6)
        page.mouse.up()
        settled(page)

    press(0.5, 0.82)
    press(0.44, 0.74, (0.56, 0.745))
    page.mouse.move(solid["x"] + 0.58 * solid["width"], solid["y"] + 0.76 * solid["height"])
    shot(page, "touch-up")


def tern(page: Page, url: str, uid: str) -> None:
    """The tern on its vertices, its levels, and what a trip to its sheet loses."""
    page.goto(f"{url}/#/{uid}/paint")
    page.get_by_test_id("solid").wait_for()
    settled(page)
    solid = page.get_by_test_id("solid").bounding_box()
    assert solid is not None
    middle = (solid["x"] + 0.5 * solid["width"], solid["y"] + 0.5 * solid["height"])
    page.mouse.move(*middle)
    page.mouse.down(button="right")
    page.mouse.move(middle[0] + 90, middle[1] + 12, steps=4)
    page.mouse.up(button="right")
    for _ in range(3):
        page.mouse.wheel(0, -120)
    settled(page)
    page.mouse.move(middle[0] + 40, middle[1] - 50)
    shot(page, "vertices")
    page.goto(f"{url}/#/{uid}/model")
    page.get_by_role("button", name="Show Vertices").click()
    page.get_by_role("region", name="Take paint along").scroll_into_view_if_needed()
    page.mouse.move(640, 20)
    shot(page, "levels")
    page.get_by_role("button", name="Sheet to vertices").click()
    page.get_by_role("button", name="Show what is lost").click()
    page.get_by_text("Base colour changes so that it shows").wait_for(timeout=120_000)
    page.get_by_role("button", name="Show what is lost").scroll_into_view_if_needed()
    page.mouse.move(640, 20)
    shot(page, "transfer")


def unfolded(page: Page, url: str, uid: str) -> None:
    page.goto(f"{url}/#/{uid}/model")
    slider = page.get_by_role("slider", name="Unfold")
    slider.wait_for()
    settled(page)
    slider.focus()
    for _ in range(55):
        slider.press("ArrowRight")
    slider.blur()
    page.mouse.move(640, 20)
    shot(page, "unfold")


if __name__ == "__main__":
    where = sys.argv[1].rstrip("/")
    with urllib.request.urlopen(f"{where}/api/projects") as answer:
        projects = {p["name"]: p["uid"] for p in json.load(answer)["projects"]}
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium") or ".cache/chromium/run", args=FLAGS)
        take(browser.new_page(viewport={"width": 1280, "height": 800}), where, projects["Storm lantern"])
        hand(browser.new_page(viewport={"width": 1280, "height": 800}), where, projects["Mooring buoy"])
        steps(browser.new_page(viewport={"width": 1280, "height": 800}), where, projects["Storm lantern"])
        tern(browser.new_page(viewport={"width": 1280, "height": 800}), where, projects["Carved tern"])
        colour_work(browser.new_page(viewport={"width": 1280, "height": 800}), where, projects["Storm lantern"], projects["Mooring buoy"])
        unfolded(browser.new_page(viewport={"width": 1280, "height": 800}), where, projects["Storm lantern"])
        browser.close()

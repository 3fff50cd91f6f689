"""The Bake screen as a person uses it: bake, stop, find suspects, repair by hand, compare, measure a foreign normal map."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.conftest import Server
from tests.browser.hand import at, away, choose, drag, look, open_paint, settled
from tests.meshes import cube_obj
from tests.studio.test_bakes import grown_cube


def choose_only(page: Page, *names: str) -> None:
    """Check these maps and no others."""
    for box in page.get_by_role("checkbox").all():
        wanted = (box.get_attribute("aria-label") or "").removeprefix("Bake ") in names
        if box.is_checked() != wanted:
            box.set_checked(wanted)


def bake(page: Page, *names: str) -> None:
    choose_only(page, *names)
    page.get_by_role("button", name=f"Bake {len(names)} map").click()
    expect(page.get_by_text("Baked", exact=False).first).to_be_visible()
    settled(page)


def brightness(page: Page, view: str = "solid") -> float:
    return float(np.mean(at(look(page, view), 0.5, 0.5)))


def test_bake_look_repair_and_compare(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate, "bake")
    page.get_by_label("Fit the sheet").wait_for()
    # Nothing is baked yet, and the ribbon says that a stroke would change nothing.
    expect(page.get_by_role("status", name="Target")).to_contain_text("not baked yet")
    bake(page, "Occlusion", "Position")
    # Looking at every map first must not weigh on the strokes that follow.
    for name in ("Normal (tangent)", "Curvature", "Thickness", "Position", "Facing", "Height", "Id colour", "Occlusion"):
        page.get_by_role("button", name=f"{name} of Wood").click()
        settled(page)
    page.keyboard.press("4")
    away(page)
    assert brightness(page) > 170
    expect(page.get_by_role("status", name="Target")).to_contain_text("Touch-up")

    # A stroke with the brush darkens the map; before and after switch it.
    page.get_by_role("button", name="Touch-up").click()
    value = page.get_by_role("textbox", name="Value value")
    value.fill("0")
    value.press("Enter")
    drag(page, "solid", (0.47, 0.5), (0.53, 0.5))
    away(page)
    dark = brightness(page)
    assert dark < 60
    page.get_by_role("button", name="Before").click()
    away(page)
    assert brightness(page) > 170
    page.get_by_role("button", name="After").click()
    away(page)
    assert abs(brightness(page) - dark) < 8

    # Clone takes the dark patch elsewhere: the first press sets the source.
    page.get_by_role("button", name="Clone", exact=True).click()
    drag(page, "solid", (0.5, 0.5))
    expect(page.get_by_text("Clone source set")).to_be_visible()
    before = at(look(page, "solid"), 0.5, 0.6)
    drag(page, "solid", (0.5, 0.6))
    away(page)
    after = at(look(page, "solid"), 0.5, 0.6)
    assert np.mean(before) > 170
    assert np.mean(after) < 140
    told = server.get(f"/projects/{crate}")
    assert "wood/@touch-up/occlusion" in told["painted"]  # type: ignore[operator]

    # It is stored: after a restart the touch-up is there, and can be undone.
    server.stop()
    server.start()
    open_paint(page, server.url, crate, "bake")
    page.reload()
    page.get_by_role("button", name="Occlusion of Wood").click()
    page.keyboard.press("4")
    away(page)
    assert brightness(page) < 60
    page.get_by_role("button", name="Undo").click()
    settled(page)
    away(page)
    assert np.mean(at(look(page, "solid"), 0.5, 0.6)) > 170
    # Back on the Paint screen strokes land on layers again.
    page.get_by_role("link", name="Paint").click()
    expect(page.get_by_role("status", name="Target")).to_contain_text("Base colour")


def test_a_stopped_bake_leaves_the_old_map(page: Page, server: Server, crate: str) -> None:
    open_paint(page, server.url, crate, "bake")
    bake(page, "Occlusion")
    head = server.get(f"/projects/{crate}")["head"]
    page.get_by_role("button", name="Occlusion of Wood").click()
    page.keyboard.press("4")
    away(page)
    before = look(page, "flat")
    # So many rays would take minutes; the interface stays usable meanwhile, and Stop ends it.
    rays = page.get_by_role("textbox", name="Rays per texel value")
    rays.fill("1024")
    rays.press("Enter")
    page.get_by_role("button", name="Bake 1 map").click()
    expect(page.get_by_role("status", name="Bake progress")).to_contain_text("left", timeout=60_000)
    page.get_by_role("button", name="Position of Wood").click()
    page.get_by_role("button", name="Occlusion of Wood").click()
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("status", name="Bake progress")).to_have_count(0, timeout=60_000)
    settled(page)
    away(page)
    assert server.get(f"/projects/{crate}")["head"] == head
    assert (np.abs(look(page, "flat") - before).max(axis=2) > 3).mean() < 0.001


def test_high_mesh_suspects_and_a_foreign_normal_map(page: Page, server: Server, crate: str, tmp_path: Path) -> None:
    (tmp_path / "far.obj").write_bytes(grown_cube(1.2))
    open_paint(page, server.url, crate, "bake")
    page.get_by_role("button", name="High mesh").click()
    page.get_by_label("High mesh", exact=True).set_input_files(tmp_path / "far.obj")
    expect(page.get_by_role("button", name="Remove far")).to_be_visible()
    settled(page)
    bake(page, "Height")
    # The high mesh lies out of the search distance: every texel is suspect, in red.
    card = page.get_by_label("Suspect texels")
    expect(card.get_by_role("button", name="Lower on wood")).to_be_visible()
    card.get_by_role("button", name="Show").click()
    page.keyboard.press("4")
    away(page)
    red, green, blue = at(look(page, "solid"), 0.5, 0.5)
    assert red > green + 60
    assert red > blue + 60
    card.get_by_role("button", name="Show").click()

    # A normal map of one round bead: its curvature is bright in the middle and dark around the foot.
    n = 256
    y, x = (np.mgrid[0:n, 0:n] + 0.5) / n
    dx, dy = (x - 0.125) * 8, (y - 0.875) * 8
    r = np.hypot(dx, dy)
    slope = np.where(r < 0.6, np.sin(r / 0.6 * np.pi), 0) * 0.8
    nz = 1 / np.sqrt(1 + slope**2)
    rgb = np.stack([slope * dx / np.maximum(r, 1e-9) * nz, -slope * dy / np.maximum(r, 1e-9) * nz, nz], axis=-1)
    cv2.imwrite(str(tmp_path / "bead.png"), np.rint((rgb[..., ::-1] * 0.5 + 0.5) * 65535).astype(np.uint16))
    page.get_by_role("button", name="Normal (tangent) of Wood").click()
    page.get_by_role("button", name="Import image").click()
    page.get_by_role("menuitem", name="Made with Y up").click()
    page.get_by_label("Picture for Normal (tangent)").set_input_files(tmp_path / "bead.png")
    settled(page)
    page.get_by_role("button", name="Normal map", exact=True).click()
    page.get_by_role("button", name="This sheet").click()
    radius = page.get_by_role("textbox", name="Curvature radius value")
    choose_only(page, "Curvature")
    radius.fill("4")
    radius.press("Enter")
    bake(page, "Curvature")
    page.get_by_role("button", name="Curvature of Wood").click()
    page.get_by_role("button", name="Wire").click()
    away(page)
    flat = look(page, "flat")
    h, w = flat.shape[:2]
    side = min(h, w) * 0.92
    left, top = (w - side) / 2, (h - side) / 2

    def grey(u: float, v: float) -> float:
        return float(flat[int(top + v * side), int(left + u * side)].mean())

    assert grey(0.125, 0.875) > grey(0.36, 0.8) + 20
    assert grey(0.125 + 0.062, 0.875) < grey(0.36, 0.8) - 8


def test_pairs_are_changed_the_cage_is_shown_and_rays_are_painted_straight(page: Page, server: Server, crate: str, tmp_path: Path) -> None:
    (tmp_path / "high.obj").write_bytes(cube_obj().replace(b"o Upper", b"o Lid"))
    open_paint(page, server.url, crate, "bake")
    page.get_by_role("button", name="High mesh").click()
    page.get_by_label("High mesh", exact=True).set_input_files(tmp_path / "high.obj")
    card = page.get_by_label("Pairs of parts", exact=True)
    expect(card.get_by_role("status")).to_contain_text("1 part has no partner")
    expect(card).to_contain_text("Measured for no part: Lid.")
    card.get_by_role("button", name="Upper is measured against nothing").click()
    card.get_by_role("checkbox", name="Lid").check()
    expect(card.get_by_role("status")).to_have_count(0)
    card.get_by_role("button", name="Upper is measured against Lid").click()
    settled(page)
    bake(page, "Height")
    expect(page.get_by_label("Suspect texels")).to_contain_text("Every ray met the part it should.")

    # The shell reaches out of the model's outline, less far when rays search less far.
    away(page)
    bare = look(page, "solid")
    page.get_by_role("button", name="Show the search distance").click()
    away(page)
    wide = (np.abs(look(page, "solid") - bare).max(axis=2) > 3).mean()
    reach = page.get_by_role("textbox", name="Search in front value")
    reach.fill("0.2")
    reach.press("Enter")
    choose(page, "Cage", "Averaged")
    away(page)
    assert 0 < (np.abs(look(page, "solid") - bare).max(axis=2) > 3).mean() < wide
    page.get_by_role("button", name="Show the search distance").click()

    page.get_by_role("button", name="Paint straight rays").click()
    expect(page.get_by_role("status", name="Target")).to_contain_text("Straight rays")
    page.keyboard.press("4")
    away(page)
    assert max(at(look(page, "solid"), 0.5, 0.5)) < 40
    drag(page, "solid", (0.45, 0.5), (0.55, 0.5))
    away(page)
    assert min(at(look(page, "solid"), 0.5, 0.5)) > 200
    page.reload()
    expect(page.get_by_role("button", name="Straight rays of Wood")).to_be_visible()

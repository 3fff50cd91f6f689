"""A layout seen unfolded, and another layout and another mesh under what is painted, by hand."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from ruvelt.core.brush.target import Paint, Target
from ruvelt.studio.laying import flood
from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.browser.conftest import Server
from tests.browser.hand import at, away, look, settled
from tests.meshes import globe
from tests.studio.test_exchange import obj_of, shuffled, turned

PLATE = b"""v -1 -1 0
v 0 -1 0
v 0 1 0
v -1 1 0
v 1 -1 0
v 1 1 0
vt 0.1 0.1
vt 0.4 0.1
vt 0.4 0.7
vt 0.1 0.7
vt 0.9 0.1
vt 0.6 0.1
vt 0.6 0.7
vt 0.9 0.7
f 1/1 2/2 3/3 4/4
f 2/5 5/6 6/7 3/8
"""


@pytest.fixture
def projects(server: Server) -> dict[str, str]:
    """A plate whose right half lies mirrored, and a ball that is painted half red and half blue."""
    studio = Studio(server.data, Limits(threads=2))
    plate = studio.create(PLATE, "plate.obj", name="Plate", resolution=256)
    ball = studio.create(obj_of(globe(32, 16), globe(32, 16).uv_layouts[0]), "ball.obj", name="Ball", resolution=512)
    session = studio.session(ball)
    target = Target(sheet=session.document.sheets[0].id, layer="l2", channels=("base_color",))
    flood(session, target, Paint(values={"base_color": (1.0, 0.0, 0.0)}), None, 1.0)
    studio.close()
    return {"plate": plate, "ball": ball}


def is_red(picture: np.ndarray) -> np.ndarray:
    """(h, w) bool: pixels that are more red than anything else by far."""
    found: np.ndarray = (picture[..., 0] > 120) & (picture[..., 0] > 2 * picture[..., 1]) & (picture[..., 0] > 2 * picture[..., 2])
    return found


def test_what_lies_mirrored_is_seen_unfolded(page: Page, projects: dict[str, str], server: Server) -> None:
    page.goto(f"{server.url}/#/{projects['plate']}/model")
    slider = page.get_by_role("slider", name="Unfold")
    slider.wait_for()
    away(page)
    solid = look(page, "solid")
    assert not is_red(solid).any()
    slider.focus()
    slider.press("End")
    slider.blur()
    away(page)
    flat = look(page, "solid")
    red = np.argwhere(is_red(flat))
    # The mirrored half, and only that: on the right of the square, as tall as it is wide in UV.
    assert len(red) > 500
    assert red[:, 1].min() > 0.5 * flat.shape[1]
    slider.focus()
    slider.press("Home")
    slider.blur()
    away(page)
    # Outlines may fall to either side of a pixel.
    assert (np.abs(look(page, "solid") - solid).max(axis=2) > 40).mean() < 0.005


def test_paint_stays_under_another_layout_and_another_mesh(page: Page, projects: dict[str, str], server: Server, tmp_path: Path) -> None:
    page.goto(f"{server.url}/#/{projects['ball']}/model")
    page.get_by_role("button", name="Unwrap anew").wait_for()
    settled(page)
    expect(page.get_by_text("What is painted is laid again on a changed layout")).to_be_visible()
    page.get_by_role("button", name="Unwrap anew").click()
    expect(page.get_by_text("The model is unwrapped")).to_be_visible()
    settled(page)
    away(page)
    assert is_red(look(page, "solid"))[look(page, "solid").shape[0] // 2].any()
    # The same ball with its faces and vertices in another order and the layout turned, then one with a long nose.
    model = globe(32, 16)
    other, _ = shuffled(dataclasses.replace(model, uv_layouts=(turned(model.uv_layouts[0]),)))
    (tmp_path / "other.obj").write_bytes(obj_of(other, other.uv_layouts[0]))
    long, _ = shuffled(dataclasses.replace(model, uv_layouts=(turned(model.uv_layouts[0]),)), 5)
    nose = np.maximum(long.positions[:, 0] - 0.7, 0)[:, None] * np.array([6.0, 0, 0])
    long = dataclasses.replace(long, positions=(long.positions + nose).astype(np.float32))
    (tmp_path / "nose.obj").write_bytes(obj_of(long, long.uv_layouts[0]))
    card = page.get_by_role("region", name="Another mesh")
    card.get_by_label("Mesh to swap in").set_input_files(str(tmp_path / "other.obj"))
    expect(card.get_by_text("The same shape with other faces")).to_be_visible()
    settled(page)
    away(page)
    picture = look(page, "solid")
    assert is_red(picture[picture.shape[0] // 2]).any()
    card.get_by_label("Mesh to swap in").set_input_files(str(tmp_path / "nose.obj"))
    expect(card.get_by_text("Another shape")).to_be_visible()
    lost = card.get_by_role("button", name="found no paint near them")
    expect(lost).to_be_visible()
    lost.click()
    settled(page)
    away(page)
    marked = look(page, "solid")
    assert ((marked[..., 0] > 150) & (marked[..., 1] > 110) & (marked[..., 2] < 110)).sum() > 30
    # A mesh that has nothing to do with it is refused in words, and nothing is lost.
    far = dataclasses.replace(other, positions=other.positions + np.float32(50))
    (tmp_path / "far.obj").write_bytes(obj_of(far, far.uv_layouts[0]))
    card.get_by_label("Mesh to swap in").set_input_files(str(tmp_path / "far.obj"))
    expect(page.get_by_text("same size, place and axes")).to_be_visible()
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
        settled(page)
    away(page)
    picture = look(page, "solid")
    assert at(picture, 0.5, 0.5)[0] > 2 * at(picture, 0.5, 0.5)[1]

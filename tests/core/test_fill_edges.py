"""Fills of faces where they meet inside an island: exact shares of texels, no stairs, and no gap between two of them."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.brush.confine import Confine
from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.target import Paint
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import ChannelUse, FillLayer, MeshMap, PaintLayer
from ruvelt.core.stack.kinds.sources.faces import FacesSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import base_plane_id, plane_id
from tests.core.scene import Scene, paint_layer, target
from tests.meshes import globe, model_of, split_square

FINE = 32


def wedge():  # type: ignore[no-untyped-def]
    """A plate cut by one slanting edge into two faces of one island: left of the line from (−0.3, −1) to (0.45, 1), and right of it."""
    points = [(-1, -1, 0), (-0.3, -1, 0), (0.45, 1, 0), (-1, 1, 0), (1, -1, 0), (1, 1, 0)]
    uvs = [((x + 1) / 2, (y + 1) / 2) for x, y, _ in points]
    return model_of(np.array(points), [[0, 1, 2, 3], [1, 4, 5, 2]], np.array(uvs))


def left_of_line(side: int) -> np.ndarray:
    """Share of each texel left of the line, top row first, by counting."""
    y, x = (np.mgrid[: side * FINE, : side * FINE] + 0.5) / (side * FINE) * 2 - 1
    inside = x < -0.3 + 0.75 * (-y + 1) / 2
    return np.asarray(inside.reshape(side, FINE, side, FINE).mean(axis=(1, 3)))


def fill(scene: Scene, face: int, value: float, strength: float = 1.0, **paint: object) -> np.ndarray:
    """Fill one face; gives its coverage as an image."""
    live = scene.live(target("roughness"), Paint(values={"roughness": (value,)}, **paint))  # type: ignore[arg-type]
    live.flood((FacePick(by="face", index=face),), strength, scene.faces)
    scene.keep(live)
    return np.asarray(scene.samples.to_image(live.coverage.values[:, None])[..., 0])


def held(scene: Scene) -> tuple[np.ndarray, np.ndarray]:
    """Value and cover of the layer, 0–1, as images."""
    values_u16 = np.concatenate([scene.store.get(k) for _, k in sorted(scene.planes[plane_id("s", "p", "roughness")].chunks.items())], axis=1)
    image = scene.samples.to_image(np.ascontiguousarray(values_u16.T)) / 65535
    return image[..., 0], image[..., 1]


def test_an_edge_between_faces_is_its_exact_area() -> None:
    scene = Scene(wedge(), (paint_layer(),))
    coverage, wanted = fill(scene, 0, 1.0), left_of_line(256)
    assert np.abs(coverage - wanted).max() < 1.5 / FINE
    assert ((coverage > 0) & (coverage < 1)).sum() > 250


def test_two_fills_that_meet_leave_no_gap() -> None:
    scene = Scene(wedge(), (paint_layer(),))
    fill(scene, 0, 1.0)
    fill(scene, 1, 0.0)
    value, cover = held(scene)
    assert cover.min() == 1
    assert_allclose(value, left_of_line(256), atol=1.5 / FINE)
    # Filled once more, what is mixed in a texel of the edge makes room by the new one's share.
    fill(scene, 0, 0.5)
    value, cover = held(scene)
    assert cover.min() == 1
    share = left_of_line(256)
    assert_allclose(value, (1 - share) * share + 0.5 * share, atol=2 / FINE)


def test_a_weak_fill_over_an_edge_is_weak_on_its_side_alone() -> None:
    scene = Scene(wedge(), (paint_layer(),))
    fill(scene, 1, 0.0)
    fill(scene, 0, 1.0, strength=0.4)
    value, cover = held(scene)
    share = left_of_line(256)
    assert_allclose(cover, 1 - share + 0.4 * share, atol=2 / FINE)
    assert_allclose(value * cover, 0.4 * share, atol=2 / FINE)


def test_a_fill_is_erased_to_the_same_edge() -> None:
    scene = Scene(wedge(), (paint_layer(),))
    fill(scene, 0, 1.0)
    fill(scene, 1, 1.0)
    fill(scene, 0, 1.0, erase=True)
    _, cover = held(scene)
    assert_allclose(cover, 1 - left_of_line(256), atol=1.5 / FINE)


def test_islands_that_end_are_filled_to_their_rims() -> None:
    """Over a seam nothing is mixed: texels of the filled island are covered fully, those of the other one not at all."""
    scene = Scene(split_square(), (paint_layer(),))
    coverage = fill(scene, 0, 1.0)
    assert set(np.unique(coverage)) == {0.0, 1.0}


def test_a_mask_of_faces_and_a_stroke_confined_to_them_have_the_same_edge() -> None:
    wanted = left_of_line(256)
    mask = Mask(sources=(FacesSource(id="m", picks=(FacePick(by="face", index=0),)),))
    scene = Scene(wedge(), (FillLayer(id="f", name="f", channels={"roughness": ChannelUse(value=(1.0,))}, mask=mask),))
    chunk = scene.evaluator.mask_chunk(mask, "f", 0)
    assert_allclose(scene.samples.to_image(np.asarray(chunk)[:, None])[..., 0] / 65535, wanted, atol=1.5 / FINE)
    scene = Scene(wedge(), (PaintLayer(id="p", name="p"),))
    live = scene.live(target("roughness"), Paint(values={"roughness": (1.0,)}, confine=Confine(picks=(FacePick(by="face", index=0),))))
    live.flood(None, 1.0, scene.faces)
    scene.keep(live)
    assert_allclose(held(scene)[1], wanted, atol=1.5 / FINE)


@pytest.mark.parametrize("threads", [1, 2])
def test_shares_of_all_groups_of_a_globe_add_up(threads: int) -> None:
    scene = Scene(globe(24, 12), (paint_layer(),), side=512)
    group = np.arange(scene.model.face_count) % 5
    total = sum(scene.samples.share_of_faces(group == k) for k in range(5))
    assert_allclose(total[scene.samples.covered], 1, atol=1e-5)
    assert np.abs(total[~scene.samples.covered]).max(initial=0) == 0


def test_a_gradient_shorter_than_a_texel_has_no_stairs() -> None:
    scene = Scene(wedge(), (paint_layer(),))
    direction = np.array([2.0, -0.75, 0]) / np.hypot(2.0, 0.75)
    middle = np.array([0.075, 0, 0])
    start, end = (tuple(float(v) for v in middle + side * 1e-4 * direction) for side in (1, -1))
    live = scene.live(target("roughness"), Paint(values={"roughness": (0.0,)}, second={"roughness": (1.0,)}))
    live.flood(None, 1.0, scene.faces, Gradient(start=start, end=end))  # type: ignore[arg-type]
    scene.keep(live)
    value, wanted = held(scene)[0], left_of_line(256)
    edge = (wanted > 0) & (wanted < 1)
    assert np.sqrt(np.square(value - wanted)[edge].mean()) < 0.12
    assert value.mean() == pytest.approx(wanted.mean(), abs=1e-4)


@pytest.mark.parametrize("side", [256, 512])
def test_confinement_to_an_id_colour_has_no_stairs(side: int) -> None:
    """Ids are never mixed, so a slanting border of theirs has stairs; what they confine has not, over chunks too."""
    scene = Scene(wedge(), (paint_layer(),), side=side)
    sheet = scene.document.sheets[0].model_copy(update={"mesh_maps": (MeshMap(id="id"),)})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    left = scene.samples.slots_of_faces(np.array([True, False]))
    colours = np.where(left, np.array([[60000], [9000], [9000]]), np.array([[9000], [9000], [60000]])).astype(np.uint16)
    scene.put_plane(base_plane_id("s", "id"), np.concatenate([colours, np.full((1, len(left)), 65535, np.uint16)]))
    chosen = Confine(ids=(tuple(v / 65535 for v in (60000, 9000, 9000)),))  # type: ignore[arg-type]
    live = scene.live(target("roughness"), Paint(values={"roughness": (1.0,)}, confine=chosen))
    live.flood(None, 1.0, scene.faces)
    scene.keep(live)
    cover, wanted = held(scene)[1], left_of_line(side)
    edge = (wanted > 0) & (wanted < 1)
    stairs = np.sqrt(np.square((wanted > 0.5) - wanted)[edge].mean())
    assert np.sqrt(np.square(cover - wanted)[edge].mean()) < 0.7 * stairs
    assert np.abs(cover - wanted)[~edge].max() < 0.3
    assert cover.mean() == pytest.approx(wanted.mean(), abs=2e-3)

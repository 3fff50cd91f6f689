"""Tools that read the surface (soften, clone), on layers and on the touch-up over a mesh map."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core.brush._clone_kernels import clone_blocks
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Mirror
from ruvelt.core.brush.target import CloneFrom, Paint, Target
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import MeshMap
from ruvelt.core.stack.mesh_maps import compile_mesh_map, map_channel
from ruvelt.core.stack.plane_ids import base_plane_id, plane_id
from tests.core.scene import Scene, paint_layer, target
from tests.core.test_strokes import dab, lay
from tests.meshes import globe, split_square, square

SOFTEN = Paint(tool="soften")
TOUCH = Target(sheet="s", mesh_map="occlusion")


def painted(values: np.ndarray, model=None, side: int = 256) -> Scene:  # type: ignore[no-untyped-def]
    """A scene whose paint layer holds one roughness value for each slot."""
    scene = Scene(model or square(2.0), (paint_layer(),), side=side)
    values_u16 = np.rint(np.clip(values, 0, 1) * 65535).astype(np.uint16)
    scene.put_plane(plane_id("s", "p", "roughness"), np.stack([values_u16, np.full_like(values_u16, 65535)]))
    return scene


def by_place(scene: Scene, value: object) -> np.ndarray:
    return np.asarray(value(scene.samples.positions))  # type: ignore[operator]


def with_map(values: np.ndarray, touch_up: bool = True) -> Scene:
    """A square whose occlusion map is baked to the given values."""
    scene = Scene(square(2.0), (paint_layer(),))
    sheet = scene.document.sheets[0].model_copy(update={"mesh_maps": (MeshMap(id="occlusion", touch_up=touch_up),)})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    values_u16 = np.rint(values * 65535).astype(np.uint16)
    scene.put_plane(base_plane_id("s", "occlusion"), np.stack([values_u16, np.full_like(values_u16, 65535)]))
    return scene


def roughness(scene: Scene) -> np.ndarray:
    return scene.image("roughness")[..., 0] / 65535


def test_soften_conserves_a_constant_where_texels_are_long() -> None:
    """Texels 32 spacings wide: what lies around nodes is found beyond the tiles, too."""
    long = square(2.0)
    long.positions[:, 0] *= 32
    long.positions[:, 1] /= 32
    scene = painted(np.full(65536, 0.42), long)
    before = roughness(scene).copy()
    for x in (-0.3, 0.37, 5.1):
        lay(scene, SOFTEN, dab(0.01, hardness=1.0)[0], [Point((x, 0.005, 0))], target("roughness"))
    assert_allclose(roughness(scene), before, atol=2e-5)


def test_soften_conserves_a_constant() -> None:
    scene = painted(np.full(CHUNK, 0.37))
    before = scene.image("roughness").copy()
    brush, press = dab(0.5, hardness=1.0)
    lay(scene, SOFTEN, brush, press, target("roughness"))
    assert_array_equal(scene.image("roughness"), before)


def test_soften_brings_noise_to_its_mean() -> None:
    noise = np.random.default_rng(1).random(CHUNK)
    scene = painted(noise)
    brush, press = dab(0.5, hardness=1.0)
    spread = []
    for _ in range(3):
        lay(scene, SOFTEN, brush, press, target("roughness"))
        inside = roughness(scene)[96:160, 96:160]
        spread.append(inside.std())
        assert_allclose(inside.mean(), 0.5, atol=0.02)
    assert spread[0] < 0.06
    assert spread[2] < spread[1] < spread[0]


def test_soften_of_a_step_is_the_kernels_ramp() -> None:
    scene = painted(np.zeros(CHUNK))
    step = by_place(scene, lambda p: (p[:, 0] > 0).astype(float))
    scene = painted(step)
    brush, press = dab(0.6, hardness=1.0)
    lay(scene, Paint(tool="soften", reach=0.5), brush, press, target("roughness"))
    row = roughness(scene)[126:130].mean(axis=0)
    x = (np.arange(256) + 0.5) / 128 - 1
    # The mean of a step under weights 1 − d²/r² over a disc of radius r = 0.3, integrated across chords.
    s = np.clip(x[60:196] / 0.3, -1, 1)
    wanted = 0.5 + (2 / np.pi) * (s * np.sqrt(1 - s**2) * (5 - 2 * s**2) / 6 + np.arcsin(s) / 2)
    assert_allclose(row[60:196], wanted, atol=0.06)


def test_soften_does_not_stop_at_a_seam() -> None:
    blank = painted(np.zeros(4 * CHUNK), split_square(), 512)
    step = by_place(blank, lambda p: (p[:, 0] > 0).astype(float))
    scene = painted(step, split_square(), 512)
    brush, press = dab(0.5, hardness=1.0)
    lay(scene, SOFTEN, brush, press, target("roughness"))
    samples = scene.samples
    values_u16 = np.concatenate([scene.evaluator.composite("roughness", c)[0] for c in range(samples.chunk_count)]) / 65535
    near = samples.covered & (np.abs(samples.positions[:, 0]) < 0.01) & (np.abs(samples.positions[:, 1]) < 0.2)
    left, right = values_u16[near & (samples.positions[:, 0] < 0)], values_u16[near & (samples.positions[:, 0] > 0)]
    assert len(left) > 20
    assert len(right) > 20
    # Both sides have taken from the other; a seam that stopped it would leave 0 and 1.
    assert 0.2 < left.mean() < 0.5 < right.mean() < 0.8


def test_clone_repeats_its_source_exactly() -> None:
    blank = painted(np.zeros(CHUNK))
    pattern = by_place(blank, lambda p: np.where(p[:, 0] < 0, 0.5 + 0.5 * np.sin(p[:, 0] * 40) * np.cos(p[:, 1] * 30), 0.0))
    scene = painted(pattern)
    # A whole number of texels apart, so that every sample has one that lies exactly at its source.
    shift = 100 / 128
    paint = Paint(tool="clone", clone=CloneFrom(source=(0.4 - shift, 0.1, 0)))
    brush, press = dab(0.3, (0.4, 0.1, 0), hardness=1.0)
    live = lay(scene, paint, brush, press, target("roughness"))
    image, before = scene.image("roughness")[..., 0], np.asarray(scene.samples.to_image(np.rint(pattern * 65535).astype(np.uint16)))
    full = np.asarray(scene.samples.to_image(live.coverage.values)) == 1.0
    assert full.sum() > 500
    rows, columns = np.nonzero(full)
    assert_array_equal(image[rows, columns], before[rows, columns - 100])


def test_a_moving_source_keeps_its_distance_and_mirrors() -> None:
    blank = painted(np.zeros(CHUNK))
    ramp = by_place(blank, lambda p: 0.5 + 0.4 * p[:, 1])
    scene = painted(ramp)
    shift = 50 / 128
    paint = Paint(tool="clone", clone=CloneFrom(source=(0.5, shift, 0), anchor=(0.5, 0, 0)))
    brush, press = dab(0.2, (0.5, -0.3, 0), hardness=1.0, mirror=Mirror(x=True))
    lay(scene, paint, brush, press, target("roughness"))
    for x in (0.5, -0.5):
        assert_allclose(scene.value("roughness", x, -0.3, 0)[0] / 65535, 0.5 + 0.4 * (-0.3 + shift), atol=0.005)
    image = scene.image("roughness")[..., 0]
    assert_array_equal(image, image[:, ::-1])


def test_clone_from_off_the_surface_changes_nothing() -> None:
    values = np.random.default_rng(2).random(CHUNK)
    scene = painted(values)
    before = scene.image("roughness").copy()
    brush, press = dab(0.2, (0, 0, 0))
    lay(scene, Paint(tool="clone", clone=CloneFrom(source=(9, 9, 9))), brush, press, target("roughness"))
    assert_array_equal(scene.image("roughness"), before)


def test_a_touch_up_lies_over_the_map_and_can_be_switched_off() -> None:
    scene = with_map(np.full(CHUNK, 0.8))
    brush, press = dab(0.3, hardness=0.8)
    lay(scene, Paint(values={"map:occlusion": (0.1,)}), brush, press, TOUCH)
    assert_allclose(scene.value("map:occlusion", 0, 0, 0)[0] / 65535, 0.1, atol=1e-4)
    assert_allclose(scene.value("map:occlusion", 0.8, 0, 0)[0] / 65535, 0.8, atol=1e-4)
    # The baked plane is as it was: the map without its touch-up.
    sheet = scene.document.sheets[0]
    off = sheet.model_copy(update={"mesh_maps": (MeshMap(id="occlusion", touch_up=False),)})
    scene.document = scene.document.model_copy(update={"sheets": (off,)})
    assert_allclose(scene.value("map:occlusion", 0, 0, 0)[0] / 65535, 0.8, atol=1e-4)
    with pytest.raises(Conflict, match="switched off"):
        scene.live(TOUCH, Paint(values={"map:occlusion": (0.1,)}))


def test_a_touch_up_softens_clones_and_is_erased() -> None:
    blank = with_map(np.zeros(CHUNK))
    scene = with_map(by_place(blank, lambda p: (p[:, 0] > 0).astype(float)))
    brush, press = dab(0.4, hardness=1.0)
    lay(scene, SOFTEN, brush, press, TOUCH)
    assert 0.3 < scene.value("map:occlusion", 0.004, 0, 0)[0] / 65535 < 0.7
    lay(scene, Paint(tool="clone", clone=CloneFrom(source=(0.7, 0.5, 0))), *dab(0.2, (-0.7, 0.5, 0), hardness=1.0), TOUCH)
    assert scene.value("map:occlusion", -0.7, 0.5, 0)[0] == 65535
    lay(scene, Paint(erase=True), *dab(0.2, (-0.7, 0.5, 0), hardness=1.0), TOUCH)
    assert scene.value("map:occlusion", -0.7, 0.5, 0)[0] == 0


def test_targets_and_sources_that_are_not_there_have_words() -> None:
    scene = with_map(np.zeros(CHUNK))
    with pytest.raises(NotFound, match="Bake it first"):
        scene.live(Target(sheet="s", mesh_map="curvature"), Paint(values={"map:curvature": (0.5,)}))
    with pytest.raises(InputError, match="choose a value"):
        scene.live(TOUCH, Paint())
    with pytest.raises(ValidationError, match="clone needs a source"):
        Paint(tool="clone")
    assert map_channel("map:gloss") is None
    assert map_channel("roughness") is None
    with pytest.raises(NotFound):
        compile_mesh_map(scene.document.sheets[0], "gloss")


def test_a_reading_stroke_is_the_same_in_one_batch_or_many() -> None:
    noise = np.random.default_rng(3).random(CHUNK)
    brush, _ = dab(0.3, hardness=0.5, flow=0.5)
    line = [(x, 0.0, 0.0) for x in np.linspace(-0.5, 0.5, 9)]
    images = []
    for size in (1, 9):
        scene = painted(noise)
        live = scene.live(target("roughness"), SOFTEN)
        path = SurfacePath(brush, scene.samples)

        for first in range(0, 9, size):
            live.dabs(path.extend([Point(p) for p in line[first : first + size]]), brush.mirror)
        scene.keep(live)
        images.append(scene.image("roughness"))
    assert_array_equal(images[0], images[1])


def test_baked_occlusion_and_normals_reach_the_channels_with_their_touch_up() -> None:
    scene = with_map(np.full(CHUNK, 0.6))
    assert_allclose(scene.value("occlusion", 0, 0, 0)[0] / 65535, 0.6, atol=1e-4)
    lay(scene, Paint(values={"map:occlusion": (0.2,)}), *dab(0.3, hardness=0.8), TOUCH)
    assert_allclose(scene.value("occlusion", 0, 0, 0)[0] / 65535, 0.2, atol=1e-4)
    # A layer's own occlusion lies above the baked one.
    scene.put_plane(plane_id("s", "p", "occlusion"), np.stack([np.full(CHUNK, 0, np.uint16), np.full(CHUNK, 65535, np.uint16)]))
    assert scene.value("occlusion", 0, 0, 0)[0] == 0

    sheet = scene.document.sheets[0].model_copy(update={"mesh_maps": (MeshMap(id="normal"),)})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    tilt = np.array([0.6, 0.0, 0.8])
    values_u16 = np.rint((tilt * 0.5 + 0.5) * 65535).astype(np.uint16)
    scene.put_plane(
        base_plane_id("s", "normal"), np.concatenate([np.repeat(values_u16[:, None], CHUNK, axis=1), np.full((1, CHUNK), 65535, np.uint16)])
    )
    found = scene.display.normals(0)[:, 30000] / 32767.5 - 1
    assert_allclose(found, tilt, atol=1e-3)
    version = scene.display.version("normal", 0)
    lay(scene, Paint(values={"map:normal": (0.5, 0.5, 1.0)}), *dab(0.3, hardness=0.8), Target(sheet="s", mesh_map="normal"))
    assert scene.display.version("normal", 0) != version
    assert_allclose(scene.display.normals(0)[:, scene.at(0, 0, 0) & 65535] / 32767.5 - 1, [0, 0, 1], atol=1e-3)


def test_clone_on_a_curved_surface_reads_beside_the_nearest_sample() -> None:
    """Between the texels that are searched, what is read lies no further from the place than the nearest sample and a texel."""
    scene = Scene(globe(96, 48), (paint_layer(),), side=512)
    samples, grid = scene.samples, scene.samples.grid
    offset, begun, flips = np.array([0.06, 0.05, -0.01], np.float32), np.array([0, 0, 1], np.float32), np.zeros(3, np.float32)
    blocks = np.arange(256, dtype=np.int32)
    for chunk in range(samples.chunk_count):
        by_block, marks = np.empty((256, 256), np.int32), np.zeros(samples.chunk_count, np.uint8)
        clone_blocks(blocks, chunk, samples.side, samples.positions, samples.face, offset, begun, flips, 0.2, grid, by_block, marks)
        found = by_block.reshape(16, 16, 16, 16).transpose(0, 2, 1, 3).reshape(-1)
        assert_array_equal(np.flatnonzero(marks), np.unique(found[found >= 0] >> 16))
        slots = np.flatnonzero(samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK]) + chunk * CHUNK
        assert (found[slots & 65535] >= 0).all()
        wanted = samples.positions[slots] + offset
        nearest = grid.nearest(wanted.astype(np.float64), 0.2)
        least = np.linalg.norm(samples.positions[nearest] - wanted, axis=1)
        got = np.linalg.norm(samples.positions[found[slots & 65535]] - wanted, axis=1)
        # Texels are up to 1.7 spacings wide here.
        assert np.percentile(got - least, 99.5) < samples.spacing
        assert (got - least).max() < 3 * samples.spacing

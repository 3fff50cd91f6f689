"""Exports against their bare encoders, padding against SciPy, a second export against the first, checks against SciPy and scikit-image."""

from __future__ import annotations

import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.bench.fixtures import BenchScene
from ruvelt.bench.timing import Row, at_most, best, faster, turn_about
from ruvelt.core.output.mapset import Look, PlannedFile, plan_files, write_map_set
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.output.render import map_pixels
from ruvelt.core.planes.plane import Plane
from ruvelt.core.review.registry import review
from ruvelt.core.review.seams import seams_of
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import FillLayer, PaintLayer
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.files_before import FilesBefore

PRESET = next(p for p in BUILT_IN if p.id == "separate-maps")
CHANNELS = ("base_color", "roughness", "metallic", "height", "emission", "opacity", "occlusion")


def scene_of(side: int) -> BenchScene:
    """A sheet with every channel varied: smooth forms with grain, as painted surfaces are."""
    paint = PaintLayer(id="p", name="Paint")
    ground = FillLayer.model_validate({"id": "g", "name": "Ground", "channels": {"base_color": {"value": (0.5, 0.4, 0.3)}}})
    scene = BenchScene(side, (paint, ground))
    rng = np.random.default_rng(1)
    places = scene.samples.positions.astype(np.float32)
    for k, channel in enumerate(CHANNELS):
        of = scene.document.channel(channel)
        assert of is not None
        rows = [30000 + 12000 * np.sin(places @ rng.normal(size=3).astype(np.float32) * (3 + k)) for _ in range(of.components)]
        grain = rng.integers(0, 900, scene.samples.slot_count)
        values = np.stack([*((r + grain).astype(np.uint16) for r in rows), np.full(scene.samples.slot_count, 65535, np.uint16)])
        chunks = range(scene.samples.chunk_count)
        scene.put(plane_id("s", "p", channel), [np.ascontiguousarray(values[:, c * CHUNK : (c + 1) * CHUNK]) for c in chunks])
    return scene


def _bare(plan: list[PlannedFile], pictures: list[NDArray[Any]]) -> None:
    def encode(one: PlannedFile, picture: NDArray[Any]) -> bytes:
        return one.writer.encode(picture, one.bits(one.specs[0]), one.about(one.specs[0]))

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(encode, plan, pictures))


def exports(side: int) -> list[Row]:
    """A set of eight maps: how much of the time the encoders have; padding and packing; the second export after one stroke."""
    scene = scene_of(side)
    looks = [Look([scene.display])]
    plan = plan_files(looks, PRESET, "Bench")
    # Composites are kept, as they are after painting.
    pictures = [map_pixels(p.display, p.specs[0], p.preset, p.writer, p.bits(p.specs[0])) for p in plan]

    def whole() -> None:
        write_map_set(looks, PRESET, "Bench", lambda name, data: None)

    ours, bare = turn_about(2, lambda: best(whole, 1), lambda: best(lambda: _bare(plan, pictures), 1))
    ratio = bare / ours
    name = f"export of eight maps of {side}²"
    first = Row(name, ours * 1e3, bare * 1e3, "the bare encoders", round(ratio, 2), "ms", "at least 0.85 in them", ratio >= 0.85)
    return [first, _padding(scene, PRESET), _again(scene)]


def _padding(scene: BenchScene, preset: ExportPreset) -> Row:
    from scipy import ndimage

    samples = scene.samples
    codes = np.concatenate([scene.evaluator.composite("base_color", c) for c in range(samples.chunk_count)], axis=1)
    planes = [np.ascontiguousarray(row) for row in codes]
    covered = np.asarray(samples.to_image(samples.covered))
    images = [np.asarray(samples.to_image(p)) for p in planes]

    def mine() -> None:
        gutter = samples.gutter(preset.padding)
        packed = []
        for plane in planes:
            values = plane.copy()
            values[gutter.dst] = values[gutter.src]
            packed.append(values)
        samples.to_image(np.stack(packed, axis=1))

    def theirs() -> None:
        distance, (rows, columns) = ndimage.distance_transform_edt(~covered, return_indices=True)
        near = distance <= preset.padding
        np.stack([np.where(near, image[rows, columns], 0) for image in images], axis=-1)

    ours, other = turn_about(3, lambda: best(mine, 1), lambda: best(theirs, 1))
    return faster("padding and packing of three components", ours * 1e3, other * 1e3, "SciPy's distance transform and NumPy", 5)


def _again(scene: BenchScene) -> Row:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)

        def put(name: str, data: bytes) -> None:
            (folder / name).write_bytes(data)

        def write(before: FilesBefore | None) -> float:
            start = time.perf_counter()
            kept = before.kept if before is not None else lambda name, made_of: None
            write_map_set([Look([scene.display])], PRESET, "Bench", put, kept=kept)
            return time.perf_counter() - start

        first = write(None)
        plane = plane_id("s", "p", "metallic")
        values = scene.store.get(scene.planes[plane].chunks[0]).copy()
        values[0, :20000] = 100
        scene.planes[plane] = Plane(len(values), {**scene.planes[plane].chunks, 0: scene.store.put(values)})
        second = write(FilesBefore(folder))
    return at_most("a second export after one stroke in one channel", second * 1e3, first * 1e3, "the first", 0.15)


# -- checks ---------------------------------------------------------------------------------------------------------------------


def checks(side: int) -> list[Row]:
    """All checks over two sheets, against the same written with SciPy and scikit-image."""
    scenes = [scene_of(side), scene_of(side)]

    def ours() -> float:
        start = time.perf_counter()
        review([s.display for s in scenes], PRESET)
        return time.perf_counter() - start

    def theirs() -> float:
        start = time.perf_counter()
        for scene in scenes:
            _with_libraries(scene)
        return time.perf_counter() - start

    mine, other = turn_about(2, ours, theirs)
    return [faster(f"all checks over two sheets of {side}²", mine * 1e3, other * 1e3, "SciPy and scikit-image", 5)]


def _with_libraries(scene: BenchScene) -> list[float]:
    """The same questions asked with library calls on whole pictures."""
    from scipy import ndimage
    from skimage import color, transform

    samples = scene.samples
    covered = np.asarray(samples.to_image(samples.covered))
    told: list[float] = []
    pictures = {c: scene.image(c) / 65535.0 for c in CHANNELS}
    told.append(float((~covered).mean()))
    grey = color.rgb2gray(pictures["base_color"])
    metallic = pictures["metallic"][..., 0]
    told += [float(((grey < 0.1) & covered).mean()), float(((metallic > 0.1) & (metallic < 0.9) & covered).mean())]
    labels, _ = ndimage.label((metallic > 0.1) & covered)
    told.append(float(labels.max()))
    height = pictures["height"][..., 0]
    told += [float(((height <= 0) | (height >= 1)).mean()), float(len(np.unique(height[covered])))]
    seams = seams_of(samples)
    _, (rows, columns) = ndimage.distance_transform_edt(~covered, return_indices=True)
    for picture in pictures.values():
        padded = picture[rows, columns]
        for k in range(padded.shape[2]):
            plane = padded[..., k]
            places = (seams.a, seams.b, seams.inner_a, seams.inner_b)
            sides = [ndimage.map_coordinates(plane, (p - 0.5).T[::-1], order=1, mode="nearest") for p in places]
            told.append(float(np.abs(sides[0] - sides[1]).max(initial=0)))
            written, endless = picture[..., k], plane
            for _ in range(PRESET.mips):
                written, endless = (transform.downscale_local_mean(p, (2, 2)) for p in (written, endless))
                told.append(float(np.abs(written - endless).max()))
            half = transform.downscale_local_mean(plane, (2, 2))
            told.append(float(np.abs(transform.resize(half, plane.shape, order=1) - plane)[covered].mean()))
    return told

"""Adjustments of colour: a stack of eight with four picked ranges against OpenCV, NumPy and scikit-image, and strokes under them."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.bench.fixtures import BenchScene
from ruvelt.bench.project import CACHE, make_project
from ruvelt.bench.strokes import CAMERA, painted_scene, typical
from ruvelt.bench.timing import Row, at_most, best, faster, turn_about
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, ChannelUse, PaintLayer
from ruvelt.core.stack.edits import AddLayer, SetLayer, SetVariants
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.core.stack.variant import Variant
from ruvelt.core.workers import Workers
from ruvelt.studio.looking import seen_chunks
from ruvelt.studio.session import Session
from ruvelt.studio.tiles import drawn_tiles
from ruvelt.studio.trial import trial

F32 = NDArray[np.float32]
PICKED = ((0.62, 0.3, 0.22), (0.25, 0.4, 0.5), (0.7, 0.66, 0.5), (0.3, 0.5, 0.3))
TURNS = (40.0, -60.0, 90.0, 15.0)
TOLERANCE = SOFTNESS = 0.08
NEUTRAL = (0.55, 0.5, 0.44)
SETTINGS: tuple[dict[str, Any], ...] = (
    {"kind": "levels", "in_low": 0.05, "in_high": 0.95, "gamma": 1.1},
    {"kind": "gains", "gamma": (1, 1.1, 1, 0.9), "contrast": (1.05, 1, 1, 1)},
    {"kind": "white_balance", "neutral": NEUTRAL},
    {"kind": "oklch"},
    {"kind": "hsv", "hue": 12, "saturation": 0.1, "value": 0.05},
    {"kind": "balance", "shadows": (0.05, 0, -0.05), "highlights": (0, 0.05, 0.1)},
    {"kind": "contrast", "contrast": 0.1},
    {"kind": "curve", "points": ((0, 0), (0.4, 0.45), (1, 1))},
)


def eight_adjustments() -> tuple[AdjustLayer, ...]:
    """Front first; the fourth to be laid has four ranges."""
    ranges = [
        {"id": f"r{k}", "colour": c, "tolerance": TOLERANCE, "softness": SOFTNESS, "adjust": {"kind": "oklch", "hue": t}}
        for k, (c, t) in enumerate(zip(PICKED, TURNS, strict=True))
    ]
    return tuple(
        AdjustLayer.model_validate(
            {"id": f"a{i}", "name": f"a{i}", "channels": {"base_color": ChannelUse()}, "adjust": s, "ranges": ranges if s["kind"] == "oklch" else []}
        )
        for i, s in reversed(list(enumerate(SETTINGS)))
    )


def texture(chunks: int) -> list[NDArray[np.uint16]]:
    """Colours as they are painted: broad forms of the picked ones and others, with grain."""
    random = np.random.default_rng(6)
    found = []
    for _ in range(min(chunks, 16)):
        which = cv2.resize(random.random((len(PICKED), 12, 12)).transpose(1, 2, 0).astype(np.float32), (256, 256), interpolation=cv2.INTER_CUBIC)
        share = np.clip(which, 0, 1) ** 3
        colours = (share @ np.array(PICKED, np.float32)) / share.sum(axis=2, keepdims=True)
        colours = np.clip(colours + random.normal(0, 0.02, colours.shape), 0, 1)
        found.append(np.concatenate([np.rint(colours.reshape(-1, 3).T * 65535).astype(np.uint16), np.full((1, CHUNK), 65535, np.uint16)]))
    return [found[c % len(found)] for c in range(chunks)]


class Theirs:
    """The same eight on (h, w, 3) float32, encoded 0–1, in NumPy with OpenCV where that is faster; or with scikit-image where it has the step."""

    def __init__(self, scikit: bool) -> None:
        self._scikit = scikit
        x = np.arange(65536) / 65535
        self._tables = {s["kind"]: self._table(s["kind"], s, x) for s in SETTINGS}

    def _table(self, kind: str, settings: dict[str, Any], x: NDArray[np.float64]) -> F32 | None:
        layer = next(a for a in eight_adjustments() if a.adjust.kind == kind)
        stage = layer.adjust.stage()
        return np.stack(stage.tables, axis=1) if stage.tables else None

    def looked_up(self, v: F32, kind: str) -> F32:
        table = self._tables[kind]
        assert table is not None
        codes = (v * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
        return np.stack([table[:, k][codes[..., k]] for k in range(3)], axis=-1)

    def decoded(self, v: F32) -> F32:
        return np.where(v <= 0.04045, v / 12.92, cv2.pow((v + 0.055) / 1.055, 2.4)).astype(np.float32)

    def encoded(self, v: F32) -> F32:
        v = np.clip(v, 0, 1)
        return np.where(v <= 0.0031308, v * 12.92, 1.055 * cv2.pow(v, 1 / 2.4) - 0.055).astype(np.float32)

    def by_light(self, v: F32) -> F32:
        from ruvelt.core.color.adaptation import adaptation_matrix

        return self.encoded(cv2.transform(self.decoded(v), adaptation_matrix(NEUTRAL).astype(np.float32)))

    def by_hsv(self, v: F32) -> F32:
        if self._scikit:
            from skimage.color import hsv2rgb, rgb2hsv

            hsv = rgb2hsv(v)
            hsv[..., 0] = (hsv[..., 0] + 12 / 360) % 1
        else:
            hsv = cv2.cvtColor(v, cv2.COLOR_RGB2HSV)
            hsv[..., 0] = (hsv[..., 0] + 12) % 360
        hsv[..., 1] = np.minimum(hsv[..., 1] * 1.1, 1)
        hsv[..., 2] += (1 - hsv[..., 2]) * 0.05
        return np.asarray(hsv2rgb(hsv) if self._scikit else cv2.cvtColor(hsv, cv2.COLOR_HSV2RGB), np.float32)

    def by_ranges(self, v: F32) -> F32:
        to_lms = np.array([[0.4122, 0.5363, 0.0514], [0.2119, 0.6807, 0.1074], [0.0883, 0.2817, 0.63]], np.float32)
        to_lab = np.array([[0.2105, 0.7936, -0.0041], [1.978, -2.4286, 0.4506], [0.0259, 0.7828, -0.8087]], np.float32)
        if self._scikit:
            # Its own space of even distances stands in for OKLab, which it has not.
            from skimage.color import lab2rgb, rgb2lab

            lab, scale = rgb2lab(v).astype(np.float32) / 100, 100
            back: Callable[[F32], F32] = lambda x: lab2rgb(x * scale)  # noqa: E731 -- one of two
            picked = rgb2lab(np.array([PICKED], np.float32))[0] / 100
        else:
            lab = cv2.transform(np.cbrt(cv2.transform(self.decoded(v), to_lms)), to_lab)
            back = lambda x: self.encoded(cv2.transform(cv2.transform(x, np.linalg.inv(to_lab)) ** 3, np.linalg.inv(to_lms)))  # noqa: E731
            picked = np.cbrt(self.decoded(np.array([PICKED], np.float32))[0] @ to_lms.T) @ to_lab.T
        weights = [1 - np.clip((np.linalg.norm(lab - p, axis=-1) - TOLERANCE) / SOFTNESS, 0, 1) for p in picked]
        total = np.maximum(np.sum(weights, axis=0), 1)
        out = v.copy()
        for weight, turn in zip(weights, TURNS, strict=True):
            c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
            turned = cv2.transform(lab, np.array([[1, 0, 0], [0, c, -s], [0, s, c]], np.float32))
            out += (back(turned).astype(np.float32) - v) * (weight / total)[..., None].astype(np.float32)
        return out

    def all_of(self, v: F32) -> F32:
        v = self.looked_up(self.looked_up(v, "levels"), "gains")
        v = self.by_hsv(np.clip(self.by_ranges(self.by_light(v)), 0, 1).astype(np.float32))
        for kind in ("balance", "contrast", "curve"):
            v = self.looked_up(v, kind)
        return v


def adjustments(side: int) -> list[Row]:
    """Eight over a sheet; the others work on a quarter of its rows, which is scaled to all."""
    scene = BenchScene(side, (*eight_adjustments(), PaintLayer(id="p", name="p")))
    scene.put(plane_id("s", "p", "base_color"), texture(scene.samples.chunk_count))  # type: ignore[arg-type]
    evaluator = scene.evaluator
    program = evaluator.program("base_color")
    chunks = range(scene.samples.chunk_count)
    outs = [np.empty((3, CHUNK), np.uint16) for _ in chunks]
    ours = best(lambda: scene.workers.map(lambda c: evaluator.run(program, c, WHOLE, outs[c]), chunks), 3)
    tiles = [t[:3].T.reshape(256, 256, 3) for t in texture(16)]
    part = np.concatenate([np.concatenate([tiles[(r + c) % 16] for c in range(side // 256)], axis=1) for r in range(side // 1024 or 1)])
    codes, scale = part, side / part.shape[0]
    cv2.setNumThreads(2)

    def run(theirs: Theirs) -> float:
        return float(scale) * best(lambda: (theirs.all_of(codes.astype(np.float32) / np.float32(65535)) * 65535 + 0.5).astype(np.uint16), 2)

    name = f"eight adjustments, four ranges, {side}²"
    return [
        faster(name, ours * 1e3, run(Theirs(False)) * 1e3, "OpenCV and NumPy", 8),
        faster(name, ours * 1e3, run(Theirs(True)) * 1e3, "scikit-image", 3),
    ]


def strokes_under_adjustments(side: int) -> list[Row]:
    """The same batches with eight adjustments in front of the target, and with none."""

    def scene(*above: AnyLayer) -> BenchScene:
        made = painted_scene(side, 2, 1)
        for layer in reversed(above):
            made.add(layer)
        return made

    plain, under = scene(), scene(*eight_adjustments())
    typical(plain, "l1"), typical(under, "l1")
    ours, theirs = turn_about(5, lambda: typical(under, "l1"), lambda: typical(plain, "l1"))
    return [at_most("stroke batch under eight adjustments", ours * 1e3, theirs * 1e3, "none", 1.3)]


def shown_quickly(side: int) -> list[Row]:
    """On a project of twenty layers: a moved slider of an adjustment with a range on what a view shows, and another variant on all of the sheet.

    Their goals are times, so each is told against its own.
    """
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make_project(folder, side, 20)
        session = Session(folder, BoundedCache(CACHE), Workers(2), time.time)
        layer = next(a for a in eight_adjustments() if a.ranges).model_copy(update={"id": "adj"})
        session.edit(AddLayer(sheet="s", layer=layer), "Add")
        session.edit(SetVariants(variants=(Variant(id="v", name="V"),)), "Variants")
        session.show_variant("v")
        session.edit(SetLayer(sheet="s", layer="adj", values={"strength": 0.5}), "Set")
        session.show_variant(None)
        seen = seen_chunks(session, "s", CAMERA)
        everything = [("colour", c) for c in range((side // 256) ** 2)]
        hues = iter(range(1, 1000))

        def moved() -> None:
            ranges = [r.model_dump() | {"adjust": {"kind": "oklch", "hue": next(hues) % 180}} for r in layer.ranges]
            shown = trial(session, "s", SetLayer(sheet="s", layer="adj", values={"ranges": ranges}))
            shown.evaluator.prepare()
            for tile in session.workers.map(lambda c: shown.tile("colour", c), seen):
                tile.tobytes()

        def switched() -> None:
            session.show_variant("v" if session.document.showing is None else None)
            for tile in drawn_tiles(session, "s", everything):
                tile.tobytes()

        drawn_tiles(session, "s", everything)
        moved()
        rows = [
            at_most(f"a moved slider on {len(seen)} chunks seen, {side}²", best(moved) * 1e3, 60.0, "60 ms", 1),
            at_most(f"another variant, {len(everything)} chunks, {side}²", best(switched, 6) * 1e3, 500.0, "half a second", 1),
        ]
        session.close()
        return rows

"""Twenty masked layers over a sheet: our evaluation against the same blend in NumPy, OpenCV and Pillow."""

from __future__ import annotations

import cv2
import numpy as np
from PIL import Image

from ruvelt.bench.fixtures import BenchScene
from ruvelt.bench.timing import Row, best, faster
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import PaintLayer
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id, plane_id


def twenty_layers(side: int) -> list[Row]:
    """Each does the same work on the same threads: for 20 layers, out += (colour - out) * alpha * mask, 16 bit in, float32 through."""
    count = 20
    layers = tuple(PaintLayer(id=f"l{i}", name=f"l{i}", mask=Mask(sources=(PaintedSource(id="m"),))) for i in range(count))
    scene = BenchScene(side, layers)
    random = np.random.default_rng(1)
    colours = [random.integers(0, 65536, (4, CHUNK), np.uint16) for _ in range(8)]
    masks = [np.stack([random.integers(0, 65536, CHUNK, np.uint16), np.full(CHUNK, 65535, np.uint16)]) for _ in range(8)]
    for i in range(count):
        scene.put(plane_id("s", f"l{i}", "base_color"), [colours[(i + c) % 8] for c in range(scene.samples.chunk_count)])
        scene.put(mask_plane_id("s", f"l{i}", "m"), [masks[(i * 3 + c) % 8] for c in range(scene.samples.chunk_count)])
    evaluator = scene.evaluator
    program = evaluator.program("base_color")
    chunks = range(scene.samples.chunk_count)
    outs = [np.empty((3, CHUNK), np.uint16) for _ in chunks]
    scene.workers.map(lambda c: [evaluator.mask_chunk(op.mask, op.layer, c) for op in program.ops[1:] if op.mask], chunks)
    ours = best(lambda: scene.workers.map(lambda c: evaluator.run(program, c, WHOLE, outs[c]), chunks))

    # The others work on whole interleaved pictures, their natural form; two layers are timed and scaled to twenty.
    pixels = random.integers(0, 65536, (2, side, side, 4), np.uint16)
    mask = random.integers(0, 65536, (2, side, side), np.uint16)
    timed = 2

    def with_numpy() -> None:
        out = np.full((side, side, 3), 0.5, np.float32)
        for i in range(timed):
            alpha = pixels[i, ..., 3].astype(np.float32) * mask[i].astype(np.float32) * np.float32(1 / 65535**2)
            out += (pixels[i, ..., :3].astype(np.float32) * np.float32(1 / 65535) - out) * alpha[..., None]

    def with_opencv() -> None:
        out = np.full((side, side, 3), 0.5, np.float32)
        for i in range(timed):
            planes = cv2.split(pixels[i])
            alpha = cv2.multiply(planes[3], mask[i], scale=1 / 65535**2, dtype=cv2.CV_32F)
            colour = cv2.merge(planes[:3])
            gap = cv2.subtract(cv2.multiply(colour, (1.0, 1.0, 1.0, 1.0), scale=1 / 65535, dtype=cv2.CV_32F), out)
            out = cv2.add(out, cv2.multiply(gap, cv2.merge([alpha, alpha, alpha])))

    floats = [[Image.fromarray(pixels[i, ..., k].astype(np.float32) / 65535, "F") for k in range(4)] for i in range(timed)]
    float_masks = [Image.fromarray(mask[i].astype(np.float32) / 65535, "F") for i in range(timed)]

    def with_pillow() -> None:
        from PIL import ImageMath

        out = [Image.new("F", (side, side), 0.5) for _ in range(3)]
        for i in range(timed):
            alpha = ImageMath.lambda_eval(lambda a, i=i: a["c"] * a["m"], c=floats[i][3], m=float_masks[i])
            out = [ImageMath.lambda_eval(lambda a: a["o"] + (a["c"] - a["o"]) * a["a"], o=out[k], c=floats[i][k], a=alpha) for k in range(3)]

    layers8 = [Image.fromarray((pixels[i, ..., :3] >> 8).astype(np.uint8), "RGB") for i in range(timed)]
    alphas8 = [Image.fromarray((pixels[i, ..., 3] >> 8).astype(np.uint8), "L") for i in range(timed)]
    masks8 = [Image.fromarray((mask[i] >> 8).astype(np.uint8), "L") for i in range(timed)]

    def with_pillow_8_bit() -> None:
        from PIL import ImageChops

        out = Image.new("RGB", (side, side), (128, 128, 128))
        for i in range(timed):
            out.paste(layers8[i], (0, 0), ImageChops.multiply(alphas8[i], masks8[i]))

    cv2.setNumThreads(2)
    scale = count / timed
    others = {name: best(work, 3) * scale for name, work in (("NumPy", with_numpy), ("OpenCV", with_opencv), ("Pillow, float", with_pillow))}
    name = min(others, key=lambda k: others[k])
    rows = [faster(f"20 masked layers, {side}²", ours * 1e3, others[name] * 1e3, f"best of three: {name}", 12)]
    rows += [faster(f"20 masked layers, {side}²", ours * 1e3, t * 1e3, n, 12) for n, t in others.items() if n != name]
    eight = best(with_pillow_8_bit, 3) * scale
    rows.append(faster(f"for orientation: the same at 8 bit, {side}²", ours * 1e3, eight * 1e3, "Pillow, 8 bit, no float", 1))
    return rows

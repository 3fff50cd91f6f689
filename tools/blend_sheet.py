"""Draw every blend mode with the real engine, for docs/artists/blend-modes.png. Usage: blend_sheet.py [PNG]"""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack._blend_kernels import CONST, PLANE, evaluate_runs
from ruvelt.core.stack.blend import code_of, loop_of, modes
from ruvelt.core.stack.step_arrays import StepArrays

OUT = Path(__file__).parent.parent / "docs" / "artists" / "blend-modes.png"
SIDE, ACROSS, GAP = 112, 7, 22
WHOLE = (np.arange(0, CHUNK, 2048, dtype=np.int32), np.full(32, 2048, np.int32))
U16 = NDArray[np.uint16]


def painted() -> tuple[U16, U16]:
    """(4, 65536) uint16 each: bands from dark to light below, and above them bands of rust, sea and cream that grow stronger to the right."""
    y, x = np.mgrid[0:256, 0:256] / 255
    low = np.stack([0.12 + 0.76 * y, 0.16 + 0.72 * y, 0.2 + 0.66 * y, np.ones_like(x)])
    rust, sea, cream = (0.66, 0.27, 0.12), (0.13, 0.42, 0.52), (0.94, 0.88, 0.72)
    band = (x * 3).astype(int).clip(0, 2)
    high = np.stack([np.choose(band, [c[k] for c in (rust, sea, cream)]) for k in range(3)] + [((x * 3) % 1 > 0.08) * 1.0])
    return tuple(np.rint(p.reshape(4, -1) * 65535).astype(np.uint16) for p in (low, high))  # type: ignore[return-value]


def laid(mode: str, below: U16, above: U16) -> NDArray[np.uint8]:
    """(256, 256, 3) uint8 of one mode."""
    steps = StepArrays(
        np.array([CONST, PLANE, PLANE], np.int8),
        np.array([0, 0, code_of(mode)], np.int32),
        np.array([0, 0, loop_of(mode)], np.int64),
        np.ones(3, np.float32),
        np.array([0, address_of(below), address_of(above)], np.int64),
        np.zeros(3, np.int64),
        np.zeros((3, 3), np.float32),
    )
    out, none = np.empty((3, CHUNK), np.uint16), np.zeros((0, 0, 0), np.float32)
    evaluate_runs(steps, 3, 1, False, DECODE_U16, WHOLE, 0, none, False, none, address_of(out))
    return (out.reshape(3, 256, 256).transpose(1, 2, 0) >> 8).astype(np.uint8)


def main() -> None:
    below, above = painted()
    shown = list(modes().values())
    rows = -(-len(shown) // ACROSS)
    page = np.full((rows * (SIDE + GAP) + 8, ACROSS * (SIDE + 8) + 8, 3), (240, 242, 244), np.uint8)
    for i, mode in enumerate(shown):
        top, left = 8 + i // ACROSS * (SIDE + GAP), 8 + i % ACROSS * (SIDE + 8)
        picture = cv2.resize(laid(mode.id, below, above), (SIDE, SIDE), interpolation=cv2.INTER_AREA)
        page[top : top + SIDE, left : left + SIDE] = picture[..., ::-1]
        cv2.putText(page, mode.label, (left, top + SIDE + 14), cv2.FONT_HERSHEY_SIMPLEX, 0.38, (52, 48, 44), 1, cv2.LINE_AA)
    cv2.imwrite(sys.argv[1] if len(sys.argv) > 1 else str(OUT), page)


if __name__ == "__main__":
    main()

"""A stand-in for a program outside: opens a picture, changes a part of it, and saves it in place as such programs do.

python tools/simulated_editor.py FILE --square 100 100 200 200 --colour 1 0 0 [--bits 8] [--side 512] [--grey] [--half-written]
"""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2
import numpy as np


def changed(
    path: Path,
    square: tuple[int, int, int, int] | None,
    colour: tuple[float, float, float],
    *,
    bits: int | None = None,
    side: int | None = None,
    grey: bool = False,
) -> bytes:
    """The picture's bytes with a square (left, top, right, bottom) in one colour; at another depth, size or as grey where asked for."""
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    most = np.iinfo(pixels.dtype).max
    if square is not None:
        left, top, right, bottom = square
        value = np.rint(np.array(colour) * most).astype(pixels.dtype)
        if pixels.ndim == 2:
            pixels[top:bottom, left:right] = value[0]
        else:
            pixels[top:bottom, left:right, :3] = value[::-1]
            if pixels.shape[2] == 4:
                pixels[top:bottom, left:right, 3] = most
    if bits == 8 and pixels.dtype == np.uint16:
        pixels = ((pixels.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    if side is not None:
        pixels = cv2.resize(pixels, (side, side), interpolation=cv2.INTER_AREA)
    if grey and pixels.ndim == 3:
        pixels = cv2.cvtColor(pixels[..., :3], cv2.COLOR_BGR2GRAY)
    return cv2.imencode(path.suffix, pixels)[1].tobytes()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("file", type=Path)
    parser.add_argument("--square", type=int, nargs=4)
    parser.add_argument("--colour", type=float, nargs=3, default=(1.0, 0.0, 0.0))
    parser.add_argument("--bits", type=int, choices=(8,))
    parser.add_argument("--side", type=int)
    parser.add_argument("--grey", action="store_true")
    parser.add_argument("--half-written", action="store_true", help="Save only the first half, as a program that is stopped amid it.")
    options = parser.parse_args()
    square = tuple(options.square) if options.square else None
    data = changed(options.file, square, tuple(options.colour), bits=options.bits, side=options.side, grey=options.grey)
    options.file.write_bytes(data[: len(data) // 2] if options.half_written else data)


if __name__ == "__main__":
    main()

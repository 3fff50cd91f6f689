"""Draw patterns and noise on a plain plate with the real engine, for docs/artists/masks/patterns.png. Usage: pattern_sheet.py [PNG]"""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np

from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.fields import Noise, Spots, Weave
from ruvelt.core.stack.measures import Measures
from stroke_sheet import plate

OUT = Path(__file__).parent.parent / "docs" / "artists" / "masks" / "patterns.png"
SIDE, ACROSS, GAP = 256, 4, 30
ROOM, TEXT = 222, 92
#: One texel as a share of the plate's diagonal.
TEXEL = 1 / (SIDE * np.sqrt(2))
SLANT = (0.94, 0.34, 0.0)
SHOWN: tuple[tuple[str, Noise | Spots | Weave], ...] = (
    ("gradient noise", Noise(size=0.15)),
    ("value noise", Noise(basis="value", size=0.15)),
    ("cellular noise", Noise(basis="cellular", size=0.15)),
    ("ridged noise", Noise(basis="ridged", size=0.15)),
    ("one octave", Noise(size=0.1, octaves=1)),
    ("stretched", Noise(size=0.06, stretch=(1, 8, 1))),
    ("balance 20%, contrast 0.8", Noise(size=0.12, balance=0.2, contrast=0.8)),
    ("two texels a cell, contrast 0.8", Noise(size=2 * TEXEL, octaves=1, contrast=0.8)),
    ("stripes", Weave(size=0.1, along=SLANT, softness=0.0)),
    ("stripes of 3 texels", Weave(size=3 * TEXEL, along=SLANT, softness=0.0)),
    ("stripes of 1.2 texels", Weave(size=1.2 * TEXEL, along=SLANT, softness=0.0)),
    ("rings", Weave(form="rings", size=0.08, along=(0, 0, 1), softness=0.1)),
    ("checks, share 30%", Weave(form="checks", size=0.16, along=SLANT, share=0.3, softness=0.0)),
    ("checks, share 70%", Weave(form="checks", size=0.16, along=SLANT, share=0.7, softness=0.0)),
    ("spots", Spots(size=0.09, hardness=1.0)),
    ("spots of 3 texels", Spots(size=3 * TEXEL, hardness=1.0)),
)


def main() -> None:
    model = plate()
    samples = SheetSamples(model, plan_sheets(model)[0], SIDE)
    measures = Measures(samples, lambda key: None, BoundedCache(64 << 20))
    rows = -(-len(SHOWN) // ACROSS)
    sheet = np.full((rows * (SIDE + GAP) + 10, ACROSS * (SIDE + 10) + 10), ROOM, np.uint8)
    for i, (what, of) in enumerate(SHOWN):
        x, y = 10 + i % ACROSS * (SIDE + 10), 10 + i // ACROSS * (SIDE + GAP)
        sheet[y : y + SIDE, x : x + SIDE] = samples.to_image(measures.pattern(of, 0)[:, None])[..., 0] >> 8
        cv2.putText(sheet, what, (x, y + SIDE + 16), cv2.FONT_HERSHEY_SIMPLEX, 0.42, (TEXT,), 1, cv2.LINE_AA)
    cv2.imwrite(sys.argv[1] if len(sys.argv) > 1 else str(OUT), sheet)


if __name__ == "__main__":
    main()

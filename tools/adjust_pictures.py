"""Pictures of every adjustment for the artists' page, on the demo's buoy. Usage: adjust_pictures.py DATA (a folder made by `ruvelt demo`)"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.stack.document import AdjustLayer
from ruvelt.core.stack.edits import AddLayer, SetLayer, apply_edit
from ruvelt.studio.adjusting import figures_beneath
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio

OUT = Path(__file__).parent.parent / "docs" / "artists" / "colour"
WIDTH, HEIGHT = 260, 220
SHOWN: dict[str, dict[str, Any]] = {
    "levels": {"in_low": 0.1, "in_high": 0.75, "gamma": 1.3},
    "hsv": {"hue": 150, "saturation": 0.1},
    "oklch": {"hue": 150, "chroma": 0.2},
    "contrast": {"contrast": 0.35, "brightness": 0.05, "pivot": 0.4},
    "curve": {"points": ((0, 0.12), (0.35, 0.25), (0.7, 0.82), (1, 0.95))},
    "gains": {"gamma": (1.1, 1, 1, 1.5), "contrast": (1.15, 1, 1, 1)},
    "tint": {"colour": (0.35, 0.5, 0.75), "amount": 0.75},
    "balance": {"shadows": (-0.05, 0.0, 0.2), "highlights": (0.2, 0.05, -0.25)},
    "white_balance": {"neutral": (0.92, 0.84, 0.7)},
    "grey": {"weights": (0.6, 0.3, 0.1)},
    "ramp": {},
    "match": {},
    "invert": {},
    "clamp": {"low": 0.25, "high": 0.7},
    "posterise": {"count": 5},
    "blur": {"radius": 0.02},
}


def pictured(session: Session, layer: AdjustLayer | None) -> np.ndarray:
    """(h, w, 3) uint8 sRGB of the buoy under an adjustment of both its sheets, the demo's own left out."""
    document = session.document
    for sheet in document.textured:
        for own in [x for x in sheet.layers if x.kind == "adjust"]:
            document, _ = apply_edit(document, SetLayer(sheet=sheet.id, layer=own.id, values={"visible": False}))
        if layer is not None:
            document, _ = apply_edit(document, AddLayer(sheet=sheet.id, layer=layer))
    displays = session.displays([s.id for s in document.textured], document)
    return render(session.model, displays, session.caster(), card_camera(session.model, WIDTH, HEIGHT))


def save(name: str, *pictures: np.ndarray) -> None:
    gap = np.full((HEIGHT, 6, 3), 255, np.uint8)
    row = [p for picture in pictures for p in (picture, gap)][:-1]
    cv2.imwrite(str(OUT / f"{name}.jpg"), np.concatenate(row, axis=1)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])


def main() -> None:
    OUT.mkdir(exist_ok=True)
    here = Studio(Path(sys.argv[1]))
    try:
        session = here.session(here.find("Mooring buoy"))
        before = pictured(session, None)
        for kind, settings in SHOWN.items():
            adjust = {"kind": kind, **settings}
            if kind == "match":
                sheet = session.document.textured[0]
                mine = figures_beneath(session, sheet.id, sheet.layers[0].id)
                goal = {"mean": (0.55, -0.02, -0.06), "spread": (0.2, 0.03, 0.04)}
                adjust |= {"source": mine.model_dump(), "goal": goal, "goal_name": "A foggy harbour"}
            data = {"id": "shown", "name": "Shown", "channels": {"base_color": {}}, "adjust": adjust}
            save(kind, before, pictured(session, AdjustLayer.model_validate(data)))
            print(kind)
        ranges = [
            {"id": "r", "colour": (0.62, 0.17, 0.11), "tolerance": 0.1, "softness": 0.07, "adjust": {"kind": "oklch", "hue": 128, "chroma": -0.3}}
        ]
        data = {"id": "shown", "name": "Shown", "channels": {"base_color": {}}, "adjust": {"kind": "oklch"}, "ranges": ranges}
        save("ranges", before, pictured(session, AdjustLayer.model_validate(data)))
    finally:
        here.close()


if __name__ == "__main__":
    main()

"""Making the demo project."""

from __future__ import annotations

from collections.abc import Callable

from ruvelt.core.brush.script import parse_script
from ruvelt.demo.lantern import MTL, high_obj, low_obj
from ruvelt.demo.paint_lantern import enamel_script, fittings_script
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.replay import replay
from ruvelt.studio.studio import Studio

NAME = "Storm lantern"


def build_demo(here: Studio, resolution: int = 2048, say: Callable[[str], None] = lambda text: None) -> str:
    """The storm lantern with its paint job; returns the project's id. The high mesh lies beside the project for later bakes."""
    low = low_obj()
    uid = here.create(low, "storm_lantern.obj", name=NAME, resolution=resolution, companions={"storm_lantern.mtl": MTL.encode()})
    session = here.session(uid)
    if resolution > 1024:
        change_resolution(session, "fittings", resolution // 2, lambda done, planned, what: None)
    for script in (enamel_script(), fittings_script()):
        result = replay(session, parse_script(script))
        say(f"{result.strokes} strokes laid" + (f", {result.missed} missed the surface" if result.missed else ""))
    meshes = here.data / "meshes"
    meshes.mkdir(exist_ok=True)
    (meshes / "storm_lantern_low.obj").write_bytes(low)
    (meshes / "storm_lantern_high.obj").write_bytes(high_obj())
    (meshes / "storm_lantern.mtl").write_text(MTL)
    here.card_picture(uid)
    return uid

"""Making the demo projects."""

from __future__ import annotations

from collections.abc import Callable

from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.brush.script import parse_script
from ruvelt.demo import buoy
from ruvelt.demo.lantern import MTL, high_obj, low_obj
from ruvelt.demo.paint_buoy import buoy_script
from ruvelt.demo.paint_lantern import enamel_script, fittings_script
from ruvelt.studio.bakes import BakeRequest, MeshUpload, add_high_mesh
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.replay import replay
from ruvelt.studio.studio import Studio

NAME, BUOY = "Storm lantern", "Mooring buoy"
BAKED = ("normal", "occlusion", "curvature", "position", "facing", "height", "id")
RAYS = 8


def build_demo(here: Studio, resolution: int = 2048, say: Callable[[str], None] = lambda text: None) -> str:
    """The storm lantern with its paint job and mesh maps baked from its high mesh; returns the project's id. Both meshes lie in `meshes`."""
    low = low_obj()
    uid = here.create(low, "storm_lantern.obj", name=NAME, resolution=resolution, companions={"storm_lantern.mtl": MTL.encode()})
    session = here.session(uid)
    if resolution > 1024:
        change_resolution(session, "fittings", resolution // 2, lambda done, planned, what: None)
    for script in (enamel_script(), fittings_script()):
        result = replay(session, parse_script(script))
        say(f"{result.strokes} strokes laid" + (f", {result.missed} missed the surface" if result.missed else ""))
    high = high_obj()
    add_high_mesh(session, MeshUpload(high, "storm_lantern_high.obj"), lambda done, planned, what: None)
    # Few rays keep the first start quick; the Bake screen makes finer maps.
    told = here.bakery(uid).bake(BakeRequest(maps=BAKED, settings=BakeSettings(rays=RAYS, occlusion_reach=0.15)))
    say(f"{len(told['maps'])} mesh maps baked")
    meshes = here.data / "meshes"
    meshes.mkdir(exist_ok=True)
    (meshes / "storm_lantern_low.obj").write_bytes(low)
    (meshes / "storm_lantern_high.obj").write_bytes(high)
    (meshes / "storm_lantern.mtl").write_text(MTL)
    here.card_picture(uid)
    return uid


def build_buoy(here: Studio, resolution: int = 2048, say: Callable[[str], None] = lambda text: None) -> str:
    """The mooring buoy, shaded by hand tools alone; returns the project's id. Its mesh lies in `meshes`."""
    mesh = buoy.obj()
    uid = here.create(mesh, "mooring_buoy.obj", name=BUOY, resolution=resolution, companions={"mooring_buoy.mtl": buoy.MTL.encode()})
    result = replay(here.session(uid), parse_script(buoy_script()))
    say(f"{result.strokes} strokes laid on the buoy" + (f", {result.missed} missed the surface" if result.missed else ""))
    meshes = here.data / "meshes"
    meshes.mkdir(exist_ok=True)
    (meshes / "mooring_buoy.obj").write_bytes(mesh)
    (meshes / "mooring_buoy.mtl").write_text(buoy.MTL)
    here.card_picture(uid)
    return uid

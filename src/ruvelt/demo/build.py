"""Making the demo projects."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial

from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.brush.script import parse_script
from ruvelt.core.mesh.unwrap import UnwrapSettings
from ruvelt.core.stack.edits import SetSettings
from ruvelt.demo import buoy, tern
from ruvelt.demo.colours import buoy_bands, lantern_colourways, warm_tern
from ruvelt.demo.lantern import MTL, high_obj, low_obj
from ruvelt.demo.paint_buoy import buoy_script
from ruvelt.demo.paint_lantern import enamel_script, fittings_script
from ruvelt.demo.paint_tern import SWATCHES, broad_script, fine_script
from ruvelt.studio.bakes import BakeRequest, MeshUpload, add_high_mesh
from ruvelt.studio.jobs import Job
from ruvelt.studio.layout import unwrap_model
from ruvelt.studio.levels import set_level
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.replay import ReplayResult, replay
from ruvelt.studio.studio import Studio
from ruvelt.studio.transfer import transfer

NAME, BUOY, TERN = "Storm lantern", "Mooring buoy", "Carved tern"
#: Of the tern: some 440,000 vertices.
TOP_LEVEL = 2
BAKED = ("normal", "occlusion", "curvature", "position", "facing", "height", "id")
RAYS = 8
#: Lies in the folder of a demo project until it is whole.
MAKING = "making"


Say = Callable[[int, int, str], None]


def _quiet(done: int, planned: int, text: str) -> None:
    pass


def _laid(result: ReplayResult) -> str:
    return f"{result.strokes} strokes laid" + (f", {result.missed} missed the surface" if result.missed else "")


def build_demo(here: Studio, resolution: int = 2048, say: Say = _quiet) -> str:
    """The storm lantern with its paint job and mesh maps baked from its high mesh; returns the project's id. Both meshes lie in `meshes`."""
    low = low_obj()
    uid = here.create(low, "storm_lantern.obj", name=NAME, resolution=resolution, companions={"storm_lantern.mtl": MTL.encode()})
    with _whole_or_gone(here, uid):
        session = here.session(uid)
        if resolution > 1024:
            change_resolution(session, "fittings", resolution // 2, lambda done, planned, what: None)
        for script in (enamel_script(), fittings_script()):
            result = replay(session, parse_script(script), lambda done, planned, what: say(done, planned, "Painting the lantern"))
            say(1, 1, _laid(result))
        high = high_obj()
        add_high_mesh(session, MeshUpload(high, "storm_lantern_high.obj"), lambda done, planned, what: None)
        # Few rays keep the first start quick; the Bake screen makes finer maps.
        here.bakery(uid).bake(BakeRequest(maps=BAKED, settings=BakeSettings(rays=RAYS, occlusion_reach=0.15)))
        say(1, 1, "Mesh maps of the lantern baked")
        lantern_colourways(session)
        meshes = here.data / "meshes"
        meshes.mkdir(exist_ok=True)
        (meshes / "storm_lantern_low.obj").write_bytes(low)
        (meshes / "storm_lantern_high.obj").write_bytes(high)
        (meshes / "storm_lantern.mtl").write_text(MTL)
        here.card_picture(uid)
    return uid


def build_buoy(here: Studio, resolution: int = 2048, say: Say = _quiet) -> str:
    """The mooring buoy, shaded by hand tools alone; returns the project's id. Its mesh lies in `meshes`."""
    mesh = buoy.obj()
    uid = here.create(mesh, "mooring_buoy.obj", name=BUOY, resolution=resolution, companions={"mooring_buoy.mtl": buoy.MTL.encode()})
    with _whole_or_gone(here, uid):
        result = replay(here.session(uid), parse_script(buoy_script()), lambda done, planned, what: say(done, planned, "Painting the buoy"))
        say(1, 1, _laid(result))
        buoy_bands(here.session(uid))
        meshes = here.data / "meshes"
        meshes.mkdir(exist_ok=True)
        (meshes / "mooring_buoy.obj").write_bytes(mesh)
        (meshes / "mooring_buoy.mtl").write_text(buoy.MTL)
        here.card_picture(uid)
    return uid


def build_tern(here: Studio, resolution: int = 2048, say: Say = _quiet, cell: float = tern.CELL) -> str:
    """The carved tern, painted on its vertices at two levels, and a sheet made from that; returns the project's id. Its mesh lies in `meshes`."""
    say(0, 5, "Carving the tern")
    mesh = tern.ply(cell)
    uid = here.create(mesh, "carved_tern.ply", name=TERN)
    with _whole_or_gone(here, uid):
        session = here.session(uid)
        session.edit(SetSettings(values={"swatches": SWATCHES}), "A limited palette")
        say(1, 5, "Painting the tern")
        first = replay(session, parse_script(broad_script()))
        set_level(session, "vertices", TOP_LEVEL)
        broad = next(x.id for x in session.sheet("vertices").layers if x.name == "Broad colours")
        second = replay(session, parse_script(fine_script(broad)))
        say(3, 5, _laid(ReplayResult(strokes=first.strokes + second.strokes, missed=first.missed + second.missed)))
        warm_tern(session)
        unwrap_model(session, lambda done, planned, what: None, resolution // 2, UnwrapSettings(fewer=1.0))
        transfer(session, "vertices", session.document.textured[0].id)
        meshes = here.data / "meshes"
        meshes.mkdir(exist_ok=True)
        (meshes / "carved_tern.ply").write_bytes(mesh)
        here.card_picture(uid)
        say(5, 5, "The tern has a sheet")
    return uid


@dataclass(frozen=True)
class Demo:
    name: str
    build: Callable[[Studio, int, Say], str]


#: The first stands ready before the window opens.
DEMOS = (Demo(NAME, build_demo), Demo(BUOY, build_buoy), Demo(TERN, build_tern))


def missing(here: Studio) -> list[Demo]:
    """Demo projects that are not there. One that was killed while it was painted is removed, to be made anew."""
    for marker in (here.data / "projects").glob(f"*/{MAKING}"):
        here.delete(marker.parent.name)
    known = {p.name for p in here.projects()}
    return [demo for demo in DEMOS if demo.name not in known]


@contextmanager
def _whole_or_gone(here: Studio, uid: str) -> Iterator[None]:
    """A project that is marked while it is made, and does not stay where that fails."""
    marker = here.data / "projects" / uid / MAKING
    marker.touch()
    try:
        yield
        marker.unlink()
    except BaseException:
        here.delete(uid)
        raise


def make_behind(here: Studio, resolution: int = 2048) -> None:
    """Make the demo projects that are not there, as jobs of an open server."""
    for demo in missing(here):
        here.jobs.start("demo", demo.name, partial(_make, here, demo, resolution))


def _make(here: Studio, demo: Demo, resolution: int, job: Job) -> dict[str, object]:
    uid = demo.build(here, resolution, job.progress)
    here.release(uid)
    return {"project": uid}

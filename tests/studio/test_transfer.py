"""Paint taken from vertices to a sheet and back."""

from __future__ import annotations

import signal
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import GroupLayer
from ruvelt.core.stack.edits import SetLayer
from ruvelt.studio.copying import duplicate_layer
from ruvelt.studio.laying import flood
from ruvelt.studio.layout import unwrap_model
from ruvelt.studio.levels import set_level
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import PointerSample, StrokeBegin, StrokeMessage
from ruvelt.studio.studio import Studio
from ruvelt.studio.transfer import loss, transfer
from ruvelt.studio.vertex_paint import add_vertex_paint
from tests.core.test_vertex_paint import coloured, sculpt
from tests.meshes import cube_obj
from tests.studio.test_vertex_paint import CAMERA, PAINT, RED, ball, ply_of, stroke, values

__all__ = ["ball"]


def unwrapped(studio: Studio, uid: str) -> tuple[Session, str]:
    session = studio.session(uid)
    unwrap_model(session, lambda *told: None, 256)
    return session, session.document.textured[0].id


def sheet_values(session: Session, sheet: str, channel: str = "base_color") -> np.ndarray:
    display = session.display(sheet)
    samples = session.samples(session.sheet(sheet))
    whole = np.concatenate([display.evaluator.composite(channel, c) for c in range(samples.chunk_count)], axis=1)
    return whole[:, samples.covered].T


def test_strokes_are_painted_again_as_sharp_as_on_the_sheet_itself(studio: Studio, ball: str) -> None:
    """The same stroke laid on the sheet in the first place gives the same bytes."""
    stroke(studio, ball, (90, 100), (110, 100))
    session, sheet = unwrapped(studio, ball)
    group = transfer(session, "vertices", sheet)
    found = session.sheet(sheet).find(group)
    assert isinstance(found, GroupLayer)
    assert [layer.name for layer in found.layers] == ["Paint", "Vertex colours", "Ground"]
    mine = found.layers[0].id
    target = Target(sheet=sheet, layer="l2", channels=("base_color",))
    begin = StrokeBegin(revision=session.revision, target=target, brush=Brush(size=0.3, size_unit="object", hardness=0.9), paint=RED, camera=CAMERA)
    points = tuple(PointerSample(x=x, y=100, time=i / 60) for i, x in enumerate((90, 110)))
    studio.desk(ball).handle(StrokeMessage(stroke="s", begin=begin, points=points, end=True))
    planes = session.store.planes
    assert planes[f"{sheet}/{mine}/base_color"].chunks == planes[f"{sheet}/l2/base_color"].chunks
    session.undo()
    session.undo()
    assert session.sheet(sheet).find(group) is None


def test_from_a_level_and_with_fills(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    set_level(session, "vertices", 1)
    flood(session, PAINT, RED, [FacePick(by="part", index=0)], 1.0)
    session, sheet = unwrapped(studio, ball)
    told = loss(session, "vertices", sheet)
    assert told["to"] > 10_000
    assert told["ratio"] == pytest.approx(told["from"] / told["to"], abs=1e-3)
    transfer(session, "vertices", sheet)
    assert (sheet_values(session, sheet) == [65535, 0, 0]).all()


def test_from_a_sheet_to_vertices(studio: Studio) -> None:
    """A fill is laid again; a stroke made on the flat sheet has no camera, so its texels are taken."""
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    session = studio.session(uid)
    wood = Target(sheet="wood", layer="l2", channels=("base_color", "roughness"))
    flood(session, wood, Paint(values={"base_color": (0.0, 1.0, 0.0), "roughness": (0.2,)}), None, 1.0)
    begin = StrokeBegin(revision=session.revision, target=wood, brush=Brush(size=0.1, size_unit="object"), paint=RED, texels_per_pixel=1.0)
    points = tuple(PointerSample(x=60 + 8 * i, y=225, time=i / 60) for i in range(5))
    studio.desk(uid).handle(StrokeMessage(stroke="s", begin=begin, points=points, end=True))
    add_vertex_paint(session)
    set_level(session, "vertices", 4, subdivision="simple")
    transfer(session, "wood", "vertices")
    found = values(session)
    red = (found[:, 0] > 40000).sum()
    green = (found[:, 1] > 60000).sum()
    assert red > 3
    assert green > red
    session.undo()
    assert [layer.name for layer in session.sheet("vertices").layers] == ["Paint", "Ground"]


def test_what_cannot_be_taken_is_said(studio: Studio, ball: str) -> None:
    session, sheet = unwrapped(studio, ball)
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    with pytest.raises(InputError, match="one of each"):
        transfer(studio.session(uid), "wood", "iron")
    with pytest.raises(InputError, match="one of each"):
        transfer(session, sheet, sheet)


def test_masks_read_the_copies_of_what_they_read(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    reads = {"sources": [{"id": "m", "kind": "layer", "layer": "l2"}, {"id": "hand", "kind": "painted"}]}
    session.edit(SetLayer(sheet="vertices", layer="l3", values={"mask": reads}), "Mask")
    flood(session, Target(sheet="vertices", layer="l3", mask="hand"), Paint(mask_value=0.5), None, 1.0)
    session, sheet = unwrapped(studio, ball)
    group = transfer(session, "vertices", sheet)
    found = session.sheet(sheet).find(group)
    assert isinstance(found, GroupLayer)
    copied = {layer.name: layer for layer in found.layers}
    mask = copied["Vertex colours"].mask
    assert mask is not None
    assert mask.sources[0].layer == copied["Paint"].id  # type: ignore[union-attr]
    assert session.store.planes[f"{sheet}/{copied['Vertex colours'].id}/mask:hand"].chunks


def test_a_layer_that_was_duplicated_arrives_with_its_paint(studio: Studio) -> None:
    """The copy of a stroke made on the flat sheet, which vertices cannot play, is resampled like the stroke itself."""
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    session = studio.session(uid)
    wood = Target(sheet="wood", layer="l2", channels=("base_color",))
    begin = StrokeBegin(revision=session.revision, target=wood, brush=Brush(size=0.3, size_unit="object"), paint=RED, texels_per_pixel=1.0)
    points = tuple(PointerSample(x=60 + 8 * i, y=225, time=i / 60) for i in range(5))
    studio.desk(uid).handle(StrokeMessage(stroke="s", begin=begin, points=points, end=True))
    copy = duplicate_layer(session, "wood", "l2")
    add_vertex_paint(session)
    set_level(session, "vertices", 4, subdivision="simple")
    group = transfer(session, "wood", "vertices")
    found = session.sheet("vertices").find(group)
    assert isinstance(found, GroupLayer)
    names = {layer.name: layer.id for layer in found.layers}
    planes = session.store.planes
    assert copy
    first, second = (planes[f"vertices/{names[n]}/base_color"].chunks for n in ("Paint", "Paint copy"))
    assert first == second
    assert first


@pytest.mark.parametrize("what", ["level", "transfer"])
def test_a_kill_before_the_last_word_leaves_everything_as_it_was(tmp_path: Path, what: str) -> None:
    """Killed by the system, all chunks written and the commit about to begin."""
    with closing(Studio(tmp_path)) as studio:
        uid = studio.create(ply_of(coloured(sculpt(60, 40))), "ball.ply", name="Ball")
        stroke(studio, uid, (90, 100), (110, 100))
        session, sheet = unwrapped(studio, uid)
        before, head = values(session), session.store.head
    work = "set_level(session, 'vertices', 2)" if what == "level" else f"transfer(session, 'vertices', {sheet!r})"
    program = f"""
import os, signal
from pathlib import Path
from ruvelt.studio.levels import set_level
from ruvelt.studio.studio import Studio
from ruvelt.studio.transfer import transfer
session = Studio(Path({str(tmp_path)!r})).session({uid!r})
session.store.commit = lambda *told, **more: os.kill(os.getpid(), signal.SIGKILL)
{work}
"""
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, timeout=120, check=False)
    assert done.returncode == -signal.SIGKILL, done.stderr
    with closing(Studio(tmp_path)) as studio:
        session = studio.session(uid)
        assert (session.store.head, session.sheet("vertices").level) == (head, 0)
        assert_array_equal(values(session), before)
        # What was to be done can be done now.
        set_level(session, "vertices", 1)
        transfer(session, "vertices", sheet)

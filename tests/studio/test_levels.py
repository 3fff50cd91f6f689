"""Levels of vertex paint in a project: raised, painted, lowered, raised again; undone, and killed half way."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.mesh.topology import face_of_corner
from ruvelt.core.stack.basics import FacePick
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.cells import cell_pictures
from ruvelt.studio.geometry import sheet_facts, viewport_geometry
from ruvelt.studio.lasso import faces_inside
from ruvelt.studio.laying import flood
from ruvelt.studio.layout import unwrap_model
from ruvelt.studio.levels import level_size, set_level
from ruvelt.studio.looking import stairs_in, unpainted
from ruvelt.studio.probe import probe
from ruvelt.studio.studio import Studio
from tests.core.test_vertex_paint import coloured, sculpt
from tests.meshes import cube_obj
from tests.studio.test_vertex_paint import CAMERA, PAINT, RED, ball, ply_of, stroke, values

__all__ = ["ball"]
BLUE = Paint(values={"base_color": (0.0, 0.0, 1.0)})


def test_a_level_up_and_down_is_exact_and_paint_shows_at_all(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    stroke(studio, ball, (90, 100), (110, 100))
    before = values(session)
    set_level(session, "vertices", 1)
    sheet = session.sheet("vertices")
    assert (sheet.level, sheet.resolution) == (1, 256)
    up = values(session)
    assert len(up) == level_size(session, sheet, 1)[1] == sheet_facts(session, "vertices")["covered"]
    # Vertices that were there keep what they had.
    assert_array_equal(up[: len(before)], before)
    stroke(studio, ball, (100, 60), (100, 140), paint=BLUE)
    fine = values(session)
    assert (fine != up).any()
    set_level(session, "vertices", 0)
    coarse = values(session)
    assert_array_equal(coarse, fine[: len(before)])
    set_level(session, "vertices", 1)
    assert_array_equal(values(session), fine)
    # Broad paint below lies under the detail above.
    set_level(session, "vertices", 0)
    flood(session, PAINT, RED, None, 1.0)
    set_level(session, "vertices", 1)
    assert (values(session)[: len(before)] == [65535, 0, 0]).all()
    for _ in range(3):
        session.undo()
    assert_array_equal(values(session), fine)


def test_undo_brings_the_old_level_back_whole(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    stroke(studio, ball, (90, 100), (110, 100))
    before = values(session)
    set_level(session, "vertices", 2)
    session.undo()
    assert session.sheet("vertices").level == 0
    assert_array_equal(values(session), before)
    session.redo()
    assert session.sheet("vertices").level == 2
    studio.close()


def test_views_picks_and_bakes_follow_the_level(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    set_level(session, "vertices", 1)
    fine = session.surfaces.of(session.sheet("vertices")).model
    header, blocks = viewport_geometry(session, "vertices")
    rows = np.frombuffer(blocks[0], np.float32).reshape(-1, 6)
    assert len(rows) == fine.vertex_count
    # Faces are told as the model counts them, so that what was picked stays picked at every level.
    faces = np.frombuffer(blocks[2], np.uint32)
    assert set(faces.tolist()) == set(range(session.model.face_count))
    assert sum(p["count"] for p in header["parts"]) == len(faces)
    found = probe(session, CAMERA, "vertices", 100, 100, True)
    assert found["hit"]
    flood(session, PAINT, RED, [FacePick(by="face", index=found["belongs"]["face"])], 1.0)
    mine = (values(session) == [65535, 0, 0]).all(axis=1)
    corners = session.model.corner_vertex[
        session.model.face_starts[found["belongs"]["face"]] : session.model.face_starts[found["belongs"]["face"] + 1]
    ]
    assert mine[corners].all()
    assert mine.sum() == 9
    inside = faces_inside(session, CAMERA, "vertices", [(90, 90), (110, 90), (110, 110), (90, 110)])
    assert inside.shape == (session.model.face_count,)
    assert inside[found["belongs"]["face"]]
    assert unpainted(session, "vertices", "base_color")[0] == 0
    assert "l2/base_color" in cell_pictures(session, "vertices")
    studio.bakery(ball).bake(BakeRequest(maps=("position", "curvature"), source="model"))
    assert_allclose(values(session, "map:position") / 65535, (fine.positions + 1) / 2, atol=4e-3)
    assert len(studio.card_picture(ball)) > 500


def test_rules_of_levels(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    set_level(session, "vertices", 1, subdivision="simple")
    assert session.sheet("vertices").subdivision == "simple"
    with pytest.raises(Conflict, match="another rule"):
        set_level(session, "vertices", 1, subdivision="smooth")
    set_level(session, "vertices", 0)
    set_level(session, "vertices", 1, subdivision="smooth", sharp_deg=40.0)
    assert session.sheet("vertices").sharp_deg == 40.0
    with pytest.raises(InputError, match="no level 9"):
        set_level(session, "vertices", 9)
    with pytest.raises(InputError, match="GiB of memory"):
        set_level(session, "vertices", 7)
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    with pytest.raises(InputError, match="resolution"):
        set_level(studio.session(uid), "wood", 1)


def test_masks_and_maps_go_along(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    studio.bakery(ball).bake(BakeRequest(maps=("position",), source="model"))
    before = values(session, "map:position")
    set_level(session, "vertices", 2)
    assert_array_equal(values(session, "map:position")[: len(before)], before)
    set_level(session, "vertices", 0)
    assert_array_equal(values(session, "map:position"), before)


def test_levels_are_let_go_of_when_memory_is_short_and_made_again(studio: Studio, ball: str) -> None:
    session = studio.session(ball)
    set_level(session, "vertices", 2)
    stroke(studio, ball, (90, 100), (110, 100))
    before = values(session)
    kept = {k.name: k for k in session.kept()}
    assert kept["levels"].size > 100_000
    for name in ("levels", "sheet:vertices"):
        session.let_go(name)
    assert "levels" not in {k.name for k in session.kept()}
    assert_array_equal(values(session), before)


def test_levels_of_a_split_mesh(studio: Studio) -> None:
    """Vertices that a file split stay apart, at one place, with one paint."""
    model = sculpt(12, 8)
    split = coloured(model)
    uid = studio.create(ply_of(split), "ball.ply", name="Split")
    session = studio.session(uid)
    target = Target(sheet="vertices", layer="l2", channels=("base_color", "height"))
    flood(session, target, Paint(values={"base_color": (1.0, 1.0, 0.0), "height": (0.5,)}), None, 1.0)
    set_level(session, "vertices", 3)
    assert (values(session) == [65535, 65535, 0]).all()
    assert len(np.unique(values(session, "height"))) == 1


def test_unwrapping_that_cuts_faces_leaves_levels_as_they_are(studio: Studio) -> None:
    """A layout cuts polygons that it cannot lay out whole; levels are still made of the polygons as the file had them."""
    model = sculpt(40, 24)
    places = model.positions * (1 + 0.16 * np.sin(5 * model.positions[:, :1]) * np.sin(4 * model.positions[:, 1:2]))
    lump = coloured(dataclasses.replace(model, positions=places.astype(np.float32)))
    uid = studio.create(ply_of(lump), "lump.ply", name="Lump")
    session = studio.session(uid)
    set_level(session, "vertices", 2, sharp_deg=35.0)
    stroke(studio, uid, (90, 100), (110, 100))
    before, faces = values(session), session.model.face_count
    unwrap_model(session, lambda *told: None, 256)
    assert session.model.face_count > faces
    assert_array_equal(values(session), before)
    set_level(session, "vertices", 0)
    set_level(session, "vertices", 2)
    assert_array_equal(values(session), before)
    found = probe(session, CAMERA, "vertices", 100, 100, True)
    assert found["belongs"]["face"] < session.model.face_count


def test_stairs_are_found_where_paint_is_too_sharp_for_the_mesh(studio: Studio, ball: str) -> None:
    """A hard slanted stroke breaks into stairs at level 0; what is soft over many vertices does not, and a sheet is refused."""
    session = studio.session(ball)
    flood(session, PAINT, RED, None, 1.0)
    assert len(stairs_in(session, "vertices")) == 0
    blue = Paint(values={"base_color": (0.0, 0.0, 1.0)})
    stroke(studio, ball, (70, 80), (130, 125), paint=blue)
    faces = stairs_in(session, "vertices")
    assert 4 <= len(faces) < session.model.face_count / 4
    # They lie under the stroke: every one has a vertex that is blue in part.
    value, touched = values(session), np.zeros(session.model.face_count, bool)
    touched[face_of_corner(session.model)[(value[session.model.corner_vertex] != [65535, 0, 0]).any(axis=1)]] = True
    assert touched[faces].all()
    uid = studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    with pytest.raises(InputError, match="vertex paint"):
        stairs_in(studio.session(uid), studio.session(uid).document.sheets[0].id)

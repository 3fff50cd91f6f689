"""Face groups by what is painted, on sheets and on vertices."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.core.stack.basics import FacePick
from ruvelt.studio.colour_groups import face_values, groups_from_colour
from ruvelt.studio.exchange import exchange_model
from ruvelt.studio.laying import flood
from ruvelt.studio.levels import set_level
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from ruvelt.studio.vertex_paint import add_vertex_paint
from tests.meshes import globe
from tests.studio.test_exchange import ball, painted, shuffled, target
from tests.studio.test_vertex_paint import coloured, ply_of, sculpt

RED, GREEN, BLUE = (0.8, 0.1, 0.1), (0.1, 0.6, 0.2), (0.1, 0.2, 0.8)


def banded(session: Session, aim: Target) -> np.ndarray:
    """Three bands over the ball by the height of faces: red, green, blue; which is which, (f,)."""
    model = session.model
    middle = np.add.reduceat(model.positions[model.corner_vertex, 1].astype(float), model.face_starts[:-1]) / np.diff(model.face_starts)
    band = np.digitize(middle, [-0.35, 0.35])
    for colour, k in ((RED, 0), (GREEN, 1), (BLUE, 2)):
        picks = tuple(FacePick(by="face", index=int(f)) for f in np.flatnonzero(band == k))
        flood(session, aim, Paint(values={"base_color": colour}), picks, 1.0)
    return band


def test_faces_are_divided_by_their_colours(studio: Studio) -> None:
    session = ball(studio)
    band = banded(session, target(session))
    made = groups_from_colour(session, session.document.textured[0].id, count=3)
    assert len(made) == len(session.document.face_sets) == 3
    found = [session.faces.mark(g.picks) for g in made]
    assert_array_equal(np.sum(found, axis=0), 1)
    for marked in found:
        # Each group is one band, but for faces at its rim that share texels with the next.
        k = np.bincount(band[marked]).argmax()
        assert (band[marked] == k).mean() > 0.97
    # A group fills as any other: what it names turns white, and its next division has one colour more.
    flood(session, target(session), Paint(values={"base_color": (1.0, 1.0, 1.0)}), made[0].picks, 1.0)
    colours, there = face_values(session, session.document.textured[0].id)
    assert there.all()
    assert (colours[found[0]].min(axis=1) > 0.9).mean() > 0.9
    session.undo()
    session.undo()
    assert session.document.face_sets == ()


def test_one_colour_is_one_group_and_none_is_told(studio: Studio) -> None:
    session = ball(studio)
    band = banded(session, target(session))
    sheet = session.document.textured[0].id
    group = groups_from_colour(session, sheet, colour=GREEN, name="Belt")[0]
    assert group.name == "Belt"
    assert (session.faces.mark(group.picks) == (band == 1)).mean() > 0.97
    again = groups_from_colour(session, sheet, colour=BLUE, name="Belt")[0]
    assert (again.id, len(session.document.face_sets)) == (group.id, 1)
    with pytest.raises(InputError, match="No face has a colour"):
        groups_from_colour(session, sheet, colour=(1.0, 0.0, 1.0))
    with pytest.raises(InputError, match="2 to 12"):
        groups_from_colour(session, sheet, count=40)


def test_dense_sculpts_keep_their_groups_in_the_model(studio: Studio) -> None:
    """Speckled vertex colours: thousands of single faces are a face group of the model, and what is painted stays as it is."""
    model = coloured(sculpt(120, 60), seed=5)
    dark = np.random.default_rng(1).random(model.vertex_count) < 0.3
    model.vertex_colors[:, :3] = np.where(dark[:, None], 0.1, 0.9)  # type: ignore[index]
    session = studio.session(studio.create(ply_of(model), "speckles.ply", name="Speckles"))
    flood(session, Target(sheet="vertices", layer="l2", channels=("roughness",)), Paint(values={"roughness": (0.3,)}), None, 1.0)
    before = session.display("vertices").evaluator.composite("base_color", 0).copy()
    made = groups_from_colour(session, "vertices", count=2)
    assert [p.by for p in made[0].picks] == ["group"]
    assert len(session.model.groups) == 2
    colours, _ = face_values(session, "vertices")
    bright = colours[:, 0] > 0.6
    assert (session.faces.mark(made[0].picks) == bright).mean() > 0.8
    assert_array_equal(session.display("vertices").evaluator.composite("base_color", 0), before)
    session.undo()
    assert session.model.groups == ()
    assert globe(8, 4).face_count < session.model.face_count


def test_a_group_is_hidden_or_shown_alone_and_paint_stays_off_what_is_hidden(studio: Studio) -> None:
    session = ball(studio)
    band = banded(session, target(session))
    belt = groups_from_colour(session, session.document.textured[0].id, colour=GREEN, name="Belt")[0].picks
    marked = session.faces.mark(belt)
    before = session.store.head
    session.hide_parts((), hidden=belt)
    assert session.store.head == before
    assert_array_equal(session.surfaces.hidden_faces(), marked)
    # A ray meets it neither in front nor behind, floods and strokes leave it as it is, and history does it again the same way at another resolution.
    hits = session.caster().cast(np.array([[0.0, 0.0, 5.0]]), np.array([[0.0, 0.0, -1.0]]))
    assert hits.triangle[0] == -1
    flood(session, target(session), Paint(values={"base_color": (1.0, 1.0, 1.0)}), None, 1.0)
    colours, _ = face_values(session, session.document.textured[0].id)
    assert (colours[marked].max(axis=1) < 0.9).mean() > 0.95
    assert (colours[~marked].min(axis=1) > 0.9).mean() > 0.95
    change_resolution(session, session.document.textured[0].id, 256, lambda *told: None)
    again, _ = face_values(session, session.document.textured[0].id)
    assert np.abs(again - colours).mean() < 0.03
    # Shown alone it is all that a fill reaches; hiding everything is refused.
    session.hide_parts((), shown=belt)
    assert_array_equal(session.surfaces.hidden_faces(), ~marked)
    with pytest.raises(InputError, match="hide the whole model"):
        session.hide_parts((), hidden=belt, shown=belt)
    session.hide_parts(())
    assert session.surfaces.hidden_faces() is None
    assert band.shape == marked.shape


def test_hidden_faces_follow_levels_and_other_meshes(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    add_vertex_paint(session)
    set_level(session, "vertices", 1)
    picks = (FacePick(by="face", index=40), FacePick(by="face", index=41))
    session.hide_parts((), hidden=picks)
    fine = session.surfaces.hidden_faces(session.sheet("vertices"))
    assert fine is not None
    assert fine.sum() == 8
    made, parents = shuffled(session.model)
    exchange_model(session, made, "Another order", lambda *told: None)
    assert_array_equal(session.surfaces.hidden_faces(), np.isin(parents, [40, 41]))

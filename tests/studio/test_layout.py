"""UV layouts of a project: unwrapped, packed and moved as steps of history."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.mesh.topology import islands
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.studio.laying import flood
from ruvelt.studio.layout import Placement, pack, place, seam_lines, toggle_seam, unwrap_model
from ruvelt.studio.looking import unpainted
from ruvelt.studio.probe import probe
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj


def nothing(done: int, planned: int, what: str) -> None:
    return None


@pytest.fixture
def bare(studio: Studio) -> str:
    """The cube without UVs: a project that has no sheets."""
    lines = [line for line in cube_obj().decode().splitlines() if not line.startswith("vt ")]
    text = "\n".join(" ".join(w.split("/")[0] for w in line.split()) if line.startswith("f ") else line for line in lines)
    return studio.create(text.encode(), "cube.obj", name="Bare", companions={"cube.mtl": CUBE_MTL})


def test_a_layout_that_changed_meanwhile_is_not_overwritten(studio: Studio, bare: str) -> None:
    """Two windows: one packs, which takes a while, the other moves an island before it is done."""
    session = studio.session(bare)
    unwrap_model(session, nothing, 256)
    moved: list[str] = []

    def meanwhile(done: int, planned: int, what: str) -> None:
        if not moved:
            place(session, Placement(islands=(0,), scale=0.9))
            moved.append(session.surfaces.key)

    with pytest.raises(Conflict, match="changed while this one was made"):
        pack(session, meanwhile)
    assert session.surfaces.key == moved[0]


def test_a_bare_model_gets_uvs_sheets_and_paint(studio: Studio, bare: str) -> None:
    session = studio.session(bare)
    assert [s.of for s in session.document.sheets] == ["vertices"]
    unwrap_model(session, nothing, 256)
    # One sheet for each material, each with a square of its own.
    assert [(s.id, s.resolution) for s in session.document.sheets] == [("wood", 256), ("iron", 256)]
    for sheet in session.document.sheets:
        samples = session.samples(sheet)
        assert samples.covered_count > 256 * 256 * 0.3
        flood(session, Target(sheet=sheet.id, layer="l2", channels=("base_color",)), Paint(values={"base_color": (1, 0, 0)}), None, 1.0)
    assert unpainted(session, "wood", "base_color")[0] == 0
    for _ in range(3):
        session.undo()
    assert [s.of for s in session.document.sheets] == ["vertices"]
    assert not session.model.uv_layouts
    session.redo()
    assert session.model.uv_layouts[0].name == "Unwrapped"


def test_a_layout_survives_a_restart(studio: Studio, bare: str) -> None:
    unwrap_model(studio.session(bare), nothing, 256)
    before = studio.session(bare).model.uv_layouts[0].uvs.copy()
    studio.close()
    again = Studio(studio.data)
    session = again.session(bare)
    assert_allclose(session.model.uv_layouts[0].uvs, before)
    assert session.samples(session.document.sheets[0]).covered_count > 0
    again.close()


def test_islands_are_placed_and_packed(studio: Studio, bare: str) -> None:
    session = studio.session(bare)
    unwrap_model(session, nothing, 256)
    labels = islands(session.model, session.model.uv_layouts[0])
    before = session.samples(session.document.sheets[0]).covered_count
    place(session, Placement(islands=tuple(int(x) for x in np.unique(labels[session.model.face_material == 0])), scale=0.5), session.revision)
    after = session.samples(session.document.sheets[0]).covered_count
    assert_allclose(after / before, 0.25, rtol=0.06)
    pack(session, nothing)
    assert session.samples(session.document.sheets[0]).covered_count > 2 * after
    session.undo()
    assert session.samples(session.document.sheets[0]).covered_count == after
    with pytest.raises(Conflict):
        place(session, Placement(islands=(0,), scale=0.9), session.revision - 1)


def test_wrong_numbers_have_words(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    with pytest.raises(InputError, match="texels a side"):
        unwrap_model(session, nothing, 300)
    with pytest.raises(InputError, match="no such island"):
        place(session, Placement(islands=(99,)))
    with pytest.raises(InputError, match="leave the sheet"):
        place(session, Placement(islands=(0,), move=(1.5, 0)))


def test_seams_split_what_fill_picks(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    # The four sides of the cube are one island; two upright edges cut it in two pairs of faces.
    assert len({session.faces.of_face(f)["island"] for f in range(4)}) == 1
    before = session.display("wood").evaluator.version("base_color", 0)
    toggle_seam(session, 0, (-1.0, 0.0, 1.0), False)
    toggle_seam(session, 1, (1.0, 0.0, -1.0), False, session.revision)
    labels = [session.faces.of_face(f)["island"] for f in range(4)]
    assert labels[0] == labels[1] != labels[2] == labels[3]
    flood(
        session,
        Target(sheet="wood", layer="l2", channels=("base_color",)),
        Paint(values={"base_color": (0, 1, 0)}),
        (FacePick(by="island", index=labels[2]),),
        1.0,
    )
    assert unpainted(session, "wood", "base_color")[0] == 0
    samples = session.display("wood").samples
    green = session.display("wood").evaluator.composite("base_color", 0)[1] == 65535
    assert set(np.unique(samples.face[green & samples.covered])) == {2, 3}
    assert seam_lines(session).shape == (2, 6)
    assert_allclose(np.abs(seam_lines(session)), 1)
    assert session.display("wood").evaluator.version("base_color", 0) != before
    toggle_seam(session, 0, (-1.0, 0.0, 1.0), False)
    assert len(session.document.seams) == 1
    session.undo()
    assert len(session.document.seams) == 2


def test_an_island_is_placed_whole_whatever_seams_split_it(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    toggle_seam(session, 0, (-1.0, 0.0, 1.0), False)
    toggle_seam(session, 1, (1.0, 0.0, -1.0), False)
    right = Camera(eye=(0, 0, -6), target=(0, 0, 0), fov_deg=30, width=200, height=200)
    found = probe(session, right, None, 100, 100, False, island=True)
    # For picking, the far side is a piece of its own; in the layout it is one island with the other three.
    assert found["belongs"]["island"] != found["layout_island"]
    assert found["faces"] == [0, 1, 2, 3]
    before = session.samples(session.document.sheets[0]).covered_count
    resolution = session.document.sheets[0].resolution
    uv = session.model.uv_layouts[0].uvs[session.model.uv_layouts[0].corner_uv[: session.model.face_starts[1]]]
    assert_allclose(found["density"], np.linalg.norm(uv[1] - uv[0]) / 2 * resolution, rtol=1e-5)
    assert found["other_density"] is None
    place(session, Placement(islands=(found["layout_island"],), scale=0.5))
    smaller = probe(session, right, None, 100, 100, False, island=True)
    assert_allclose(smaller["density"], found["density"] / 2, rtol=1e-5)
    assert session.samples(session.document.sheets[0]).covered_count < 0.35 * before

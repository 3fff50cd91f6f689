"""Pictures kept from the last time: shown only while they are right, and never needed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.store.pictures import FILE
from ruvelt.studio import laying
from ruvelt.studio.studio import Studio
from ruvelt.studio.tiles import drawn_tiles, scope_of

RED = Paint(values={"base_color": (1.0, 0.0, 0.0)})
BLUE = Paint(values={"base_color": (0.0, 0.0, 1.0)})


def tiles(studio: Studio, uid: str) -> np.ndarray:
    session = studio.session(uid)
    sheet = session.document.sheets[0].id
    count = session.display(sheet).samples.chunk_count
    return np.stack(drawn_tiles(session, sheet, [(t, c) for t in ("colour", "normal") for c in range(count)]))


def flood(studio: Studio, uid: str, paint: Paint) -> None:
    session = studio.session(uid)
    sheet = session.document.sheets[0]
    laying.flood(session, Target(sheet=sheet.id, layer=sheet.layers[0].id, channels=("base_color",)), paint, None, 1.0)


def reopened(studio: Studio) -> Studio:
    studio.close()
    return Studio(studio.data)


def no_evaluation(monkeypatch: pytest.MonkeyPatch) -> None:
    def fail(*_: object) -> None:
        raise AssertionError("evaluated or laid out, where a kept picture would do")

    monkeypatch.setattr(SheetDisplay, "tile", fail)
    monkeypatch.setattr("ruvelt.core.samples.sheet._raster", fail)
    monkeypatch.setattr("ruvelt.studio.tiles._lay_out", lambda samples: None)


def test_a_reopened_project_shows_the_same_without_evaluating(studio: Studio, cube: str, monkeypatch: pytest.MonkeyPatch) -> None:
    flood(studio, cube, RED)
    before = tiles(studio, cube)
    again = reopened(studio)
    no_evaluation(monkeypatch)
    assert_array_equal(tiles(again, cube), before)
    monkeypatch.undo()
    again.close()


def test_closing_brings_overtaken_pictures_up_to_date(studio: Studio, cube: str, monkeypatch: pytest.MonkeyPatch) -> None:
    tiles(studio, cube)
    flood(studio, cube, BLUE)
    again = reopened(studio)
    no_evaluation(monkeypatch)
    shown = tiles(again, cube)
    monkeypatch.undo()
    covered = shown[0][(shown[0][:, 3] > 0) & (shown[0][:, 2] == 255)]
    assert len(covered) > 1000
    assert (covered[:, :3] == [0, 0, 255]).all()
    again.close()


def test_overtaken_pictures_are_not_shown(studio: Studio, cube: str) -> None:
    first = tiles(studio, cube)
    flood(studio, cube, RED)
    assert (tiles(studio, cube) != first).any()


@pytest.mark.parametrize("content", [b"", b"not a database at all" * 100])
def test_a_damaged_file_costs_nothing_but_time(studio: Studio, cube: str, content: bytes) -> None:
    before = tiles(studio, cube)
    folder: Path = studio.session(cube).store.folder
    studio.close()
    (folder / FILE).write_bytes(content)
    again = Studio(studio.data)
    assert_array_equal(tiles(again, cube), before)
    again.close()


def test_tiles_of_another_resolution_are_forgotten(studio: Studio, cube: str) -> None:
    tiles(studio, cube)
    session = studio.session(cube)
    sheet = session.document.sheets[0]
    session.pictures.settle()
    scope = scope_of(session, sheet)
    assert len(session.pictures.store.names(scope)) == 2 * session.samples(sheet).chunk_count
    session.pictures.store.forget(["other"])
    assert session.pictures.store.names(scope) == {}


def test_stamps_tell_apart_and_repeat() -> None:
    assert version_of(("a", 1), 2.5) == version_of(("a", 1), 2.5)
    assert len({version_of("a", 1), version_of("a1"), version_of("a", 1.0), version_of(("a", 1))}) == 4
    # The same in every process: the value itself is fixed.
    assert version_of("lantern", None, 0.5) == 804932429543825503


def test_known_sources_spare_the_layout(studio: Studio, cube: str) -> None:
    tiles(studio, cube)
    samples: SheetSamples = studio.session(cube).samples(studio.session(cube).document.sheets[0])
    known = dict(samples.gutter_sources)
    again = reopened(studio)
    session = again.session(cube)
    assert dict(session.samples(session.document.sheets[0]).gutter_sources) == known
    again.close()

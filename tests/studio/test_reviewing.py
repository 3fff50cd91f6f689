"""Checks of finished work on constructed faults, each found once and none on clean work; and what mends them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import MISSED, OTHER_PART
from ruvelt.core.errors import NotFound
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.planes.plane import U16
from ruvelt.core.review.finding import Finding
from ruvelt.core.review.registry import map_checks
from ruvelt.core.review.seams import seams_of
from ruvelt.core.stack.document import FillLayer, PaintLayer, new_channel_uses
from ruvelt.core.stack.edits import AddLayer, RemoveLayer, SetSheet
from ruvelt.core.stack.plane_ids import base_plane_id, plane_id
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.reviewing import clamp_base, finding_as_json, make_cut_out, review_project, soften_seams
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from tests.studio.test_exchange import ball

PRESET = next(p for p in BUILT_IN if p.id == "separate-maps").model_copy(update={"padding": 32})
CHECKS = [c.id for c in map_checks()]


@pytest.fixture
def clean(studio: Studio) -> Session:
    """A ball painted with a noise that knows nothing of seams, in every channel, at texels that are worth it."""
    session = ball(studio)
    sheet = session.document.textured[0].id
    noise = {"sources": [{"kind": "noise", "id": "m", "size": 0.05}]}
    for layer, values in (("a", {"base_color": (0.7, 0.4, 0.2), "roughness": (0.3,), "height": (0.2,)}), ("b", {"base_color": (0.3, 0.5, 0.6)})):
        made = {"id": layer, "name": layer, "channels": {c: {"value": v} for c, v in values.items()}}
        session.edit(AddLayer(sheet=sheet, layer=FillLayer.model_validate({**made, "mask": noise} if layer == "b" else made)), "Add")
    return session


def lay(session: Session, channel: str, values: Callable[[np.ndarray], np.ndarray], where: np.ndarray | None = None) -> None:
    """A paint layer whose values are a function of the surface position, on texels `where`."""
    sheet = session.document.textured[0]
    samples = session.texels(sheet)
    of = session.document.channel(channel)
    assert of is not None
    codes = np.broadcast_to(values(samples.positions.astype(np.float64)), (of.components, samples.slot_count))
    marked = samples.covered if where is None else where & samples.covered
    plane = plane_of(session, np.concatenate([codes.astype(np.uint16), np.where(marked, 65535, 0).astype(np.uint16)[None]]))
    uses = {
        c: u.model_copy(update={"on": c == channel, "blend": "normal" if c == channel else None})
        for c, u in new_channel_uses(session.document.channels).items()
    }
    layer = PaintLayer(id="f", name="Fault", channels=uses)
    place = plane_id(sheet.id, "f", channel)
    session.store.commit(
        "Fault", edit=AddLayer(sheet=sheet.id, layer=layer), changes={place: dict(plane.chunks)}, components={place: plane.components}
    )


def found(session: Session, preset: ExportPreset = PRESET) -> list[Finding]:
    return [f for f in review_project(session, preset) if f.level == "warns"]


def only(session: Session, check: str, preset: ExportPreset = PRESET) -> Finding:
    """The one finding there is; every other check finds nothing."""
    (one,) = found(session, preset)
    assert one.check == check
    assert one.title
    assert one.why
    return one


def code(value: float) -> np.ndarray:
    return np.array([[round(value * 257)]])


def test_clean_work_has_no_finding(clean: Session) -> None:
    assert found(clean) == []
    for preset in BUILT_IN:
        if preset.maps and preset.id != "baked-maps":
            assert [f.check for f in found(clean, preset.model_copy(update={"padding": 64, "mips": 5}))] == []


def test_unpainted_texels_are_counted(clean: Session) -> None:
    sheet = clean.document.textured[0]
    for layer in list(sheet.layers):
        clean.edit(RemoveLayer(sheet=sheet.id, layer=layer.id), "Bare")
    samples = clean.texels(clean.document.textured[0])
    hole = samples.positions[:, 0] > 0.9
    lay(clean, "base_color", lambda p: code(120).repeat(3, axis=0), ~hole)
    one = only(clean, "unpainted")
    assert f"{int((hole & samples.covered).sum()):,} texels" in one.title
    assert_array_equal(one.faces, np.unique(samples.face[hole & samples.covered]))
    assert one.place is not None
    slot = samples.texel_to_slot(*one.place)
    assert hole[slot]


@pytest.mark.parametrize(("grey", "words"), [(8, "darker than 30"), (252, "brighter than 240")])
def test_base_colours_out_of_range_and_their_mend(clean: Session, grey: float, words: str) -> None:
    samples = clean.texels(clean.document.textured[0])
    cap = samples.positions[:, 1] > 0.6
    lay(clean, "base_color", lambda p: code(grey).repeat(3, axis=0), cap)
    one = only(clean, "base-range")
    assert words in one.title
    assert f"from {grey:.0f} to {grey:.0f}" in one.title
    assert one.share == pytest.approx((cap & samples.covered).sum() / samples.covered.sum(), abs=1e-4)
    assert one.mend is not None
    before = composite(clean, "base_color")
    clamp_base(clean, one.sheet, float(one.mend.values["low"]), float(one.mend.values["high"]))
    assert found(clean) == []
    after = composite(clean, "base_color")
    assert_array_equal(after[:, samples.covered & ~cap], before[:, samples.covered & ~cap])
    clean.undo()
    assert_array_equal(composite(clean, "base_color"), before)


def composite(session: Session, channel: str) -> U16:
    evaluator = session.display(session.document.textured[0].id).evaluator
    return np.concatenate([evaluator.composite(channel, c) for c in range(evaluator.samples.chunk_count)], axis=1)


def test_metallic_between_and_dark_metal(clean: Session) -> None:
    samples = clean.texels(clean.document.textured[0])
    cap = samples.positions[:, 1] > 0.5
    lay(clean, "metallic", lambda p: code(128), cap)
    one = only(clean, "metallic-between")
    assert one.share == pytest.approx((cap & samples.covered).sum() / samples.covered.sum(), abs=1e-4)
    clean.undo()
    lay(clean, "metallic", lambda p: code(255))
    assert "darker than 170 on metal" in only(clean, "base-range").title


def test_a_step_across_a_seam_is_found_measured_and_softened(clean: Session) -> None:
    """One island is ten steps brighter; the difference is that, and half of it is added on each side."""
    sheet = clean.document.textured[0]
    samples = clean.texels(sheet)
    assert seams_of(samples).count > 0
    # The layout's own place: paint by it jumps wherever the layout does.
    side = samples.side
    column = np.asarray(samples.from_image(np.broadcast_to(np.arange(side, dtype=np.uint16)[None], (side, side))))
    lay(clean, "roughness", lambda p: (20000 + 60 * column.astype(np.int64))[None])
    one = only(clean, "visible-seams")
    assert one.map == "roughness"
    assert one.mend is not None
    assert one.mend.id == "soften"
    before = composite(clean, "roughness")
    soften_seams(clean, one.sheet, "roughness")
    assert [f.check for f in found(clean)] in ([], ["visible-seams"])
    left = [f for f in found(clean) if f.check == "visible-seams"]
    assert not left or left[0].share < one.share / 4
    after = composite(clean, "roughness")
    # Far from seams nothing moved.
    moved = (after != before).any(axis=0)[samples.covered].mean()
    assert 0 < moved < 0.5


def test_padding_is_held_against_the_smaller_copies(clean: Session) -> None:
    thin = PRESET.model_copy(update={"padding": 4, "mips": 5})
    checks = {f.check: f for f in found(clean, thin)}
    assert checks.keys() <= {"thin-padding", "visible-seams"}
    assert "4 pixels of padding for 5 smaller copies, which need 32" in checks["thin-padding"].title
    mend = checks["thin-padding"].mend
    assert mend is not None
    assert found(clean, thin.model_copy(update={"padding": int(mend.values["padding"])})) == []


def test_the_ground_that_runs_into_islands_is_found_copy_by_copy(clean: Session) -> None:
    """Bright paint on a grey ground: without padding the map itself shows it; with four pixels only its smaller copies do."""
    lay(clean, "roughness", lambda p: code(250))
    none = {f.map: f for f in found(clean, PRESET.model_copy(update={"around": "none"})) if f.check == "visible-seams"}
    assert "in the map itself" in none["roughness"].title
    assert none["roughness"].mend is not None
    assert none["roughness"].mend.id == "pad"
    some = {f.map: f for f in found(clean, PRESET.model_copy(update={"padding": 4})) if f.check == "visible-seams"}
    assert "smaller copy on" in some["roughness"].title
    assert "in the map itself" not in some["roughness"].title
    assert found(clean, PRESET.model_copy(update={"around": "everything"})) == []


def test_heights_that_are_cut_or_come_in_steps(clean: Session) -> None:
    lay(clean, "height", lambda p: np.clip(32768 + p[None, :, 1] * 60000, 0, 65535))
    one = only(clean, "height-range")
    assert "reaches the end of its range" in one.title
    clean.undo()
    lay(clean, "height", lambda p: np.rint(128 + p[None, :, 1] * 100) * 257)
    assert "steps of 8 bits" in only(clean, "height-range").title
    clean.undo()
    lay(clean, "height", lambda p: 32768 + p[None, :, 1] * 20000)
    assert found(clean) == []


def test_noise_of_few_rays(clean: Session, studio: Studio) -> None:
    sheet = clean.document.textured[0].id
    bakery = studio.bakery(clean.uid)
    few = BakeSettings(rays=4, antialias=1, grain=0.0, occlusion_reach=1.0)
    bakery.bake(BakeRequest(maps=("thickness",), source="model", settings=few))
    noisy = [f for f in found(clean) if f.check == "bake-noise"]
    assert len(noisy) == 1
    assert "from 4 rays a texel" in noisy[0].title
    assert noisy[0].mend is not None
    assert noisy[0].mend.values["rays"] > 16
    bakery.bake(BakeRequest(maps=("thickness",), source="model", settings=few.model_copy(update={"rays": 1024})))
    assert [f for f in found(clean) if f.check == "bake-noise" and f.sheet == sheet] == []


def test_maps_larger_than_their_content(clean: Session) -> None:
    sheet = clean.document.textured[0]
    change_resolution(clean, sheet.id, 1024, lambda *_: None)
    for layer in ("a", "b"):
        clean.edit(RemoveLayer(sheet=sheet.id, layer=layer), "Plain")
    lay(clean, "base_color", lambda p: (30000 + 8000 * p[:, 1])[None].repeat(3, axis=0))
    tells = [f for f in review_project(clean, PRESET) if f.check == "too-large"]
    assert len(tells) == 1
    assert "256 × 256 would hold everything" in tells[0].title
    assert [f for f in review_project(clean, PRESET.model_copy(update={"size": 256})) if f.check == "too-large"] == []


def test_alpha_that_sorts_badly_becomes_a_cut_out(clean: Session) -> None:
    samples = clean.texels(clean.document.textured[0])
    lay(clean, "opacity", lambda p: np.zeros((1, 1)), samples.positions[:, 2] > 0.7)
    one = only(clean, "alpha-sorting")
    assert one.mend is not None
    assert one.mend.id == "cut-out"
    make_cut_out(clean, one.sheet)
    assert clean.document.textured[0].alpha_mode == "mask"
    assert found(clean) == []
    clean.edit(SetSheet(sheet=one.sheet, values={"alpha_mode": "opaque"}), "Opaque")
    assert found(clean) == []


def test_suspect_bakes_are_told_by_kind(clean: Session) -> None:
    assert [f for f in found(clean) if f.check == "suspect-bake"] == []
    sheet = clean.document.textured[0]
    samples = clean.texels(sheet)
    marks = np.where(samples.positions[:, 1] > 0.8, MISSED, np.where(samples.positions[:, 1] < -0.8, OTHER_PART, 0))
    plane = plane_of(clean, np.where(samples.covered, marks * 257, 0).astype(np.uint16)[None])
    place = base_plane_id(sheet.id, "suspects")
    clean.store.commit("Suspects", changes={place: dict(plane.chunks)}, components={place: 1})
    one = only(clean, "suspect-bake")
    missed, other = (int((samples.covered & (marks == bit)).sum()) for bit in (MISSED, OTHER_PART))
    assert f"{missed + other:,} texels of the bake are suspect" in one.title
    assert f"{missed:,} met nothing, {other:,} met another part" in one.title
    assert one.mend is not None
    assert one.mend.id == "rebake"


def test_a_check_that_is_not_there(clean: Session) -> None:
    with pytest.raises(NotFound, match="There is no check 'dust'"):
        review_project(clean, PRESET, only=["dust"])
    assert {f.check for f in review_project(clean, PRESET, only=["thin-padding"])} <= {"thin-padding"}


def test_findings_as_json_name_faces_and_place(clean: Session) -> None:
    samples = clean.texels(clean.document.textured[0])
    lay(clean, "metallic", lambda p: code(128), samples.positions[:, 1] > 0.5)
    (one,) = found(clean)
    told = finding_as_json(clean, one)
    assert told["check"] == "metallic-between"
    assert told["faces"] == sorted(told["faces"])
    # Where views go lies on the cap that is half metal, and faces out of the ball.
    assert told["look"]["position"][1] > 0.5
    assert np.dot(told["look"]["position"], told["look"]["normal"]) > 0.9

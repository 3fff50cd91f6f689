"""Maps that go to a program outside and come back, with a stand-in for that program."""

from __future__ import annotations

import importlib.util
from pathlib import Path
from types import ModuleType

import cv2
import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from PIL import Image

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.mesh.model import Material
from ruvelt.core.mesh.topology import islands
from ruvelt.core.stack.document import FillLayer
from ruvelt.core.stack.edits import AddLayer, RemoveLayer, SetLayer
from ruvelt.studio.bringing_back import difference, land
from ruvelt.studio.layout import unwrap_model
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from ruvelt.studio.taking_out import take_out
from ruvelt.studio.trips import MOST_BYTES, is_changed, trip_of
from tests.studio.test_exchange import ball, painted

SQUARE = (200, 220, 280, 300)


def the_editor() -> ModuleType:
    spec = importlib.util.spec_from_file_location("simulated_editor", Path(__file__).parents[2] / "tools" / "simulated_editor.py")
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


EDITOR = the_editor()


def edit(path: Path, square: tuple[int, int, int, int] | None = SQUARE, colour: tuple[float, float, float] = (0.0, 1.0, 0.0), **how: object) -> None:
    path.write_bytes(EDITOR.changed(path, square, colour, **how))


def colours(session: Session, channel: str = "base_color") -> np.ndarray:
    """(slots, components) codes."""
    evaluator = session.display(session.document.textured[0].id).evaluator
    return np.concatenate([evaluator.composite(channel, c) for c in range(evaluator.samples.chunk_count)], axis=1).T


def ready(studio: Studio) -> tuple[Session, str]:
    session = ball(studio)
    painted(studio, session)
    sheet = session.document.textured[0].id
    rough = FillLayer.model_validate(
        {"id": "r", "name": "Rough", "channels": {"roughness": {"value": (0.3,)}}, "mask": {"sources": [{"kind": "noise", "id": "m"}]}}
    )
    session.edit(AddLayer(sheet=sheet, layer=rough), "Add")
    return session, sheet


@pytest.mark.parametrize(("suffix", "bits"), [("png", 16), ("png", 8), ("tiff", 16), ("tiff", 8)])
@pytest.mark.parametrize("channel", ["base_color", "roughness"])
def test_an_untouched_map_changes_no_byte(studio: Studio, tmp_path: Path, suffix: str, bits: int, channel: str) -> None:
    session, sheet = ready(studio)
    before, head = colours(session, channel), session.store.head
    trip = take_out(session, tmp_path, sheet, channel, suffix=suffix, bits=bits)
    assert not is_changed(tmp_path, trip)
    # Read by another library it is what was there, to the code.
    samples = session.texels(session.sheet(sheet))
    pixels = cv2.imread(str(tmp_path / trip.file), cv2.IMREAD_UNCHANGED)
    pixels = pixels[..., ::-1] if pixels.ndim == 3 else pixels[..., None]
    slots = samples.from_image(np.ascontiguousarray(pixels))[samples.covered]
    assert_array_equal(slots, before[samples.covered] if bits == 16 else np.rint(before[samples.covered] / 257))
    # Saved again by the program outside it differs in bytes at most.
    edit(tmp_path / trip.file, None)
    layer, found = land(session, tmp_path, trip)
    assert (layer, found.count, found.told) == (None, 0, [])
    assert session.store.head == head
    assert_array_equal(colours(session, channel), before)


def test_what_was_changed_comes_back_as_a_layer_and_nothing_else(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    before = colours(session)
    trip = take_out(session, tmp_path, sheet, "base_color")
    edit(tmp_path / trip.file)
    assert is_changed(tmp_path, trip)
    found = difference(session, tmp_path, trip)
    samples = session.texels(session.sheet(sheet))
    inside = np.zeros((samples.side, samples.side), bool)
    inside[SQUARE[1] : SQUARE[3], SQUARE[0] : SQUARE[2]] = True
    wanted = samples.from_image(inside) & samples.covered
    assert_array_equal(found.changed, wanted)
    assert found.picture.startswith("data:image/png;base64,")
    assert_array_equal(colours(session), before)
    layer, _ = land(session, tmp_path, trip)
    assert layer is not None
    assert session.sheet(sheet).layers[0].id == layer
    now = colours(session)
    assert_array_equal(now[~wanted & samples.covered], before[~wanted & samples.covered])
    assert_array_equal(now[wanted], np.broadcast_to([0, 65535, 0], (int(wanted.sum()), 3)))
    # The other channels hear nothing of it, and one undo takes it back.
    assert session.sheet(sheet).layers[0].channels["height"].on is False
    session.undo()
    assert_array_equal(colours(session), before)


def test_a_file_that_comes_again_goes_into_the_same_layer(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    trip = take_out(session, tmp_path, sheet, "base_color")
    edit(tmp_path / trip.file)
    first, _ = land(session, tmp_path, trip)
    trip = trip_of(tmp_path, trip.id)
    assert not is_changed(tmp_path, trip)
    # Asked for twice, as by two windows, it is laid once.
    head = session.store.head
    assert land(session, tmp_path, trip)[0] == first
    assert session.store.head == head
    edit(tmp_path / trip.file, (0, 0, 512, 512), (0.0, 0.0, 1.0))
    again, _ = land(session, tmp_path, trip)
    assert again == first
    samples = session.texels(session.sheet(sheet))
    assert_array_equal(np.unique(colours(session)[samples.covered], axis=0), [[0, 0, 65535]])
    count = len(session.sheet(sheet).layers)
    # Once that layer is deleted, a new one is made.
    assert first is not None
    session.edit(RemoveLayer(sheet=sheet, layer=first), "Delete")
    edit(tmp_path / trip.file, (0, 0, 512, 512), (1.0, 0.0, 0.0))
    third, _ = land(session, tmp_path, trip_of(tmp_path, trip.id))
    assert third is not None
    assert len(session.sheet(sheet).layers) == count


def test_one_layer_goes_with_its_alpha_and_its_old_self_is_hidden(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    session.edit(SetLayer(sheet=sheet, layer="l2", values={"strength": 1.0}), "Whole")
    trip = take_out(session, tmp_path, sheet, "base_color", "l2")
    assert cv2.imread(str(tmp_path / trip.file), cv2.IMREAD_UNCHANGED).shape == (512, 512, 4)
    before = colours(session)
    edit(tmp_path / trip.file)
    layer, found = land(session, tmp_path, trip)
    assert found.count > 1000
    samples = session.texels(session.sheet(sheet))
    now = colours(session)
    assert_array_equal(now[found.changed], np.broadcast_to([0, 65535, 0], (found.count, 3)))
    rest = samples.covered & ~found.changed
    assert np.abs(now[rest].astype(int) - before[rest]).max() <= 2
    old = session.sheet(sheet).find("l2")
    assert old is not None
    assert old.channels["base_color"].on is False
    assert layer is not None
    with pytest.raises(InputError, match="lays nothing in Metallic"):
        take_out(session, tmp_path, sheet, "metallic", "l2")
    with pytest.raises(NotFound):
        take_out(session, tmp_path, sheet, "base_color", "gone")


def test_the_wire_and_the_ids_lie_as_the_layout_does(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    trip = take_out(session, tmp_path, sheet, "base_color")
    samples = session.texels(session.sheet(sheet))
    ids = np.asarray(Image.open(tmp_path / f"{trip.id}_islands.png"))
    wire = np.asarray(Image.open(tmp_path / f"{trip.id}_wire.png"))
    assert ids.shape == wire.shape == (512, 512, 4)
    assert_array_equal(samples.from_image(ids)[:, 3] > 0, samples.covered)
    labels = islands(session.model, session.model.uv_layouts[0])[samples.face[samples.covered]]
    seen = samples.from_image(ids)[samples.covered]
    assert len(np.unique(seen, axis=0)) == len(np.unique(labels))
    # Every corner of the layout has a line near it.
    uv = session.model.uv_layouts[0].uvs
    x, y = np.clip(np.rint(uv[:, 0] * 512), 1, 510).astype(int), np.clip(np.rint((1 - uv[:, 1]) * 512), 1, 510).astype(int)
    near = np.max([wire[y + dy, x + dx, 3] for dy in (-1, 0, 1) for dx in (-1, 0, 1)], axis=0)
    assert (near > 60).mean() > 0.98


def test_depth_and_kind_are_told_and_never_guessed(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    trip = take_out(session, tmp_path, sheet, "base_color")
    path = tmp_path / trip.file
    edit(path, bits=8)
    found = difference(session, tmp_path, trip)
    assert any("8 bits" in t for t in found.told)
    samples = session.texels(session.sheet(sheet))
    inside = np.zeros((512, 512), bool)
    inside[SQUARE[1] : SQUARE[3], SQUARE[0] : SQUARE[2]] = True
    # Not one texel more than was painted, though every one lost eight bits.
    assert_array_equal(found.changed, samples.from_image(inside) & samples.covered)
    edit(path, grey=True)
    assert any("grey" in t for t in difference(session, tmp_path, trip).told)
    Image.open(path).convert("P").save(path)
    assert any("palette" in t for t in difference(session, tmp_path, trip).told)
    picture = Image.new("RGB", (512, 512), (10, 200, 30))
    picture.save(path, icc_profile=b"some other profile")
    assert any("colour profile" in t for t in difference(session, tmp_path, trip).told)
    rough = take_out(session, tmp_path, sheet, "roughness")
    picture.save(tmp_path / rough.file)
    assert any("red is read" in t for t in difference(session, tmp_path, rough).told)


def test_what_does_not_fit_is_explained_and_changes_nothing(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    trip = take_out(session, tmp_path, sheet, "base_color", suffix="tiff")
    path, sent = tmp_path / trip.file, (tmp_path / trip.file).read_bytes()
    head = session.store.head

    def refused(words: str) -> None:
        with pytest.raises(InputError, match=words):
            land(session, tmp_path, trip)

    edit(path, side=256)
    refused("256 × 256; it was taken out at 512 × 512")
    found = difference(session, tmp_path, trip, scaled=True)
    assert any("resampled" in t for t in found.told)
    Image.new("RGB", (512, 300)).save(path)
    refused("square")
    Image.new("CMYK", (512, 512)).save(path)
    refused("CMYK")
    Image.fromarray(np.zeros((512, 512), np.float32)).save(path)
    refused("floating-point")
    path.write_bytes(sent[: len(sent) // 2])
    refused("not a whole PNG or TIFF")
    path.write_bytes(b"not a picture")
    refused("not a whole PNG or TIFF")
    path.unlink()
    refused("not in the folder any more")
    path.write_bytes(sent)
    other = studio.session(studio.copy_variant(session.uid, None, "Another"))
    with pytest.raises(InputError, match="taken out of the project Ball"):
        land(other, tmp_path, trip)
    with pytest.raises(NotFound):
        trip_of(tmp_path, "../../etc")
    assert session.store.head == head
    change_resolution(session, sheet, 1024, lambda *_: None)
    refused("was 512 × 512 when this was taken out and is 1024 × 1024 now")
    session.undo()
    unwrap_model(session, lambda *_: None, 512)
    with pytest.raises(InputError, match=r"layout of .* has changed|is gone"):
        land(session, tmp_path, trip)


def test_a_png_that_is_still_being_written_is_refused(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    trip = take_out(session, tmp_path, sheet, "base_color")
    path = tmp_path / trip.file
    edit(path)
    whole, head = path.read_bytes(), session.store.head
    for part in (0.3, 0.7, 0.99):
        path.write_bytes(whole[: int(part * len(whole))])
        with pytest.raises(InputError, match="not a whole PNG or TIFF"):
            land(session, tmp_path, trip)
    # One byte of its pixels is another.
    path.write_bytes(whole[:-200] + bytes([whole[-200] ^ 255]) + whole[-199:])
    with pytest.raises(InputError, match="not a whole PNG or TIFF"):
        land(session, tmp_path, trip)
    with path.open("wb") as file:
        file.truncate(MOST_BYTES + 1)
    with pytest.raises(InputError, match="larger than any map"):
        land(session, tmp_path, trip)
    assert session.store.head == head


@pytest.mark.parametrize("layer", [None, "l2"])
def test_one_material_comes_back_and_then_the_other(studio: Studio, tmp_path: Path, layer: str | None) -> None:
    """Half of the ball is another material; the two halves are brought back from two pictures, one after the other."""
    session, sheet = ready(studio)
    half = (np.arange(session.model.face_count) % 2).astype(np.int32)
    session.model.face_material[:] = half
    object.__setattr__(session.model, "materials", (Material("Even"), Material("Odd")))
    samples = session.texels(session.sheet(sheet))
    before = colours(session)
    trip = take_out(session, tmp_path, sheet, "base_color", layer)
    edit(tmp_path / trip.file, (0, 0, 512, 512), (0.0, 1.0, 0.0))
    odd = (half[np.maximum(samples.face, 0)] == 1) & samples.covered
    even = samples.covered & ~odd
    found = difference(session, tmp_path, trip, material=1)
    assert found.covered == odd.sum()
    assert not found.changed[even].any()
    first, _ = land(session, tmp_path, trip, material=1)
    once = colours(session)
    assert_array_equal(once[odd & found.changed], np.broadcast_to([0, 65535, 0], (found.count, 3)))
    assert np.abs(once[even].astype(int) - before[even]).max() <= 2
    edit(tmp_path / trip.file, (0, 0, 512, 512), (0.0, 0.0, 1.0))
    again, other = land(session, tmp_path, trip, material=0)
    assert again == first
    twice = colours(session)
    assert_array_equal(twice[odd], once[odd])
    assert_array_equal(twice[other.changed], np.broadcast_to([0, 0, 65535], (other.count, 3)))
    with pytest.raises(InputError, match="no such material"):
        difference(session, tmp_path, trip, material=2)


def test_heights_and_data_come_back_to_the_code(studio: Studio, tmp_path: Path) -> None:
    session, sheet = ready(studio)
    for channel in ("roughness", "height"):
        trip = take_out(session, tmp_path, sheet, channel)
        edit(tmp_path / trip.file, colour=(0.25, 0.25, 0.25))
        layer, found = land(session, tmp_path, trip)
        assert layer is not None
        assert_allclose(colours(session, channel)[found.changed], round(0.25 * 65535), atol=1)

"""Exports that are repeated, refused and cut short: what is written again, what stays, and what nothing may touch."""

from __future__ import annotations

import hashlib
import json
import os
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError
from scipy import ndimage

from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.errors import Cancelled, InputError, NotFound, StorageError
from ruvelt.core.output.mapset import Look, write_map_set
from ruvelt.core.output.presets import BUILT_IN, ExportPreset, MapSpec, SheetOverride, file_stem
from ruvelt.core.output.specular import from_specular, to_specular
from ruvelt.core.stack.document import FillLayer
from ruvelt.core.stack.edits import AddLayer, SetLayer
from ruvelt.studio.export_wish import ExportWish, plan_export, remember, the_last
from ruvelt.studio.exports import export_project
from ruvelt.studio.files_before import FilesBefore
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from tests.core.test_picture_formats import exr

PRESETS = {p.id: p for p in BUILT_IN}
SEPARATE = PRESETS["separate-maps"]


def fill(session: Session, sheet: str, layer: str, mask: bool = True, **values: tuple[float, ...]) -> None:
    content = {"id": layer, "name": layer, "channels": {c: {"value": v} for c, v in values.items()}}
    if mask:
        content["mask"] = {"sources": [{"kind": "noise", "id": "m"}]}
    session.edit(AddLayer(sheet=sheet, layer=FillLayer.model_validate(content)), "Add")


@pytest.fixture
def crate(studio: Studio, cube: str) -> Session:
    session = studio.session(cube)
    fill(session, "wood", "a", base_color=(0.8, 0.3, 0.1), roughness=(0.3,), metallic=(0.6,), height=(0.4,))
    return session


def stamps(folder: Path) -> dict[str, int]:
    return {f.name: f.stat().st_mtime_ns for f in folder.iterdir()}


def test_only_what_changed_is_written_again(crate: Session, tmp_path: Path) -> None:
    out = tmp_path / "out"
    first = export_project(crate, SEPARATE, out)
    before = {f.name: (out / f.name).read_bytes() for f in first}
    for file in out.iterdir():
        os.utime(file, (1, 1))
    # Nothing changed: not one file is touched, nor rendered.
    export_project(crate, SEPARATE, out)
    assert set(stamps(out).values()) == {10**9}
    crate.edit(
        SetLayer(
            sheet="wood",
            layer="a",
            values={
                "channels": {
                    "roughness": {"value": (0.9,)},
                    "base_color": {"value": (0.8, 0.3, 0.1)},
                    "metallic": {"value": (0.6,)},
                    "height": {"value": (0.4,)},
                }
            },
        ),
        "Rough",
    )
    seen: list[str] = []
    news = FilesBefore(out)
    files = export_project(crate, SEPARATE, out, progress=lambda done, planned, what: seen.append(what))
    changed = {name for name, at in stamps(out).items() if at != 10**9}
    assert changed == {"Crate_Wood_roughness.png", "listing.json"}
    assert news.changed(files) == ["Crate_Wood_roughness.png"]
    for name in before.keys() - changed:
        assert (out / name).read_bytes() == before[name]
    # The same as an export from nothing.
    export_project(crate, SEPARATE, tmp_path / "fresh")
    for file in out.iterdir():
        assert file.read_bytes() == (tmp_path / "fresh" / file.name).read_bytes()


def test_a_preset_that_says_otherwise_is_written_again(crate: Session, tmp_path: Path) -> None:
    out = tmp_path / "out"
    export_project(crate, SEPARATE, out)
    for changes in ({"padding": 2}, {"normal_y": "down"}, {"bits": 16}, {"size": 512}):
        before = FilesBefore(out)
        files = export_project(crate, SEPARATE.model_copy(update=changes), out)
        assert before.changed(files), changes


def test_files_of_others_are_never_written_over_unasked(crate: Session, tmp_path: Path) -> None:
    out = tmp_path / "out"
    export_project(crate, SEPARATE, out)
    (out / "Crate_Wood_roughness.png").write_bytes(b"changed elsewhere")
    (out / "notes.txt").write_text("mine")
    before = {f.name: f.read_bytes() for f in out.iterdir()}
    with pytest.raises(InputError, match=r"'Crate_Wood_roughness.png' in 'out' was not written by the last export, or was changed since"):
        export_project(crate, SEPARATE, out)
    assert {f.name: f.read_bytes() for f in out.iterdir()} == before
    export_project(crate, SEPARATE, out, over=True)
    assert (out / "Crate_Wood_roughness.png").read_bytes()[:4] == b"\x89PNG"
    assert (out / "notes.txt").read_text() == "mine"
    # A folder with files of the same names and no listing is someone else's.
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "Crate_Wood_base_color.png").write_bytes(b"theirs")
    with pytest.raises(InputError, match="Nothing was written"):
        export_project(crate, SEPARATE, tmp_path / "other")
    assert os.listdir(tmp_path / "other") == ["Crate_Wood_base_color.png"]
    # A listing that is broken tells of nothing.
    (out / "listing.json").write_text("{broken")
    with pytest.raises(InputError, match="Nothing was written"):
        export_project(crate, SEPARATE.model_copy(update={"padding": 3}), out)


def test_a_stop_or_a_full_disk_leaves_old_files_as_they_were(crate: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    out = tmp_path / "out"
    export_project(crate, SEPARATE, out)
    before = {f.name: f.read_bytes() for f in out.iterdir()}
    fill(crate, "wood", "b", base_color=(0.1, 0.1, 0.9), roughness=(0.5,))

    def stop(done: int, planned: int, what: str) -> None:
        if done == 3:
            raise Cancelled

    with pytest.raises(Cancelled):
        export_project(crate, SEPARATE, out, progress=stop)
    real, count = Path.write_bytes, iter(range(100))

    def full(self: Path, data: bytes) -> int:
        if ".part" in str(self.parent) and next(count) == 2:
            raise OSError(28, "No space left on device")
        return real(self, data)

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(StorageError, match="No space left on device"):
        export_project(crate, SEPARATE.model_copy(update={"padding": 1}), out)
    monkeypatch.undo()
    assert {f.name: f.read_bytes() for f in out.iterdir()} == before
    assert [f.name for f in tmp_path.iterdir() if f.name.endswith(".part")] == []


def test_a_kill_while_files_are_put_in_place_is_made_good_by_the_next(crate: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    out = tmp_path / "out"
    export_project(crate, SEPARATE, out)
    real, count = Path.replace, iter(range(100))

    def killed(self: Path, target: Path) -> Path:
        if Path(target).parent == out and next(count) == 3:
            raise KeyboardInterrupt
        return real(self, target)

    monkeypatch.setattr(Path, "replace", killed)
    with pytest.raises(KeyboardInterrupt):
        export_project(crate, SEPARATE.model_copy(update={"padding": 3}), out)
    monkeypatch.undo()
    # Work went on meanwhile: what the killed one wrote is known as ours, and nothing is refused.
    export_project(crate, SEPARATE.model_copy(update={"padding": 5}), out)
    export_project(crate, SEPARATE.model_copy(update={"padding": 5}), tmp_path / "fresh")
    assert {f.name: f.read_bytes() for f in out.iterdir()} == {f.name: f.read_bytes() for f in (tmp_path / "fresh").iterdir()}


def test_a_listing_of_someone_else_is_not_written_over(crate: Session, tmp_path: Path) -> None:
    (tmp_path / "out").mkdir()
    (tmp_path / "out" / "listing.json").write_text('{"songs": []}')
    with pytest.raises(InputError, match="'listing.json' in 'out'"):
        export_project(crate, SEPARATE, tmp_path / "out")
    assert (tmp_path / "out" / "listing.json").read_text() == '{"songs": []}'
    assert len(list((tmp_path / "out").iterdir())) == 1


def test_exports_into_one_folder_wait_for_each_other(crate: Session, tmp_path: Path) -> None:
    """Six at a time, of three presets that write the same names: none finds half of another's files."""
    out = tmp_path / "out"
    wishes = [SEPARATE.model_copy(update={"padding": p}) for p in (1, 2, 3)] * 2
    with ThreadPoolExecutor(6) as pool:
        done = list(pool.map(lambda preset: export_project(crate, preset, out), wishes))
    told = {f["name"]: f["sha256"] for f in json.loads((out / "listing.json").read_bytes())["files"]}
    assert told in [{f.name: f.sha256 for f in files} for files in done]
    for name, sha in told.items():
        assert hashlib.sha256((out / name).read_bytes()).hexdigest() == sha


def test_the_last_export_is_remembered(studio: Studio, crate: Session, tmp_path: Path) -> None:
    folder = studio.exports_of(crate.uid)
    with pytest.raises(NotFound, match="Nothing was exported of this project yet"):
        the_last(folder)
    wish = ExportWish(preset=SEPARATE, sheets=("wood",), variants=(None,), out=str(tmp_path / "out"))
    remember(folder, wish)
    assert the_last(folder) == wish


def test_maps_that_say_nothing_are_told(crate: Session, tmp_path: Path) -> None:
    plan = plan_export(crate, ExportWish(preset=SEPARATE, out=""))
    assert {m for s, m in plan.silent if s == "wood"} == {"emission", "opacity", "occlusion"}
    assert {"height", "normal"} <= {m for s, m in plan.silent if s == "iron"}
    assert plan.quiet == {"emission", "opacity", "occlusion"}
    # Sizes come near what is written, from a few chunks; and nothing is said to be unchanged that is not there.
    files = {f.name: f.bytes for f in export_project(crate, SEPARATE, tmp_path / "out")}
    for one in plan.files:
        assert not one.unchanged
        assert one.bytes == pytest.approx(files[one.name], rel=0.6, abs=3000), one.name
    later = plan_export(crate, ExportWish(preset=SEPARATE, out=str(tmp_path / "out")))
    assert all(one.unchanged for one in later.files)


@pytest.mark.parametrize("preset_id", [p.id for p in BUILT_IN if p.maps and p.id != "baked-maps"])
def test_one_thread_and_two_give_equal_bytes(crate: Session, preset_id: str) -> None:
    displays = crate.displays(["wood", "iron"])
    sets: list[dict[str, bytes]] = [{}, {}]
    for threads, files in zip((1, 2), sets, strict=True):
        write_map_set([Look(displays)], PRESETS[preset_id], "Crate", files.__setitem__, threads=threads)
    assert sets[0] == sets[1]
    assert len(sets[0]) > 1


def pictures(session: Session, preset: ExportPreset, **more: object) -> dict[str, bytes]:
    files: dict[str, bytes] = {}
    write_map_set([Look(session.displays(["wood"]))], preset.model_validate({**preset.model_dump(), **more}), "Crate", files.__setitem__)
    return files


def png(data: bytes) -> np.ndarray:
    return np.asarray(imagecodecs.png_decode(data)).astype(np.int64)


def middle(session: Session) -> tuple[int, int]:
    """A pixel well inside an island."""
    samples = session.texels(session.sheet("wood"))
    covered = np.asarray(samples.to_image(samples.covered))
    y, x = np.unravel_index(np.argmax(ndimage.distance_transform_edt(covered)), covered.shape)
    return int(y), int(x)


def one_map(*components: str, **more: object) -> ExportPreset:
    return ExportPreset(id="t", name="T", maps=(MapSpec(id="m", name="M", components=components, **more),), template="{map}", bits=16)  # type: ignore[arg-type]


def test_components_are_inverted_constant_and_luminance(crate: Session) -> None:
    rough = png(pictures(crate, one_map("roughness"))["m.png"])
    assert_array_equal(png(pictures(crate, one_map("1-roughness"))["m.png"]), 65535 - rough)
    packed = png(pictures(crate, one_map("0.25", "roughness", "1", "1-roughness"))["m.png"])
    assert_array_equal(packed[..., 0], round(0.25 * 65535))
    assert_array_equal(packed[..., 1], rough)
    assert_array_equal(packed[..., 3], 65535 - rough)
    colour = png(pictures(crate, one_map("base_color.r", "base_color.g", "base_color.b"))["m.png"])
    light = DECODE_U16[colour] @ [0.2126, 0.7152, 0.0722]
    found = png(pictures(crate, one_map("base_color.l"))["m.png"])
    assert_allclose(DECODE_U16[found], light, atol=2e-5)


def test_colour_spaces_on_known_patches(crate: Session) -> None:
    """An even 0.5 sRGB is 0.2140 in linear light (IEC 61966-2-1)."""
    fill(crate, "wood", "even", mask=False, base_color=(0.5, 0.5, 0.5))
    colours = ("base_color.r", "base_color.g", "base_color.b")
    assert png(pictures(crate, one_map(*colours))["m.png"])[middle(crate)].tolist() == [32768] * 3
    assert_allclose(png(pictures(crate, one_map(*colours, colour_space="linear"))["m.png"])[middle(crate)] / 65535, 0.21404, atol=2e-5)
    (part,) = exr(pictures(crate, one_map(*colours), format="exr", bits=32)["m.exr"])
    assert_allclose(part["G"], 0.21404, atol=1e-5)
    (part,) = exr(pictures(crate, one_map(*colours, colour_space="srgb"), format="exr", bits=32)["m.exr"])
    assert_allclose(part["G"], 0.5, atol=1e-5)


def test_heights_as_signed_units_with_their_range_told(crate: Session) -> None:
    fill(crate, "wood", "even", mask=False, height=(-0.5,))
    units = crate.document.settings.height_range * crate.model.diagonal
    files = pictures(crate, one_map("height"), format="exr", bits=32, height_units=True)
    (part,) = exr(files["m.exr"])
    # On the covered texels it is the last layer's, added to the one below by the channel's own rule; its range is in the listing.
    (entry,) = json.loads(files["listing.json"])["files"]
    assert_allclose(entry["span"], [-units, units], rtol=1e-4)
    codes = png(pictures(crate, one_map("height"))["m.png"])
    assert_allclose(part["Y"], (codes / 65535 * 2 - 1) * units, atol=2e-5 * units + 1e-7)
    assert part["Y"].min() < -0.4 * units


def test_specular_glossiness_there_and_back() -> None:
    rng = np.random.default_rng(3)
    base, metallic = rng.uniform(0.02, 0.98, (3, 4000)).astype(np.float32), rng.uniform(0, 1, 4000).astype(np.float32)
    metallic[:1000], metallic[1000:2000] = 0, 1
    diffuse, specular = to_specular(base, metallic)
    # Pure cases by hand: a dielectric keeps its colour and reflects 4 %, a metal has no diffuse and reflects its colour.
    assert_allclose(diffuse[:, :1000], base[:, :1000], atol=1e-5)
    assert_allclose(specular[:, :1000], 0.04, atol=1e-6)
    assert_allclose(diffuse[:, 1000:2000], 0, atol=1e-6)
    assert_allclose(specular[:, 1000:2000], base[:, 1000:2000], atol=1e-6)
    again, back = from_specular(diffuse, specular)
    assert_allclose(back[:1000], 0, atol=1e-3)
    assert_allclose(again[:, :1000], base[:, :1000], atol=2e-3)
    bright = base[:, 1000:2000].min(axis=0) > 0.1
    assert_allclose(back[1000:2000][bright], 1, atol=0.02)
    assert_allclose(again[:, 1000:2000][:, bright], base[:, 1000:2000][:, bright], atol=0.02)


def test_specular_glossiness_maps_hold_the_conversion(crate: Session) -> None:
    fill(crate, "wood", "even", mask=False, base_color=(0.8, 0.5, 0.3), metallic=(0.25,), roughness=(0.3,))
    files = pictures(crate, PRESETS["specular-glossiness"], bits=16)
    base = DECODE_U16[png(pictures(crate, one_map("base_color.r", "base_color.g", "base_color.b"))["m.png"])[middle(crate)]]
    # As the extension writes it: c_diff = base (1 − 0.04)(1 − metallic) / (1 − max(F0)), F0 = lerp(0.04, base, metallic).
    specular = 0.04 + (base - 0.04) * 0.25
    diffuse = base * 0.96 * 0.75 / (1 - specular.max())
    assert_allclose(DECODE_U16[png(files["Crate_Wood_diffuse.png"])[middle(crate)][:3]], diffuse, atol=1e-4)
    found = png(files["Crate_Wood_specular.png"])[middle(crate)]
    assert_allclose(DECODE_U16[found[:3]], specular, atol=1e-4)
    rough = png(pictures(crate, one_map("roughness"))["m.png"])[middle(crate)]
    assert found[3] == 65535 - rough


@pytest.mark.parametrize("around", ["pixels", "everything", "none", "clear"])
def test_what_lies_around_islands(crate: Session, around: str) -> None:
    """Against SciPy: padding is the nearest covered texel's value within its reach."""
    fill(crate, "wood", "even", base_color=(0.1, 0.9, 0.4))
    samples = crate.texels(crate.sheet("wood"))
    covered = np.asarray(samples.to_image(samples.covered))
    image = png(pictures(crate, one_map("base_color.r", "base_color.g", "base_color.b"), around=around, padding=6)["m.png"])
    distance, nearest = ndimage.distance_transform_edt(~covered, return_indices=True)
    reach = {"pixels": 6, "everything": 999, "none": 0, "clear": 6}[around]
    near = (distance <= reach - 1) & ~covered
    # Of texels as near as each other either may be taken: the value is one of a covered texel at that distance.
    ys, xs = np.nonzero(near)
    same = (image[ys, xs, :3] == image[nearest[0][ys, xs], nearest[1][ys, xs], :3]).all(axis=1)
    assert same.mean() > 0.9 if len(same) else around == "none"
    if around == "clear":
        assert_array_equal(image[..., 3] == 65535, covered)
    if around == "none":
        assert len(np.unique(image[~covered], axis=0)) == 1


def test_sheets_that_differ_from_the_preset(crate: Session, tmp_path: Path) -> None:
    own = SEPARATE.model_copy(update={"overrides": {"iron": SheetOverride(size=512, format="tiff", bits=16, off=("opacity",))}})
    files = {f.name: f for f in export_project(crate, own, tmp_path / "out")}
    assert files["Crate_Wood_base_color.png"].width == 256
    assert (files["Crate_Iron_base_color.tif"].width, files["Crate_Iron_base_color.tif"].bits) == (512, 16)
    assert "Crate_Wood_opacity.png" in files
    assert not any("Iron_opacity" in n for n in files)


@pytest.mark.parametrize("bundle", ["layers", "parts"])
def test_all_maps_of_a_sheet_in_one_exr(crate: Session, tmp_path: Path, bundle: str) -> None:
    preset = PRESETS["offline-renderer"].model_copy(update={"bundle": bundle})
    files = export_project(crate, preset, tmp_path / "out", sheets=["wood"])
    (one,) = [f for f in files if f.kind == "exr"]
    assert one.maps == tuple(m.id for m in preset.maps)
    found = exr((tmp_path / "out" / one.name).read_bytes())
    assert len(found) == (1 if bundle == "layers" else len(preset.maps))
    assert ("base_color.R" in found[0]) == (bundle == "layers")


def test_what_a_format_cannot_hold_is_said(crate: Session, tmp_path: Path) -> None:
    with pytest.raises(InputError, match="JPEG has no alpha, which Base colour and opacity needs"):
        export_project(crate, PRESETS["packed-orm"].model_copy(update={"format": "jpeg"}), tmp_path / "out")
    assert not (tmp_path / "out").exists()
    with pytest.raises(InputError, match="Nothing here writes 'bmp'"):
        export_project(crate, SEPARATE.model_copy(update={"format": "bmp"}), tmp_path / "out")
    with pytest.raises(InputError, match="asks for 'wetness'"):
        export_project(crate, one_map("wetness"), tmp_path / "out")
    with pytest.raises(InputError, match="Nothing here writes the asset 'abc'"):
        export_project(crate, SEPARATE.model_copy(update={"assets": ("abc",)}), tmp_path / "out")
    with pytest.raises(ValidationError):
        one_map("roughness; rm")


@pytest.mark.parametrize(("name", "stem"), [("CON", "CON_map"), ("nul.x", "nul_map.x"), ("COM1", "COM1_map"), ("console", "console"), ("..", None)])
def test_names_that_some_systems_keep_are_changed(name: str, stem: str | None) -> None:
    preset = one_map("roughness").model_copy(update={"template": "{map}"})
    if stem is None:
        with pytest.raises(InputError, match="empty file name"):
            file_stem(preset, "P", "S", 1001, name)
    else:
        assert file_stem(preset, "P", "S", 1001, name) == stem


def test_older_presets_are_still_read() -> None:
    old = SEPARATE.model_dump(mode="json", exclude={"around", "assets"}) | {"fill": True, "glb": True, "id": "mine"}
    found = ExportPreset.model_validate(old)
    assert (found.around, found.assets) == ("everything", ("glb",))


def test_mobile_maps_have_half_the_size_and_their_formats(crate: Session, tmp_path: Path) -> None:
    preset = PRESETS["mobile"].model_copy(update={"size": 256})
    files = {f.map: f for f in export_project(crate, preset, tmp_path / "out", sheets=["wood"])}
    assert {m: f.kind for m, f in files.items()} == {"base_color": "webp", "orm": "jpeg", "normal": "webp", "emission": "jpeg"}
    assert cv2.imread(str(tmp_path / "out" / files["orm"].name)).shape == (256, 256, 3)

"""Normals, display textures, patches, pictures, map sets."""

from __future__ import annotations

import contextlib
import hashlib
import io
import json

import cv2
import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from PIL import Image
from pydantic import ValidationError

from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint
from ruvelt.core.errors import Cancelled, InputError, NotFound
from ruvelt.core.output.display import LiveDisplay
from ruvelt.core.output.images import check_picture, decode_image, encode_png, resize
from ruvelt.core.output.mapset import Look, write_map_set
from ruvelt.core.output.presets import BUILT_IN, ExportPreset, MapSpec, file_stem
from ruvelt.core.output.render import render_map
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import Settings
from ruvelt.core.stack.plane_ids import normal_map_plane_id, plane_id
from tests.core.scene import Scene, fill_layer, paint_layer, target, whole
from tests.meshes import globe, split_square, square

PRESETS = {p.id: p for p in BUILT_IN}


def height_scene(model: object, height: object, side: int = 256, share: float = 0.05) -> Scene:
    """A sheet whose height (−1 … 1) is a function of the surface position."""
    scene = Scene(model, (paint_layer(),), side=side, settings=Settings(height_range=share))  # type: ignore[arg-type]
    h = height(scene.samples.positions.astype(float))  # type: ignore[operator]
    values_u16 = np.zeros((2, scene.samples.slot_count), np.uint16)
    values_u16[0] = (32768 + np.rint(np.clip(h, -1, 1) * 32767)).astype(np.uint16)
    values_u16[1] = 65535
    scene.put_plane(plane_id("s", "p", "height"), values_u16)
    return scene


def normals(scene: Scene) -> np.ndarray:
    """(side, side, 3) tangent-space normals."""
    parts = np.concatenate([scene.display.normals(c) for c in range(scene.samples.chunk_count)], axis=1)
    return np.asarray(scene.samples.to_image(np.ascontiguousarray(parts.T))) / 32767.5 - 1


@pytest.mark.parametrize(("gx", "gy"), [(0.3, 0.0), (0.0, 0.3), (-0.2, 0.25)])
@pytest.mark.parametrize("side", [256, 512])
def test_a_ramp_has_the_normal_of_its_slope(gx: float, gy: float, side: int) -> None:
    """Height in object units: the slope is the same at every resolution and the normal is (−dh/dx, −dh/dy, 1)."""
    model = square(2.0)
    units = 0.05 * model.diagonal
    scene = height_scene(model, lambda p: (gx * p[:, 0] + gy * p[:, 1]) * 0.1 / units, side)
    wanted = np.array([-gx * 0.1, -gy * 0.1, 1.0])
    wanted /= np.linalg.norm(wanted)
    assert_allclose(normals(scene)[8:-8, 8:-8].reshape(-1, 3), np.tile(wanted, ((side - 16) ** 2, 1)), atol=3e-3)


def test_flat_is_flat_everywhere() -> None:
    scene = height_scene(globe(24, 12), lambda p: np.zeros(len(p)))
    assert_allclose(normals(scene), np.broadcast_to([0, 0, 1], (256, 256, 3)), atol=3e-5)


def test_slopes_stay_inside_their_island() -> None:
    """Two islands at different heights: no wall between them on the sheet."""
    face = Scene(split_square(), ()).samples.face
    scene = height_scene(split_square(), lambda p: np.where(face == 0, 0.9, -0.9))
    n = normals(scene)[scene.samples.to_image(scene.samples.covered)]
    assert n[:, 2].min() > 0.9999


def test_relief_on_a_turned_island_points_the_same_way_in_space() -> None:
    """A ramp along X over both halves of the cut square, one of them turned on the sheet: the object-space normal is one."""
    model = split_square()
    units = 0.05 * model.diagonal
    scene = height_scene(model, lambda p: 0.05 * p[:, 0] / units, side=512)
    samples = scene.samples
    flat = np.concatenate([scene.display.normals(c) for c in range(samples.chunk_count)], axis=1).T / 32767.5 - 1
    on = np.flatnonzero(samples.covered & (np.abs(np.abs(samples.positions[:, 0]) - 0.5) < 0.3) & (np.abs(samples.positions[:, 1]) < 0.7))
    tangent = samples.triangle_tangents[samples.owner[on], 0]
    bitangent = tangent[:, 3:] * np.cross([0.0, 0.0, 1.0], tangent[:, :3])
    world = flat[on, :1] * tangent[:, :3] + flat[on, 1:2] * bitangent + flat[on, 2:] * [0, 0, 1]
    wanted = np.array([-0.05, 0, 1]) / np.hypot(0.05, 1)
    assert_allclose(np.median(world[samples.positions[on, 0] < 0], axis=0), wanted, atol=3e-3)
    assert_allclose(np.median(world[samples.positions[on, 0] > 0], axis=0), wanted, atol=3e-3)


def test_a_supplied_normal_map_shows_and_carries_the_relief() -> None:
    scene = height_scene(square(2.0), lambda p: np.zeros(len(p)))
    leaning = np.array([0.3, -0.2, 0.0])
    leaning[2] = np.sqrt(1 - leaning @ leaning)
    values_u16 = np.empty((4, CHUNK), np.uint16)
    values_u16[:3] = np.rint((leaning[:, None] * 0.5 + 0.5) * 65535)
    values_u16[3] = 65535
    scene.put_plane(normal_map_plane_id("s"), values_u16)
    assert_allclose(normals(scene)[50, 50], leaning, atol=1e-4)
    bumpy = height_scene(square(2.0), lambda p: 0.2 * p[:, 0])
    bumpy.put_plane(normal_map_plane_id("s"), values_u16)
    bump = normals(height_scene(square(2.0), lambda p: 0.2 * p[:, 0]))[50, 50]
    # Reoriented normal mapping: the rotation that takes +Z to the map's normal, applied to the relief's normal.
    axis = np.cross([0, 0, 1], leaning)
    sin, cos = np.linalg.norm(axis), leaning[2]
    axis /= sin
    turned = bump * cos + np.cross(axis, bump) * sin + axis * (axis @ bump) * (1 - cos)
    assert_allclose(normals(bumpy)[50, 50], turned, atol=1e-3)


def test_textures_hold_what_gltf_expects() -> None:
    values = {"base_color": (1.0, 0.5, 0.0), "roughness": (0.25,), "metallic": (0.75,), "occlusion": (0.5,), "opacity": (0.2,), "height": (0.0,)}
    scene = Scene(square(), (fill_layer("f", values),))
    tile = scene.display.tile
    assert tile("colour", 0)[700].tolist() == [255, 128, 0, 51]
    assert tile("data", 0)[700].tolist() == [128, 64, 191, 128]
    assert tile("normal", 0)[700].tolist() == [128, 128, 255, 255]
    assert tile("channel:roughness", 0)[700].tolist() == [64, 64, 64, 255]
    with pytest.raises(NotFound):
        tile("channel:nothing", 0)


def test_the_gutter_repeats_the_islands_edge() -> None:
    scene = Scene(split_square(), (paint_layer(), fill_layer("g", {"base_color": (0.0, 0.0, 0.0)})))
    live = scene.live(target("base_color"), Paint(values={"base_color": (1.0, 1.0, 1.0)}))
    live.flood(None, 1.0, scene.faces)
    scene.keep(live)
    image = scene.samples.to_image(scene.display.tile("colour", 0))[..., 0]
    from scipy.ndimage import distance_transform_edt

    distance = distance_transform_edt(~scene.samples.to_image(scene.samples.covered))
    assert (image[distance <= 7] == 255).all()
    assert (image[distance > 12] == 0).all()


@pytest.mark.parametrize(("padding", "fill"), [(16, False), (40, False), (0, True)])
def test_padding_repeats_exactly_the_nearest_texel(padding: int, fill: bool) -> None:
    """Random texels around a globe's islands, against SciPy's exact distances: none blank within reach, none further than the nearest."""
    from scipy.ndimage import distance_transform_edt

    model = split_square()
    scene = Scene(model, (paint_layer(),), side=512)
    random = np.random.default_rng(1).integers(0, 65536, (4, scene.samples.slot_count), np.uint16)
    random[3] = 65535
    scene.put_plane("s/p/base_color", random)
    preset = PRESETS["flat-colour"].model_copy(update={"padding": padding, "around": "everything" if fill else "pixels"})
    image = render_map(scene.display, preset.maps[0], preset)
    covered = np.asarray(scene.samples.to_image(scene.samples.covered))
    own = np.asarray(scene.samples.to_image(np.ascontiguousarray(random[:3].T)))
    distance = distance_transform_edt(~covered)
    reached = ~covered & ((distance <= padding) | fill)
    for y, x in np.argwhere(reached)[::97]:
        # All texels at the least distance: a tie may go either way.
        reach = int(np.ceil(distance[y, x]))
        part = np.s_[max(y - reach, 0) : min(y + reach + 1, 512), max(x - reach, 0) : min(x + reach + 1, 512)]
        v, u = np.mgrid[part]
        nearest = covered[part] & (np.abs((v - y) ** 2 + (u - x) ** 2 - distance[y, x] ** 2) < 0.5)
        assert (own[part][nearest] == image[y, x]).all(axis=1).any()
    blank = (image == 32768).all(axis=2)
    assert not blank[reached].any()
    if not fill:
        assert blank[distance > padding + 1].all()


@pytest.mark.parametrize("channels", [("base_color",), ("height", "roughness"), ("emission", "opacity")])
def test_patches_bring_the_textures_to_where_storing_leads(channels: tuple[str, ...]) -> None:
    """A client that pastes every patch holds the same pixels as one that loads the textures after the stroke."""
    scene = Scene(globe(24, 12), (paint_layer(), fill_layer("g", {"base_color": (0.2, 0.3, 0.4)})), side=512)
    names = ("colour", "data", "normal", "emission")
    client = {t: np.concatenate([scene.display.tile(t, c) for c in range(4)]) for t in names}
    client = {t: np.array(scene.samples.to_image(v)) for t, v in client.items()}
    paint = Paint(values={"base_color": (1.0, 0.2, 0.1), "height": (0.8,), "roughness": (0.9,), "emission": (0.0, 1.0, 0.0), "opacity": (0.3,)})
    live = scene.live(target(*channels), paint)
    follow = LiveDisplay(scene.display, live, names)
    path = SurfacePath(Brush(size=0.2, size_unit="object"), scene.samples)
    touched = 0
    for angle in np.linspace(0, 2.5, 7):
        for patch in follow.update(live.dabs(path.extend([Point((float(np.sin(angle)), 0.1, float(np.cos(angle))))]))):
            h, w = patch.pixels.shape[:2]
            client[patch.texture][patch.y : patch.y + h, patch.x : patch.x + w] = patch.pixels
            touched += h * w
    assert 0 < touched < 20 * 512 * 512
    scene.keep(live)
    for t in names:
        stored = scene.samples.to_image(np.concatenate([scene.display.tile(t, c) for c in range(4)]))
        assert_array_equal(client[t], stored, err_msg=t)


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("components", [1, 3, 4])
def test_png_turns_back_in_another_library(bits: int, components: int) -> None:
    values_u16 = np.random.default_rng(1).integers(0, 65536, (32, 48, components), np.uint16)
    if components == 1:
        values_u16 = values_u16[..., 0]
    data = encode_png(values_u16, bits)
    assert data == encode_png(values_u16, bits)
    picture = Image.open(io.BytesIO(data))
    assert picture.size == (48, 32)
    if bits == 8 or components == 1:
        wanted = values_u16 if bits == 16 else np.rint(values_u16 / 257).astype(np.uint8)
        assert_array_equal(np.asarray(picture), wanted)
    back = decode_image(data, "x.png")
    expected = values_u16 if bits == 16 else np.rint(values_u16 / 257).astype(np.uint16) * 257
    assert_array_equal(back[..., : max(components, 1)] if components > 1 else back[..., 0], expected)


def test_resizing_colour_keeps_light() -> None:
    """A checker of black and white is half the light, not half the code."""
    checker = np.zeros((64, 64, 3), np.uint16)
    checker[::2, ::2] = checker[1::2, 1::2] = 65535
    assert resize(checker, 32, True)[10, 10, 0] / 65535 == pytest.approx(0.7354, abs=2e-3)
    assert resize(checker, 32, False)[10, 10, 0] / 65535 == pytest.approx(0.5, abs=2e-3)
    assert_array_equal(resize(checker, 64, True), checker)


@pytest.mark.parametrize("data", [b"", b"not a picture", b"\x89PNG\r\n\x1a\n" + b"\0" * 40])
def test_pictures_that_are_none(data: bytes) -> None:
    with pytest.raises(InputError, match="is not a PNG"):
        decode_image(data, "a.png")


def test_pictures_of_absurd_size_are_refused_by_their_header() -> None:
    good = bytearray(encode_png(np.zeros((4, 4), np.uint16), 8))
    good[16:24] = (100_000).to_bytes(4, "big") * 2
    import zlib

    good[29:33] = zlib.crc32(bytes(good[12:29])).to_bytes(4, "big")
    with pytest.raises(InputError, match="at most 8192|100000 × 100000"):
        decode_image(bytes(good), "huge.png")


def export(scene: Scene, preset: ExportPreset, **more: object) -> dict[str, bytes]:
    files: dict[str, bytes] = {}
    write_map_set([Look([scene.display])], preset, "Storm lantern", files.__setitem__, **more)  # type: ignore[arg-type]
    return files


def painted_scene() -> Scene:
    scene = Scene(split_square(), (paint_layer(), fill_layer("g", {"base_color": (0.1, 0.4, 0.4), "roughness": (0.3,), "metallic": (1.0,)})))
    live = scene.live(target("base_color", "height"), Paint(values={"base_color": (0.9, 0.5, 0.1), "height": (0.6,)}))
    live.dabs(whole(SurfacePath(Brush(size=0.3, size_unit="object"), scene.samples), [Point((-0.4, 0, 0)), Point((0.4, 0, 0))]))
    scene.keep(live)
    return scene


def test_separate_maps_hold_the_composites() -> None:
    scene = painted_scene()
    files = export(scene, PRESETS["separate-maps"])
    assert sorted(files) == sorted(
        [f"Storm_lantern_Test_{m}.png" for m in ("base_color", "roughness", "metallic", "height", "normal", "emission", "opacity", "occlusion")]
        + ["listing.json"]
    )
    covered = scene.samples.to_image(scene.samples.covered)
    colour = np.asarray(Image.open(io.BytesIO(files["Storm_lantern_Test_base_color.png"])))
    wanted = (scene.image("base_color").astype(int) * 255 + 32767) // 65535
    assert_array_equal(colour[covered], wanted[covered])
    height = cv2.imdecode(np.frombuffer(files["Storm_lantern_Test_height.png"], np.uint8), cv2.IMREAD_UNCHANGED)
    assert height.dtype == np.uint16
    assert_array_equal(height[covered], scene.image("height")[..., 0][covered])


def test_packed_maps_and_the_direction_of_y() -> None:
    scene = painted_scene()
    up = export(scene, PRESETS["packed-orm"])
    orm = np.asarray(Image.open(io.BytesIO(up["Storm_lantern_Test_orm.png"])))
    covered = scene.samples.to_image(scene.samples.covered)
    assert set(map(tuple, orm[covered])) == {(255, 76, 255)}
    down = export(scene, PRESETS["packed-orm"].model_copy(update={"normal_y": "down"}))
    a, b = (np.asarray(Image.open(io.BytesIO(f["Storm_lantern_Test_normal.png"]))).astype(int) for f in (up, down))
    assert (a[covered] != b[covered]).any()
    assert np.abs(a[covered][:, 1] + b[covered][:, 1] - 255).max() <= 1
    assert_array_equal(a[covered][:, [0, 2]], b[covered][:, [0, 2]])


def test_the_same_inputs_give_the_same_bytes_and_an_honest_listing() -> None:
    one, two = export(painted_scene(), PRESETS["separate-maps"]), export(painted_scene(), PRESETS["separate-maps"])
    assert one == two
    listing = json.loads(one["listing.json"])
    assert listing["project"] == "Storm lantern"
    for entry in listing["files"]:
        data = one[entry["name"]]
        assert entry["bytes"] == len(data)
        assert entry["sha256"] == hashlib.sha256(data).hexdigest()
        assert entry["colour_space"] == ("srgb" if entry["map"] in ("base_color", "emission") else "data")
        assert (entry["width"], entry["height"]) == Image.open(io.BytesIO(data)).size


@pytest.mark.parametrize(("size", "padding"), [(0, 0), (0, 12), (512, 12), (256, 4)])
def test_padding_counts_written_pixels(size: int, padding: int) -> None:
    scene = Scene(split_square(), (paint_layer(),), side=512)
    live = scene.live(target("base_color"), Paint(values={"base_color": (1.0, 1.0, 1.0)}))
    live.flood(None, 1.0, scene.faces)
    scene.keep(live)
    preset = PRESETS["flat-colour"].model_copy(update={"size": size, "padding": padding})
    image = render_map(scene.display, preset.maps[0], preset)
    from scipy.ndimage import distance_transform_edt

    covered = cv2.resize(scene.samples.to_image(scene.samples.covered).astype(np.uint8), image.shape[:2], interpolation=cv2.INTER_AREA) > 0
    distance = distance_transform_edt(~covered)
    assert image[(distance > 0) & (distance <= padding - 2)].min(initial=65535) > 60000
    assert_allclose(image[distance > padding + 3], 32768, atol=2)


def test_only_some_maps_own_channels_and_cancel() -> None:
    scene = painted_scene()
    wet = Channel(id="wetness", name="Wetness", kind="data", start=(0.25,))
    scene.document = scene.document.model_copy(update={"channels": (*scene.document.channels, wet)})
    files = export(scene, PRESETS["separate-maps"], only=["wetness", "roughness"])
    assert sorted(files) == ["Storm_lantern_Test_roughness.png", "Storm_lantern_Test_wetness.png", "listing.json"]
    assert np.asarray(Image.open(io.BytesIO(files["Storm_lantern_Test_wetness.png"])))[3, 3] == 64
    # A built-in id with its maps changed writes what it was sent with.
    changed = PRESETS["separate-maps"].model_copy(update={"maps": (MapSpec(id="mine", name="Mine", components=("0", "roughness", "wetness")),)})
    files = export(scene, changed)
    assert sorted(files) == ["Storm_lantern_Test_mine.png", "listing.json"]
    assert np.asarray(Image.open(io.BytesIO(files["Storm_lantern_Test_mine.png"])))[3, 3, [0, 2]].tolist() == [0, 64]
    with pytest.raises(InputError, match="choose at least one map"):
        export(scene, PRESETS["flat-colour"], only=["roughness"])

    def stop(done: int, planned: int, what: str) -> None:
        if done == 1:
            raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        export(scene, PRESETS["separate-maps"], progress=stop)


def test_names_are_safe_and_unique() -> None:
    preset = PRESETS["flat-colour"]
    assert file_stem(preset, "../../etc", "a/b\\c", 1001, "x") == "etc_a_b_c_x"
    assert file_stem(preset.model_copy(update={"template": "{tile}.{map}"}), "p", "s", 1012, "x") == "1012.x"
    assert file_stem(preset.model_copy(update={"template": ".{map}..{tile}."}), "p", "s", 1012, "x") == "x.1012"
    with pytest.raises(InputError, match="empty file name"):
        file_stem(preset.model_copy(update={"template": "{project}"}), "///", "", 0, "")
    scene = painted_scene()
    with pytest.raises(InputError, match="Two maps would be called"):
        write_map_set([Look([scene.display, scene.display])], preset, "P", lambda name, data: None)


@pytest.mark.parametrize(
    "bad",
    [
        {"template": "{project}"},
        {"template": "{map}_{time}"},
        {"template": "{map"},
        {"padding": 9999},
        {"bits": 12},
        {"size": 333},
        {"maps": ()},
        {"id": "../x"},
    ],
)
def test_presets_refuse_nonsense(bad: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        ExportPreset.model_validate({**PRESETS["flat-colour"].model_dump(), "id": "own", **bad})


@pytest.mark.parametrize("components", [("roughness", "metallic"), ("base_color.q",), ("a/b",), ("1", "2", "3")])
def test_maps_refuse_nonsense(components: tuple[str, ...]) -> None:
    with pytest.raises(ValidationError):
        MapSpec(id="m", name="M", components=components)


def test_a_preset_for_a_channel_that_is_missing() -> None:
    preset = PRESETS["flat-colour"].model_copy(update={"maps": (MapSpec(id="w", name="W", components=("wetness",)),)})
    with pytest.raises(InputError, match="asks for 'wetness'"):
        export(painted_scene(), preset)


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "WEBP"])
def test_mutated_pictures_are_read_or_refused_in_words(kind: str) -> None:
    random = np.random.default_rng(5)
    out = io.BytesIO()
    Image.fromarray(random.integers(0, 256, (40, 40, 3), np.uint8)).save(out, kind)
    whole = out.getvalue()
    assert check_picture(whole) == (40, 40)
    for _ in range(400):
        broken = bytearray(whole)
        for at in random.integers(0, min(len(broken), 400), random.integers(1, 6)):
            broken[at] = random.integers(0, 256)
        for read in (check_picture, lambda data: decode_image(data, "odd", upright=False)):
            with contextlib.suppress(InputError):
                read(bytes(broken))

"""Fill contents and adjustment layers against closed forms."""

from __future__ import annotations

import colorsys

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core.brush.target import Paint
from ruvelt.core.errors import InputError
from ruvelt.core.stack.document import AdjustLayer, ChannelUse, FillLayer, GroupLayer, Image, Settings
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.plane_ids import plane_id
from tests.core.scene import Scene, fill_layer, paint_layer, target
from tests.meshes import globe, split_square, square


def content_layer(channel: str, content: dict[str, object], **more: object) -> FillLayer:
    use = ChannelUse.model_validate({"content": content})
    return FillLayer(id="f", name="f", channels={channel: use}, **more)  # type: ignore[arg-type]


def adjust(what: dict[str, object], *channels: str, **more: object) -> AdjustLayer:
    uses = {c: ChannelUse() for c in channels or ("base_color",)}
    return AdjustLayer.model_validate({"id": "a", "name": "a", "adjust": what, "channels": uses, **more})


def test_a_pattern_runs_through_its_ramp() -> None:
    ramp = [{"at": 0.0, "value": [0.2]}, {"at": 0.5, "value": [0.2]}, {"at": 1.0, "value": [0.8]}]
    weave = {"form": "stripes", "size": 0.25, "along": [1, 0, 0], "share": 0.5, "softness": 0.0}
    scene = Scene(square(), (content_layer("roughness", {"kind": "pattern", "pattern": weave, "ramp": ramp}),))
    repeat = 0.25 * scene.model.diagonal
    for share, expected in ((0.5, 0.8), (0.02, 0.2), (0.3, 0.8), (0.2, 0.2)):
        x = (share + (-1 if share > 0.25 else 0)) * repeat
        assert_allclose(scene.value("roughness", x, 0.1, 0)[0] / 65535, expected, atol=1e-4)


def test_two_values_are_mixed_by_noise_and_height_keeps_its_sign() -> None:
    noise = {"size": 0.1, "contrast": 0.8}
    scene = Scene(globe(), (content_layer("height", {"kind": "blend", "first": [-0.5], "second": [0.5], "noise": noise}),))
    values_u16 = np.concatenate([scene.evaluator.composite("height", c)[0] for c in range(scene.samples.chunk_count)])[scene.samples.covered]
    assert values_u16.min() == 32768 - round(0.5 * 32767)
    assert values_u16.max() == 32768 + round(0.5 * 32767)


def test_a_picture_fills_colours_as_they_are_and_data_with_its_lightness() -> None:
    image = np.full((4, 4, 4), 65535, np.uint16)
    image[..., :3] = [10000, 20000, 30000]
    image[..., 3] = 32768
    picture = {"kind": "image", "image": "pic", "projection": {"mode": "uv", "size": 1}}
    for channel, expected in (("base_color", [10000, 20000, 30000]), ("roughness", [0.2126 * 10000 + 0.7152 * 20000 + 0.0722 * 30000])):
        scene = Scene(square(), (content_layer(channel, picture), fill_layer("u", {"base_color": (0, 0, 0), "roughness": (0.0,)})))
        known = scene.document.model_copy(update={"images": (Image(key="pic", name="Pic", width=4, height=4),)})
        sheet = known.sheets[0]
        evaluator = SheetEvaluator(known, sheet, scene.samples, scene.faces, scene.lookup, scene.cache, images=lambda key: image)
        slot = scene.at(0, 0, 0)
        assert_allclose(evaluator.composite(channel, slot >> 16)[:, slot & 65535], np.array(expected) * 32768 / 65535, atol=1.5)
        # Without the picture there is nothing to lay.
        assert_array_equal(scene.value(channel, 0, 0, 0), np.zeros(len(expected)))


@pytest.mark.parametrize("space", ["srgb", "linear"])
def test_levels_change_encoded_values_in_either_space(space: str) -> None:
    colour = (0.3, 0.5, 0.9)
    levels = adjust({"kind": "levels", "in_low": 0.2, "in_high": 0.8, "gamma": 2.0, "out_low": 0.1})
    scene = Scene(square(), (levels, fill_layer("u", {"base_color": colour})), settings=Settings(blend_space=space))  # type: ignore[arg-type]
    expected = 0.1 + 0.9 * np.clip((np.array(colour) - 0.2) / 0.6, 0, 1) ** 0.5
    assert_allclose(scene.value("base_color", 0, 0, 0) / 65535, expected, atol=1e-4)


@pytest.mark.parametrize("colour", [(0.8, 0.3, 0.1), (0.1, 0.7, 0.4), (0.2, 0.2, 0.9), (0.5, 0.5, 0.5), (0.9, 0.1, 0.6)])
@pytest.mark.parametrize(("hue", "saturation", "value"), [(40, 0, 0), (-170, 0.5, 0), (180, -0.4, 0.3), (0, 0, -0.5)])
def test_hue_saturation_and_value_are_those_of_the_hexcone(colour: tuple[float, float, float], hue: float, saturation: float, value: float) -> None:
    scene = Scene(square(), (adjust({"kind": "hsv", "hue": hue, "saturation": saturation, "value": value}), fill_layer("u", {"base_color": colour})))
    h, s, v = colorsys.rgb_to_hsv(*colour)
    s = min(s * (1 + saturation), 1)
    v = v + (1 - v) * value if value > 0 else v * (1 + value)
    assert_allclose(scene.value("base_color", 0, 0, 0) / 65535, colorsys.hsv_to_rgb((h + hue / 360) % 1, s, v), atol=2e-4)


def test_more_saturation_leaves_what_is_nearly_grey_nearly_grey() -> None:
    """(128, 128, 129) became (90, 90, 129) at +0.3."""
    scene = Scene(square(), (adjust({"kind": "hsv", "saturation": 0.3}), fill_layer("u", {"base_color": (128 / 255, 128 / 255, 129 / 255)})))
    assert_allclose(scene.value("base_color", 0, 0, 0) / 257, [127.7, 127.7, 129], atol=0.02)


def test_an_adjustment_keeps_to_its_mask_strength_and_channels() -> None:
    ramp = {"sources": [{"kind": "gradient", "id": "m", "start": (-1, 0, 0), "end": (1, 0, 0)}]}
    black = adjust({"kind": "levels", "out_high": 0.0}, "roughness", mask=ramp, strength=0.5)
    scene = Scene(square(), (black, fill_layer("u", {"roughness": (0.8,), "metallic": (0.8,)})))
    for x in (-0.5, 0.0, 0.9):
        assert_allclose(scene.value("roughness", x, 0, 0)[0] / 65535, 0.8 * (1 - 0.5 * (x + 1) / 2), atol=5e-3)
    assert_allclose(scene.value("metallic", 0, 0, 0)[0] / 65535, 0.8, atol=1e-4)


def test_an_adjustment_in_a_group_changes_only_what_the_group_holds() -> None:
    half = paint_layer()
    group = GroupLayer(id="g", name="g", layers=(adjust({"kind": "levels", "out_low": 1.0}, "roughness"), half))
    scene = Scene(square(), (group, fill_layer("u", {"roughness": (0.2,)})))
    paint = np.zeros((2, scene.samples.slot_count), np.uint16)
    paint[1] = np.where(scene.samples.positions[:, 0] > 0, 32768, 0)
    scene.put_plane(plane_id("s", "p", "roughness"), paint)
    assert_allclose(scene.value("roughness", -0.5, 0, 0)[0] / 65535, 0.2, atol=1e-4)
    assert_allclose(scene.value("roughness", 0.5, 0, 0)[0] / 65535, 0.2 + 0.8 * 32768 / 65535, atol=1e-4)


def test_a_blur_softens_what_lies_beneath_across_the_seam_and_leaves_what_lies_above() -> None:
    ramp = {"sources": [{"kind": "gradient", "id": "m", "start": (0, -0.001, 0), "end": (0, 0.001, 0)}]}
    above = fill_layer("top", {"metallic": (1.0,)})
    blur = adjust({"kind": "blur", "radius": 0.05}, "roughness", "metallic")
    scene = Scene(split_square(), (above, blur, fill_layer("w", {"roughness": (1.0,)}, mask=ramp), fill_layer("u", {"roughness": (0.0,)})), 512)
    sigma = 0.05 * scene.model.diagonal
    for x in (-0.3, 0.3):
        values = [scene.value("roughness", x, y * sigma, 0)[0] / 65535 for y in (-3, -1, 0, 1, 3)]
        assert_allclose(values, [0.0013, 0.1587, 0.5, 0.8413, 0.9987], atol=0.04)
    assert scene.value("metallic", 0, 0, 0)[0] == 65535


def test_a_stroke_under_a_blur_is_not_kept_as_it_was_shown() -> None:
    scene = Scene(square(), (adjust({"kind": "blur", "radius": 0.02}), paint_layer()))
    assert not scene.live(target("base_color"), Paint(values={"base_color": (1, 0, 0)})).local
    plain = Scene(square(), (paint_layer(),))
    assert plain.live(target("base_color"), Paint(values={"base_color": (1, 0, 0)})).local


def test_an_adjustment_layer_takes_no_paint() -> None:
    scene = Scene(square(), (adjust({"kind": "hsv"}), paint_layer()))
    with pytest.raises(InputError, match="an adjustment layer"):
        scene.live(target("base_color", layer="a"), Paint(values={"base_color": (1, 0, 0)}))


@pytest.mark.parametrize(
    "what", [{"kind": "levels", "in_low": 0.9, "in_high": 0.1}, {"kind": "hsv", "hue": 999}, {"kind": "blur", "radius": -1}, {"kind": "sharpen"}]
)
def test_bad_adjustments_are_refused(what: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        adjust(what)

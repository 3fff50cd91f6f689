"""Blend modes against the W3C formulas, written again here in plain Python from the specification."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvelt.core.errors import InputError
from ruvelt.core.stack.blend import checked_mode, mode_for, modes
from ruvelt.core.stack.channels import STANDARD_CHANNELS
from ruvelt.core.stack.document import ChannelUse, GroupLayer
from tests.core.scene import Scene, fill_layer
from tests.meshes import square

RGB = tuple[float, float, float]
CHANNEL = {c.id: c for c in STANDARD_CHANNELS}


def hard_light(b: float, s: float) -> float:
    return b * 2 * s if s <= 0.5 else b + (2 * s - 1) - b * (2 * s - 1)


def soft_light(b: float, s: float) -> float:
    if s <= 0.5:
        return b - (1 - 2 * s) * b * (1 - b)
    d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else b**0.5
    return b + (2 * s - 1) * (d - b)


def dodge(b: float, s: float) -> float:
    if b == 0:
        return 0.0
    return 1.0 if s == 1 else min(1.0, b / (1 - s))


def burn(b: float, s: float) -> float:
    if b == 1:
        return 1.0
    return 0.0 if s == 0 else 1 - min(1.0, (1 - b) / s)


SEPARABLE = {
    "normal": lambda b, s: s,
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": lambda b, s: hard_light(s, b),
    "soft-light": soft_light,
    "hard-light": hard_light,
    "darken": min,
    "lighten": max,
    "color-dodge": dodge,
    "color-burn": burn,
    "add": lambda b, s: min(1.0, b + s),
    "subtract": lambda b, s: max(0.0, b - s),
    "difference": lambda b, s: abs(b - s),
}


def lum(c: RGB) -> float:
    return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]


def clip_color(c: RGB) -> RGB:
    l, n, x = lum(c), min(c), max(c)
    if n < 0:
        c = tuple(l + (v - l) * l / (l - n) for v in c)  # type: ignore[assignment]
    if x > 1:
        c = tuple(l + (v - l) * (1 - l) / (x - l) for v in c)  # type: ignore[assignment]
    return c


def set_lum(c: RGB, l: float) -> RGB:
    d = l - lum(c)
    return clip_color((c[0] + d, c[1] + d, c[2] + d))


def sat(c: RGB) -> float:
    return max(c) - min(c)


def set_sat(c: RGB, s: float) -> RGB:
    order = sorted(range(3), key=lambda i: c[i])
    out = [0.0, 0.0, 0.0]
    low, mid, high = order
    if c[high] > c[low]:
        out[mid] = (c[mid] - c[low]) * s / (c[high] - c[low])
        out[high] = s
    return (out[0], out[1], out[2])


NON_SEPARABLE = {
    "hue": lambda b, s: set_lum(set_sat(s, sat(b)), lum(b)),
    "saturation": lambda b, s: set_lum(set_sat(b, sat(s)), lum(b)),
    "color": lambda b, s: set_lum(s, lum(b)),
    "luminosity": lambda b, s: set_lum(b, lum(s)),
}


def blended(mode: str, b: RGB, s: RGB) -> RGB:
    if mode in SEPARABLE:
        return tuple(SEPARABLE[mode](x, y) for x, y in zip(b, s, strict=True))  # type: ignore[return-value]
    return NON_SEPARABLE[mode](b, s)


@pytest.fixture(scope="module")
def scene() -> Scene:
    return Scene(square(), ())


def composite(scene: Scene, *layers: object) -> np.ndarray:
    """The colour of layers (front first) at one texel, 0–1."""
    sheet = scene.document.sheets[0].model_copy(update={"layers": layers})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    return scene.evaluator.composite("base_color", 0)[:, 1000] / 65535


colours = st.tuples(*[st.sampled_from([0.0, 0.1, 0.25, 0.3, 0.5, 0.6, 0.75, 0.9, 1.0])] * 3)


@pytest.mark.parametrize("mode", [m.id for m in modes().values() if "colour" in m.kinds])
@settings(max_examples=60, deadline=None)
@given(back=colours, source=colours, strength=st.sampled_from([0.0, 0.3, 1.0]))
def test_on_an_opaque_ground(mode: str, back: RGB, source: RGB, strength: float) -> None:
    scene = Scene_cache.get()
    got = composite(scene, fill_layer("s", {"base_color": source}, blend=mode, strength=strength), fill_layer("b", {"base_color": back}))
    wanted = np.array(back) * (1 - strength) + np.array(blended(mode, back, source)) * strength
    # Dividing by 0.1 makes ten of the 16-bit step that the stored values carry.
    np.testing.assert_allclose(got, wanted, atol=2e-4)


@pytest.mark.parametrize("mode", ["normal", "multiply", "screen", "soft-light", "difference", "hue", "luminosity"])
@settings(max_examples=30, deadline=None)
@given(back=colours, source=colours, ab=st.sampled_from([0.0, 0.4, 1.0]), ao=st.sampled_from([0.25, 1.0]), group=st.sampled_from([0.5, 1.0]))
def test_inside_a_transparent_group(mode: str, back: RGB, source: RGB, ab: float, ao: float, group: float) -> None:
    """Two layers in a group over a ground: the full formula with backdrop alpha, then the group over the ground."""
    ground = (0.2, 0.5, 0.8)
    inner = (
        fill_layer("s", {"base_color": source}, blend=mode, strength=ao),
        fill_layer("b", {"base_color": back}, strength=ab),
    )
    got = composite(
        Scene_cache.get(),
        GroupLayer(id="g", name="g", strength=group, layers=inner, channels={"base_color": ChannelUse()}),
        fill_layer("ground", {"base_color": ground}),
    )
    b, s = np.array(back), np.array(source)
    cs = (1 - ab) * s + ab * np.array(blended(mode, back, source))
    premultiplied = ao * cs + (1 - ao) * ab * b
    alpha = ao + ab * (1 - ao)
    wanted = group * premultiplied + (1 - group * alpha) * np.array(ground)
    np.testing.assert_allclose(got, wanted, atol=6e-5)


class Scene_cache:
    """One scene for all examples: building samples for each would only cost time."""

    _made: Scene | None = None

    @classmethod
    def get(cls) -> Scene:
        if cls._made is None:
            cls._made = Scene(square(), ())
        return cls._made


def heights(scene: Scene, *layers: object) -> float:
    sheet = scene.document.sheets[0].model_copy(update={"layers": layers})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    return (float(scene.evaluator.composite("height", 0)[0, 5]) - 32768) / 32767


@pytest.mark.parametrize(
    ("mode", "wanted"), [("normal", -0.1), ("height-add", 0.2), ("height-subtract", 0.4), ("max", 0.3), ("min", -0.1), ("multiply", -0.1)]
)
def test_height_modes_work_around_flat(scene: Scene, mode: str, wanted: float) -> None:
    top = fill_layer("s", {"height": (-0.1,)}, blend=mode)
    assert heights(scene, top, fill_layer("b", {"height": (0.3,)})) == pytest.approx(wanted, abs=2e-4)


def test_height_never_leaves_its_range(scene: Scene) -> None:
    layers = [fill_layer(f"h{i}", {"height": (0.8,)}, blend="height-add") for i in range(4)]
    assert heights(scene, *layers) == pytest.approx(1.0, abs=1e-4)


def test_a_channel_may_have_its_own_mode(scene: Scene) -> None:
    top = fill_layer("s", {"base_color": (0.5, 0.5, 0.5), "roughness": (0.5,)}, blend="multiply")
    top = top.model_copy(update={"channels": {**top.channels, "roughness": ChannelUse(value=(0.5,), blend="normal", strength=0.5)}})
    composite(scene, top, fill_layer("b", {"base_color": (0.8, 0.8, 0.8), "roughness": (0.1,)}))
    assert scene.evaluator.composite("base_color", 0)[0, 9] / 65535 == pytest.approx(0.4, abs=1e-4)
    assert scene.evaluator.composite("roughness", 0)[0, 9] / 65535 == pytest.approx(0.3, abs=1e-4)


def test_modes_and_names() -> None:
    assert mode_for("hue", CHANNEL["roughness"]) == "normal"
    assert mode_for("multiply", CHANNEL["base_color"]) == "multiply"
    assert mode_for("of-a-plug-in-that-is-gone", CHANNEL["base_color"]) == "normal"
    with pytest.raises(InputError, match="'glow' is not a blend mode"):
        checked_mode("glow")
    assert [m.label for m in modes().values()][:3] == ["Normal", "Multiply", "Screen"]
    assert len(modes()) == 21

"""Projects that blend as light do so inside a layer too: strokes, fills, gradients, two colours, soften, smear, push, tone and blur.

The sRGB curve of IEC 61966-2-1 is worked out here in double precision, apart from the product's tables.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as hsettings
from hypothesis import strategies as st

from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.path import SurfacePath
from ruvelt.core.brush.settings import Brush, Mixing
from ruvelt.core.brush.target import Paint, SmearSettings, Tone
from ruvelt.core.stack.document import AdjustLayer, Settings
from ruvelt.core.stack.plane_ids import plane_id
from tests.core.scene import Scene, paint_layer, target, whole
from tests.core.test_picture_sweeps import at
from tests.meshes import square

RED, GREEN = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)
LIGHT = Settings(blend_space="linear")
#: What half of each shows as: the code of one half of the light.
HALF = 1.055 * 0.5 ** (1 / 2.4) - 0.055


def light(v: np.ndarray) -> np.ndarray:
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


def shown(v: np.ndarray) -> np.ndarray:
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 0) ** (1 / 2.4) - 0.055)


def halves(settings: Settings = LIGHT, *above: AdjustLayer) -> Scene:
    """A plate, left red and right green, all in one layer."""
    scene = Scene(square(), (*above, paint_layer()), settings=settings)
    left = np.tile(np.arange(256) < 128, 256)
    scene.put_plane(plane_id("s", "p", "base_color"), np.stack([left, ~left, left & ~left, left | ~left]).astype(np.uint16) * np.uint16(65535))
    return scene


def colour(scene: Scene, x: int, y: int = 128) -> np.ndarray:
    return scene.image("base_color")[y, x].astype(float) / 65535


@pytest.mark.parametrize("mode", ["stroke", "flood"])
def test_half_of_one_over_another_is_half_of_the_light(mode: str) -> None:
    for settings, half in ((LIGHT, HALF), (Settings(), 0.5)):
        scene = halves(settings)
        brush = Brush(size=0.5, size_unit="object", hardness=1.0, flow=1.0, strength=0.5)
        live = scene.live(target("base_color"), Paint(values={"base_color": GREEN}), brush=brush)
        if mode == "stroke":
            live.dabs(whole(SurfacePath(brush, scene.samples), [at(60, 128), at(70, 128)]))
        else:
            live.flood(None, 0.5, scene.faces)
        scene.keep(live)
        assert colour(scene, 64) == pytest.approx([half, half, 0], abs=3e-5)
        # What is laid on itself stays as it was, to the bit.
        assert colour(scene, 140).tolist() == [0, 1, 0]


@hsettings(deadline=None)
@given(st.integers(0, 65535), st.integers(0, 65535), st.floats(0, 1))
def test_any_two_codes_mix_as_light(one: int, other: int, share: float) -> None:
    scene = Scene(square(), (paint_layer(),), settings=LIGHT)
    scene.put_plane(plane_id("s", "p", "base_color"), np.stack([np.full(65536, v, np.uint16) for v in (one, one, one, 65535)]))
    live = scene.live(target("base_color"), Paint(values={"base_color": (other / 65535,) * 3}))
    live.flood(None, share, scene.faces)
    got = live.changes[plane_id("s", "p", "base_color")][0][0, 32896]
    a, b = light(np.array([one, other]) / 65535)
    assert abs(int(got) - float(shown(a + (b - a) * share)) * 65535) < 2.5
    if share in (0.0, 1.0):
        assert got == (other if share else one)


def test_gradients_and_two_colours_run_evenly_in_light() -> None:
    scene = halves()
    paint = Paint(values={"base_color": RED}, second={"base_color": GREEN})
    live = scene.live(target("base_color"), paint)
    live.flood(None, 1.0, scene.faces, Gradient(start=(-1, 0, 0), end=(1, 0, 0)))
    scene.keep(live)
    row = light(scene.image("base_color")[128].astype(float) / 65535)
    assert np.abs(row[:, 1] - (np.arange(256) + 0.5) / 256).max() < 2e-4
    assert np.abs(row[:, 0] + row[:, 1] - 1).max() < 2e-4
    scene = halves()
    brush = Brush(size=0.5, size_unit="object", hardness=1.0, flow=1.0, mix=Mixing(mode="across"))
    live = scene.live(target("base_color"), paint, brush=brush)
    live.dabs(whole(SurfacePath(brush, scene.samples), [at(60, 128), at(200, 128)]))
    scene.keep(live)
    across = light(scene.image("base_color")[80:176, 128].astype(float) / 65535)
    assert np.abs(across[:, :2].sum(axis=1) - 1).max() < 3e-3
    assert across[48, 1] == pytest.approx(0.5, abs=0.02)


@pytest.mark.parametrize("reads", ["layer", "all"])
@pytest.mark.parametrize(
    "tool", [{"tool": "soften"}, {"tool": "smear", "smear": SmearSettings(mode="mix")}, {"tool": "smear", "smear": SmearSettings(mode="push")}]
)
def test_what_tools_mix_keeps_its_light(tool: dict[str, object], reads: str) -> None:
    """Where red turns into green the light of both adds up to that of one; mixed as codes it falls short by a quarter."""
    missing = {}
    for name, settings in (("light", LIGHT), ("codes", Settings())):
        scene = halves(settings)
        brush = Brush(size=0.2, size_unit="object", hardness=0.5, flow=0.8, strength=0.7)
        live = scene.live(target("base_color"), Paint.model_validate({**tool, "reads": reads, "reach": 1.0}), brush=brush)
        live.dabs(whole(SurfacePath(brush, scene.samples), [at(96, 128), at(160, 130)]))
        scene.keep(live)
        got = light(scene.image("base_color").astype(float) / 65535)
        mixed = (got[..., 0] > 0.04) & (got[..., 1] > 0.04)
        missing[name] = 1 - got[mixed][:, :2].sum(axis=1).min() if mixed.any() else 0.0
    assert missing["light"] < 2e-3
    assert missing["codes"] > 0.3 or tool.get("smear") == SmearSettings(mode="push")


def test_a_blur_layer_keeps_its_light() -> None:
    blur = AdjustLayer.model_validate({"id": "b", "name": "b", "adjust": {"kind": "blur", "radius": 0.02}, "channels": {"base_color": {}}})
    scene = halves(LIGHT, blur)
    row = light(scene.image("base_color")[128].astype(float) / 65535)
    assert np.abs(row[:, :2].sum(axis=1) - 1).max() < 1e-3
    assert 0.3 < row[127, 1] < 0.5


def test_a_soft_turn_of_hue_is_the_turn_by_as_much_in_light_too() -> None:
    """Half of a turn by 60 degrees, from red: orange at 30 degrees, whatever the blending."""
    for settings in (LIGHT, Settings()):
        scene = halves(settings)
        live = scene.live(target("base_color"), Paint(tool="tone", tone=Tone(change="hue", degrees=60, amount=1.0)))
        live.flood(None, 0.5, scene.faces)
        scene.keep(live)
        assert colour(scene, 40) == pytest.approx([1, 0.5, 0], abs=2e-3)

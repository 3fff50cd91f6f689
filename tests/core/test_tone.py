"""The tone tool against its formulas, and tools that read the target's own paint or its mask."""

from __future__ import annotations

import colorsys

import colour as colour_science
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import CloneFrom, Paint, Tone
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id, plane_id
from tests.core.scene import Scene, fill_layer, paint_layer, target
from tests.meshes import square

BRUSH = Brush(size=0.4, size_unit="object", hardness=0.8, flow=1.0)


def dab(scene: Scene, paint: Paint, *channels: str, at: tuple[float, float, float] = (0, 0, 0), mask: str | None = None) -> None:
    """One full dab with a tool, kept."""
    live = scene.live(target(*channels, mask=mask), paint)
    live.dabs(SurfacePath(BRUSH, scene.samples).extend([Point(at)]))
    scene.keep(live)


def plane(scene: Scene, name: str) -> np.ndarray:
    chunks = scene.planes[name].chunks
    return np.concatenate([scene.store.get(chunks[c]) for c in range(scene.samples.chunk_count)], axis=1)


def lab(v: np.ndarray) -> np.ndarray:
    """OKLab of an encoded colour, by a library of colour science."""
    return np.asarray(colour_science.XYZ_to_Oklab(colour_science.sRGB_to_XYZ(np.asarray(v, float))))


def from_lab(c: np.ndarray) -> np.ndarray:
    """Encoded colour, its chroma reduced until sRGB holds it."""
    shares = np.linspace(1, 0, 4001)
    places = c * np.stack([np.ones_like(shares), shares, shares], axis=1)
    linear = colour_science.XYZ_to_RGB(colour_science.Oklab_to_XYZ(places), "sRGB")
    held = np.argmax(np.all((linear > -2e-4) & (linear < 1 + 2e-4), axis=1))
    return np.asarray(colour_science.cctf_encoding(np.clip(linear[held], 0, None)))


def toned(v: np.ndarray, tone: Tone) -> np.ndarray:
    """The formulas written anew."""
    light = float(v @ [0.2126, 0.7152, 0.0722])
    weight = {"all": 1.0, "shadows": (1 - light) ** 2, "midtones": 4 * light * (1 - light), "highlights": light**2}[tone.range]
    a = tone.amount * weight
    if tone.change == "hue":
        h, s, value = colorsys.rgb_to_hsv(*v)
        return np.array(colorsys.hsv_to_rgb((h + tone.degrees / 360 * a) % 1, s, value))
    if tone.change in ("saturate", "desaturate", "tint"):
        c, goal = lab(v), lab(np.array(tone.colour))
        c[1:] = {"saturate": c[1:] * (1 + a), "desaturate": c[1:] * (1 - a), "tint": c[1:] + (goal[1:] - c[1:]) * a}[tone.change]
        return np.clip(from_lab(c), 0, 1)
    return np.clip({"lighten": v + (1 - v) * a, "darken": v * (1 - a), "contrast": (v - 0.5) * (1 + a) + 0.5}[tone.change], 0, 1)


@pytest.mark.parametrize("change", ["lighten", "darken", "contrast", "saturate", "desaturate", "hue", "tint"])
@pytest.mark.parametrize("span", ["all", "shadows", "midtones", "highlights"])
def test_tone_follows_its_formula(change: str, span: str) -> None:
    colour = (0.62, 0.35, 0.2)
    tone = Tone(change=change, range=span, amount=0.6, degrees=80, colour=(0.2, 0.5, 0.7))  # type: ignore[arg-type]
    scene = Scene(square(), (paint_layer(), fill_layer("u", {"base_color": colour})))
    dab(scene, Paint(tool="tone", tone=tone), "base_color")
    assert_allclose(scene.value("base_color", 0, 0, 0) / 65535, toned(np.array(colour), tone), atol=4e-4)
    assert_allclose(scene.value("base_color", 0.9, 0.9, 0) / 65535, colour, atol=2e-5)


@pytest.mark.parametrize("reads", ["all", "layer"])
def test_a_soft_brush_turns_hues_and_never_passes_through_grey(reads: str) -> None:
    """Half the coverage is half the turn, at the same saturation and value."""
    scene = Scene(square(), (paint_layer(),))
    plane_of = np.array([58982, 13107, 13107, 65535], np.uint16)
    scene.put_plane(plane_id("s", "p", "base_color"), np.repeat(plane_of[:, None], scene.samples.slot_count, axis=1))
    live = scene.live(target("base_color"), Paint(tool="tone", reads=reads, tone=Tone(change="hue", amount=1.0, degrees=90)))  # type: ignore[arg-type]
    soft = BRUSH.model_copy(update={"hardness": 0.0, "size": 1.2})
    live.dabs(SurfacePath(soft, scene.samples).extend([Point((0, 0, 0))]))
    scene.keep(live)
    seen = []
    for slot in np.flatnonzero(live.coverage.values > 0.02)[::97]:
        place = scene.samples.positions[slot]
        h, s, v = colorsys.rgb_to_hsv(*(scene.value("base_color", *(float(c) for c in place)) / 65535))
        assert h * 360 == pytest.approx(90 * live.coverage.values[slot], abs=1.5)
        assert s == pytest.approx(7 / 9, abs=0.03)
        assert v == pytest.approx(0.9, abs=0.02)
        seen.append(float(live.coverage.values[slot]))
    assert min(seen) < 0.2 < 0.8 < max(seen)


def test_stronger_colours_keep_hue_and_lightness_where_srgb_ends() -> None:
    for colour in ((0.9, 0.3, 0.1), (0.2, 0.3, 0.9), (0.1, 0.7, 0.2), (0.95, 0.9, 0.2)):
        scene = Scene(square(), (paint_layer(), fill_layer("u", {"base_color": colour})))
        dab(scene, Paint(tool="tone", tone=Tone(change="saturate", amount=1.0)), "base_color")
        before, after = lab(np.array(colour)), lab(scene.value("base_color", 0, 0, 0) / 65535)
        assert after[0] == pytest.approx(before[0], abs=2e-3)
        assert np.degrees(np.arctan2(after[2], after[1]) - np.arctan2(before[2], before[1])) == pytest.approx(0, abs=0.6)
        assert np.hypot(*after[1:]) >= np.hypot(*before[1:]) - 1e-3


@pytest.mark.parametrize("tint", [(0.0, 0.0, 0.0), (0.0, 0.0, 1.0), (1.0, 1.0, 0.0)])
def test_a_tint_keeps_lightness_also_with_black_and_blue(tint: tuple[float, float, float]) -> None:
    for colour in ((0.8, 0.6, 0.5), (0.2, 0.3, 0.25), (0.5, 0.5, 0.5)):
        scene = Scene(square(), (paint_layer(), fill_layer("u", {"base_color": colour})))
        dab(scene, Paint(tool="tone", tone=Tone(change="tint", amount=1.0, colour=tint)), "base_color")
        after = lab(scene.value("base_color", 0, 0, 0) / 65535)
        assert after[0] == pytest.approx(lab(np.array(colour))[0], abs=2e-3)
        if any(tint):
            assert np.degrees(np.arctan2(after[2], after[1]) - np.arctan2(*lab(np.array(tint))[:0:-1])) == pytest.approx(0, abs=1)
        else:
            assert np.hypot(*after[1:]) < 2e-3


def test_tone_of_one_number_works_on_it_alone() -> None:
    scene = Scene(square(), (paint_layer(), fill_layer("u", {"roughness": (0.4,)})))
    dab(scene, Paint(tool="tone", tone=Tone(change="darken", amount=0.5)), "roughness")
    assert_allclose(scene.value("roughness", 0, 0, 0)[0] / 65535, 0.2, atol=3e-5)


def half_painted() -> tuple[Scene, str]:
    """A layer that holds red at half coverage on the left, nothing on the right, over grey."""
    scene = Scene(square(), (paint_layer(), fill_layer("u", {"base_color": (0.5, 0.5, 0.5)})))
    held = np.zeros((4, scene.samples.slot_count), np.uint16)
    left = scene.samples.positions[:, 0] < 0
    held[:, left] = np.array([52428, 6554, 6554, 32768])[:, None]
    name = plane_id("s", "p", "base_color")
    scene.put_plane(name, held)
    return scene, name


def test_tone_of_the_layer_alone_keeps_its_coverage() -> None:
    scene, name = half_painted()
    before = plane(scene, name)
    dab(scene, Paint(tool="tone", reads="layer", tone=Tone(change="darken", amount=0.5)), "base_color")
    after = plane(scene, name)
    assert_array_equal(after[3], before[3])
    slot = scene.at(-0.1, 0, 0)
    assert_allclose(after[:3, slot], before[:3, slot] / 2, atol=3)
    # Where the layer holds nothing, nothing comes.
    assert after[:, scene.at(0.1, 0, 0)].max() == 0


def test_soften_of_the_layer_alone_spreads_what_it_holds_and_no_more() -> None:
    scene, name = half_painted()
    dab(scene, Paint(tool="soften", reads="layer", reach=0.5), "base_color")
    after = plane(scene, name)
    near, inside = scene.at(0.03, 0, 0), scene.at(-0.03, 0, 0)
    assert 2000 < after[3, near] < 16000
    assert 18000 < after[3, inside] < 32000
    # Its colour stays red: nothing of the grey beneath is mixed in.
    assert_allclose(after[:3, near], [52428, 6554, 6554], atol=40)


def test_clone_of_the_layer_alone_takes_colour_and_coverage_exactly() -> None:
    scene, name = half_painted()
    dab(scene, Paint(tool="clone", reads="layer", clone=CloneFrom(source=(-0.5, 0, 0))), "base_color", at=(0.5, 0, 0))
    assert_array_equal(plane(scene, name)[:, scene.at(0.5, 0, 0)], [52428, 6554, 6554, 32768])
    dab(scene, Paint(tool="clone", reads="layer", clone=CloneFrom(source=(0.9, 0.9, 0))), "base_color", at=(-0.5, 0, 0))
    assert plane(scene, name)[3, scene.at(-0.5, 0, 0)] == 0


def masked() -> Scene:
    mask = Mask(sources=(PaintedSource(id="m", base=0.2),))
    scene = Scene(square(), (paint_layer(mask=mask), fill_layer("u", {"roughness": (0.0,)})))
    held = np.zeros((2, scene.samples.slot_count), np.uint16)
    left = scene.samples.positions[:, 0] < 0
    held[:, left] = np.array([65535, 65535])[:, None]
    scene.put_plane(mask_plane_id("s", "p", "m"), held)
    return scene


def mask_at(scene: Scene, x: float) -> float:
    layer = scene.document.sheets[0].find("p")
    assert layer is not None
    assert layer.mask is not None
    slot = scene.at(x, 0, 0)
    found = scene.evaluator.mask_chunk(layer.mask, "p", slot >> 16)
    return found if isinstance(found, float) else float(found[slot & (CHUNK - 1)]) / 65535


def test_soften_clone_and_tone_work_on_a_mask_with_its_start_value() -> None:
    scene = masked()
    assert_allclose([mask_at(scene, -0.1), mask_at(scene, 0.1)], [1, 0.2], atol=1e-4)
    dab(scene, Paint(tool="soften", reach=0.5), mask="m")
    assert 0.3 < mask_at(scene, 0.0) < 0.9
    scene = masked()
    dab(scene, Paint(tool="tone", tone=Tone(change="darken", amount=0.5)), mask="m")
    assert_allclose([mask_at(scene, -0.1), mask_at(scene, 0.1)], [0.5, 0.1], atol=2e-4)
    scene = masked()
    dab(scene, Paint(tool="clone", clone=CloneFrom(source=(-0.5, 0, 0))), mask="m", at=(0.5, 0, 0))
    assert_allclose(mask_at(scene, 0.5), 1, atol=1e-4)


@settings(max_examples=20, deadline=None)
@given(
    change=st.sampled_from(["lighten", "darken", "contrast", "saturate", "desaturate", "hue", "tint"]),
    amount=st.floats(0, 1),
    colour=st.tuples(*[st.floats(0, 1)] * 3),
    own=st.booleans(),
)
def test_tone_never_leaves_the_range_and_is_the_same_again(change: str, amount: float, colour: tuple[float, float, float], own: bool) -> None:
    paint = Paint(tool="tone", reads="layer" if own else "all", tone=Tone(change=change, amount=amount, colour=colour))  # type: ignore[arg-type]
    results = []
    for _ in range(2):
        scene, name = half_painted()
        dab(scene, paint, "base_color")
        results.append(plane(scene, name))
    assert_array_equal(results[0], results[1])
    assert results[0][3].max() <= (32768 if own else 65535)


@pytest.mark.parametrize("bad", [{"change": "explode"}, {"amount": 2}, {"amount": float("nan")}, {"degrees": 999}, {"range": "reds"}])
def test_bad_tones_are_refused(bad: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Tone.model_validate(bad)

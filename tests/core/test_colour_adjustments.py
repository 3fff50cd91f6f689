"""Adjustments of colours against their published formulas, told here a second time in plain NumPy and by an independent library."""

from __future__ import annotations

from typing import Any

import colour as colour_science
import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core import Canvas, VertexCanvas
from ruvelt.core.stack.adjustments import ADJUSTMENTS
from ruvelt.core.stack.document import AdjustLayer, ChannelUse, FillLayer, GroupLayer, Settings
from ruvelt.core.stack.kinds.adjustment import Adjust, SpreadingAdjust
from ruvelt.core.stack.plane_ids import plane_id
from tests.core.scene import fill_layer, paint_layer
from tests.core.test_vertex_paint import plane_of
from tests.meshes import square

N = 96
RNG = np.random.default_rng(11)
#: Colours as they are painted: everything from black to white, half of it far from grey.
COLOURS = RNG.integers(0, 65536, (3, N * N)).astype(np.uint16)
COLOURS[:, : N * N // 2] = np.clip(COLOURS[:1, : N * N // 2] + RNG.normal(0, 5000, (3, N * N // 2)), 0, 65535)
COLOURS[:, :9] = np.array([[0, 0, 0], [65535] * 3, [32768] * 3, [65535, 0, 0], [0, 65535, 0], [0, 0, 65535], [1, 1, 1], [9, 5, 2], [65534] * 3]).T
X = COLOURS.T / 65535
KINDS = {k.kind_id(): k for k in ADJUSTMENTS}
ALL = {"base_color": ChannelUse()}


def layer_of(adjust: Adjust | dict[str, Any], **more: Any) -> AdjustLayer:
    return AdjustLayer.model_validate({"id": "a", "name": "A", "channels": ALL, "adjust": adjust, **more})


def canvas_of(*layers: Any, colours: np.ndarray = COLOURS, settings: Settings | None = None) -> VertexCanvas:
    canvas = VertexCanvas(plane_of(N), (*layers, paint_layer()), settings=settings)
    whole = np.zeros((4, canvas.samples.slot_count), np.uint16)
    whole[:3, canvas.samples.slot_of_vertex], whole[3] = colours, 65535
    canvas.put_plane(plane_id("s", "p", "base_color"), whole)
    return canvas


def after(*layers: Any, **more: Any) -> np.ndarray:
    """(n, 3) encoded 0–1 under layers, front first."""
    return canvas_of(*layers, **more).vertex_values("base_color") / 65535


def linear(v: np.ndarray) -> np.ndarray:
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


def encoded(v: np.ndarray) -> np.ndarray:
    v = np.clip(v, 0, 1)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055)


M1 = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005]])
M2 = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660]])


def lab(v: np.ndarray) -> np.ndarray:
    return np.cbrt(linear(v) @ M1.T) @ M2.T


def of_lab(v: np.ndarray) -> np.ndarray:
    return (v @ np.linalg.inv(M2).T) ** 3 @ np.linalg.inv(M1).T


def in_gamut(light: np.ndarray) -> np.ndarray:
    return ((light >= 0) & (light <= 1)).all(axis=1)


# -- nothing changed ------------------------------------------------------------------------------------------------------------

SAME: dict[str, dict[str, Any]] = {
    "tint": {"amount": 0.0},
    "grey": {},
    "ramp": {},
    "posterise": {},
    "invert": {},
}


@pytest.mark.parametrize("kind", [k for k in KINDS if k not in {"grey", "ramp", "posterise", "invert", "blur"}])
@pytest.mark.parametrize("space", ["srgb", "linear"])
def test_settings_that_change_nothing_change_no_byte_here_or_above(kind: str, space: str) -> None:
    above = fill_layer("f", {"base_color": (0.2, 0.4, 0.6)}, strength=0.37, blend="overlay")
    settings = Settings(blend_space=space)  # type: ignore[arg-type]
    neutral = layer_of(KINDS[kind].model_validate(SAME.get(kind, {})))
    assert_array_equal(after(above, neutral, settings=settings), after(above, settings=settings))


def test_ranges_of_colours_that_are_nowhere_change_no_byte() -> None:
    grey = np.repeat(COLOURS[:1], 3, axis=0)
    far = {"id": "r", "colour": (0.1, 0.9, 0.1), "tolerance": 0.05, "softness": 0.05, "adjust": {"kind": "hsv", "hue": 90}}
    layer = layer_of({"kind": "hsv"}, ranges=[far])
    assert_array_equal(after(layer, colours=grey), grey.T / 65535)


# -- each kind ------------------------------------------------------------------------------------------------------------------


def test_a_turned_hue_is_as_light_and_as_strong_as_before() -> None:
    found = after(layer_of({"kind": "oklch", "hue": 70, "chroma": -0.2, "lightness": 0.03}))
    before = lab(X)
    angle, keep = np.radians(70), 0.8
    wanted = np.stack(
        [
            before[:, 0] + 0.03,
            keep * (np.cos(angle) * before[:, 1] - np.sin(angle) * before[:, 2]),
            keep * (np.sin(angle) * before[:, 1] + np.cos(angle) * before[:, 2]),
        ],
        axis=1,
    )
    light = of_lab(wanted)
    inside = in_gamut(light)
    assert inside.mean() > 0.5
    assert_allclose(found[inside], encoded(light[inside]), atol=4 / 65535)
    # What sRGB does not hold keeps lightness and hue, and loses chroma.
    cut, asked = lab(found[~inside]), wanted[~inside]
    asked[:, 0] = np.clip(asked[:, 0], 0, 1)
    assert np.abs(cut[:, 0] - asked[:, 0]).max() < 0.012
    strong = (np.hypot(cut[:, 1], cut[:, 2]) > 0.05) & (cut[:, 0] > 0.2)
    turn = np.arctan2(cut[strong, 2], cut[strong, 1]) - np.arctan2(asked[strong, 2], asked[strong, 1])
    assert np.abs(np.angle(np.exp(1j * turn))).max() < 0.03
    assert (np.hypot(cut[:, 1], cut[:, 2]) <= np.hypot(asked[:, 1], asked[:, 2]) + 1e-3).all()


def test_oklab_here_is_oklab_there() -> None:
    """The turned colours measured by colour-science: same lightness, same chroma, hue turned by the angle."""
    dull = (COLOURS // 5 + 24000).astype(np.uint16)
    found = after(layer_of({"kind": "oklch", "hue": 40}), colours=dull)

    def lch(v: np.ndarray) -> np.ndarray:
        xyz = colour_science.RGB_to_XYZ(v, "sRGB", apply_cctf_decoding=True)
        return np.asarray(colour_science.models.Oklab_to_Oklch(colour_science.XYZ_to_Oklab(xyz)))

    before, now = lch(dull.T / 65535), lch(found)
    assert_allclose(now[:, 0], before[:, 0], atol=2e-4)
    coloured = before[:, 1] > 0.01
    assert_allclose(now[coloured, 1], before[coloured, 1], atol=4e-4)
    assert_allclose((now[coloured, 2] - before[coloured, 2]) % 360, 40, atol=1.5)


def test_a_tint_keeps_lightness_and_takes_hue_and_chroma() -> None:
    tint = (0.8, 0.55, 0.3)
    found = after(layer_of({"kind": "tint", "colour": tint, "amount": 0.6}))
    wanted = lab(X)
    wanted[:, 1:] += (lab(np.array(tint))[1:] - wanted[:, 1:]) * 0.6
    light = of_lab(wanted)
    inside = in_gamut(light)
    assert inside.mean() > 0.4
    assert_allclose(found[inside], encoded(light[inside]), atol=4 / 65535)


def test_intensity_contrast_and_gamma_are_of_all_and_of_each() -> None:
    found = after(layer_of({"kind": "gains", "intensity": (1.1, 1, 0.9, 1), "contrast": (1.2, 1, 1, 0.8), "gamma": (1, 2, 1, 1)}))
    for k, (intensity, contrast, gamma) in enumerate([(1.1, 1.2, 2), (0.99, 1.2, 1), (1.1, 0.96, 1)]):
        assert_allclose(found[:, k], np.clip(0.5 + contrast * (intensity * X[:, k] - 0.5), 0, 1) ** (1 / gamma), atol=1 / 65535)


def test_balance_moves_shadows_middles_and_highlights_where_they_are() -> None:
    found = after(layer_of({"kind": "balance", "shadows": (0.4, 0, 0), "mid": (0, 0.5, 0), "highlights": (0, 0, -0.6)}))
    assert_allclose(found[:, 0], np.clip(X[:, 0] + 0.2 * (1 - X[:, 0]), 0, 1), atol=1 / 65535)
    assert_allclose(found[:, 1], X[:, 1] ** (2**-0.5), atol=1 / 65535)
    assert_allclose(found[:, 2], X[:, 2] * 0.7, atol=1 / 65535)


def test_grey_is_the_luminance_of_light() -> None:
    found = after(layer_of({"kind": "grey"}))
    assert np.ptp(found, axis=1).max() < 1.5 / 65535
    luminance = colour_science.RGB_luminance(linear(X), colour_science.RGB_COLOURSPACES["sRGB"].primaries, [0.3127, 0.3290])
    assert_allclose(found[:, 0], encoded(luminance), atol=2e-4)
    reds = after(layer_of({"kind": "grey", "weights": (3.0 / 2, 0, 0)}))
    assert_allclose(reds[:, 1], X[:, 0], atol=2 / 65535)


def test_a_ramp_goes_by_luminance() -> None:
    stops = [{"at": 0, "colour": (0, 0, 0.2)}, {"at": 0.25, "colour": (0.8, 0.1, 0)}, {"at": 1, "colour": (1, 1, 0.6)}]
    found = after(layer_of({"kind": "ramp", "stops": stops}))
    place = encoded(linear(X) @ [0.2126, 0.7152, 0.0722])
    for k in range(3):
        assert_allclose(found[:, k], np.interp(place, [0, 0.25, 1], [s["colour"][k] for s in stops]), atol=8 / 65535)  # type: ignore[index]


def test_what_should_be_grey_becomes_grey_by_bradford() -> None:
    neutral = np.array([0.62, 0.5, 0.38])
    patch = np.rint(np.repeat(neutral[:, None], N * N, axis=1) * 65535).astype(np.uint16)
    grey = after(layer_of({"kind": "white_balance", "neutral": tuple(neutral)}), colours=patch)[0]
    assert np.ptp(grey) < 12 / 65535
    assert_allclose(linear(grey) @ [0.2126, 0.7152, 0.0722], linear(neutral) @ [0.2126, 0.7152, 0.0722], atol=2e-4)
    space = colour_science.RGB_COLOURSPACES["sRGB"]
    white = space.matrix_RGB_to_XYZ @ linear(neutral)
    goal = space.matrix_RGB_to_XYZ @ np.full(3, white[1])
    adapt = colour_science.adaptation.matrix_chromatic_adaptation_VonKries(white, goal, transform="Bradford")
    light = linear(X) @ (space.matrix_XYZ_to_RGB @ adapt @ space.matrix_RGB_to_XYZ).T
    found = after(layer_of({"kind": "white_balance", "neutral": tuple(neutral)}))
    bright = in_gamut(light) & (light.min(axis=1) > 0.01)
    assert bright.mean() > 0.4
    assert_allclose(found[bright], encoded(light[bright]), atol=1.5e-3)


def test_matched_colours_have_the_mean_and_spread_of_the_others() -> None:
    dull = np.clip(COLOURS[:, ::-1] // 3 + 16000, 0, 65535).astype(np.uint16)
    mine, theirs = lab(dull.T / 65535), np.array([[0.6, 0.02, 0.03], [0.08, 0.01, 0.015]])
    source = {"mean": tuple(mine.mean(axis=0)), "spread": tuple(mine.std(axis=0))}
    goal = {"mean": tuple(theirs[0]), "spread": tuple(theirs[1])}
    found = lab(after(layer_of({"kind": "match", "source": source, "goal": goal}), colours=dull))
    assert_allclose(found.mean(axis=0), theirs[0], atol=2e-3)
    assert_allclose(found.std(axis=0), theirs[1], atol=2e-3)
    half = lab(after(layer_of({"kind": "match", "source": source, "goal": goal, "amount": 0.5}), colours=dull))
    assert_allclose(half.mean(axis=0), (theirs[0] + mine.mean(axis=0)) / 2, atol=2e-3)


@pytest.mark.parametrize("kind", ["gain", "clamp", "gains"])
def test_values_of_data_have_gain_and_limits(kind: str) -> None:
    settings: dict[str, dict[str, Any]] = {
        "gain": {"gain": 1.5, "offset": -0.2},
        "clamp": {"low": 0.2, "high": 0.6},
        "gains": {"intensity": (1.3, 4, 4, 4), "gamma": (2, 1, 1, 1)},
    }
    layer = layer_of({"kind": kind, **settings[kind]}, channels={"roughness": ChannelUse()})
    canvas = VertexCanvas(plane_of(N), (layer, paint_layer()))
    whole = np.zeros((2, canvas.samples.slot_count), np.uint16)
    whole[0, canvas.samples.slot_of_vertex], whole[1] = COLOURS[0], 65535
    canvas.put_plane(plane_id("s", "p", "roughness"), whole)
    x = COLOURS[0] / 65535
    wanted = {"gain": np.clip(1.5 * x - 0.2, 0, 1), "clamp": np.clip(x, 0.2, 0.6), "gains": np.sqrt(np.clip(0.5 + (1.3 * x - 0.5), 0, 1))}
    assert_allclose(canvas.vertex_values("roughness")[:, 0] / 65535, wanted[kind], atol=1 / 65535)


@pytest.mark.parametrize("kind", [k for k in KINDS if not issubclass(KINDS[k], SpreadingAdjust)])
def test_only_the_chosen_components_change(kind: str) -> None:
    strong: dict[str, dict[str, Any]] = {
        "oklch": {"hue": 120},
        "hsv": {"hue": 120},
        "levels": {"in_low": 0.3},
        "contrast": {"contrast": 0.5},
        "curve": {"points": ((0, 1), (1, 0))},
        "gains": {"gamma": (2, 1, 1, 1)},
        "balance": {"mid": (0.5, 0.5, 0.5)},
        "white_balance": {"neutral": (0.8, 0.5, 0.3)},
        "clamp": {"low": 0.4},
        "match": {"source": {"mean": (0.5, 0, 0), "spread": (0.1, 0.1, 0.1)}, "goal": {"mean": (0.7, 0.05, 0), "spread": (0.1, 0.1, 0.1)}},
    }
    adjust = KINDS[kind].model_validate(strong.get(kind, {}))
    only = after(layer_of(adjust, components=("g",)))
    if kind == "gain":
        assert_array_equal(only, X)
        return
    assert_array_equal(only[:, [0, 2]], X[:, [0, 2]])
    assert_array_equal(only[:, 1], after(layer_of(adjust))[:, 1])
    assert np.abs(only[:, 1] - X[:, 1]).max() > 0.1
    assert_array_equal(after(layer_of(adjust, components=())), X)


def test_texels_are_adjusted_as_vertices_are() -> None:
    adjust = layer_of({"kind": "oklch", "hue": 33}, ranges=[{"id": "r", "colour": (0.5, 0.4, 0.4), "tolerance": 0.1, "softness": 0.2,
                      "adjust": {"kind": "oklch", "hue": -90}}], rest=True)  # fmt: skip
    canvas = Canvas(square(), (adjust, paint_layer()), side=256)
    flat = np.zeros((4, canvas.samples.slot_count), np.uint16)
    some = np.flatnonzero(canvas.samples.covered)[: N * N]
    flat[:3, some], flat[3] = COLOURS, 65535
    canvas.put_plane(plane_id("s", "p", "base_color"), flat)
    assert_array_equal(canvas.evaluator.composite("base_color", 0)[:, some], canvas_of(adjust).vertex_values("base_color").T)


# -- ranges ---------------------------------------------------------------------------------------------------------------------


def range_of(range_id: str, colour: tuple[float, float, float], **more: Any) -> dict[str, Any]:
    return {"id": range_id, "colour": colour, "tolerance": 0.06, "softness": 0.1, "adjust": {"kind": "levels", "out_low": 0.5}, **more}


def test_shares_of_ranges_and_of_what_none_has_sum_to_one_and_are_the_formula() -> None:
    ranges = [range_of("r", (0.7, 0.2, 0.2)), range_of("s", (0.6, 0.3, 0.2)), range_of("t", (0.2, 0.3, 0.7), invert=True)]
    canvas = canvas_of(layer_of({"kind": "levels"}, ranges=ranges))
    found = {k: canvas.vertex_values(f"catch:a:{k}")[:, 0] / 65535 for k in ("r", "s", "t", "")}
    assert_allclose(found["r"] + found["s"] + found["t"], found[""], atol=4 / 65535)
    wanted = []
    for one in ranges:
        distance = np.linalg.norm(lab(X) - lab(np.array(one["colour"])), axis=1)
        weight = 1 - np.clip((distance - 0.06) / 0.1, 0, 1)
        wanted.append(1 - weight if one.get("invert") else weight)
    total = np.maximum(np.sum(wanted, axis=0), 1)
    assert total.max() > 1.2
    for k, weight in zip("rst", wanted, strict=True):
        assert_allclose(found[k], weight / total, atol=2e-4)
    assert_allclose(found[""], np.minimum(np.sum(wanted, axis=0), 1), atol=2e-4)


@pytest.mark.parametrize("space", ["srgb", "linear"])
@pytest.mark.parametrize("place", ["group", "clip", "beneath"])
def test_what_an_adjustment_sets_out_from_is_what_its_step_changes(place: str, space: str) -> None:
    """A group half covered by red, on blue, at half strength: the adjustment reads the red, where the group has it, or both as they are laid."""
    red, blue, half = (0.8, 0.1, 0.1), (0.1, 0.2, 0.8), 32768 / 65535
    adjust = layer_of({"kind": "hsv"}, reach=place, ranges=[range_of("r", red, adjust={"kind": "hsv", "value": -1.0})])
    layers: tuple[Any, ...] = (adjust, paint_layer(strength=0.5))
    if place != "clip":
        layers = (GroupLayer(id="g", name="G", channels=ALL, strength=0.5, layers=(adjust, paint_layer())),)
    under = FillLayer(id="f", name="F", channels={"base_color": ChannelUse(value=blue)})
    canvas = VertexCanvas(plane_of(N), (*layers, under), settings=Settings(blend_space=space))  # type: ignore[arg-type]
    flat = np.zeros((4, canvas.samples.slot_count), np.uint16)
    flat[:3, canvas.samples.slot_of_vertex] = np.rint(np.array(red) * 65535)[:, None]
    flat[3, canvas.samples.slot_of_vertex[: N * N // 2]] = 32768
    canvas.put_plane(plane_id("s", "p", "base_color"), flat)
    read = canvas.evaluator.read_by("a", "base_color", 0)[:, canvas.samples.slot_of_vertex] / 65535
    painted = np.arange(N * N) < N * N // 2
    if place == "beneath":
        light = linear if space == "linear" else np.array
        mixed = light(np.array(blue)) * (1 - half) + light(np.array(red)) * half
        assert_allclose(light(read[:3, painted].T), np.tile(mixed, (painted.sum(), 1)), atol=4e-5)
        assert_allclose(read[:3, ~painted].T, np.tile(blue, ((~painted).sum(), 1)), atol=2e-5)
        assert (read[3] == 1).all()
        return
    assert_allclose(read[:3, painted].T, np.tile(red, (painted.sum(), 1)), atol=2e-5)
    assert_allclose(read[3], np.where(painted, half, 0), atol=1e-9)
    # What is caught is what the range changes: black where it has the paint, and as much of it as there is.
    caught = canvas.vertex_values("catch:a:r")[:, 0] / 65535
    assert_allclose(caught, np.where(painted, half, 0), atol=2e-5)


def test_a_range_changes_what_it_has_by_its_own_settings_and_nothing_else() -> None:
    red, blue = (0.8, 0.1, 0.1), (0.1, 0.2, 0.8)
    patches = np.rint(np.repeat(np.array([red, blue, (0.5, 0.5, 0.5)]), N * N // 3, axis=0).T * 65535).astype(np.uint16)
    ranges = [range_of("r", red, adjust={"kind": "hsv", "hue": 120}), range_of("b", blue, adjust={"kind": "hsv", "value": -0.5})]
    found = after(layer_of({"kind": "hsv", "hue": 180, "value": 0.5}, ranges=ranges), colours=patches)[:: N * N // 3]
    assert_allclose(found, [(0.1, 0.8, 0.1), (0.05, 0.1, 0.4), (0.5, 0.5, 0.5)], atol=2e-4)
    rest = after(layer_of({"kind": "hsv", "value": 0.5}, ranges=ranges, rest=True), colours=patches)[:: N * N // 3]
    assert_allclose(rest[2], 0.75, atol=1e-4)
    off = after(layer_of({"kind": "hsv", "hue": 180}, ranges=[{**r, "on": False} for r in ranges]), colours=patches)[:: N * N // 3]
    assert_allclose(off, [red, blue, (0.5, 0.5, 0.5)], atol=2e-5)


def test_what_two_ranges_have_is_shared() -> None:
    patch = np.full((3, N * N), 30000, np.uint16)
    both = [range_of("r", (0.46, 0.46, 0.46), adjust={"kind": "levels", "out_low": 1.0}),
            range_of("s", (0.45, 0.45, 0.45), adjust={"kind": "levels", "out_high": 0.0})]  # fmt: skip
    assert_allclose(after(layer_of({"kind": "levels"}, ranges=both), colours=patch), 0.5, atol=2e-4)


def test_ranges_that_cannot_be_are_refused() -> None:
    one = range_of("r", (0.5, 0.5, 0.5))
    with pytest.raises(ValidationError, match="own kind"):
        layer_of({"kind": "hsv"}, ranges=[one])
    with pytest.raises(ValidationError, match="one id"):
        layer_of({"kind": "levels"}, ranges=[one, one])
    with pytest.raises(ValidationError, match="mask by colour"):
        layer_of({"kind": "blur"}, ranges=[{**one, "adjust": {"kind": "blur"}}])
    with pytest.raises(ValidationError, match="dark to light"):
        layer_of({"kind": "ramp", "stops": [{"at": 0.7, "colour": (0, 0, 0)}, {"at": 0.2, "colour": (1, 1, 1)}]})


# -- order and reach ------------------------------------------------------------------------------------------------------------


def test_an_adjustment_reads_its_group_all_beneath_or_one_layer() -> None:
    def group(reach: str, *more: Any, **also: Any) -> Any:
        layers = [layer_of({"kind": "invert"}, reach=reach).model_dump(), *more]
        return {"id": "g", "name": "G", "kind": "group", "channels": ALL, "layers": layers, **also}

    def canvas(*layers: Any) -> np.ndarray:
        made = VertexCanvas(plane_of(4), ())
        for layer in reversed(layers):
            made.add(layer if isinstance(layer, FillLayer | AdjustLayer) else _group(layer))
        return np.round(made.vertex_values("base_color")[0] / 65535, 3)

    ground = fill_layer("f", {"base_color": (0.2, 0.3, 0.4)})
    half = fill_layer("h", {"base_color": (0.9, 0.9, 0.1)}, strength=0.5).model_dump()
    # In its group: half a layer turned round, then laid on the ground.
    assert_allclose(canvas(group("group", half), ground), [0.15, 0.2, 0.65], atol=2e-3)
    # Everything: what the two come to, turned round.
    assert_allclose(canvas(group("beneath", half), ground), [0.45, 0.4, 0.75], atol=2e-3)
    assert_allclose(canvas(group("beneath", half, strength=0.5), ground), [0.325, 0.35, 0.575], atol=2e-3)
    # One layer: at the top of the sheet too.
    whole = fill_layer("h", {"base_color": (0.9, 0.9, 0.1)}, strength=0.5)
    assert_allclose(canvas(layer_of({"kind": "invert"}, reach="clip"), whole, ground), [0.15, 0.2, 0.65], atol=2e-3)
    assert_allclose(canvas(layer_of({"kind": "invert"}), whole, ground), [0.45, 0.4, 0.75], atol=2e-3)
    # Clipped to a layer that is hidden it does nothing, and on nothing it is one like others.
    assert_allclose(
        canvas(layer_of({"kind": "invert"}, reach="clip"), whole.model_copy(update={"visible": False}), ground), [0.2, 0.3, 0.4], atol=2e-3
    )
    assert_allclose(canvas(layer_of({"kind": "invert"}, reach="clip")), [0.5, 0.5, 0.5], atol=2e-3)


def _group(data: dict[str, Any]) -> Any:
    from ruvelt.core.stack.document import GroupLayer

    return GroupLayer.model_validate(data)


def test_a_clipped_layer_keeps_its_own_mode_strength_and_mask() -> None:
    """With a clipped adjustment that does next to nothing, a layer is laid as it is without one."""
    above = fill_layer("m", {"base_color": (0.7, 0.5, 0.9)}, strength=0.6, blend="multiply")
    slight = layer_of({"kind": "levels", "in_high": 0.99999, "out_high": 0.99998}, reach="clip")
    assert np.abs(after(slight, above) - after(above)).max() < 4 / 65535


def test_relief_is_times_its_strength_about_flat() -> None:
    def heights(relief: float) -> np.ndarray:
        layer = FillLayer.model_validate({"id": "f", "name": "F", "channels": {"height": {"value": (0.3,), "relief": relief, "blend": "height-add"}}})
        canvas = VertexCanvas(plane_of(4), (layer, fill_layer("g", {"height": (0.1,)})))
        return (canvas.vertex_values("height")[:, 0].astype(float) - 32768) / 32767

    for relief, wanted in [(1, 0.4), (2, 0.7), (0.5, 0.25), (0, 0.1), (8, 1.0)]:
        assert_allclose(heights(relief), wanted, atol=4e-5)

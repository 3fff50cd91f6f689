"""Evaluation: programs, masks, caches, and that a part evaluated equals the whole."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_array_equal

from ruvelt.core.planes.plane import Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import ChannelUse, GroupLayer
from ruvelt.core.stack.kinds.sources.faces import FacesSource
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id, plane_id
from ruvelt.core.stack.resolved import execute
from tests.core.scene import Scene, fill_layer, paint_layer
from tests.meshes import square, two_walls

RANDOM = np.random.default_rng(17)


def noise(components: int, slots: int = CHUNK) -> np.ndarray:
    return RANDOM.integers(0, 65536, (components, slots), np.uint16)


def lerp_stack(planes: list[np.ndarray], masks: list[np.ndarray | None], strengths: list[float], start: float = 0.5) -> np.ndarray:
    """Back to front normal blending in float64."""
    acc = np.full((3, planes[0].shape[1]), round(start * 65535) / 65535)
    for plane, mask, strength in zip(planes, masks, strengths, strict=True):
        a = plane[3] / 65535 * strength * (1 if mask is None else mask / 65535)
        acc += (plane[:3] / 65535 - acc) * a
    return acc


def test_painted_layers_with_masks_against_numpy() -> None:
    layers, planes, masks, strengths = [], [], [], []
    scene = Scene(square(), ())
    for i in range(5):
        mask = Mask(sources=(PaintedSource(id="m", base=0.25),)) if i % 2 else None
        strengths.append(0.9 - 0.1 * i)
        layers.append(paint_layer(f"l{i}", strength=strengths[-1], mask=mask))
        planes.append(noise(4))
        scene.put_plane(plane_id("s", f"l{i}", "base_color"), planes[-1])
        if mask:
            values = noise(2)
            scene.put_plane(mask_plane_id("s", f"l{i}", "m"), values)
            covered = values[1] / 65535
            masks.append(np.rint((0.25 + (values[0] / 65535 - 0.25) * covered) * 65535))
        else:
            masks.append(None)
    scene.document = scene.document.model_copy(update={"sheets": (scene.document.sheets[0].model_copy(update={"layers": tuple(reversed(layers))}),)})
    got = scene.evaluator.composite("base_color", 0) / 65535
    np.testing.assert_allclose(got, lerp_stack(planes, masks, strengths), atol=3e-5)


def stack_scene(data: st.DataObject) -> Scene:
    """A random stack: paint, fill and groups, masks, modes, strengths, some hidden."""
    scene = Scene_cache.get()
    count = 0
    modes = st.sampled_from(["normal", "multiply", "screen", "overlay", "difference", "hue", "color-burn"])

    def layer(depth: int) -> object:
        nonlocal count
        count += 1
        name = f"l{count}"
        kind = data.draw(st.sampled_from(["paint", "fill", "group"] if depth < 2 else ["paint", "fill"]))
        common = {
            "blend": data.draw(modes),
            "strength": data.draw(st.sampled_from([0.0, 0.4, 1.0])),
            "visible": data.draw(st.booleans()) or data.draw(st.booleans()),
        }
        if data.draw(st.booleans()):
            source = PaintedSource(id="m", base=data.draw(st.sampled_from([0.0, 1.0])), invert=data.draw(st.booleans()))
            common["mask"] = Mask(sources=(source,), invert=data.draw(st.booleans()))
            if data.draw(st.booleans()):
                scene.put_plane(mask_plane_id("s", name, "m"), Scene_cache.noise2)
            else:
                scene.planes.pop(mask_plane_id("s", name, "m"), None)
        if kind == "fill":
            return fill_layer(name, {"base_color": (0.3, 0.6, 0.9)}, **common)
        if kind == "group":
            inner = tuple(layer(depth + 1) for _ in range(data.draw(st.integers(0, 3))))
            return GroupLayer(id=name, name=name, layers=inner, channels={"base_color": ChannelUse()}, **common)
        scene.put_plane(plane_id("s", name, "base_color"), Scene_cache.noise4)
        return paint_layer(name, **common)

    layers = tuple(layer(0) for _ in range(data.draw(st.integers(1, 4))))
    sheet = scene.document.sheets[0].model_copy(update={"layers": layers})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    return scene


class Scene_cache:
    _made: Scene | None = None
    noise4 = noise(4)
    noise2 = noise(2)

    @classmethod
    def get(cls) -> Scene:
        if cls._made is None:
            cls._made = Scene(square(), ())
        cls._made.planes.clear()
        return cls._made


@settings(max_examples=60, deadline=None)
@given(data=st.data())
def test_runs_equal_the_whole_and_states_go_on(data: st.DataObject) -> None:
    """Any stack: evaluated over ragged runs, or stopped at any step and gone on with, gives the same codes as in one go."""
    evaluator = stack_scene(data).evaluator
    program = evaluator.program("base_color")
    whole = evaluator.composite("base_color", 0)

    starts = np.array([0, 100, 5000, 5016, 65520], np.int32)
    counts = np.array([16, 300, 16, 700, 16], np.int32)
    part = np.zeros_like(whole)
    evaluator.run(program, 0, (starts, counts), part)
    inside = np.zeros(CHUNK, bool)
    for s, n in zip(starts, counts, strict=True):
        inside[s : s + n] = True
    assert_array_equal(part[:, inside], whole[:, inside])
    assert (part[:, ~inside] == 0).all()

    step = data.draw(st.integers(1, len(program.ops)))
    state = evaluator.state_before(program, step, 0)
    execute(evaluator.resolve(program, 0, 1, step), WHOLE, save=state)
    gone_on = np.empty_like(whole)
    execute(evaluator.resolve(program, 0, step, len(program.ops)), WHOLE, state=state, out=gone_on)
    assert_array_equal(gone_on, whole)


def test_hidden_off_and_empty_layers_leave_no_steps() -> None:
    layers = (
        paint_layer("a", visible=False),
        paint_layer("b", strength=0.0),
        paint_layer("c", channels={"base_color": ChannelUse(on=False)}),
        fill_layer("d", {"roughness": (0.2,)}),
        paint_layer("e"),
    )
    program = Scene(square(), layers).evaluator.program("base_color")
    assert [op.layer for op in program.ops] == ["", "e"]
    assert program.index_of("e") == 1
    assert program.index_of("a") is None


def test_a_stamp_changes_with_its_inputs_and_only_then() -> None:
    scene = Scene(square(), (paint_layer("top", mask=Mask(sources=(PaintedSource(id="m"),))), paint_layer("p")), side=512)
    before = [scene.evaluator.version("base_color", c) for c in range(4)]
    assert before == [scene.evaluator.version("base_color", c) for c in range(4)]
    values = noise(4)
    scene.planes[plane_id("s", "p", "base_color")] = Plane(4, {2: scene.store.put(values)})
    after = [scene.evaluator.version("base_color", c) for c in range(4)]
    assert [a == b for a, b in zip(before, after, strict=True)] == [True, True, False, True]
    roughness = scene.evaluator.version("roughness", 2)
    scene.planes[mask_plane_id("s", "top", "m")] = Plane(2, {2: scene.store.put(noise(2))})
    assert scene.evaluator.version("base_color", 2) != after[2]
    assert scene.evaluator.version("roughness", 2) != roughness


def test_faces_mask_reveals_its_faces_only() -> None:
    scene = Scene(
        two_walls(),
        (fill_layer("f", {"base_color": (1.0, 0.0, 0.0)}, mask=Mask(sources=(FacesSource(id="m", picks=(FacePick(by="part", index=0),)),))),),
    )
    assert scene.value("base_color", 0, 0, 0.01)[0] == 65535
    assert scene.value("base_color", 0, 0, -0.01)[0] == 32768


@pytest.mark.parametrize(
    ("combine", "strength", "invert", "wanted"),
    [
        ("replace", 1.0, False, 0.25),
        ("multiply", 1.0, False, 0.2),
        ("add", 1.0, False, 1.0),
        ("subtract", 1.0, False, 0.55),
        ("max", 1.0, False, 0.8),
        ("min", 1.0, False, 0.25),
        ("min", 0.5, False, 0.525),
        ("multiply", 1.0, True, 0.6),
    ],
)
def test_mask_sources_combine(combine: str, strength: float, invert: bool, wanted: float) -> None:
    mask = Mask(
        sources=(
            PaintedSource(id="a", base=0.8),
            PaintedSource(id="b", base=0.25, combine=combine, strength=strength, invert=invert),  # type: ignore[arg-type]
        )
    )
    scene = Scene(square(), (fill_layer("f", {"roughness": (1.0,)}, mask=mask), fill_layer("g", {"roughness": (0.0,)})))
    assert scene.evaluator.composite("roughness", 0)[0, 77] / 65535 == pytest.approx(wanted, abs=1e-4)
    turned = mask.model_copy(update={"invert": True})
    assert scene.evaluator.mask_chunk(turned, "f", 0) == pytest.approx(1 - wanted, abs=1e-4)


def test_coverage_finds_what_nothing_painted() -> None:
    scene = Scene(square(), (paint_layer("p"),))
    assert scene.evaluator.coverage("base_color", 0).max() == 0
    values = np.zeros((4, CHUNK), np.uint16)
    values[3, 500:600] = 65535
    values[3, 600:650] = 32768
    scene.put_plane(plane_id("s", "p", "base_color"), values)
    cover = scene.evaluator.coverage("base_color", 0)
    assert (cover > 0).sum() == 150
    assert cover[620] == pytest.approx(0.5, abs=1e-4)
    inside = GroupLayer(id="g", name="g", strength=0.5, layers=(paint_layer("p"),), channels={"base_color": ChannelUse()})
    sheet = scene.document.sheets[0].model_copy(update={"layers": (inside,)})
    scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
    assert scene.evaluator.coverage("base_color", 0)[550] == pytest.approx(0.5, abs=1e-4)


def test_solo_shows_one_layer_inside_its_groups() -> None:
    stack = (
        fill_layer("front", {"base_color": (0.0, 0.0, 1.0)}),
        GroupLayer(
            id="g",
            name="g",
            strength=0.5,
            channels={},
            layers=(fill_layer("a", {"base_color": (1.0, 0.0, 0.0)}), fill_layer("b", {"base_color": (0.0, 1.0, 0.0)})),
        ),
        fill_layer("back", {"base_color": (1.0, 1.0, 1.0)}),
    )

    def colour(solo: str | None) -> list[float]:
        scene = Scene_cache.get()
        sheet = scene.document.sheets[0].model_copy(update={"layers": stack, "solo": solo})
        scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
        return [round(float(v) / 65535, 2) for v in scene.evaluator.composite("base_color", 0)[:, 9]]

    assert colour(None) == [0.0, 0.0, 1.0]
    # Over the start value of 0.5, at the group's strength.
    assert colour("b") == [0.25, 0.75, 0.25]
    assert colour("g") == [0.75, 0.25, 0.25]
    assert colour("back") == [1.0, 1.0, 1.0]
    assert colour("gone") == colour(None)

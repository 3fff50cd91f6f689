"""Stroke scripts: what they take and what they refuse."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvelt.core.brush.script import StrokeStep, parse_script
from ruvelt.core.errors import InputError
from ruvelt.demo.paint_lantern import enamel_script, fittings_script


def script(*steps: dict[str, object]) -> dict[str, object]:
    return {"format": "ruvelt-strokes", "version": 1, "steps": list(steps)}


@pytest.mark.parametrize("made", [enamel_script, fittings_script])
def test_the_demo_scripts_are_valid_and_repeat(made: object) -> None:
    parsed = parse_script(made())  # type: ignore[operator]
    assert len(parsed.steps) > 30
    assert parsed == parse_script(json.loads(json.dumps(made())))  # type: ignore[operator]


@pytest.mark.parametrize(
    ("content", "match"),
    [
        ({}, "wrong at format"),
        (script({"do": "jump"}), "steps.0"),
        (script({"do": "stroke"}), "exactly one of"),
        (script({"do": "stroke", "view": [[1, 2]]}), "needs its 'camera'"),
        (script({"do": "stroke", "surface": [[1, 2]]}), "steps.0.stroke.surface"),
        (script({"do": "stroke", "surface": [[0, 0, 0]], "sheet": [[1, 1]]}), "exactly one of"),
        (script({"do": "stroke", "surface": [[0, 0, 0]], "pressure": [1, 1]}), "as many as there are points"),
        (script({"do": "brush", "brush": {"size": -1}}), "steps.0.brush.brush.size"),
        (script({"do": "flood", "strength": 2}), "steps.0.flood.strength"),
        (script({"do": "undo", "times": 3}), "times"),
        ([1, 2, 3], "the file"),
    ],
)
def test_wrong_fields_are_named(content: object, match: str) -> None:
    with pytest.raises(InputError, match=match):
        parse_script(content)


json_like = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["do", "steps", "format", "version", "surface", "brush"]), inner, max_size=4)
    ),
    max_leaves=20,
)


@settings(max_examples=150, deadline=None)
@given(json_like)
def test_any_json_gets_words(content: object) -> None:
    with pytest.raises(InputError):
        parse_script(content)


def test_a_step_survives_its_json() -> None:
    step = StrokeStep(do="stroke", surface=((0, 0, 1), (0, 1, 0)), pressure=(0.5, 1.0))
    assert StrokeStep.model_validate_json(step.model_dump_json()) == step

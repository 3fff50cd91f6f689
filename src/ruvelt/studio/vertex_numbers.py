"""Numbers that a file gave its vertices, as channels of a project."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from ruvelt.core.mesh.facts import Note
from ruvelt.core.mesh.model import Model, VertexNumbers
from ruvelt.core.stack.channels import CHANNEL_ID, MOST_CHANNELS, STANDARD_CHANNELS, Channel

_STANDARD = {c.id: c for c in STANDARD_CHANNELS}


def with_numbers(model: Model, notes: list[Note]) -> Model:
    """The model with only those numbers that a channel can hold; notes tell what became of each."""
    kept: list[VertexNumbers] = []
    free = MOST_CHANNELS - len(STANDARD_CHANNELS)
    for numbers in model.vertex_numbers:
        own = numbers.name not in _STANDARD
        low = -1 if not own and _STANDARD[numbers.name].kind == "height" else 0
        named = bool(re.fullmatch(CHANNEL_ID, numbers.name)) and (not own or free > 0)
        known = channel_of(numbers) if named else None
        whole = np.isfinite(numbers.values).all() and numbers.values.min() >= low and numbers.values.max() <= 1
        if known is None or not whole or numbers.values.shape[1] != known.components:
            why = "a project has no room for another channel, or none can have that name" if known is None else f"they are not all from {low} to 1"
            notes.append(Note("File", "left out", f"Numbers of vertices, '{numbers.name[:40]}': {why}."))
            continue
        free -= own
        kept.append(numbers)
        notes.append(Note("File", "kept", f"Numbers of vertices, '{numbers.name}', as {'a channel of its own' if own else known.name.lower()}."))
    return replace(model, vertex_numbers=tuple(kept))


def channels_of(model: Model) -> tuple[Channel, ...]:
    """The standard channels, and one for each of the model's own numbers."""
    return (*STANDARD_CHANNELS, *(channel_of(n) for n in model.vertex_numbers if n.name not in _STANDARD))


def channel_of(numbers: VertexNumbers) -> Channel:
    """The channel that holds some numbers."""
    if numbers.name in _STANDARD:
        return _STANDARD[numbers.name]
    count = numbers.values.shape[1]
    name = numbers.name.replace("_", " ").capitalize()
    return Channel(id=numbers.name, name=name, kind="colour" if count == 3 else "data", start=(0.0,) * count)

"""The lantern's paint job as stroke scripts: the simulated pen at work."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np

from ruvelt.demo.lantern import bail_path, tube_path

Steps = list[dict[str, Any]]
TEAL, DEEP, FADED, CREAM = (0.125, 0.29, 0.285), (0.085, 0.2, 0.205), (0.27, 0.41, 0.39), (0.87, 0.825, 0.7)
STEEL, PRIMER, RUST, DARK_RUST = (0.46, 0.44, 0.41), (0.66, 0.62, 0.54), (0.46, 0.235, 0.12), (0.26, 0.13, 0.075)
SALT, SOOT, GRIME, DUST = (0.82, 0.83, 0.8), (0.075, 0.07, 0.065), (0.15, 0.135, 0.11), (0.5, 0.46, 0.38)
BRASS, TARNISH, WIRE, WOOD = (0.78, 0.6, 0.29), (0.34, 0.26, 0.13), (0.6, 0.6, 0.58), (0.33, 0.19, 0.115)

#: Strokes of the letters in a box one unit high; x runs on, y is up.
LETTERS: dict[str, tuple[float, list[list[tuple[float, float]]]]] = {
    "T": (0.56, [[(0, 1), (0.56, 1)], [(0.28, 1), (0.28, 0)]]),
    "E": (0.5, [[(0.5, 1), (0, 1), (0, 0), (0.5, 0)], [(0, 0.52), (0.42, 0.52)]]),
    "R": (0.54, [[(0, 0), (0, 1), (0.4, 1), (0.52, 0.86), (0.52, 0.66), (0.4, 0.5), (0, 0.5)], [(0.26, 0.5), (0.54, 0)]]),
    "N": (0.56, [[(0, 0), (0, 1), (0.56, 0), (0.56, 1)]]),
    "P": (0.52, [[(0, 0), (0, 1), (0.4, 1), (0.52, 0.86), (0.52, 0.62), (0.4, 0.46), (0, 0.46)]]),
    "O": (0.58, [[(0.16, 0), (0, 0.2), (0, 0.8), (0.16, 1), (0.42, 1), (0.58, 0.8), (0.58, 0.2), (0.42, 0), (0.16, 0)]]),
    "I": (0.0, [[(0, 0), (0, 1)]]),
    " ": (0.3, []),
}
_random = np.random.default_rng


def _on_tank(angle: np.ndarray, y: np.ndarray, radius: float = 0.62) -> list[list[float]]:
    return np.column_stack([np.sin(angle) * radius, y, np.cos(angle) * radius]).round(5).tolist()  # type: ignore[no-any-return]


def layer(kind: str, name: str, sheet: str, ref: str, **more: Any) -> dict[str, Any]:
    return {"do": "add-layer", "kind": kind, "name": name, "sheet": sheet, "ref": ref, **more}


def fill(**values: Any) -> dict[str, Any]:
    return {k: {"value": v if isinstance(v, tuple) else (v,)} for k, v in values.items()}


def brush(size: float, **more: Any) -> dict[str, Any]:
    return {"do": "brush", "brush": {"size": size, "size_unit": "object", **more}}


def paint(**values: Any) -> dict[str, Any]:
    return {"do": "paint", "paint": {"values": {k: v if isinstance(v, tuple) else (v,) for k, v in values.items()}}}


def stroke(points: list[list[float]], pressure: Any = 1.0) -> dict[str, Any]:
    return {"do": "stroke", "surface": points, "pressure": pressure}


def faces_mask(*parts: int) -> dict[str, Any]:
    return {"sources": [{"kind": "faces", "id": "faces", "picks": [{"by": "part", "index": p} for p in parts]}]}


def built_mask(*steps: dict[str, Any]) -> dict[str, Any]:
    """A mask from the model's measures, bottom first; ids follow from the order."""
    return {"sources": [{"id": f"m{i}", **step} for i, step in enumerate(steps, 1)]}


def source(kind: str, combine: str = "multiply", **more: Any) -> dict[str, Any]:
    return {"kind": kind, "combine": combine, **more}


def _lettering(text: str) -> Steps:
    """Lettering on the front of the tank, along the cylinder."""
    height, y0, radius, gap = 0.115, 0.195, 0.62, 0.045
    width = sum(LETTERS[c][0] * height + gap for c in text) - gap
    at, steps = -width / 2, Steps()
    for c in text:
        advance, lines = LETTERS[c]
        for line in lines:
            p = np.array(line)
            dense = np.concatenate([np.linspace(a, b, 8) for a, b in itertools.pairwise(p)])
            steps.append(stroke(_on_tank((at + dense[:, 0] * height) / radius + 0.42, y0 + dense[:, 1] * height)))
        at += advance * height + gap
    return steps


def _rim(y: float, radius: float, count: int, seed: int, spread: float = 0.012) -> list[list[list[float]]]:
    """Short wandering marks round a rim."""
    r = _random(seed)
    marks = []
    for _ in range(count):
        a, n = r.uniform(0, 2 * np.pi), int(r.integers(2, 6))
        angle = a + np.cumsum(r.uniform(0.004, 0.022, n))
        height = y + r.normal(0, spread) + np.cumsum(r.normal(0, 0.006, n))
        marks.append(np.column_stack([np.sin(angle) * radius, height, np.cos(angle) * radius]).round(5).tolist())
    return marks


def _along(path: np.ndarray, offset: float, count: int, seed: int) -> list[list[list[float]]]:
    """Short marks on the outer side of a tube."""
    r = _random(seed)
    marks = []
    for _ in range(count):
        i = int(r.integers(1, len(path) - 2))
        start, direction = path[i], path[i + 1] - path[i]
        side = np.array([np.sign(start[0]) * 0.8, 0.0, r.choice([-0.6, 0.6])])
        marks.append([(start + side * offset + direction * t * r.uniform(0.1, 0.6)).round(5).tolist() for t in (0, 0.5, 1)])
    return marks


def _chips(seed: int) -> list[list[list[float]]]:
    marks = _rim(0.405, 0.642, 46, seed) + _rim(0.105, 0.642, 34, seed + 1) + _rim(0.05, 0.617, 26, seed + 2, 0.008)
    marks += _rim(1.44, 0.388, 26, seed + 3, 0.008) + _rim(0.47, 0.592, 22, seed + 4, 0.01)
    for sign in (1, -1):
        marks += _along(tube_path(6) * [sign, 1, 1], 0.06, 14, seed + 5 + sign)
    return marks


def enamel_script() -> dict[str, Any]:
    """Everything on the Enamel sheet."""
    sheet, steps = "Enamel", Steps()
    steps.append(layer("fill", "Enamel coat", sheet, "coat", channels=fill(base_color=TEAL, roughness=0.2, metallic=0.0, height=0.1)))
    r = _random(7)

    steps += [layer("paint", "Depth and fading", sheet, "fading"), {"do": "target", "layer": "fading", "channels": ["base_color", "roughness"]}]
    steps += [brush(0.2, hardness=0.0, flow=0.25, strength=0.55, spacing=0.2), paint(base_color=FADED, roughness=0.34)]
    for a in np.linspace(0, 2 * np.pi, 15):
        direction = np.linspace(a, a + 0.6, 6)
        steps.append(stroke(np.column_stack([np.sin(direction) * 0.45, np.full(6, 0.518), np.cos(direction) * 0.45]).tolist()))
    steps.append(paint(base_color=DEEP, roughness=0.16))
    for a in np.linspace(0, 2 * np.pi, 12):
        steps.append(stroke(_on_tank(np.linspace(a, a + 0.8, 6), np.full(6, 0.17 + 0.02 * np.sin(5 * a)))))

    steps += [
        layer("paint", "Lettering and bands", sheet, "letters"),
        {"do": "target", "layer": "letters", "channels": ["base_color", "roughness", "height"]},
    ]
    steps += [brush(0.0115, hardness=0.85, flow=1.0, spacing=0.08), paint(base_color=CREAM, roughness=0.3, height=0.06)]
    steps += _lettering("TERN POINT")
    steps.append(brush(0.0055, hardness=0.8, flow=1.0, spacing=0.1))
    for y in (0.165, 0.34):
        ring = np.linspace(0, 2 * np.pi, 160)
        steps.append(stroke(_on_tank(ring, np.full(160, y))))

    chipped = built_mask(
        source("curvature", low=0.3, high=0.65),
        source("noise", size=0.035, octaves=5, contrast=0.86, balance=0.3, seed=4),
        {"kind": "contrast", "contrast": 0.75, "balance": 0.35},
        source("painted", "max"),
    )
    steps += [layer("fill", "Chips to primer", sheet, "primer", channels=fill(base_color=PRIMER, roughness=0.6, height=-0.05), mask=chipped)]
    steps += [{"do": "target", "layer": "primer", "mask": True}]
    chips = _chips(11)
    for mark in chips:
        size = r.uniform(0.012, 0.03)
        steps += [brush(size, hardness=0.9, flow=1.0, spacing=0.25, jitter_place=0.3, jitter_size=0.6, seed=int(r.integers(1, 9999))), stroke(mark)]
    steps += [
        layer("paint", "Bare steel", sheet, "steel"),
        {"do": "target", "layer": "steel", "channels": ["base_color", "roughness", "metallic", "height"]},
    ]
    steps.append(paint(base_color=STEEL, roughness=0.42, metallic=0.9, height=-0.14))
    for mark in chips:
        size = r.uniform(0.006, 0.018)
        steps += [brush(size, hardness=0.85, flow=1.0, spacing=0.3, jitter_place=0.25, jitter_size=0.6, seed=int(r.integers(1, 9999))), stroke(mark)]
    steps += [layer("paint", "Rust", sheet, "rust"), {"do": "target", "layer": "rust", "channels": ["base_color", "roughness", "metallic"]}]
    for colour in (RUST, DARK_RUST):
        steps.append(paint(base_color=colour, roughness=0.88, metallic=0.1))
        for mark in chips[:: 3 if colour is RUST else 5]:
            size = r.uniform(0.006, 0.02)
            steps += [
                brush(size, hardness=0.3, flow=0.5, strength=0.85, spacing=0.3, jitter_place=0.5, jitter_strength=0.5, seed=int(r.integers(1, 9999))),
                stroke(mark),
            ]

    steps += [
        layer("paint", "Rust runs", sheet, "runs", blend="multiply", strength=0.8),
        {"do": "target", "layer": "runs", "channels": ["base_color", "roughness"]},
    ]
    steps += [
        paint(base_color=(0.72, 0.5, 0.33), roughness=0.7),
        brush(0.009, hardness=0.1, flow=0.22, strength=0.7, spacing=0.2, pressure_size={"on": True}),
    ]
    for a in r.uniform(0, 2 * np.pi, 44):
        top, length = r.choice([0.385, 0.385, 0.09]), r.uniform(0.05, 0.2)
        heights = np.linspace(top, max(top - length, 0.05), 9)
        steps.append(stroke(_on_tank(a + 0.006 * np.sin(heights * 40), heights), np.linspace(1, 0.25, 9).tolist()))
    streaks = built_mask(
        source("noise", size=0.012, stretch=(1, 14, 1), octaves=3, contrast=0.6, balance=0.34, seed=9),
        source("position", low=0.03, high=0.16, invert=True),
        source("facing", along=(0, 1, 0), low=0.1, high=0.6, invert=True),
        source("facing", along=(0, -1, 0), low=0.1, high=0.6, invert=True),
        {"kind": "blur", "radius": 0.001},
    )
    salt = fill(base_color=SALT, roughness=0.8)
    steps.append(layer("fill", "Salt streaks", sheet, "salt", blend="screen", strength=0.4, channels=salt, mask=streaks))
    dusty = built_mask(
        source("occlusion", low=0.25, high=0.7), source("noise", size=0.06, contrast=0.3, balance=0.6, seed=2), source("painted", "add")
    )
    steps.append(layer("fill", "Dust in recesses", sheet, "dust", strength=0.6, channels=fill(base_color=DUST, roughness=0.95), mask=dusty))
    sooty = built_mask(
        source("position", low=0.6, high=0.76),
        source("noise", size=0.09, contrast=0.2, balance=0.5, seed=6),
        {"kind": "levels", "in_high": 0.8, "out_high": 0.7},
        source("painted", "add"),
    )
    soot = fill(base_color=SOOT, roughness=0.92)
    steps += [layer("fill", "Soot near the vents", sheet, "soot", blend="multiply", channels=soot, mask=sooty)]
    steps += [{"do": "target", "layer": "soot", "mask": True}]
    steps += [
        {"do": "paint", "paint": {"mask_value": 1.0}},
        brush(0.08, hardness=0.0, flow=0.2, strength=0.7, spacing=0.15, jitter_place=0.3, jitter_strength=0.7),
    ]
    for y, radius, turns in ((1.67, 0.292, 2), (1.58, 0.292, 1), (1.49, 0.32, 1)):
        ring = np.linspace(0, 2 * np.pi * turns, 60)
        steps.append(stroke(np.column_stack([np.sin(ring) * radius, y + 0.015 * np.sin(7 * ring), np.cos(ring) * radius]).tolist()))
    steps += [
        layer("paint", "Grime at the foot", sheet, "grime", blend="multiply", strength=0.75),
        {"do": "target", "layer": "grime", "channels": ["base_color", "roughness"]},
    ]
    steps += [
        paint(base_color=GRIME, roughness=0.85),
        brush(0.05, hardness=0.0, flow=0.18, strength=0.8, spacing=0.2, jitter_place=0.4, jitter_strength=0.6),
    ]
    for y, radius in ((0.045, 0.615), (0.075, 0.632), (0.15, 0.62)):
        ring = np.linspace(0, 2 * np.pi, 70)
        steps.append(stroke(_on_tank(ring, np.full(70, y), radius)))
    return {"format": "ruvelt-strokes", "version": 1, "steps": steps}


def fittings_script() -> dict[str, Any]:
    """Everything on the Fittings sheet. Parts by their order in the file: 4 burner, 5 globe … 10 cage, 11 bail, 12 grip."""
    sheet, steps, r = "Fittings", Steps(), _random(23)
    steps.append(layer("fill", "Brass", sheet, "brass", channels=fill(base_color=BRASS, roughness=0.26, metallic=1.0)))
    steps.append(layer("fill", "Steel wire", sheet, "wire", channels=fill(base_color=WIRE, roughness=0.34, metallic=1.0), mask=faces_mask(10, 11)))
    steps.append(layer("fill", "Oiled wood", sheet, "wood", channels=fill(base_color=WOOD, roughness=0.5, metallic=0.0), mask=faces_mask(12)))
    glass = fill(base_color=(0.8, 0.84, 0.82), roughness=0.06, metallic=0.0, opacity=0.16)
    steps.append(layer("fill", "Glass", sheet, "glass", channels=glass, mask=faces_mask(5)))
    steps += [layer("paint", "Tarnish", sheet, "tarnish"), {"do": "target", "layer": "tarnish", "channels": ["base_color", "roughness", "metallic"]}]
    steps += [paint(base_color=TARNISH, roughness=0.55, metallic=0.7)]
    steps.append(brush(0.07, hardness=0.0, flow=0.3, strength=0.7, spacing=0.3, jitter_place=0.8, jitter_size=0.6, jitter_strength=0.8))
    for y, radius in ((1.775, 0.47), (1.84, 0.345), (1.905, 0.21), (1.94, 0.18), (2.02, 0.13), (0.72, 0.36), (0.63, 0.21)):
        ring = np.linspace(0, 2 * np.pi, 70)
        steps.append(stroke(np.column_stack([np.sin(ring) * radius, np.full(70, y), np.cos(ring) * radius]).tolist()))
    polished = built_mask(
        source("curvature", low=0.05, high=0.35, radius=0.004),
        source("position", low=0.72, high=0.8),
        source("noise", size=0.12, contrast=0.1, balance=0.65, seed=3),
        {"kind": "blur", "radius": 0.003},
    )
    shine = fill(base_color=(0.87, 0.7, 0.38), roughness=0.13, metallic=1.0)
    steps.append(layer("fill", "Polished by hands", sheet, "polish", channels=shine, mask=polished))
    steps += [layer("paint", "Heat on the hood", sheet, "heat", blend="multiply", strength=0.7)]
    steps += [{"do": "target", "layer": "heat", "channels": ["base_color", "roughness"]}, paint(base_color=(0.42, 0.33, 0.26), roughness=0.6)]
    steps.append(brush(0.09, hardness=0.0, flow=0.2, strength=0.8, spacing=0.2, jitter_place=0.5, jitter_strength=0.7))
    for y, radius in ((1.75, 0.4), (1.755, 0.33), (1.772, 0.475)):
        ring = np.linspace(0, 2 * np.pi, 70)
        steps.append(stroke(np.column_stack([np.sin(ring) * radius, np.full(70, y), np.cos(ring) * radius]).tolist()))
    steps += [
        layer("paint", "Wire rust", sheet, "wire-rust"),
        {"do": "target", "layer": "wire-rust", "channels": ["base_color", "roughness", "metallic"]},
    ]
    steps += [
        paint(base_color=RUST, roughness=0.85, metallic=0.1),
        brush(0.03, hardness=0.1, flow=0.5, strength=0.85, spacing=0.3, jitter_strength=0.7, facing=False),
    ]
    path = bail_path(120)
    for start in r.integers(0, 110, 12):
        steps.append(stroke(path[start : start + int(r.integers(3, 8))].round(5).tolist()))
    for a in r.uniform(0, 2 * np.pi, 16):
        ring = np.linspace(a, a + 0.25, 5)
        y, radius = (0.90, 0.475) if a > 3 else (1.22, 0.478)
        steps.append(stroke(np.column_stack([np.sin(ring) * radius, np.full(5, y), np.cos(ring) * radius]).tolist()))
    steps += [
        layer("paint", "Soot on the glass", sheet, "glass-soot"),
        {"do": "target", "layer": "glass-soot", "channels": ["base_color", "roughness", "opacity"]},
    ]
    steps += [
        paint(base_color=(0.2, 0.18, 0.16), roughness=0.5, opacity=0.55),
        brush(0.12, hardness=0.0, flow=0.12, strength=0.5, spacing=0.2, jitter_strength=0.6),
    ]
    ring = np.linspace(0, 2 * np.pi, 60)
    steps.append(stroke(np.column_stack([np.sin(ring) * 0.3, 1.4 + 0.02 * np.sin(5 * ring), np.cos(ring) * 0.3]).tolist()))
    return {"format": "ruvelt-strokes", "version": 1, "steps": steps}

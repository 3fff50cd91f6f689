"""All benchmarks in one run."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ruvelt.bench.baking import against_embree, memory, noise, strokes_beside_a_bake
from ruvelt.bench.blending import twenty_layers
from ruvelt.bench.colouring import adjustments, shown_quickly, strokes_under_adjustments
from ruvelt.bench.geometry import CORNERS, rows_against_numpy
from ruvelt.bench.handing_over import checks, exports
from ruvelt.bench.importing import import_against_decoding
from ruvelt.bench.levels import levels, trips
from ruvelt.bench.masking import mask_rows, strokes_among_masks, wide_rows
from ruvelt.bench.project import first_stroke, open_to_picture
from ruvelt.bench.strokes import against_scipy, more_layers
from ruvelt.bench.timing import Row
from ruvelt.bench.tools import larger_sheet, many_strokes, tools, tools_against_scipy, vertices


def run_all(quick: bool, say: Callable[[str], None]) -> dict[str, Any]:
    """Every figure as JSON: name, ours, baseline, ratio, unit."""
    side = 512 if quick else 2048
    jobs: list[tuple[str, Callable[[], list[Row]]]] = [
        ("blending", lambda: twenty_layers(side)),
        ("strokes", lambda: [against_scipy(side)]),
        ("layers", lambda: more_layers(side)),
        ("adjustments", lambda: adjustments(side * 2)),
        ("strokes under adjustments", lambda: strokes_under_adjustments(side)),
        ("sliders and variants", lambda: shown_quickly(side)),
        ("tools", lambda: tools(side)),
        ("tools against SciPy", lambda: tools_against_scipy(side)),
        ("a larger sheet", lambda: larger_sheet(side)),
        ("vertices", lambda: vertices(side)),
        ("levels", lambda: levels(quick)),
        ("trips of paint", lambda: trips(side * (1 if quick else 2))),
        ("many strokes", lambda: many_strokes(side, 40 if quick else 200)),
        ("masks", lambda: mask_rows(side)),
        ("wide blur and patterns", lambda: wide_rows(side)),
        ("strokes among masks", lambda: strokes_among_masks(side)),
        ("geometry", lambda: [rows_against_numpy(60_000 if quick else CORNERS)]),
        ("importing", lambda: [import_against_decoding(side)]),
        ("opening", lambda: open_to_picture(side * 2, 4 if quick else 20)),
        ("first stroke", lambda: first_stroke(side)),
        ("handing over", lambda: exports(side * 2)),
        ("checks", lambda: checks(side)),
        ("baking", lambda: against_embree(side // 2)),
        ("noise", lambda: noise(256)),
        ("memory of a bake", memory),
        ("strokes beside a bake", lambda: strokes_beside_a_bake(side)),
    ]
    rows: list[Row] = []
    for name, job in jobs:
        say(f"{name}…")
        rows += job()
    return {"threads": 2, "quick": quick, "rows": [r.as_json() for r in rows]}


def table(results: dict[str, Any]) -> str:
    lines = [f"{'':2} {'what':58} {'ours':>10} {'baseline':>10}  {'ratio':>7}  goal"]
    for r in results["rows"]:
        mark = "ok" if r["met"] else "--"
        lines.append(
            f"{mark} {r['name'][:58]:58} {r['ours']:>7.1f} {r['unit']:2} {r['baseline']:>7.1f} {r['unit']:2}  {r['ratio']:>7.2f}  "
            f"{r['goal']} ({r['baseline_name']})"
        )
    return "\n".join(lines)

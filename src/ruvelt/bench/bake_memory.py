"""Run by itself: bakes 2048² texels from 1.3 million triangles and prints the MiB that took beyond the program. One process, or peaks would mix."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ruvelt.bench.fixtures import sphere
from ruvelt.core.bake.baker import Baker
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BakeSource
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.workers import Workers


def _peak() -> float:
    """MiB at most since the last reset. A process's own count begins with what its parent took, before it is reset."""
    status = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
    return float(status["VmHWM"].split()[0]) / 1024


def main() -> None:
    workers = Workers(2)
    low, high = sphere(140, 70), sphere(1140, 570)
    Path("/proc/self/clear_refs").write_text("5")
    before = _peak()
    samples = SheetSamples(low, plan_sheets(low)[0], 2048, workers)
    baker = Baker(samples, BakeSource(low, (high,)), BakeSettings(rays=4, front=0.05, back=0.05), workers)
    baker.bake(["normal", "occlusion", "curvature", "bent_normal"])
    workers.close()
    print(np.round(_peak() - before, 1))


if __name__ == "__main__":
    main()

"""Three thousand strokes with undo: what they leave on disk and in memory."""

from __future__ import annotations

import random
import resource

import numpy as np
import pytest

from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.store.upkeep import file_sizes
from ruvelt.studio.housekeeping import keep_small
from ruvelt.studio.limits import Limits
from ruvelt.studio.strokes import PointerSample, StrokeBegin, StrokeMessage
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj

pytestmark = pytest.mark.slow
STROKES = 3000
#: What a step left on disk before chunks were kept as differences, measured with these very strokes (bytes).
BEFORE = 1_167_000


def test_three_thousand_strokes(tmp_path) -> None:  # type: ignore[no-untyped-def]
    studio = Studio(tmp_path, Limits(memory_bytes=384 << 20, threads=2))
    uid = studio.create(cube_obj(), "cube.obj", resolution=1024, companions={"cube.mtl": CUBE_MTL})
    chance = random.Random(1)
    resident = []
    with studio.lend(uid) as opened:
        session = opened.session
        target = Target(sheet="wood", layer="l2", channels=("base_color",))
        # A noisy ground, as paint is: flat colours would shrink to nothing.
        brush = Brush(size=240, hardness=0.2, flow=0.4, jitter_hue=0.5, jitter_value=0.5, jitter_place=1.0, spacing=0.08)
        for i in range(STROKES):
            begin = StrokeBegin(
                revision=session.revision,
                target=target,
                brush=brush.model_copy(update={"size": chance.uniform(20, 160) if i > 40 else 400.0, "seed": i + 1}),
                paint=Paint(values={"base_color": (chance.random(), chance.random(), chance.random())}),
            )
            x, y = chance.uniform(50, 950), chance.uniform(550, 950)
            line = tuple(PointerSample(x=x + 12 * k * chance.uniform(0.5, 1), y=y + 5 * k * chance.uniform(-1, 1)) for k in range(12))
            opened.strokes.handle(StrokeMessage(stroke=f"s{i}", begin=begin, points=line, end=True))
            if i % 7 == 6:
                for _ in range(chance.randint(1, 3)):
                    session.undo()
            if i % 300 == 299:
                keep_small(opened)
                resident.append(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
        keep_small(opened)
        steps, size = session.store.head, file_sizes(session.store)
        print(f"\n{steps} steps, {size.project / 2**20:.0f} MiB, {size.project / steps / 1000:.0f} kB a step, resident {resident}")
        assert size.project < steps * BEFORE / 5
        # The cache has filled up by then; nothing grows after that.
        assert resident[-1] < resident[-3] + 50
        now = {c: session.store.blobs.get(k) for c, k in session.store.planes["wood/l2/base_color"].chunks.items()}
        for _ in range(300):
            session.undo()
        for _ in range(300):
            session.redo()
        for c, key in session.store.planes["wood/l2/base_color"].chunks.items():
            assert np.array_equal(session.store.blobs.get(key), now[c])
        session.store.keep_undo(100)
        keep_small(opened)
        assert file_sizes(session.store).project < size.project / 3
    studio.close()

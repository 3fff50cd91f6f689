"""Everything that open projects keep fits one budget, and what was let go of comes back the same."""

from __future__ import annotations

import gc
import subprocess
import sys
from pathlib import Path
from weakref import ref

import numpy as np
import pytest

from ruvelt.core.brush.target import Target
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.edits import SetLayer
from ruvelt.core.stack.kinds.shapers.blur import BlurShaper
from ruvelt.core.stack.kinds.sources.layer import LayerSource
from ruvelt.core.stack.kinds.sources.noise import NoiseSource
from ruvelt.core.stack.masks import Mask
from ruvelt.studio.laying import flood
from ruvelt.studio.limits import Limits
from ruvelt.studio.memory import Kept, Memory, held_bytes
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import StrokeMessage
from ruvelt.studio.studio import Studio
from tests.studio.test_studio import RED, begin, points

MIB = 1 << 20


def tiles_obj(count: int, quads: int = 6) -> bytes:
    """A row of flat plates, each on a numbered tile of its own."""
    lines, first = [], 1
    for tile in range(count):
        n = quads + 1
        for y in range(n):
            for x in range(n):
                lines.append(f"v {tile * 1.1 + x / quads:.4f} {y / quads:.4f} {0.05 * np.sin(x + y):.4f}")
                lines.append(f"vt {tile % 10 + 0.02 + 0.96 * x / quads:.4f} {tile // 10 + 0.02 + 0.96 * y / quads:.4f}")
        for y in range(quads):
            for x in range(quads):
                ids = [first + y * n + x, first + y * n + x + 1, first + (y + 1) * n + x + 1, first + (y + 1) * n + x]
                lines.append("f " + " ".join(f"{i}/{i}" for i in ids))
        first += n * n
    return "\n".join(lines).encode()


def paint_each(session: Session, rounds: int = 2) -> None:
    """A plate's middle on each sheet in turn, and everything the views show of it."""
    for _ in range(rounds):
        for number, sheet in enumerate(session.document.sheets):
            middle = (FacePick(by="face", index=36 * number + 15),)
            flood(session, Target(sheet=sheet.id, layer="l2", channels=("base_color",)), RED, middle, 0.5)
            for chunk in range(session.display(sheet.id).samples.chunk_count):
                session.display(sheet.id).tile("normal", chunk)


class Drawer:
    """Keeps named sizes."""

    def __init__(self, **sizes: tuple[int, float, bool]) -> None:
        self.sizes = sizes

    def kept(self) -> list[Kept]:
        return [Kept(name, *rest) for name, rest in self.sizes.items()]

    def let_go(self, name: str) -> None:
        del self.sizes[name]


def test_what_was_used_longest_ago_goes_first_and_what_is_pinned_stays() -> None:
    cache = BoundedCache(1000)
    memory = Memory(1000, cache)
    first, second = Drawer(a=(300, 1.0, False), b=(200, 5.0, False)), Drawer(c=(250, 2.0, True), d=(100, 3.0, False))
    memory.add(first)
    memory.add(second)
    assert memory.fit() == 450
    assert (sorted(first.sizes), sorted(second.sizes)) == (["b"], ["c"])
    assert cache.limit == 250
    assert memory.fit(wanted=400) == 250
    assert (list(first.sizes), list(second.sizes)) == ([], ["c"])
    assert cache.limit == 200
    memory.remove(second)
    assert (memory.fit(), cache.limit) == (0, 700)


def test_a_smaller_limit_empties_the_cache_at_once() -> None:
    cache = BoundedCache(1000)
    for i in range(10):
        cache.put(i, i, 100)
    cache.resize(350)
    assert cache.held == 300
    assert [cache.get(i) for i in (6, 7, 9)] == [None, 7, 9]


def test_bytes_are_counted_once_each() -> None:
    base = np.zeros(1000, np.uint8)

    class Thing:
        pass

    Thing.__module__ = "ruvelt.test"
    thing, other = Thing(), Thing()
    thing.a, thing.b, thing.c, thing.me = base, base[10:20], [base, np.zeros(50, np.float64)], thing  # type: ignore[attr-defined]
    other.a = base  # type: ignore[attr-defined]
    assert held_bytes([thing, other]) == 1000 + 400


def test_a_small_budget_changes_no_byte(tmp_path: Path) -> None:
    """Six sheets of which two fit, against all of them in memory."""
    made = {}
    for name, limit in (("tight", 160 * MIB), ("ample", 4096 * MIB)):
        studio = Studio(tmp_path / name, Limits(memory_bytes=limit, threads=2))
        uid = studio.create(tiles_obj(6), "plates.obj", resolution=1024)
        session = studio.session(uid)
        most = 0
        for _ in range(2):
            for sheet in session.document.sheets:
                flood(session, Target(sheet=sheet.id, layer="l2", channels=("base_color",)), RED, None, 0.5)
                session.display(sheet.id).tile("normal", 0)
                _ = session.samples(sheet).grid
                most = max(most, studio.memory.fit() + studio.cache.held)
        if name == "tight":
            assert most <= limit
            assert 1 <= len(session.sheets.held) < 6
        else:
            assert len(session.sheets.held) == 6
        made[name] = {s.id: session.display(s.id).tile("colour", 5).tobytes() for s in session.document.sheets}
        studio.close()
    assert made["tight"] == made["ample"]


def test_the_sheet_of_a_running_stroke_stays(tmp_path: Path) -> None:
    studio = Studio(tmp_path, Limits(memory_bytes=64 * MIB, threads=2))
    uid = studio.create(tiles_obj(3), "plates.obj", resolution=1024)
    with studio.lend(uid) as opened:
        session = opened.session
        first = session.document.sheets[0].id
        message = begin(session).model_copy(update={"target": Target(sheet=first, layer="l2", channels=("base_color",))})
        opened.strokes.handle(StrokeMessage(stroke="s", begin=message, points=points((60, 100))))
        samples = session.samples(session.document.sheets[0])
        for sheet in session.document.sheets[1:]:
            session.display(sheet.id).tile("colour", 0)
            studio.memory.fit()
        assert session.samples(session.document.sheets[0]) is samples
        opened.strokes.handle(StrokeMessage(stroke="s", points=points((80, 100)), end=True))
        studio.memory.fit()
        assert session.sheets.pinned[first] == 0
    studio.close()


def test_a_sheet_that_is_let_go_is_gone_at_once(tmp_path: Path) -> None:
    """Nothing that was made around it holds it in a ring until a collector comes: at 4096² that was a gigabyte a sheet."""
    studio = Studio(tmp_path, Limits(threads=2))
    uid = studio.create(tiles_obj(1), "plates.obj", resolution=256)
    with studio.lend(uid) as opened:
        session = opened.session
        sheet = session.document.sheets[0].id
        message = begin(session).model_copy(update={"target": Target(sheet=sheet, layer="l2", channels=("base_color",))})
        opened.strokes.handle(StrokeMessage(stroke="s", begin=message, points=points((60, 100), (90, 100)), end=True))
        mask = Mask(sources=(NoiseSource(id="n"), LayerSource(id="b", layer="l1", part="roughness"), BlurShaper(id="s")))
        session.edit(SetLayer(sheet=sheet, layer="l2", values={"mask": mask.model_dump()}), "Mask")
        for name in ("colour", "normal"):
            session.display(sheet).tile(name, 0)
        samples = ref(session.samples(session.document.sheets[0]))
        assert samples() is not None
        gc.collect()
        gc.disable()
        try:
            session.let_go(f"sheet:{sheet}")
            assert samples() is None
        finally:
            gc.enable()
    studio.close()


RESIDENT = """
import resource, sys
from pathlib import Path
sys.path.insert(0, sys.argv[4])
from ruvelt.core.kernels import load, longest_first
from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.studio.test_memory import paint_each
import ruvelt.web.app
for kernel in longest_first():
    load(kernel)
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
studio = Studio(Path(sys.argv[1]), Limits(memory_bytes=int(sys.argv[3]) << 20, threads=2))
paint_each(studio.session(sys.argv[2]))
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)
studio.close()
"""


def resident(data: Path, uid: str, budget_mib: int) -> int:
    """MiB that a process of its own took at most beyond what the program itself takes, painting on each sheet in turn, twice."""
    command = [sys.executable, "-c", RESIDENT, str(data), uid, str(budget_mib), str(Path(__file__).parents[2])]
    return int(subprocess.run(command, capture_output=True, text=True, check=True).stdout)


def test_a_process_takes_no_more_than_it_was_given(tmp_path: Path) -> None:
    """Twelve sheets of 2048²: some 230 MiB each once everything about them is worked out."""
    studio = Studio(tmp_path, Limits(threads=2))
    uid = studio.create(tiles_obj(12), "plates.obj", resolution=2048)
    studio.close()
    assert resident(tmp_path, uid, 1024) < 1024


@pytest.mark.slow
def test_thirty_sheets_of_4096_do_not_add_up(tmp_path: Path) -> None:
    studio = Studio(tmp_path, Limits(threads=2))
    uid = studio.create(tiles_obj(30), "plates.obj", resolution=4096)
    studio.close()
    assert resident(tmp_path, uid, 4096) < 4096

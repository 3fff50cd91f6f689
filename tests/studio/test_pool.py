"""Nothing acknowledged is lost: one live session a project, lent and never taken from whoever uses it."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from threading import Event

import pytest

from ruvelt.core.errors import Conflict, NotFound
from ruvelt.studio import housekeeping, laying
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.housekeeping import Housekeeping
from ruvelt.studio.jobs import Job
from ruvelt.studio.pool import IDLE_KEPT, Opened
from ruvelt.studio.strokes import ABANDONED_AFTER, StrokeMessage
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj
from tests.studio.test_studio import RED, WOOD, begin, points


def crates(studio: Studio, count: int) -> list[str]:
    return [studio.create(cube_obj(), "cube.obj", name=f"Crate {i}", resolution=256, companions={"cube.mtl": CUBE_MTL}) for i in range(count)]


def flood(studio: Studio, uid: str) -> None:
    with studio.lend(uid) as opened:
        laying.flood(opened.session, WOOD, RED, None, 0.5)


def wait(job: Job) -> None:
    until = time.monotonic() + 120
    while job.state == "running" and time.monotonic() < until:
        time.sleep(0.01)
    assert job.state == "done", job.error


def test_a_bake_beside_many_opened_projects_takes_no_stroke_away(studio: Studio) -> None:
    """Seven projects, three strokes in the first, a bake of it, the six others opened, four more strokes in it: all are there."""
    first, *others = crates(studio, 7)
    for _ in range(3):
        flood(studio, first)
    goes_on = Event()

    def bake(opened: Opened, job: Job) -> dict[str, object]:
        assert goes_on.wait(30)
        return opened.bakes.bake(BakeRequest(maps=("position",), source="model"), job.progress)

    job = studio.start(first, "bake", "Bake", bake)
    for uid in others:
        flood(studio, uid)
        studio.pool.close_idle(keep=0)
    for _ in range(4):
        flood(studio, first)
    goes_on.set()
    wait(job)
    with studio.lend(first) as opened:
        assert [h.label for h in reversed(opened.session.store.history())] == ["Flood sheet"] * 7 + ["Bake Position"]
        for _ in range(8):
            opened.session.undo()
        assert opened.session.store.head == 0


def test_a_running_stroke_pins_its_project_and_pictures_of_others_open_nothing(studio: Studio) -> None:
    first, *others = crates(studio, 6)
    with studio.lend(first) as opened:
        session = opened.session
        opened.strokes.handle(StrokeMessage(stroke="s1", begin=begin(session), points=points((60, 100))))
    for uid in others:
        assert studio.card_picture(uid)[:2] == b"\xff\xd8"
    assert [p.trouble for p in studio.projects()] == [None] * 6
    assert studio.pool.open_now() == [first]
    for uid in others:
        flood(studio, uid)
    studio.pool.close_idle(keep=0)
    assert studio.pool.open_now() == [first]
    with studio.lend(first) as opened:
        assert opened.session is session
        assert opened.strokes.handle(StrokeMessage(stroke="s1", points=points((90, 100)), end=True)).stored


def test_an_abandoned_stroke_is_stored_before_its_project_is_closed(studio: Studio, cube: str, monkeypatch: pytest.MonkeyPatch) -> None:
    now = [0.0]
    with studio.lend(cube) as opened:
        monkeypatch.setattr(opened.strokes, "_clock", lambda: now[0])
        opened.strokes.handle(StrokeMessage(stroke="s1", begin=begin(opened.session), points=points((60, 100), (90, 100))))
    assert not studio.pool.close(cube)
    now[0] = ABANDONED_AFTER + 1
    assert studio.pool.close(cube)
    with studio.lend(cube) as again:
        assert again.session.store.head == 1


def test_everyone_gets_the_same_session_however_many_ask_at_once(studio: Studio, cube: str) -> None:
    with ThreadPoolExecutor(16) as threads, ExitStack() as stack:
        borrowed = list(threads.map(lambda _: stack.enter_context(studio.lend(cube)), range(64)))
        assert len({id(b.session) for b in borrowed}) == 1
        assert not studio.pool.close(cube)
    assert studio.pool.close(cube)


def test_sixteen_painters_in_sixteen_projects_and_four_in_one(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    """No stroke fails but for told conflicts, while idle projects are closed as fast as they can be."""
    uids = crates(studio, 17)
    monkeypatch.setattr(housekeeping, "IDLE_KEPT", 0)
    keeper = Housekeeping(studio.pool, lambda: time.monotonic() + 10_000)
    painting = True

    def tidy() -> None:
        while painting:
            keeper.tidy()

    def paint(uid: str) -> tuple[int, int]:
        done = told = 0
        while done < 3:
            try:
                with studio.lend(uid) as opened:
                    laying.flood(opened.session, WOOD, RED, None, 0.25, opened.session.revision)
                done += 1
            except Conflict:
                told += 1
        return done, told

    with ThreadPoolExecutor(21) as threads:
        sweeping = threads.submit(tidy)
        work = [threads.submit(paint, uid) for uid in [*uids[:16], *[uids[16]] * 4]]
        counts = [w.result(60) for w in work]
        painting = False
        sweeping.result(60)
    assert [done for done, _ in counts] == [3] * 20
    for uid in uids:
        with studio.lend(uid) as opened:
            assert opened.session.store.head == (12 if uid == uids[16] else 3)


def test_idle_projects_are_closed_and_only_those(studio: Studio) -> None:
    uids = crates(studio, IDLE_KEPT + 3)
    for uid in uids:
        flood(studio, uid)
    keeper = Housekeeping(studio.pool)
    with studio.lend(uids[0]):
        keeper.tidy()
        assert studio.pool.open_now() == [*uids[4:], uids[0]]
        Housekeeping(studio.pool, lambda: time.monotonic() + housekeeping.LONG_IDLE).tidy()
        assert studio.pool.open_now() == [uids[0]]


def test_a_project_in_use_is_not_deleted(studio: Studio, cube: str) -> None:
    with studio.lend(cube) as opened:
        with pytest.raises(Conflict, match="worked on just now"):
            studio.delete(cube)
        laying.flood(opened.session, WOOD, RED, None, 0.5)
    studio.delete(cube)
    with pytest.raises(NotFound), studio.lend(cube):
        pass

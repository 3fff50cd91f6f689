"""Strokes as they come from a browser or a script: begun, extended batch by batch, committed or dropped."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ruvelt.core.brush.hand_tools import hand_tools
from ruvelt.core.brush.path import Point, SheetPath, SurfacePath, ViewPath, lock_angle
from ruvelt.core.brush.script import RecordedStroke, StrokeStep
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.shapes import Shape, lay_shape, shaped_brush
from ruvelt.core.brush.snapping import EdgeGraph
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.output.display import LiveDisplay, Patch
from ruvelt.core.samples.address import BLOCKS
from ruvelt.core.stack.basics import Frozen, Id, Share
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.plane_ids import TOUCH_UP
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.studio.history import KeptStroke
from ruvelt.studio.laying import away, live_stroke, store_stroke
from ruvelt.studio.session import Session

#: A stroke whose window went away is stored as it is once another wants to begin, after this long (seconds).
ABANDONED_AFTER = 20.0
#: Pointer samples in one message.
MAX_BATCH = 2000


class PointerSample(Frozen):
    """Position in pixels of the view, or texels of the flat sheet (y down); pressure 0–1; time in seconds."""

    x: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
    y: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
    pressure: Share = 1.0
    time: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0


class StrokeBegin(Frozen):
    """What a stroke starts from. With `camera` it is made in the 3D view, without on the flat sheet."""

    revision: Annotated[int, Field(ge=0, le=2**53)]
    target: Target
    brush: Brush
    paint: Paint
    textures: Annotated[tuple[str, ...], Field(max_length=8)] = ("colour", "data", "normal", "emission")
    camera: Camera | None = None
    texels_per_pixel: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] = 1.0
    #: A straight line from the first point to the last, turned to steps of 15 degrees.
    lock_angle: bool = False


def path_points(samples: Sequence[PointerSample]) -> list[Point]:
    return [Point((p.x, p.y), p.pressure, p.time) for p in samples]


class StrokeMessage(Frozen):
    """One batch of a stroke. The first carries `begin`; `end` stores it, `cancel` drops it.

    A line, curve, row or stamp comes whole as `shape`, with its `begin` each time: it is laid in place of what was laid before.
    """

    stroke: Id
    begin: StrokeBegin | None = None
    points: Annotated[tuple[PointerSample, ...], Field(max_length=MAX_BATCH)] = ()
    shape: Shape | None = None
    end: bool = False
    cancel: bool = False


@dataclass
class StrokeAnswer:
    """What a batch changed. `stamps`: after the end, the new versions of changed chunks as (texture, chunk, stamp)."""

    patches: list[Patch]
    dabs: int
    chunks: int
    seconds: float
    stored: bool = False
    versions: list[tuple[str, int, int]] = field(default_factory=list)
    hit: tuple[float, float, float] | None = None
    #: Where a shape's points lie, once they have snapped.
    shape: list[list[float]] | None = None


@dataclass
class _Running:
    id: str
    begin: StrokeBegin
    live: LiveStroke
    path: ViewPath | SheetPath | SurfacePath
    display: LiveDisplay
    points: list[PointerSample] = field(default_factory=list)
    shape: Shape | None = None
    touched: set[int] = field(default_factory=set)
    #: Blocks that a shape covers now.
    covered: NDArray[np.uint8] | None = None
    at: float = 0.0


class StrokeDesk:
    """At most one stroke of a project at a time."""

    def __init__(self, session: Session, clock: Callable[[], float] = time.monotonic) -> None:
        self._session, self._clock = session, clock
        self._stroke: _Running | None = None

    def handle(self, message: StrokeMessage) -> StrokeAnswer:
        """Take one message. Raises Conflict for a stale view or a second stroke, NotFound for a stroke that is not running."""
        with self._session.lock:
            started = time.perf_counter()
            if message.begin is not None:
                self._begin(message.stroke, message.begin, message.shape)
            running = self._running
            if running is None or running.id != message.stroke:
                raise NotFound("That stroke is not running any more. What was stored is safe; begin a new stroke.")
            if message.cancel:
                self._running = None
                return StrokeAnswer([], 0, 0, time.perf_counter() - started)
            self._check_ground(running)
            shape = message.shape
            answer = self._shape(running, shape) if shape is not None else self._extend(running, list(message.points), message.end)
            if message.end:
                self._running = None
                self._store(running, answer)
            answer.seconds = time.perf_counter() - started
            return answer

    def _check_ground(self, running: _Running) -> None:
        """Raises Conflict where another layout, level, resolution or mesh came under a stroke that was begun before."""
        sheet = self._session.document.sheet(running.begin.target.sheet)
        if sheet is None or self._session.samples(sheet) is not running.live.samples:
            self._running = None
            raise Conflict("The mesh, its layout or its level was changed while this stroke was drawn, so the stroke was not kept. Draw it again.")

    @property
    def _running(self) -> _Running | None:
        return self._stroke

    @_running.setter
    def _running(self, running: _Running | None) -> None:
        """The sheet that a stroke is laid on stays in memory while it lasts."""
        for stroke, change in ((self._stroke, -1), (running, 1)):
            if stroke is not None:
                self._session.sheets.pinned[stroke.begin.target.sheet] += change
        self._stroke = running

    @property
    def busy(self) -> bool:
        """Whether a stroke is under way that its window still follows."""
        running = self._running
        return running is not None and self._clock() - running.at < ABANDONED_AFTER

    def settle(self) -> None:
        """Store the stroke of a window that went away; a shape that nobody kept was only tried."""
        with self._session.lock:
            abandoned, self._running = self._running, None
            if abandoned is not None and abandoned.shape is None:
                try:
                    self._check_ground(abandoned)
                except Conflict:
                    return
                # The curve ends where the hand was last seen.
                abandoned.touched |= set(abandoned.live.dabs(abandoned.path.finish(), abandoned.begin.brush.mirror).blocks)
                self._store(abandoned, StrokeAnswer([], 0, 0, 0.0))

    def _begin(self, stroke_id: str, begin: StrokeBegin, shape: Shape | None) -> None:
        if self._running is not None and self._running.id != stroke_id:
            if self.busy:
                raise Conflict("Another window is painting on this project just now. Wait for it to finish its stroke.")
            self.settle()
        session = self._session
        session.check_revision(begin.revision)
        before = self._running
        brush = begin.brush if shape is None else shaped_brush(begin.brush, shape)
        live = live_stroke(session, begin.target, begin.paint, brush)
        display = session.display(begin.target.sheet)
        path: ViewPath | SheetPath
        if begin.camera is not None:
            path = ViewPath(begin.brush, begin.camera, session.caster(live.target.sheet), live.samples, live.drags)
        else:
            path = SheetPath(begin.brush, begin.texels_per_pixel, live.samples.spacing, session.model.width, live.drags)
        self._running = _Running(stroke_id, begin, live, path, LiveDisplay(display, live, begin.textures), at=self._clock())
        if before is not None and before.begin.target.sheet == begin.target.sheet:
            # The same shape, with another brush or other points: what it covered is made anew.
            self._running.covered, self._running.touched = before.covered, before.touched

    def _extend(self, running: _Running, points: list[PointerSample], end: bool) -> StrokeAnswer:
        running.at = self._clock()
        running.points += points
        if running.begin.lock_angle:
            # A line is laid whole, once its end is known.
            points = self._line(running) if end and running.points else []
            if points:
                running.points = points
        dabs = running.path.extend(path_points(points))
        if end:
            dabs = np.concatenate([dabs, running.path.finish()])
        touched = running.live.dabs(dabs, running.begin.brush.mirror)
        running.touched |= set(touched.blocks)
        patches = running.display.update(touched) if touched.blocks else []
        hit = getattr(running.path, "last_hit", None)
        where = None if hit is None else (float(hit[0]), float(hit[1]), float(hit[2]))
        return StrokeAnswer(patches, len(dabs), len(touched.blocks), 0.0, hit=where)

    def _shape(self, running: _Running, shape: Shape) -> StrokeAnswer:
        running.at, running.shape = self._clock(), shape
        session, begin, live = self._session, running.begin, running.live
        brush = shaped_brush(begin.brush, shape)
        laid = lay_shape(brush, shape, live.samples, session.caster(live.target.sheet), _edges(session, live, shape))
        touched = live.lay_again(laid.dabs, begin.brush.mirror, laid.slots, laid.weights, running.covered)
        running.covered = np.zeros((live.samples.chunk_count, BLOCKS), np.uint8)
        for chunk, blocks in touched.blocks.items():
            running.covered[chunk] = blocks
        running.touched |= set(touched.blocks)
        patches = running.display.update(touched) if touched.blocks else []
        return StrokeAnswer(patches, len(laid.dabs), len(touched.blocks), 0.0, shape=[[float(v) for v in p] for p in laid.points])

    @staticmethod
    def _line(running: _Running) -> list[PointerSample]:
        first, last = running.points[0], running.points[-1]
        x, y = lock_angle((first.x, first.y), (last.x, last.y))
        return [first, last.model_copy(update={"x": x, "y": y})]

    def _store(self, running: _Running, answer: StrokeAnswer) -> None:
        if not running.touched:
            return
        session, begin = self._session, running.begin
        before = self._versions(running)
        settled = store_stroke(session, running.live, stroke_label(running.live, begin.paint, running.shape), recorded(session, running))
        answer.patches += running.display.update(settled)
        answer.stored = True
        if not running.live.local:
            # More changed than what was sent; without new versions the client asks for it.
            return
        answer.versions = [(t, c, s) for (t, c), s in self._versions(running).items() if before[t, c] != s]

    def _versions(self, running: _Running) -> dict[tuple[str, int], int]:
        display = self._session.display(running.begin.target.sheet)
        gutter = display.samples.screen_gutter
        chunks = set(running.touched)
        for chunk in running.touched:
            chunks |= {*gutter.targets_of.get(chunk, ()), *display.field.neighbours(chunk)}
        return {(t, c): display.version(t, c) for t in running.begin.textures for c in chunks}


def recorded(session: Session, running: _Running) -> KeptStroke:
    """What history keeps of a stroke beside its chunks."""
    begin, points = running.begin, running.points
    pairs = tuple((p.x, p.y) for p in points)
    if running.shape is not None:
        return kept_stroke(session, begin.target, begin.brush, begin.paint, StrokeStep(do="stroke", shape=running.shape))
    step = StrokeStep(
        do="stroke",
        view=pairs if begin.camera is not None else (),
        sheet=pairs if begin.camera is None else (),
        camera=begin.camera,
        texels_per_pixel=begin.texels_per_pixel,
        pressure=tuple(p.pressure for p in points),
        times=tuple(p.time for p in points),
    )
    return kept_stroke(session, begin.target, begin.brush, begin.paint, step)


def kept_stroke(session: Session, target: Target, brush: Brush, paint: Paint, step: StrokeStep) -> KeptStroke:
    return KeptStroke.of(RecordedStroke(target=target, brush=brush, paint=paint, stroke=step), **away(session))


def stroke_label(live: LiveStroke, paint: Paint, shape: Shape | None) -> str:
    """What history says of a stroke: tool, layer and what of it, as in "Brush · Rust · Height"."""
    tools = hand_tools()
    if paint.tool != "paint" and not paint.erase:
        tool = tools[paint.tool]
    else:
        tool = tools["erase" if paint.erase else "brush" if shape is None else "stamp" if shape.kind == "stamp" else "line"]
    target = live.target
    if target.cells[0].source is not None:
        what = ["mask"]
    else:
        what = [c.name for c in (live.evaluator.channel(name) for name in target.channels) if c is not None]
    if target.layer.id.startswith(TOUCH_UP):
        what = []
    names = ", ".join(what[:2]) + (f" and {len(what) - 2} more" if len(what) > 2 else "")
    return " · ".join(part for part in (tool.label, target.layer.name, names) if part)[:120]


def _edges(session: Session, live: LiveStroke, shape: Shape) -> EdgeGraph | None:
    return session.surfaces.edge_graph(live.target.sheet) if shape.snap else None


def play_step(session: Session, live: LiveStroke, brush: Brush, step: StrokeStep, scale: float = 1.0) -> bool:
    """Lay a scripted stroke on a live target; `scale`: texels now for one texel when it was recorded. Says whether anything was touched."""
    samples = live.samples
    if step.shape is not None:
        shape = step.shape
        if shape.sheet and scale != 1:
            moved = {"sheet": tuple((x * scale, y * scale) for x, y in shape.sheet), "texels_per_pixel": shape.texels_per_pixel * scale}
            shape = shape.model_copy(update=moved)
        laid = lay_shape(shaped_brush(brush, shape), shape, samples, session.caster(live.target.sheet), _edges(session, live, shape))
        return bool(live.lay_again(laid.dabs, brush.mirror, laid.slots, laid.weights).blocks)
    path: ViewPath | SheetPath | SurfacePath
    points: tuple[tuple[float, ...], ...]
    if step.surface:
        path, points = SurfacePath(brush, samples, live.drags), step.surface
    elif step.view:
        if step.camera is None:
            raise InputError("A stroke by view points needs its camera.")
        path, points = ViewPath(brush, step.camera, session.caster(live.target.sheet), samples, live.drags), step.view
    else:
        path = SheetPath(brush, step.texels_per_pixel * scale, samples.spacing, session.model.width, live.drags)
        points = tuple((x * scale, y * scale) for x, y in step.sheet)
    pressure = step.pressure if isinstance(step.pressure, tuple) else (step.pressure,) * len(points)
    times = step.times or (0.0,) * len(points)
    hit = False
    for first in range(0, len(points), 256):
        part = slice(first, first + 256)
        batch = [Point(*sample) for sample in zip(points[part], pressure[part], times[part], strict=True)]
        hit = bool(live.dabs(path.extend(batch), brush.mirror).blocks) or hit
    return bool(live.dabs(path.finish(), brush.mirror).blocks) or hit

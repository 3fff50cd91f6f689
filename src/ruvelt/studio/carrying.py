"""What lies on one set of samples brought to another: painted again where that can be done, else resampled."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ruvelt.core.brush.target import Paint, ResolvedTarget, Target
from ruvelt.core.lazy import lazy
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.document import Sheet
from ruvelt.core.stack.plane_ids import DETAIL
from ruvelt.studio.history import HistoryStep, KeptCopies
from ruvelt.studio.repaint import Repainter
from ruvelt.studio.session import Session


class Carrier(Repainter):
    """Builds planes anew on other samples. Once something in a plane cannot be laid again, all of the plane is taken as it is now."""

    def __init__(self, session: Session, sheet: Sheet, old: SurfaceSamples, new: SurfaceSamples, goal: Sheet | None = None) -> None:
        """`goal`: the sheet whose surface rays of strokes meet, if not the one they were painted on."""
        super().__init__(session, sheet, old, new)
        self.goal = goal or sheet
        #: Planes that are taken as they are, and all that were brought over so.
        self.fixed: set[str] = set()
        self._brought: dict[str, Plane] = {}

    def aim(self, target: Target, paint: Paint) -> ResolvedTarget:
        """Rays of a stroke meet the surface that it arrives on."""
        found = super().aim(target, paint)
        surface = {name: getattr(self.goal, name) for name in ("level", "subdivision", "sharp_deg", "file_creases")}
        return replace(found, sheet=found.sheet.model_copy(update=surface))

    def resampling(self) -> Resampling:
        raise NotImplementedError

    @lazy
    def way(self) -> Resampling:
        return self.resampling()

    def take(self, step: HistoryStep | None, after: dict[str, dict[int, str | None]]) -> None:
        # Details of other levels are none of these samples'.
        mine = {p for p in after if p.split("/")[0] == self.sheet.id and not _of_a_level(p)}
        if isinstance(step, KeptCopies):
            # The copy of what is taken as it is, is taken as it is.
            self._fix({p for p, source in step.copies.items() if source in self.fixed})
        if mine and mine <= self.fixed:
            return
        super().take(step, {p: after[p] for p in mine})
        for name in mine & self.fixed:
            self.planes[name] = self._carried(name)

    def _resample(self, after: dict[str, dict[int, str | None]]) -> None:
        self._fix(set(after))

    def _fix(self, names: set[str]) -> None:
        self.fixed.update(names)
        for name in names:
            # What reads it, as a mask or a mesh map that confines strokes, finds it in its place.
            self.planes[name] = self._carried(name)

    def scale(self) -> float:
        return 1.0

    def wanted(self) -> list[str]:
        """Planes that have something now, but for the details of other levels."""
        there = self.session.store.planes
        return [p for p, plane in there.items() if p.split("/")[0] == self.sheet.id and plane.chunks and not _of_a_level(p)]

    def finished(self) -> dict[str, Plane]:
        """The planes there are to be, on the new samples."""
        return {p: self.planes[p] if p in self.planes else self._carried(p) for p in self.wanted()}

    def _carried(self, name: str) -> Plane:
        if name not in self._brought:
            self._brought[name] = self._resampled(name)
        return self._brought[name]

    def _resampled(self, name: str) -> Plane:
        plane = self.session.store.planes.get(name)
        if plane is None or not plane.chunks:
            return Plane(1 if plane is None else plane.components)
        whole: U16 = np.zeros((plane.components, self.old.slot_count), np.uint16)
        for chunk, key in plane.chunks.items():
            whole[:, chunk * CHUNK : (chunk + 1) * CHUNK] = self.session.store.blobs.get(key)
        return plane_of(self.session, self.way.values(whole))


def _of_a_level(plane: str) -> bool:
    return plane.split("/")[1].startswith(DETAIL)


def plane_of(session: Session, values: U16) -> Plane:
    """A plane of (k, slots) uint16, coverage last; chunks without any are left out."""
    keys: dict[int, str] = {}
    for chunk in range(values.shape[1] // CHUNK):
        part = np.ascontiguousarray(values[:, chunk * CHUNK : (chunk + 1) * CHUNK])
        if part[-1].any():
            keys[chunk] = session.store.blobs.put(part)
    return Plane(len(values), keys)

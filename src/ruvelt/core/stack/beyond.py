"""Masks over the border of a sheet: the same steps, worked out at the points of its collar."""

from __future__ import annotations

from collections.abc import Sequence
from threading import Lock

import numpy as np

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.samples.collar import Collar, Joined
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import Document, Sheet
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.mask_evaluate import MaskEvaluator
from ruvelt.core.stack.measures import Images, Measures
from ruvelt.core.stack.mesh_maps import PREFIX, map_channel, map_kinds
from ruvelt.core.stack.program import map_steps
from ruvelt.core.workers import Workers


def map_version(document: Document, planes: PlaneLookup, channel_id: str) -> int:
    """The version of a mesh map on all sheets of a document."""
    parts = []
    for sheet in document.textured:
        chunks = range((sheet.resolution // CHUNK_SIDE) ** 2)
        steps = map_steps(sheet, channel_id.removeprefix(PREFIX))
        parts.append((sheet.id, sheet.resolution, [[planes.key(op.plane, c) for c in chunks] for op in steps if op.plane is not None]))
    return version_of(parts)


class Beyond:
    """A host of masks over a collar. It knows places and mesh maps; of paint and layers, which are a sheet's own, it knows nothing."""

    samples: SurfaceSamples

    def __init__(
        self,
        document: Document,
        sheet: Sheet,
        collar: Collar,
        faces: FaceIndex,
        planes: PlaneLookup,
        cache: BoundedCache,
        images: Images,
        workers: Workers,
    ) -> None:
        self.sheet, self.samples = sheet, collar
        self._document, self._collar, self._planes, self._cache = document, collar, planes, cache
        self.measures = Measures(collar, images, cache)
        self.masks = MaskEvaluator(self, faces, planes, cache, workers)
        self._versions: dict[str, int] = {}

    def channel(self, channel_id: str) -> Channel | None:
        return map_channel(channel_id)

    @lazy
    def _sheets(self) -> list[tuple[int, Sheet]]:
        found = {s.plan: s for s in self._document.textured}
        return [(int(n), found[int(n)]) for n in np.unique(self._collar.plan) if int(n) in found]

    def version(self, channel_id: str, chunk: int) -> int:
        if channel_id not in self._versions:
            self._versions[channel_id] = map_version(self._document, self._planes, channel_id)
        return self._versions[channel_id]

    def elsewhere(self, channel_id: str) -> int:
        return self.version(channel_id, 0)

    def composite(self, channel_id: str, chunk: int) -> U16:
        """A mesh map at the collar's points, as those sheets have it; its start value where they have none."""
        where, version = ("beyond", self.samples.serial, self.sheet.id, channel_id, chunk), self.version(channel_id, chunk)
        found: U16 | None = self._cache.get(where, version)
        if found is None:
            shape = map_kinds()[channel_id.removeprefix(PREFIX)]
            found = np.full((shape.components, CHUNK), round(shape.start[0] * 65535), np.uint16)
            part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
            for number, sheet in self._sheets:
                mine = np.flatnonzero(self._collar.plan[part] == number)
                self._read(sheet, channel_id.removeprefix(PREFIX), self._collar.uv[part][mine], mine, found)
            self._cache.put(where, found, found.nbytes, version)
        return found

    def _read(self, sheet: Sheet, map_id: str, uv: np.ndarray, to: np.ndarray, out: U16) -> None:
        texel = np.clip((np.mod(uv, 1) * sheet.resolution).astype(np.int64), 0, sheet.resolution - 1)
        square = texel // CHUNK_SIDE
        of_chunk = square[:, 1] * (sheet.resolution // CHUNK_SIDE) + square[:, 0]
        local = texel[:, 1] % CHUNK_SIDE * CHUNK_SIDE + texel[:, 0] % CHUNK_SIDE
        for op in map_steps(sheet, map_id):
            for chunk in np.unique(of_chunk):
                if op.plane is None or self._planes.key(op.plane, int(chunk)) is None:
                    continue
                here = of_chunk == chunk
                values = self._planes.values(op.plane, int(chunk))[:, local[here]].astype(np.float32)
                under = out[:, to[here]]
                out[:, to[here]] = np.rint(under + (values[:-1] - under) * (values[-1] / np.float32(65535)))

    def beneath(self, layer_id: str, channel_id: str, chunk: int) -> U16:
        raise AssertionError("what lies beneath a layer is its sheet's own")

    def beneath_version(self, layer_id: str, channel_id: str, chunk: int) -> int:
        raise AssertionError("what lies beneath a layer is its sheet's own")

    def beyond(self, reach: float) -> None:
        """A collar has none of its own."""


#: Collars kept of one sheet, each for its own reach: masks that come in turn do not make them anew.
COLLARS_KEPT = 3


class Borders:
    """Collars of one sheet's samples, and the samples with each; the last few reaches are kept."""

    def __init__(self, samples: SheetSamples, plans: Sequence[SheetPlan]) -> None:
        self._samples, self._plans = samples, plans
        self._kept: dict[float, tuple[Collar, Joined]] = {}
        self._lock = Lock()

    def within(self, reach: float) -> tuple[Collar, Joined] | None:
        """The collar of at least a reach (object units), and the sheet with it; None where no other sheet is that near."""
        if len(self._plans) < 2:
            return None
        # Half an octave shares one, so that a slider that moves makes few.
        reach = float(self._samples.spacing * 2 ** (np.ceil(2 * np.log2(max(reach / self._samples.spacing, 1))) / 2))
        with self._lock:
            if reach not in self._kept:
                while len(self._kept) >= COLLARS_KEPT:
                    del self._kept[next(iter(self._kept))]
                collar = Collar(self._samples, self._plans, reach)
                self._kept[reach] = (collar, Joined(self._samples, collar))
            collar, joined = self._kept[reach]
            return (collar, joined) if collar.count else None

"""A sheet as checks look at it: its channels, its maps as they are written, and where things lie."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.presets import ExportPreset, MapSpec
from ruvelt.core.output.render import render_map
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.mesh_maps import PREFIX

#: Squares that places are counted in, to find where most of them are.
CELL = 32


class CheckedSheet:
    """What checks need of a sheet, each made once. preset : as the sheet has it"""

    def __init__(self, display: SheetDisplay, preset: ExportPreset) -> None:
        self.display, self.samples = display, display.sheet_samples
        self.id, self.name = display.evaluator.sheet.id, display.evaluator.sheet.name
        self.preset = preset.of_sheet(self.id)
        self._codes: dict[str, U16] = {}
        self._images: dict[tuple[str, str], NDArray[np.float32]] = {}

    @property
    def side(self) -> int:
        return self.samples.side

    @lazy
    def covered(self) -> NDArray[np.bool_]:
        return np.asarray(self.samples.covered)

    @lazy
    def covered_image(self) -> NDArray[np.bool_]:
        return np.asarray(self.samples.to_image(self.covered))

    def has(self, channel: str) -> bool:
        """Whether the sheet has a channel, or a baked mesh map ("map:ID")."""
        if channel.startswith(PREFIX):
            return any(m.id == channel.removeprefix(PREFIX) for m in self.display.evaluator.sheet.mesh_maps)
        return self.display.evaluator.channel(channel) is not None

    def writes(self, channel: str) -> bool:
        """Whether the preset writes a map that reads a channel."""
        return any(m.on and channel in m.channels for m in self.preset.maps) or bool(self.preset.assets)

    def codes(self, channel: str) -> U16:
        """(components, slots) uint16."""
        if channel not in self._codes:
            chunks = range(self.samples.chunk_count)
            self._codes[channel] = np.concatenate([self.display.evaluator.composite(channel, c) for c in chunks], axis=1)
        return self._codes[channel]

    def image(self, channel: str, endless: bool = False) -> NDArray[np.float32]:
        """(side, side, n) float32 codes 0–255 of a channel as a map of the preset has it, at the sheet's own size.

        endless : padded without end, whatever the preset says
        """
        around = "everything" if endless else "pixels" if self.preset.around == "clear" else self.preset.around
        key = (channel, around)
        if key not in self._images:
            of = self.display.evaluator.channel(channel)
            parts = tuple(f"{channel}.{letter}" for letter in "rgb") if of is not None and of.components == 3 else (channel,)
            spec = MapSpec(id="checked", name="Checked", components=parts)
            plain = self.preset.model_copy(update={"size": 0, "around": around})
            found = render_map(self.display, spec, plain).astype(np.float32) / np.float32(257)
            self._images[key] = found if found.ndim == 3 else found[..., None]
        return self._images[key]

    # -- where -----------------------------------------------------------------------------------------------------------------

    @lazy
    def face(self) -> NDArray[np.int32]:
        """(slots,) int32 face of each texel, -1 for none."""
        faces = self.samples.model.triangle_face[self.samples.triangles]
        return np.where(self.covered, faces[np.maximum(self.samples.owner, 0)], -1).astype(np.int32)

    def faces_of(self, marked: NDArray[np.bool_]) -> NDArray[np.int32]:
        """(k,) int32 faces that marked texels lie on."""
        met = np.zeros(self.samples.model.face_count, bool)
        met[self.face[marked & self.covered]] = True
        return np.flatnonzero(met).astype(np.int32)

    def share_of(self, marked: NDArray[np.bool_]) -> float:
        return float((marked & self.covered).sum()) / max(int(self.covered.sum()), 1)

    def busiest(self, marked: NDArray[np.bool_]) -> tuple[int, int] | None:
        """A marked texel where most others are."""
        image = np.asarray(self.samples.to_image(marked & self.covered))
        if not image.any():
            return None
        cells = image.reshape(self.side // CELL, CELL, self.side // CELL, CELL).sum(axis=(1, 3))
        row, column = np.unravel_index(int(np.argmax(cells)), cells.shape)
        part = image[row * CELL : (row + 1) * CELL, column * CELL : (column + 1) * CELL]
        distance = cv2.distanceTransform(part.astype(np.uint8), cv2.DIST_L2, 3)
        y, x = np.unravel_index(int(np.argmax(distance)), distance.shape)
        return int(column * CELL + x), int(row * CELL + y)

    def place_of(self, faces: NDArray[np.int32]) -> tuple[int, int] | None:
        marked = np.zeros(self.samples.model.face_count + 1, bool)
        marked[faces] = True
        return self.busiest(marked[self.face]) if len(faces) else None

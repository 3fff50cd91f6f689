"""Between two handles."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Share, Vector
from ruvelt.core.stack.kinds.controls import SOFT, Control, Group, choice
from ruvelt.core.stack.kinds.step import Reads, Source


class GradientSource(Source):
    """From 0 at `start` to 1 at `end` (object space), along the line or outwards as a ball; the whole height of the model without them."""

    kind: Literal["gradient"] = "gradient"
    label: ClassVar[str] = "Gradient line"
    hint: ClassVar[str] = "Between two handles on the model"
    group: ClassVar[Group] = "surface"
    rank: ClassVar[int] = 4
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="ends", name="Handles", hint="Drag them on the model", kind="ends"),
        choice("form", "Form", "Along the line, or outwards as a ball", "line", "ball"),
        SOFT,
    )
    start: Vector | None = None
    end: Vector | None = None
    form: Literal["line", "ball"] = "line"
    softness: Share = 0.0

    def ends(self, model: Model) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where it begins and ends; from the middle of the model's underside to that of its top unless it says so."""
        low, high = (np.asarray(b, np.float64) for b in model.bounds)
        middle = (low + high) / 2
        start = np.array([middle[0], low[1], middle[2]]) if self.start is None else np.asarray(self.start, np.float64)
        end = np.array([middle[0], high[1], middle[2]]) if self.end is None else np.asarray(self.end, np.float64)
        return start, end

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        measures, (start, end) = reads.host.measures, self.ends(reads.host.samples.model)
        offset = end - start
        size = max(float(np.linalg.norm(offset)), 1e-9)
        if self.form == "ball":
            return measures.ball(start.astype(np.float32), size, self.softness, chunk)
        along = (offset / size).astype(np.float32)
        return measures.along(measures.positions(chunk), along, float(start @ along), 1 / size, (0.0, 1.0, self.softness), chunk)

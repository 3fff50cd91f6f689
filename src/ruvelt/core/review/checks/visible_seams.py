"""Maps that differ on both sides of a seam, in themselves or in the smaller copies that an engine makes of them."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.output.estimate import touched
from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.seams import Seams, bleeding, seam_differences, seams_of
from ruvelt.core.review.sheet import CheckedSheet

#: Codes of 255 from which a step is seen, and the share of a sheet's seams from which it is told.
SEEN, LEAST = 12.0, 0.01


class VisibleSeams(MapCheck):
    """Maps that differ across UV seams, smaller copy by smaller copy."""

    id: ClassVar[str] = "visible-seams"
    label: ClassVar[str] = "Visible seams"
    hint: ClassVar[str] = "The two sides of a UV seam differ in the final maps, or in smaller copies of them"
    rank: ClassVar[int] = 3

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        seams = seams_of(sheet.samples)
        if not seams.count:
            return []
        whole = float(seams.weight.sum())
        found = []
        for channel in sheet.display.evaluator.document.channels:
            if not sheet.writes(channel.id) or not touched(sheet.display, channel.id):
                continue
            endless = sheet.image(channel.id, endless=True)
            own = seam_differences(seams, endless)
            part = float(seams.weight[own > SEEN].sum()) / whole
            if part > LEAST:
                title = f"{channel.name} differs across {part:.0%} of the seams, by up to {own.max():.0f} of 255"
                why = "A line shows where the surface goes on. Paint over it on the model, or let the two sides be brought together."
                mend = Mend("soften", "Soften these seams", {"channel": channel.id})
                found.append(self._seen(sheet, seams, own > SEEN, part, title, why, channel.id, mend))
            steps = bleeding(seams, sheet.image(channel.id), endless, sheet.preset.mips)
            shares = [float(seams.weight[s > SEEN].sum()) / whole for s in steps]
            first = next((k for k, s in enumerate(shares) if s > LEAST), None)
            if first is None:
                continue
            which = f"from its {ordinal(first)} smaller copy on ({sheet.side >> first} pixels)" if first else "in the map itself"
            title = f"The ground around the islands shows in {channel.name}, {which}, along {shares[first]:.0%} of the seams"
            why = "What lies around the islands is mixed in along their edges. More padding keeps it out."
            mend = Mend("pad", "Pad everything", {"around": "everything"})
            found.append(self._seen(sheet, seams, steps[first] > SEEN, shares[first], title, why, channel.id, mend))
        return found

    def _seen(
        self, sheet: CheckedSheet, seams: Seams, seen: NDArray[np.bool_], part: float, title: str, why: str, channel: str, mend: Mend
    ) -> Finding:
        faces = np.unique(seams.face[seen]).astype(np.int32)
        return self.found(sheet, "warns", title, why, None, faces=faces, share=part, map_id=channel, mend=mend)


def ordinal(number: int) -> str:
    return f"{number}{ {1: 'st', 2: 'nd', 3: 'rd'}.get(number, 'th') }"

"""What a trip between vertices and a sheet will lose, measured before it is made."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.stack.channels import Channel, encode
from ruvelt.studio.session import Session

#: A change of more than this share of the whole range shows.
SHOWS = 0.04


@dataclass(frozen=True, eq=False)
class TripLoss:
    """How a channel would come back: share of the painted surface that changes so that it shows, the worst change 0–1, and where.

    faces : (k,) int32 of the model
    """

    share: float
    worst: float
    faces: NDArray[np.int32]


def preview(session: Session, from_sheet: str, to_sheet: str, channel_id: str = "base_color") -> TripLoss:
    """The trip there and back of what shows in a channel, against what it was. Raises InputError or NotFound for sheets that are not there."""
    with session.lock:
        source, goal = session.sheet(from_sheet), session.sheet(to_sheet)
        old, new = session.samples(source), session.samples(goal)
        vertices = source if source.of == "vertices" else goal
        levels = session.surfaces.levels(vertices) if vertices.of == "vertices" else None
        channel = session.document.channel(channel_id) or session.document.channels[0]
        there = shown(session, source.id, channel)
        back = Resampling(new, old, levels, session.workers, means=False).values(Resampling(old, new, levels, session.workers).values(there))
        painted = np.flatnonzero(old.covered & (there[-1] > 0) & (back[-1] > 0)).astype(np.int32)
        if not len(painted):
            return TripLoss(0.0, 0.0, np.zeros(0, np.int32))
        change = np.abs(there[:-1, painted].astype(np.int32) - back[:-1, painted]).max(axis=0) / 65535
        area = old.sample_areas(painted).astype(np.float64)
        shows = change > SHOWS
        faces = session.faces_of(source).labels("face")[old.face[painted[shows]]]
        return TripLoss(float(area[shows].sum() / max(area.sum(), 1e-30)), float(change.max()), np.unique(faces).astype(np.int32))


def shown(session: Session, sheet_id: str, channel: Channel) -> U16:
    """(components + 1, slots) uint16: what the layers come to in a channel, and how much they say there."""
    evaluator = session.display(sheet_id).evaluator
    samples = evaluator.samples
    start, parts = encode(channel, channel.start).astype(np.float32)[:, None], []
    for chunk in range(samples.chunk_count):
        cover = np.clip(evaluator.coverage(channel.id, chunk), 0, 1)
        # What lies over nothing is mixed with the channel's start, which is not paint.
        paint = start + (evaluator.composite(channel.id, chunk) - start) / np.maximum(cover, 1 / 65535)
        parts.append(np.rint(np.clip(np.concatenate([paint, cover[None] * 65535]), 0, 65535)).astype(np.uint16))
    return np.concatenate(parts, axis=1)

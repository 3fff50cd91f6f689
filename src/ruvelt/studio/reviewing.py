"""Checks of a project's finished work, and what puts a finding right with one press."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.output.presets import ExportPreset
from ruvelt.core.planes.plane import U16
from ruvelt.core.review.finding import Finding
from ruvelt.core.review.registry import map_checks, review
from ruvelt.core.review.seams import sampled, seam_differences, seams_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import PaintLayer, Sheet, new_channel_uses
from ruvelt.core.stack.edits import AddLayer, SetSheet
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.exports import Progress, chosen_sheets
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.session import Session

#: Faces that go with a finding, at most: what is marked in the views.
MOST_FACES = 60_000
#: Texels on each side of a seam over which it is softened, and the difference (of 255) from which it is.
WIDTH, SEEN = 10.0, 4.0
PASSES = 3


def review_project(
    session: Session,
    preset: ExportPreset,
    sheets: Iterable[str] | None = None,
    only: Iterable[str] | None = None,
    progress: Progress = lambda done, planned, what: None,
) -> list[Finding]:
    """Every finding on a project's sheets as a preset writes them, worst first. Raises NotFound for a sheet or check that is not there."""
    known = {c.id for c in map_checks()}
    wanted = list(only) if only is not None else sorted(known)
    if unknown := set(wanted) - known:
        raise NotFound(f"There is no check '{sorted(unknown)[0][:40]}'. There are: {', '.join(c.id for c in map_checks())}.")
    chosen = chosen_sheets(session, sheets)
    planned = len(chosen) * len(wanted)
    found = review(session.displays(chosen, None), preset, only=wanted, tell=lambda done, what: progress(done, planned, what))
    progress(planned, planned, "Done")
    return found


def finding_as_json(session: Session, finding: Finding) -> dict[str, Any]:
    sheet = session.sheet(finding.sheet)
    labels = session.faces_of(sheet).labels("face")
    faces = np.unique(labels[finding.faces])
    return {
        "check": finding.check,
        "level": finding.level,
        "sheet": finding.sheet,
        "sheet_name": sheet.name,
        "title": finding.title,
        "why": finding.why,
        "share": round(finding.share, 6),
        "map": finding.map,
        "faces": faces[:MOST_FACES].tolist(),
        "look": _look(session, sheet, finding.place),
        "mend": None if finding.mend is None else asdict(finding.mend),
    }


def _look(session: Session, sheet: Sheet, place: tuple[int, int] | None) -> dict[str, Any] | None:
    """Where views go to see a texel: its place on the sheet, 0–1, and on the surface, with the way it faces."""
    if place is None:
        return None
    samples = session.texels(sheet)
    slot = samples.texel_to_slot(*place)
    on_sheet = [(place[0] + 0.5) / samples.side, (place[1] + 0.5) / samples.side]
    return {"sheet": on_sheet, "position": samples.positions[slot].tolist(), "normal": samples.normals[slot].tolist()}


# -- mends ----------------------------------------------------------------------------------------------------------------------


def make_cut_out(session: Session, sheet_id: str) -> None:
    """Opacity below the cut shows nothing, above it everything."""
    session.edit(SetSheet(sheet=sheet_id, values={"alpha_mode": "mask"}), f"Cut-out: {session.sheet(sheet_id).name}")


def clamp_base(session: Session, sheet_id: str, low: float, high: float) -> str:
    """A layer in front with the base colours that are too dark or too bright at the end of the range (sRGB 0–255); returns it.

    Light is scaled, so that the colour stays; what is black becomes grey. Metal is left alone.
    """
    with session.lock:
        sheet, channel = session.sheet(sheet_id), _channel(session, "base_color")
        codes, metallic = _whole(session, sheet_id, "base_color"), _whole(session, sheet_id, "metallic")[0]
        light = DECODE_U16[codes].astype(np.float64)
        bright = np.tensordot(np.array([0.2126, 0.7152, 0.0722]), light, 1)
        ends = DECODE_U16[np.rint(np.clip([low, high], 0, 255) * 257).astype(int)].astype(np.float64)
        goal = np.clip(bright, *ends)
        covered = session.texels(sheet).covered
        changed = covered & (np.abs(goal - bright) > 1e-6) & (metallic < 0.1 * 65535)
        scaled = np.where(bright > 1e-6, light * (goal / np.maximum(bright, 1e-6)), goal)
        # Colours that would leave the gamut are mixed with grey of the goal until they fit.
        over = scaled.max(axis=0)
        mix = np.where(over > 1, (over - 1) / np.maximum(over - goal, 1e-9), 0)
        fitted = scaled + (goal - scaled) * np.clip(mix, 0, 1)
        values = np.rint(np.clip(linear_to_srgb_float(fitted), 0, 1) * 65535).astype(np.uint16)
        return _lay(session, sheet, channel, values, changed, "Base colour in range")


def soften_seams(session: Session, sheet_id: str, channel_id: str) -> str:
    """A layer in front that brings both sides of visible seams together, fading out to both sides; returns it. Raises InputError for none."""
    with session.lock:
        sheet, channel = session.sheet(sheet_id), _channel(session, channel_id)
        samples = session.texels(sheet)
        codes = _whole(session, sheet_id, channel_id)
        seams, gutter, values = seams_of(samples), samples.gutter(4), codes
        # What one pass leaves, where several seams meet, the next takes.
        for _ in range(PASSES):
            padded = values.copy()
            padded[:, gutter.dst] = padded[:, gutter.src]
            image = np.asarray(samples.to_image(np.ascontiguousarray(padded.T))).astype(np.float32) / np.float32(257)
            differs = seam_differences(seams, image) > SEEN
            if not differs.any():
                break
            lift = (sampled(image, seams.b) - sampled(image, seams.a)) * np.float32(0.5)
            values = _brought_together(samples, values, (seams.a[differs], seams.b[differs]), (lift[differs], -lift[differs]))
        if values is codes:
            raise InputError("No seam differs enough to be softened.")
        changed = samples.covered & (values != codes).any(axis=0)
        return _lay(session, sheet, channel, values, changed, f"{channel.name}: seams softened")


def _brought_together(
    samples: SheetSamples, codes: U16, places: tuple[NDArray[np.float32], NDArray[np.float32]], lifts: tuple[NDArray[np.float32], NDArray[np.float32]]
) -> U16:
    """Codes with half of the difference added to each side of a seam, less and less away from it."""
    where, lift = np.concatenate(places), np.concatenate(lifts)
    # (x, y) of the middle of each texel, by slot.
    side = samples.side
    y, x = np.mgrid[:side, :side].astype(np.float32)
    at = np.asarray(samples.from_image(np.stack([x + 0.5, y + 0.5], axis=-1)))
    rows = np.flatnonzero(samples.covered)
    distance, nearest = cKDTree(where).query(at[rows], distance_upper_bound=WIDTH)
    near = np.isfinite(distance)
    t = 1 - distance[near] / WIDTH
    share = (t * t * (3 - 2 * t)).astype(np.float32)
    values = codes.astype(np.float32)
    values[:, rows[near]] += (lift[nearest[near]] * share[:, None] * np.float32(257)).T
    found: U16 = np.rint(np.clip(values, 0, 65535)).astype(np.uint16)
    return found


def _channel(session: Session, channel_id: str) -> Channel:
    channel = session.document.channel(channel_id)
    if channel is None:
        raise NotFound(f"There is no channel '{channel_id[:40]}' in this project.")
    return channel


def _whole(session: Session, sheet_id: str, channel_id: str) -> U16:
    evaluator = session.display(sheet_id).evaluator
    evaluator.prepare()
    return np.concatenate(session.workers.map(lambda c: evaluator.composite(channel_id, c), range(evaluator.samples.chunk_count)), axis=1)


def _lay(session: Session, sheet: Sheet, channel: Channel, values: U16, changed: NDArray[np.bool_], name: str) -> str:
    """A new paint layer in front with values on changed texels, as one step of history."""
    layer_id = IdMaker(sheet).new()
    uses = {c: use.model_copy(update={"on": c == channel.id, "blend": None}) for c, use in new_channel_uses(session.document.channels).items()}
    layer = PaintLayer(id=layer_id, name=name[:80], channels=uses)
    alpha = np.where(changed, np.uint16(65535), np.uint16(0))
    plane = plane_of(session, np.concatenate([values, alpha[None]]))
    session.store.commit(
        name,
        edit=AddLayer(sheet=sheet.id, layer=layer),
        changes={plane_id(sheet.id, layer_id, channel.id): dict(plane.chunks)},
        components={plane_id(sheet.id, layer_id, channel.id): plane.components},
    )
    return layer_id

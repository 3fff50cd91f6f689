"""Pictures of sheets for views: kept ones where they are current, the others made and kept."""

from __future__ import annotations

import time
from collections.abc import Iterable
from contextlib import suppress
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import NotFound
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.document import Sheet

if TYPE_CHECKING:
    from ruvelt.studio.session import Session

#: Chunks read and evaluated together when many tiles are asked for.
GROUP = 16
#: Raised whenever the way from a document to pixels changes, so that pictures made the old way are not shown.
PICTURES = 4
#: Closing a project waits no longer than this for its pictures.
REFRESH_SECONDS = 2.0


def prefetch(session: Session, sheet_id: str, chunks: Iterable[int] | None = None) -> None:
    """Read the chunks that a sheet's visible layers need, in bulk."""
    sheet = session.sheet(sheet_id)
    wanted = None if chunks is None else set(chunks)
    shown = _visible_planes(sheet)
    keys = [
        key
        for name, plane in session.store.planes.items()
        if name.split("/")[0] == sheet.id and name.split("/")[1] in shown
        for chunk, key in plane.chunks.items()
        if wanted is None or chunk in wanted
    ]
    session.store.blobs.prefetch(keys, session.workers)


def scope_of(session: Session, sheet: Sheet) -> str:
    """What pictures of a sheet depend on beside their stamps."""
    return f"{PICTURES}/{session.surfaces.key_of(sheet)}/{session.store.sheet_rule}/{sheet.of}/{sheet.plan}/{sheet.resolution}"


def drawn_tiles(session: Session, sheet_id: str, wanted: list[tuple[str, int]]) -> list[NDArray[np.uint8]]:
    """Display tiles by (texture, chunk): kept pictures where they are current, the others evaluated and kept for the next opening."""
    display, scope = session.display(sheet_id), scope_of(session, session.sheet(sheet_id))
    versions = {w: display.version(*w) for w in wanted}
    made = session.pictures.store.get(scope, versions, session.workers)
    # Read, evaluated and let go in groups, so that pixels are used while they are warm.
    missing = [w for w in wanted if w not in made]
    chunks = sorted({chunk for _, chunk in missing})
    for first in range(0, len(chunks), GROUP):
        group = set(chunks[first : first + GROUP])
        _ = display.samples.screen_gutter
        prefetch(session, sheet_id, group)
        display.evaluator.prepare()
        mine = [w for w in missing if w[1] in group]
        drawn = session.workers.map(lambda w: display.tile(*w), mine)
        made.update(zip(mine, drawn, strict=True))
        session.pictures.keep(scope, [(*w, versions[w], tile) for w, tile in zip(mine, drawn, strict=True)])
    if missing:
        session.pictures.keep_sources(scope, display.samples.gutter_sources)
    # What the first stroke will need is made ready while the pictures are looked at.
    session.pictures.later(lambda: _lay_out(display.samples))
    return [made[w] for w in wanted]


def refresh_pictures(session: Session) -> None:
    """Bring kept pictures that strokes and edits have overtaken up to date, as far as a short while allows."""
    until = time.monotonic() + REFRESH_SECONDS
    session.pictures.settle()
    session.pictures.store.forget(scope_of(session, sheet) for sheet in session.document.sheets)
    for sheet in session.document.sheets:
        if sheet.id not in session.sheets.held:
            continue
        display, scope = session.display(sheet.id), scope_of(session, sheet)
        for (texture, chunk), version in session.pictures.store.names(scope).items():
            with suppress(NotFound):
                now = display.version(texture, chunk)
                if now != version and time.monotonic() < until:
                    session.pictures.keep(scope, [(texture, chunk, now, display.tile(texture, chunk))])


def _lay_out(samples: SurfaceSamples) -> None:
    _ = samples.screen_gutter, samples.grid


def _visible_planes(sheet: Sheet) -> set[str]:
    """Ids of layers whose pixels show."""
    hidden: set[str] = {layer.id for layer, _ in sheet.walk()} - sheet.shown()
    for layer, above in sheet.walk():
        if not layer.visible or any(a in hidden for a in above):
            hidden.add(layer.id)
    return {layer.id for layer, _ in sheet.walk()} - hidden

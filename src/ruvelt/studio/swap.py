"""A new version of the mesh brought in under finished paint."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ruvelt.core.mesh.facts import Note
from ruvelt.core.mesh.readers import read_asset
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.studio.exchange import Exchanged, Progress, exchange_model
from ruvelt.studio.incoming import with_first
from ruvelt.studio.session import Session
from ruvelt.studio.vertex_numbers import with_numbers


def swap_mesh(
    session: Session,
    data: bytes,
    filename: str,
    companions: Mapping[str, bytes] | None,
    progress: Progress,
    *,
    uv_set: int | None = None,
    allowance: Allowance | None = None,
) -> Exchanged:
    """Lay a project's paint on the mesh of a file, as one step of history; the file's pictures and materials stay outside.

    Raises InputError for a file that cannot be read, a UV set that is not there, or a mesh that has nothing to do with the painted one.
    """
    progress(0, 4, "Reading the mesh")
    asset = read_asset(data, filename, companions, allowance)
    notes: list[Note] = []
    model = with_numbers(with_first(asset.model, uv_set), notes)
    return exchange_model(session, replace(model, notes=(*notes, *model.notes)), f"Swap the mesh for {filename}"[:120], progress)

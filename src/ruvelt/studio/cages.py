"""The cage of a bake as the view shows it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.settings import BakeSettings
from ruvelt.studio.bakes import bake_source
from ruvelt.studio.session import Session


def shell_triangles(session: Session, sheet_id: str, settings: BakeSettings) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Where the rays of a sheet's bake start and end, (n, 3, 3) float32 triangles each, object space."""
    sheet = session.sheet(sheet_id)
    source, model = bake_source(session, "high"), session.model
    mine = np.ones(len(model.triangles), bool) if sheet.of == "vertices" else np.isin(model.triangle_face, session.plans[sheet.plan].faces)
    rows = np.flatnonzero(mine).astype(np.int32)
    return source.cage(settings).shell(model, rows, settings)

"""What checks and readouts measure of a model and its first UV layout."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model


def triangle_areas(model: Model) -> NDArray[np.float64]:
    """(t,) float64, object units squared."""
    p = model.positions[model.triangles].astype(np.float64)
    areas: NDArray[np.float64] = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 2
    return areas


def triangle_uvs(model: Model) -> NDArray[np.float32]:
    """(t, 3, 2) float32 of the first UV layout; NaN where a corner has none."""
    layout = model.uv_layouts[0]
    index = layout.corner_uv[model.triangle_corners]
    return np.where((index >= 0)[..., None], layout.uvs[np.maximum(index, 0)], np.nan).astype(np.float32)


def uv_areas(uv: NDArray[np.float32]) -> NDArray[np.float64]:
    """(t,) float64 signed area in UV units."""
    u = uv.astype(np.float64)
    return ((u[:, 1, 0] - u[:, 0, 0]) * (u[:, 2, 1] - u[:, 0, 1]) - (u[:, 2, 0] - u[:, 0, 0]) * (u[:, 1, 1] - u[:, 0, 1])) / 2


def uv_density(model: Model, faces: NDArray[np.integer]) -> float:
    """UV units per object unit over some faces, by area; 0 where they have no area or no UVs. Times the sheet's side: texels per unit."""
    mine = np.zeros(model.face_count, bool)
    mine[faces] = True
    of = mine[model.triangle_face]
    uv_area, area = np.abs(uv_areas(triangle_uvs(model)))[of], triangle_areas(model)[of]
    good = np.isfinite(uv_area)
    total = float(area[good].sum())
    return float(np.sqrt(uv_area[good].sum() / total)) if total > 0 else 0.0


def faces_of(model: Model, triangles: NDArray[np.bool_]) -> NDArray[np.int32]:
    """(k,) int32 faces of the marked ones of all triangles."""
    return np.unique(model.triangle_face[triangles]).astype(np.int32)

"""What is wrong with a model before painting starts (N1.3), as data that points at faces."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.facts import counted
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.mesh.topology import islands
from ruvelt.core.samples.sheet import overlap_faces
from ruvelt.core.tolerances import UV_SLACK, ZERO_AREA_SHARE

#: Texel density may differ by this factor between islands of a sheet before it is worth a word.
DENSITY_FACTOR = 2.0


@dataclass(frozen=True, eq=False)
class Finding:
    """One result of a check. `faces`: (k,) int32 where it is; `level`: "blocks" stops painting there, "warns" does not."""

    kind: str
    title: str
    advice: str
    level: str
    faces: NDArray[np.int32]


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


def find_problems(model: Model, sheets: list[SheetPlan]) -> list[Finding]:
    """Every finding of the model and its sheets, worst first."""
    found = [_zero_area(model), _loose_vertices(model)]
    if not model.uv_layouts:
        everything = np.arange(model.face_count, dtype=np.int32)
        found.append(Finding("missing-uvs", "No UVs", "Unwrap it below, or bring it in again with UVs.", "blocks", everything))
    else:
        found += [
            _missing_uvs(model),
            _outside(model, sheets),
            _folded(model, sheets),
            _overlaps(model, sheets),
            _flipped(model),
            _density(model, sheets),
        ]
    order = {"blocks": 0, "warns": 1}
    return sorted((f for f in found if f is not None), key=lambda f: order[f.level])


def _faces(model: Model, triangles: NDArray[np.bool_]) -> NDArray[np.int32]:
    return np.unique(model.triangle_face[triangles]).astype(np.int32)


def _zero_area(model: Model) -> Finding | None:
    total = np.zeros(model.face_count)
    np.add.at(total, model.triangle_face, triangle_areas(model))
    faces = np.flatnonzero(total < ZERO_AREA_SHARE * model.diagonal**2).astype(np.int32)
    if not len(faces):
        return None
    title = f"{len(faces)} faces without area"
    return Finding("zero-area", title, "They take no paint. Merge doubled vertices in your modelling program.", "warns", faces)


def _loose_vertices(model: Model) -> Finding | None:
    used = np.zeros(model.vertex_count, bool)
    used[model.corner_vertex] = True
    loose = int((~used).sum())
    if not loose:
        return None
    return Finding("loose-vertices", f"{loose} loose vertices", "They belong to no face and are kept as they are.", "warns", np.zeros(0, np.int32))


def _missing_uvs(model: Model) -> Finding | None:
    faces = _faces(model, np.asarray(np.isnan(triangle_uvs(model)).any(axis=(1, 2))))
    if not len(faces):
        return None
    far = any(note.outcome == "left out" and "squares away" in note.text for note in model.notes)
    advice = "Some lay too far out to be kept. Fold them into the square, or unwrap." if far else "They cannot be painted until they are unwrapped."
    return Finding("missing-uvs", f"{len(faces)} faces without UVs", advice, "blocks", faces)


def _outside(model: Model, sheets: list[SheetPlan]) -> Finding | None:
    tile = np.zeros((model.face_count, 2), np.float32)
    for plan in sheets:
        tile[plan.faces] = plan.tile if plan.squares is None else np.nan
    local = triangle_uvs(model) - tile[model.triangle_face][:, None]
    with np.errstate(invalid="ignore"):
        outside = np.asarray(((local < -UV_SLACK) | (local > 1 + UV_SLACK)).any(axis=(1, 2)))
    faces = _faces(model, outside)
    if not len(faces):
        return None
    advice = "What lies outside takes no paint. Move the islands into the square."
    return Finding("outside-square", f"{len(faces)} faces reach outside their square", advice, "blocks", faces)


def _folded(model: Model, sheets: list[SheetPlan]) -> Finding | None:
    moved = np.zeros(model.face_count, bool)
    for plan in sheets:
        if plan.squares is not None:
            moved[plan.faces] = (plan.squares != 0).any(axis=1)
            # What is at home but reaches over the edge repeats as well.
            uv = triangle_uvs(model) - plan.offsets(model.face_count)[model.triangle_face][:, None]
            with np.errstate(invalid="ignore"):
                over = np.asarray(((uv < -UV_SLACK) | (uv > 1 + UV_SLACK)).any(axis=(1, 2)))
            mine = np.zeros(model.face_count, bool)
            mine[plan.faces] = True
            moved |= mine & np.isin(np.arange(model.face_count), model.triangle_face[over])
    faces = np.flatnonzero(moved).astype(np.int32)
    if not len(faces):
        return None
    advice = "Their UVs lie beyond the square and repeat: paint shows wherever the layout comes back to a place. Unwrap for paint of their own."
    return Finding("folded-uvs", f"{len(faces)} faces folded into the square", advice, "warns", faces)


def _overlaps(model: Model, sheets: list[SheetPlan]) -> Finding | None:
    hit = [overlap_faces(model, plan, 1024) for plan in sheets]
    faces = np.unique(np.concatenate(hit)).astype(np.int32) if hit else np.zeros(0, np.int32)
    if not len(faces):
        return None
    advice = "Faces that share texels show the same paint. Move them apart unless that is meant."
    return Finding("overlapping-uvs", f"{len(faces)} faces share texels", advice, "warns", faces)


#: Boxes of islands that share so much lie on one place: a mirrored half that shares the other's texels is meant.
SAME_PLACE = 0.8


def _flipped(model: Model) -> Finding | None:
    uv = triangle_uvs(model)
    areas = np.nan_to_num(uv_areas(uv))
    label = islands(model, model.uv_layouts[0])[model.triangle_face]
    laid = label >= 0
    if not (areas[laid] < 0).any():
        return None
    count = int(label.max()) + 1
    whole = np.bincount(label[laid], weights=areas[laid], minlength=count)
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    for k in range(3):
        np.minimum.at(low, label[laid], uv[laid, k])
        np.maximum.at(high, label[laid], uv[laid, k])
    upright, mirrored = np.flatnonzero(whole > 0), np.flatnonzero(whole < 0)
    meant = np.zeros(count, bool)
    for i in mirrored:
        over = np.maximum(np.minimum(high[upright], high[i]) - np.maximum(low[upright], low[i]), 0).prod(axis=1)
        both = (high[upright] - low[upright]).prod(axis=1) + (high[i] - low[i]).prod() - over
        meant[i] = bool((over > SAME_PLACE * both).any())
    # Mirrored islands, and faces folded over in an island that is upright.
    odd = laid & (((whole < 0) & ~meant)[label] | ((areas < 0) & (whole > 0)[label]))
    if not odd.any():
        return None
    lost = int(((whole < 0) & ~meant).sum())
    faces = _faces(model, odd)
    title = f"{counted(lost, 'island')} mirrored in the UVs" if lost else f"{counted(len(faces), 'face')} folded over in the UVs"
    return Finding("flipped-uvs", title, "Pictures and lettering appear mirrored there.", "warns", faces)


def _density(model: Model, sheets: list[SheetPlan]) -> Finding | None:
    uv_area = np.abs(uv_areas(triangle_uvs(model)))
    area = triangle_areas(model)
    odd: list[NDArray[np.int32]] = []
    for plan in sheets:
        mine = np.zeros(model.face_count, bool)
        mine[plan.faces] = True
        with np.errstate(invalid="ignore"):
            t = mine[model.triangle_face] & (area > 0) & (uv_area > 0)
        if not t.any():
            continue
        density = np.sqrt(uv_area[t] / area[t])
        mean = np.average(density, weights=area[t])
        picked = np.flatnonzero(t)[(density > mean * DENSITY_FACTOR) | (density < mean / DENSITY_FACTOR)]
        odd.append(model.triangle_face[picked])
    faces = np.unique(np.concatenate(odd)).astype(np.int32) if odd else np.zeros(0, np.int32)
    if not len(faces):
        return None
    title = f"{len(faces)} faces at more than {DENSITY_FACTOR:g}× another density"
    return Finding("uneven-density", title, "Strokes look coarser or finer there. Scale the islands to match.", "warns", faces)

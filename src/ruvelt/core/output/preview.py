"""A small lit picture of the model, rendered with Embree: project cards and the look at an export."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float, srgb_to_linear_float
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.rays import Hits, RayCaster
from ruvelt.core.output._vertex_normal_kernels import LEAN_ONE, LEAN_ZERO
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.samples.address import chunk_of, local_of, slot_at
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import Sheet

_KEY = np.array([-0.5, 0.62, 0.6]) / np.linalg.norm([-0.5, 0.62, 0.6])
F64 = NDArray[np.float64]
_GROUND = np.array([0.135, 0.135, 0.135])


def card_camera(model: Model, width: int, height: int) -> Camera:
    """A three-quarter view that holds the whole model."""
    low, high = (v.astype(np.float64) for v in model.bounds)
    centre = (low + high) / 2
    direction = np.array([0.46, 0.3, 0.84])
    direction /= np.linalg.norm(direction)
    eye = centre + direction * model.diagonal * 1.5
    return Camera(eye=tuple(eye), target=tuple(centre), fov_deg=34, width=width, height=height)  # type: ignore[arg-type]


def _studio(direction: NDArray[np.float64], rough: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light from a direction of a plain studio: pale above, dark below, a soft key card and a strip; blurred by roughness."""
    spread = 0.06 + 0.5 * rough
    light = 0.16 + 0.3 * np.clip(direction[:, 1] * 0.5 + 0.5, 0, 1)
    key = np.clip((direction @ _KEY - 0.9 + spread) / spread, 0, 1)
    strip = np.clip((direction @ np.array([0.93, 0.1, 0.35]) - 0.92 + spread) / spread, 0, 1)
    return np.asarray(light + (2.6 * key**2 + 1.0 * strip**2) / (1 + 1.4 * rough), np.float64)


def render(model: Model, displays: Sequence[SheetDisplay], caster: RayCaster, camera: Camera, supersample: int = 2) -> NDArray[np.uint8]:
    """(height, width, 3) uint8 sRGB. One ray of light a pixel for shadow; what `opacity` lets through shows what lies behind."""
    w, h = int(camera.width) * supersample, int(camera.height) * supersample
    big = camera.model_copy(update={"width": w, "height": h})
    x, y = np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5)
    origins, directions = (np.ascontiguousarray(v) for v in big.rays(np.stack([x.ravel(), y.ravel()], axis=1)))
    colour = np.zeros((len(directions), 3))
    left = np.ones(len(directions))
    active = np.arange(len(directions))
    for _ in range(4):
        hits = caster.cast(origins[active], directions[active])
        met = hits.triangle >= 0
        rows = active[met]
        if not len(rows):
            break
        shown, opacity = _shade(model, displays, caster, _only(hits, met), directions[rows])
        colour[rows] += left[rows, None] * shown
        left[rows] *= 1 - opacity
        active = rows[left[rows] > 0.02]
        origins[active] = _only(hits, met).position[left[rows] > 0.02] + directions[active] * model.diagonal * 1e-4
    vignette = 1 - 0.35 * ((x / w - 0.5) ** 2 + (y / h - 0.45) ** 2).ravel() * 2
    colour += left[:, None] * _GROUND * vignette[:, None]
    colour = colour.reshape(h, w, 3).reshape(h // supersample, supersample, w // supersample, supersample, 3).mean(axis=(1, 3))
    return np.rint(linear_to_srgb_float(np.clip(colour, 0, 1)) * 255).astype(np.uint8)


def _only(hits: Hits, keep: NDArray[np.bool_]) -> Hits:
    return Hits(hits.triangle[keep], hits.bary[keep], hits.position[keep], hits.normal[keep], hits.distance[keep])


def _bare(model: Model, triangles: NDArray[np.integer]) -> NDArray[np.float64]:
    """(n, 3) linear colour of what no sheet shows: its material's."""
    colours = srgb_to_linear_float(np.array([m.base_color[:3] for m in model.materials], np.float64).reshape(-1, 3))
    return np.asarray(np.clip(colours[model.face_material[model.triangle_face[triangles]]], 0, 1), np.float64)


def _seen(sheet: Sheet, opacity: NDArray[np.float64]) -> NDArray[np.float64]:
    """What engines make of opacity: nothing, all or nothing, or as it is."""
    if sheet.alpha_mode == "opaque":
        return np.ones_like(opacity)
    return np.asarray(opacity >= sheet.alpha_cutoff, np.float64) if sheet.alpha_mode == "mask" else opacity


def _shade(
    model: Model, displays: Sequence[SheetDisplay], caster: RayCaster, hits: Hits, directions: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Linear colour already weighted by opacity, and opacity."""
    n = len(hits.triangle)
    base, rough, metal = _bare(model, hits.triangle), np.full(n, 0.5), np.zeros(n)
    glow, opacity = np.zeros((n, 3)), np.ones(n)
    normal = np.einsum("nk,nkd->nd", hits.bary.astype(np.float64), corner_normals(model)[model.triangle_corners[hits.triangle]])
    look = _Look(base, rough, metal, glow, opacity, normal)
    for display in displays:
        if isinstance(display.samples, VertexSamples):
            _look_at_vertices(display, display.samples, hits, look)
        else:
            _look_at_sheet(display, display.sheet_samples, hits, look)
    if model.vertex_colors is not None and displays and displays[0].evaluator.document.settings.multiply_vertex_colours:
        tint = srgb_to_linear_float(model.vertex_colors[model.triangles[hits.triangle], :3].astype(np.float64))
        base *= np.einsum("nk,nkd->nd", hits.bary.astype(np.float64), tint)
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-9)
    normal = np.where((np.einsum("ij,ij->i", normal, directions) > 0)[:, None], -normal, normal)
    face = -np.einsum("ij,ij->i", normal, directions)
    lit = np.clip(normal @ _KEY, 0, 1)
    start = hits.position + normal * model.diagonal * 2e-3
    blocked = caster.cast(start, np.broadcast_to(_KEY, start.shape)).triangle >= 0
    lit = np.where(blocked, 0.0, lit)
    ambient = 0.28 + 0.22 * normal[:, 1]
    diffuse = base * (1 - metal)[:, None] * (1.5 * lit + ambient)[:, None]
    mirror = directions + 2 * face[:, None] * normal
    f0 = 0.04 * (1 - metal)[:, None] + base * metal[:, None]
    fresnel = f0 + (np.maximum(1 - rough[:, None], f0) - f0) * (1 - np.clip(face, 0, 1))[:, None] ** 5
    shine = fresnel * (_studio(mirror, rough) * np.where(blocked, 0.6, 1.0))[:, None]
    return (diffuse * opacity[:, None] + shine + glow), opacity


class _Look(NamedTuple):
    """What a ray's surface looks like, filled in sheet by sheet: linear base colour and emission, roughness, metallic, opacity, normal."""

    base: F64
    rough: F64
    metal: F64
    glow: F64
    opacity: F64
    normal: F64


def _look_at_sheet(display: SheetDisplay, samples: SheetSamples, hits: Hits, look: _Look) -> None:
    """Texels nearest to the hits."""
    row_of = np.full(len(samples.model.triangles), -1, np.int32)
    row_of[samples.triangles] = np.arange(len(samples.triangles))
    rows = row_of[hits.triangle]
    mine = np.flatnonzero(rows >= 0)
    if not len(mine):
        return
    uv = np.einsum("nk,nkd->nd", hits.bary[mine], samples.uv[rows[mine]])
    tx = samples.texels_at(uv)
    slots = slot_at(tx[:, 0], tx[:, 1], samples.chunks_across)
    chunk, local = chunk_of(slots), local_of(slots)
    bend = np.zeros((len(hits.triangle), 3))
    for c in np.unique(chunk):
        at, px = mine[chunk == c], local[chunk == c]
        composite = display.evaluator.composite
        look.base[at] = DECODE_U16[composite("base_color", int(c))[:, px]].T
        look.rough[at] = composite("roughness", int(c))[0, px] / 65535
        look.metal[at] = composite("metallic", int(c))[0, px] / 65535
        look.glow[at] = DECODE_U16[composite("emission", int(c))[:, px]].T
        look.opacity[at] = _seen(display.evaluator.sheet, composite("opacity", int(c))[0, px] / 65535)
        bend[at] = display.normals(int(c))[:, px].T / 32767.5 - 1
    frame = samples.triangle_tangents[rows[mine]]
    tangent = np.einsum("nk,nkd->nd", hits.bary[mine], frame[..., :3])
    bitangent = frame[:, 0, 3:] * np.cross(look.normal[mine], tangent)
    b = bend[mine]
    look.normal[mine] = b[:, :1] * tangent + b[:, 1:2] * bitangent + b[:, 2:] * look.normal[mine]


def _look_at_vertices(display: SheetDisplay, samples: VertexSamples, hits: Hits, look: _Look) -> None:
    """Values of the corners, interpolated as they are shown: colours in linear light."""
    slots = samples.triangles[hits.triangle]
    used, where = np.unique(slots, return_inverse=True)
    chunk, local = chunk_of(used), local_of(used)
    widths = {"base": 3, "rough": 1, "metal": 1, "glow": 3, "opacity": 1, "lean": 3}
    at_slots = {name: np.zeros((len(used), width)) for name, width in widths.items()}
    composite = display.evaluator.composite
    for c in np.unique(chunk):
        at, px = chunk == c, local[chunk == c]
        at_slots["base"][at] = DECODE_U16[composite("base_color", int(c))[:, px]].T
        at_slots["rough"][at] = composite("roughness", int(c))[:, px].T / 65535
        at_slots["metal"][at] = composite("metallic", int(c))[:, px].T / 65535
        at_slots["glow"][at] = DECODE_U16[composite("emission", int(c))[:, px]].T
        at_slots["opacity"][at] = composite("opacity", int(c))[:, px].T / 65535
        at_slots["lean"][at] = (display.normals(int(c))[:, px].T - float(LEAN_ZERO)) / LEAN_ONE
    shown = {name: np.einsum("nk,nkd->nd", hits.bary, values[where.reshape(slots.shape)]) for name, values in at_slots.items()}
    look.base[:], look.glow[:] = shown["base"], shown["glow"]
    look.rough[:], look.metal[:] = shown["rough"][:, 0], shown["metal"][:, 0]
    look.opacity[:] = _seen(display.evaluator.sheet, shown["opacity"][:, 0])
    own = np.einsum("nk,nkd->nd", hits.bary, samples.normals[slots])
    look.normal[:] = own + shown["lean"]

"""Edges that lie in the layout twice, and what a map has on both sides of them, copy by smaller copy."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples.sheet import SheetSamples

#: Ends of an edge that lie nearer than this in the layout are one place, texels.
_SAME = 0.05
#: Faces that meet at more than this are an edge of the solid, where a step is no fault.
HARD_DEG = 50.0
#: Places looked at on one edge, at most; and how far inside of it the usual change of a map is measured, texels.
MOST, INSIDE = 48, 1.5


@dataclass(frozen=True, eq=False)
class Seams:
    """Places along seams. a, b : (n, 2) texels of the sheet (x right, y down) of one place on both sides; inner_a, inner_b : a little inside

    weight : (n,) length of seam that a place stands for, texels; face : (n,) int32 of one side
    """

    a: NDArray[np.float32]
    b: NDArray[np.float32]
    inner_a: NDArray[np.float32]
    inner_b: NDArray[np.float32]
    weight: NDArray[np.float32]
    face: NDArray[np.int32]

    @property
    def count(self) -> int:
        return len(self.a)


def seams_of(samples: SheetSamples) -> Seams:
    """Every edge where the surface goes on, but its two sides lie apart in the sheet's layout: no edges of a solid, nor where parts touch."""
    model = samples.model
    triangles, first = np.unique(samples.triangles, return_index=True)
    uv = samples.uv[first].astype(np.float64)
    welded = model.welded[model.triangles[triangles]].astype(np.int64)
    starts, ends = welded, np.roll(welded, -1, axis=1)
    flip = starts > ends
    low, high = np.where(flip, ends, starts), np.where(flip, starts, ends)
    key = (low * (int(model.welded.max(initial=0)) + 1) + high).ravel()
    at, to = uv, np.roll(uv, -1, axis=1)
    begin = np.where(flip[..., None], to, at).reshape(-1, 2)
    end = np.where(flip[..., None], at, to).reshape(-1, 2)
    third = np.roll(uv, -2, axis=1).reshape(-1, 2)
    order = np.argsort(key, kind="stable")
    pairs = np.flatnonzero((key[order][1:] == key[order][:-1]) & (low.ravel() != high.ravel())[order][1:])
    i, j = order[pairs], order[pairs + 1]
    apart = (np.abs(begin[i] - begin[j]).max(axis=1) > _SAME) | (np.abs(end[i] - end[j]).max(axis=1) > _SAME)
    part = model.face_part[model.triangle_face[triangles]]
    corners = samples.triangle_positions[first].astype(np.float64)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    goes_on = (part[i // 3] == part[j // 3]) & (np.einsum("ij,ij->i", normal[i // 3], normal[j // 3]) > np.cos(np.radians(HARD_DEG)))
    good = apart & goes_on & np.isfinite(np.concatenate([begin[i], begin[j], end[i], end[j], third[i], third[j]], axis=1)).all(axis=1)
    i, j = i[good], j[good]
    length = np.maximum(np.linalg.norm(end[i] - begin[i], axis=1), np.linalg.norm(end[j] - begin[j], axis=1))
    count = np.clip(np.ceil(length), 1, MOST).astype(np.int64)
    edge = np.repeat(np.arange(len(i)), count)
    step = np.arange(len(edge)) - np.repeat(np.cumsum(count) - count, count)
    t = ((step + 0.5) / count[edge])[:, None]

    def along(side: NDArray[np.int64]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        place = begin[side][edge] + (end[side] - begin[side])[edge] * t
        direction = (end[side] - begin[side])[edge]
        inward = third[side][edge] - place
        unit = direction / np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-9)
        inward = inward - unit * np.einsum("ij,ij->i", inward, unit)[:, None]
        inward /= np.maximum(np.linalg.norm(inward, axis=1, keepdims=True), 1e-9)
        return place.astype(np.float32), (place + inward * INSIDE).astype(np.float32)

    (a, inner_a), (b, inner_b) = along(i), along(j)
    face = model.triangle_face[triangles][i // 3][edge].astype(np.int32)
    return Seams(a, b, inner_a, inner_b, (length / count)[edge].astype(np.float32), face)


def sampled(image: NDArray[np.float32], places: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n, components) of (h, w, components) at texels of the full size, bilinear as graphics cards read; h, w a smaller copy's or the full size."""
    if not len(places):
        return np.zeros((0, image.shape[2]), np.float32)
    across = 4096
    rows = -(-len(places) // across)
    padded = np.zeros((rows * across, 2), np.float32)
    padded[: len(places)] = places - np.float32(0.5)
    grid = padded.reshape(rows, across, 2)
    found = cv2.remap(image, grid[..., 0], grid[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(found, np.float32).reshape(rows * across, image.shape[2])[: len(places)]


def smaller(image: NDArray[np.float32]) -> NDArray[np.float32]:
    """The next smaller copy: the mean of each two by two."""
    found = cv2.resize(image, (image.shape[1] // 2, image.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return np.asarray(found if found.ndim == 3 else found[..., None], np.float32)


def seam_differences(seams: Seams, image: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n,) codes 0–255 that both sides of a place differ by. What the map changes there anyway, a little inside, does not count."""
    a, b = sampled(image, seams.a), sampled(image, seams.b)
    usual = np.abs(a - sampled(image, seams.inner_a)) + np.abs(b - sampled(image, seams.inner_b))
    return np.asarray(np.maximum(np.abs(a - b) - usual, 0).max(axis=1), np.float32)


def bleeding(seams: Seams, written: NDArray[np.float32], endless: NDArray[np.float32], copies: int) -> list[NDArray[np.float32]]:
    """For a map as it is written and each of its smaller copies: (n,) codes 0–255 that what lies around the islands moves it by at a seam.

    endless : the same map with padding without end, which nothing runs into
    """
    found = []
    for level in range(copies + 1):
        if level:
            if written.shape[0] < 8:
                break
            written, endless = smaller(written), smaller(endless)
        off = np.zeros(seams.count, np.float32)
        difference = np.abs(written - endless)
        if difference.any():
            scale = np.float32(1 / (1 << level))
            for side in (seams.a, seams.b):
                np.maximum(off, sampled(difference, side * scale).max(axis=1), out=off)
        found.append(off)
    return found

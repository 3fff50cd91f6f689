"""The view a stroke was made in: a pinhole camera, so that pointer positions become rays."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from ruvelt.core.stack._view_kernels import turn_to_eye, view_rays
from ruvelt.core.stack.basics import Frozen

Coordinate = Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]
Vector = tuple[Coordinate, Coordinate, Coordinate]


Axes = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


@lru_cache(maxsize=64)
def _axes(eye: Vector, target: Vector, up: Vector) -> Axes:
    forward = np.subtract(target, eye).astype(np.float64)
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, np.asarray(up, np.float64))
    right /= np.linalg.norm(right)
    return right, np.cross(right, forward), forward


@lru_cache(maxsize=64)
def _view(eye: Vector, target: Vector, up: Vector) -> NDArray[np.float64]:
    """(4, 3) eye, right, up and forward."""
    return np.ascontiguousarray([np.asarray(eye, np.float64), *_axes(eye, target, up)])


class Camera(Frozen):
    """Eye, target and up in object space; vertical field of view in degrees; size of the view in pixels, x right, y down."""

    eye: Vector
    target: Vector
    up: Vector = (0.0, 1.0, 0.0)
    fov_deg: Annotated[float, Field(gt=0.1, lt=170)] = 35.0
    width: Annotated[float, Field(gt=0, le=20_000)]
    height: Annotated[float, Field(gt=0, le=20_000)]

    @model_validator(mode="after")
    def _usable(self) -> Camera:
        forward = np.subtract(self.target, self.eye)
        if np.linalg.norm(forward) == 0 or np.linalg.norm(np.cross(forward, self.up)) < 1e-9 * np.linalg.norm(forward):
            raise ValueError("the camera needs an eye apart from its target, and an up that is not along its view")
        return self

    @property
    def axes(self) -> Axes:
        """Unit right, up and forward."""
        return _axes(self.eye, self.target, self.up)

    @property
    def _pixel_slope(self) -> float:
        return 2 * math.tan(math.radians(self.fov_deg) / 2) / self.height

    def rays(self, points: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Origins and unit directions, (n, 3), of (n, 2) pixel positions."""
        directions = np.empty((len(points), 3))
        origins = np.empty_like(directions)
        view_rays(
            np.ascontiguousarray(points, np.float64),
            _view(self.eye, self.target, self.up),
            self.width / 2,
            self.height / 2,
            self._pixel_slope,
            origins,
            directions,
        )
        return origins, directions

    def face_eye(self, directions: NDArray[np.float64], positions: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
        """Turn (n, 3) normals, in place, to the side that rays along `ways` see; gives what `pixel_size` gives for the positions."""
        pixel = np.empty(len(directions))
        turn_to_eye(directions, _view(self.eye, self.target, self.up), self._pixel_slope, positions, normals, pixel)
        return pixel

    def pixel_size(self, positions: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n,) object units that one pixel spans at the depth of (n, 3) positions."""
        depth = (positions - np.asarray(self.eye)) @ self.axes[2]
        return np.asarray(np.maximum(depth, 1e-12) * self._pixel_slope, np.float64)

    def project(self, positions: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n, 2) pixel positions of (n, 3) object-space points in front of the eye."""
        right, up, forward = self.axes
        p = positions - np.asarray(self.eye)
        depth = p @ forward * self._pixel_slope
        return np.stack([self.width / 2 + p @ right / depth, self.height / 2 - p @ up / depth], axis=1)

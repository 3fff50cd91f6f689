"""What the imported file lays on the surface: its pictures, by whichever UV set and transform it says, and its vertex colours."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ruvelt.core._value_kernels import LUMA
from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import TextureCoords
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack import _laid_kernels as kernels
from ruvelt.core.stack.channels import HEIGHT_MID, Channel

if TYPE_CHECKING:
    from ruvelt.core.stack.kinds.contents.file import FileContent

WRAPS = {"repeat": kernels.REPEAT, "mirror": kernels.MIRROR, "clamp": kernels.CLAMP}
PARTS = {"r": 0, "g": 1, "b": 2, "a": 3}
_STRAIGHT = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)


class Laid:
    """Pictures and colours of the file on one sheet."""

    def __init__(self, samples: SheetSamples, smaller: Callable[[str, U16, int], U16]) -> None:
        self.samples, self._smaller = samples, smaller
        self._numbers: dict[str, NDArray[np.float32]] = {}

    def layout(self, number: int) -> TextureCoords | None:
        """The file's UV set of that number, as the model still has it."""
        return next((u for u in self.samples.model.uv_layouts if u.number == number), None)

    def picture(self, of: FileContent, image: U16, chunk: int) -> U16 | None:
        """(5, 65536) uint16 red, green, blue, alpha, and full where the file lays it; None where the model has no such UV set any more."""
        layout = self.layout(of.uv_set)
        if layout is None:
            return None
        samples = self.samples
        corners = self.corners(of)
        height, width = image.shape[:2]
        image = self._smaller(of.image, image, self._halvings(of, corners, width, height))
        out = np.empty((5, CHUNK), np.uint16)
        kernels.laid_chunk(
            samples.owner[chunk * CHUNK : (chunk + 1) * CHUNK], samples.uv, corners, *self._place(chunk), samples.side, self._straight(of), image,
            WRAPS[of.wrap[0]], WRAPS[of.wrap[1]], of.nearest, out,
        )  # fmt: skip
        return out

    def corners(self, of: FileContent) -> NDArray[np.float64]:
        """(t, 3, 2) float64 corners of the sheet's triangles in the picture, v down; NaN for those that do not lay it."""
        samples, layout = self.samples, self.layout(of.uv_set)
        assert layout is not None
        model = samples.model
        index = layout.corner_uv[model.triangle_corners[samples.triangles]]
        uv = layout.uvs[np.maximum(index, 0)].astype(np.float64)
        u, v = uv[..., 0], 1 - uv[..., 1]
        a, b, c, d, e, f = of.transform
        found = np.stack([a * u + b * v + c, d * u + e * v + f], axis=-1)
        found[(index < 0).any(axis=1)] = np.nan
        if of.material is not None:
            found[model.face_material[model.triangle_face[samples.triangles]] != of.material] = np.nan
        return np.ascontiguousarray(found)

    def _straight(self, of: FileContent) -> bool:
        """Whether the picture lies on the sheet as on its own square, so that texels are pixels whatever the triangles round to."""
        painted, plan = self.samples.model.uv_layouts[0], self.samples.plan
        home = (plan.tile == (0, 0) and plan.squares is None) or of.wrap == ("repeat", "repeat")
        return of.uv_set == painted.number and of.transform == _STRAIGHT and home

    def _halvings(self, of: FileContent, corners: NDArray[np.float64], width: int, height: int) -> int:
        """How often a picture is halved so that its pixels are no finer than texels."""
        if self._straight(of):
            fine = max(width, height) / self.samples.side
        else:
            pixels = _areas(corners) * width * height
            texels = _areas(self.samples.uv.astype(np.float64))
            good = np.isfinite(pixels) & (texels > 0)
            fine = float(np.sqrt(pixels[good].sum() / max(texels[good].sum(), 1e-9)))
        return int(np.floor(np.log2(fine) + 1e-6)) if np.isfinite(fine) and fine > 1 else 0

    def _place(self, chunk: int) -> tuple[int, int]:
        across = self.samples.chunks_across
        return chunk % across * CHUNK_SIDE, chunk // across * CHUNK_SIDE

    def normal(self, of: FileContent, image: U16, chunk: int) -> U16 | None:
        """(4, 65536) uint16 tangent-space normals, Y up, n · 0.5 + 0.5, alpha last: `high[0]` times as steep, turned to the sheet's own layout."""
        laid = self.picture(of, image, chunk)
        if laid is None:
            return None
        found = laid[[0, 1, 2, 4]]
        if self._straight(of) and of.high[0] == 1:
            return found
        n = found[:3].astype(np.float64) / 32767.5 - 1
        if not self._straight(of):
            turn = self._turns(of)[np.maximum(self.samples.owner[chunk * CHUNK : (chunk + 1) * CHUNK], 0)]
            n[:2] = np.einsum("nij,jn->in", turn, n[:2])
        n[:2] *= of.high[0]
        n /= np.maximum(np.linalg.norm(n, axis=0), 1e-9)
        found[:3] = np.where(found[3] > 0, np.rint((n + 1) * 32767.5), 0).astype(np.uint16)
        return found

    def _turns(self, of: FileContent) -> NDArray[np.float64]:
        """(t, 2, 2): from the frame of the picture's UVs to that of the sheet's, both with v up."""
        theirs, mine = self.corners(of) * [1, -1], self.samples.uv.astype(np.float64) * [1, -1]
        p = np.stack([theirs[:, 1] - theirs[:, 0], theirs[:, 2] - theirs[:, 0]], axis=-1)
        s = np.stack([mine[:, 1] - mine[:, 0], mine[:, 2] - mine[:, 0]], axis=-1)
        det = p[:, 0, 0] * p[:, 1, 1] - p[:, 0, 1] * p[:, 1, 0]
        good = np.isfinite(det) & (np.abs(det) > 1e-12)
        inverse = np.stack([np.stack([p[:, 1, 1], -p[:, 0, 1]], -1), np.stack([-p[:, 1, 0], p[:, 0, 0]], -1)], axis=-2)
        turns = s @ np.where(good[:, None, None], inverse / np.where(good, det, 1)[:, None, None], 0)
        length = np.linalg.norm(turns, axis=1, keepdims=True)
        return np.where(good[:, None, None] & (length > 0), turns / np.maximum(length, 1e-30), np.eye(2))

    @lazy
    def _colours(self) -> NDArray[np.float32] | None:
        model = self.samples.model
        if model.vertex_colors is None:
            return None
        return np.ascontiguousarray(model.vertex_colors[model.triangles[self.samples.triangles], :3], np.float32)

    def vertex_colours(self, chunk: int) -> U16 | None:
        """(4, 65536) uint16, sRGB-encoded; None without any."""
        return None if self._colours is None else self._between(self._colours, chunk)

    def vertex_values(self, name: str, values: NDArray[np.float32], coded: Callable[[NDArray[np.float32]], U16], chunk: int) -> U16:
        """(k + 1, 65536) uint16 between the (v, k) values of vertices, coded first; the last full. `name`: under which they are kept."""
        if name not in self._numbers:
            corners = self.samples.model.triangles[self.samples.triangles]
            self._numbers[name] = (coded(values) / np.float32(65535))[corners].astype(np.float32)
        return self._between(self._numbers[name], chunk)

    def _between(self, values: NDArray[np.float32], chunk: int) -> U16:
        out = np.empty((values.shape[2] + 1, CHUNK), np.uint16)
        kernels.corner_chunk(self.samples.owner[chunk * CHUNK : (chunk + 1) * CHUNK], self.samples.uv, values, *self._place(chunk), out)
        return out


def lightness(picture: U16) -> U16:
    """(65536,) uint16 Rec. 709 weights on the encoded components of (3 or more, 65536) uint16."""
    values = picture[0] * LUMA[0] + picture[1] * LUMA[1] + picture[2] * LUMA[2]
    found: U16 = np.rint(values).astype(np.uint16)
    return found


def _areas(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.asarray(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]), np.float64)


def ranged(picture: U16, of: FileContent, channel: Channel) -> U16:
    """(components + 1, 65536) codes of a channel: the wanted part of a picture, from `low` to `high`; colours in linear light.

    The code's alpha tells where the picture lies; the picture's own alpha is a part like the others.
    """
    parts = picture[:3] if of.part == "rgb" and channel.components == 3 else _single(picture, of.part)[None].repeat(channel.components, axis=0)
    rows = [_row(values_u16, _of(of.low, k), _of(of.high, k), channel) for k, values_u16 in enumerate(parts)]
    return np.stack([*rows, picture[4]])


def _of(values: tuple[float, ...], k: int) -> float:
    return values[k] if k < len(values) else values[0]


def _single(picture: U16, part: str) -> U16:
    if part == "rgb":
        return lightness(picture)
    found: U16 = picture[PARTS[part]]
    return found


def _row(values_u16: U16, low: float, high: float, channel: Channel) -> U16:
    if channel.kind != "height" and (low, high) == (0, 1):
        return values_u16
    if channel.kind == "colour":
        table = linear_to_srgb_float(np.clip(low + (high - low) * DECODE_U16.astype(np.float64), 0, 1)) * 65535
    else:
        values = low + (high - low) * (np.arange(65536) / 65535)
        table = values * 65535 if channel.kind == "data" else HEIGHT_MID + values * 32767
    found: U16 = np.rint(np.clip(table, 0, 65535)).astype(np.uint16)[values_u16]
    return found

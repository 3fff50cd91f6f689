"""Values of mask sources and fill contents over a chunk: the surface's measures, patterns and pictures.

Everything here depends on the samples of one chunk alone. What a source lacks (a map that is not baked, a picture that is gone) makes it
None: it says nothing then.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.color.oklab import oklab
from ruvelt.core.lazy import lazy
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack import _field_kernels as kernels
from ruvelt.core.stack.basics import Colour, Vector
from ruvelt.core.stack.channels import Channel, encode
from ruvelt.core.stack.fields import ColourStop, Noise, Picture, Spots, Weave
from ruvelt.core.stack.laid import Laid, lightness, ranged
from ruvelt.core.stack.noise import BASES, lattices, noise_values, parts_of, sides_of, spots_mean

if TYPE_CHECKING:
    from ruvelt.core.stack.kinds.contents.file import FileContent

FORMS = {"stripes": kernels.STRIPES, "checks": kernels.CHECKS, "rings": kernels.RINGS}
WAYS = {"uv": 0, "three-way": 1, "planar": 2}

#: A picture of the project by its key: (h, w, 4) uint16, sRGB-encoded, top row first; None when it is gone.
Images = Callable[[str], U16 | None]


def no_images(key: str) -> U16 | None:
    """For evaluation of documents that hold no pictures."""
    return None


def unit(vector: Vector) -> NDArray[np.float32]:
    """(3,) float32 of length 1; up for a vector without direction."""
    v = np.asarray(vector, np.float64)
    size = np.linalg.norm(v)
    return (v / size if size > 1e-9 else np.array([0.0, 1.0, 0.0])).astype(np.float32)


def frame_of(facing: Vector) -> NDArray[np.float32]:
    """(3, 3) float32 rows right, up and direction of a picture that looks along −direction; up is as near to +Y as can be."""
    n = unit(facing).astype(np.float64)
    hint = np.array([0.0, 1.0, 0.0]) if abs(n[1]) < 0.95 else np.array([0.0, 0.0, -1.0 if n[1] > 0 else 1.0])
    right = np.cross(hint, n)
    right /= np.linalg.norm(right)
    return np.array([right, np.cross(n, right), n], np.float32)


class Measures:
    """Measures of one sheet's chunks."""

    def __init__(self, samples: SurfaceSamples, images: Images, cache: BoundedCache) -> None:
        self.samples, self._images, self._cache = samples, images, cache

    def _chunk(self, chunk: int) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.bool_]]:
        part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
        return self.samples.positions[part], self.samples.normals[part], self.samples.covered[part]

    def noise(self, of: Noise, chunk: int) -> U16:
        positions, normals, covered = self._chunk(chunk)
        cell, spacing = of.size * self.samples.model.diagonal * np.asarray(of.stretch), self.samples.spacings(chunk)
        left, values, loose = np.empty((3, CHUNK), np.float32)

        def seen(places: NDArray[np.float32], spacing: NDArray[np.float32]) -> U16:
            octaves = lattices(of.octaves, of.seed)
            scale = (1 / cell).astype(np.float32)
            kernels.noise_values(places, normals, covered, BASES[of.basis], of.roughness, scale, octaves, spacing, left, values, loose)
            return noise_values(of, values, loose)

        # As many parts as the widest sample needs.
        sides = sides_of(of, float(cell.min()) / float(spacing.max(initial=1e-12, where=covered)))
        if sides == 1:
            out: U16 = seen(positions, spacing)
        else:
            parts = [seen(places, spacing / np.float32(sides)) for places in parts_of(positions, normals, spacing, sides)]
            out = np.asarray(np.sum(parts, axis=0, dtype=np.uint32) // len(parts), np.uint16)
        out[~covered] = 0
        return out

    def spots(self, of: Spots, chunk: int) -> U16:
        positions, normals, covered = self._chunk(chunk)
        out = np.empty(CHUNK, np.uint16)
        scale = 1 / (of.size * self.samples.model.diagonal)
        mean = spots_mean(of.cover, of.variation, of.hardness)
        kernels.spots_chunk(positions, normals, covered, scale, of.cover, of.variation, of.hardness, of.seed, self.samples.spacings(chunk), mean, out)
        return out

    def weave(self, of: Weave, chunk: int) -> U16:
        positions, normals, covered = self._chunk(chunk)
        out = np.empty(CHUNK, np.uint16)
        right, up, n = frame_of(of.along)
        frame = np.ascontiguousarray([n, right, up])
        scale = 1 / (of.size * self.samples.model.diagonal)
        kernels.weave_chunk(positions, normals, covered, FORMS[of.form], frame, scale, of.share, of.softness, self.samples.spacings(chunk), out)
        return out

    def pattern(self, of: Noise | Spots | Weave, chunk: int) -> U16:
        if isinstance(of, Noise):
            return self.noise(of, chunk)
        return self.spots(of, chunk) if isinstance(of, Spots) else self.weave(of, chunk)

    def positions(self, chunk: int) -> NDArray[np.float32]:
        """(65536, 3) float32, object space."""
        return self._chunk(chunk)[0]

    def normals(self, chunk: int) -> NDArray[np.float32]:
        return self._chunk(chunk)[1]

    def along(
        self, vectors: NDArray[np.float32], along: NDArray[np.float32], origin: float, scale: float, ramp: tuple[float, float, float], chunk: int
    ) -> U16:
        """(65536,) uint16: the ramp (low, high, softness) of (vector · along − origin) · scale."""
        out = np.empty(CHUNK, np.uint16)
        kernels.along_chunk(vectors, self._chunk(chunk)[2], along, origin, scale, *ramp, out)
        return out

    def ball(self, centre: NDArray[np.float32], radius: float, softness: float, chunk: int) -> U16:
        """(65536,) uint16: 0 at the centre, full at the radius and beyond."""
        out = np.empty(CHUNK, np.uint16)
        positions, _, covered = self._chunk(chunk)
        kernels.ball_chunk(positions, covered, centre, radius, softness, out)
        return out

    def ramp(self, values_u16: U16, fold: int, low: float, high: float, softness: float) -> U16:
        """The ramp of a mesh map's (65536,) codes; `fold` as `ramp_codes` tells."""
        out = np.empty(CHUNK, np.uint16)
        kernels.ramp_values(np.ascontiguousarray(values_u16), fold, low, high, softness, out)
        return out

    def near(self, values_u16: U16, colours: tuple[Colour, ...], tolerance: float, softness: float) -> U16:
        """1 where (3 or 1, 65536) sRGB-encoded codes come within `tolerance` (OKLab) of a colour."""
        out = np.zeros(CHUNK, np.uint16)
        if colours:
            kernels.near_colours(values_u16, DECODE_U16, oklab(np.array(colours)).astype(np.float32), tolerance, softness, out)
        return out

    def has_picture(self, of: Picture) -> bool:
        """Whether there is a picture, and a layout where it goes by one."""
        laid_out = of.projection.mode != "uv" or isinstance(self.samples, SheetSamples)
        return laid_out and of.image is not None and self._images(of.image) is not None

    def picture(self, of: Picture, chunk: int) -> U16 | None:
        """(4, 65536) uint16: a picture on the surface, alpha last; None without one."""
        image = self._images(of.image) if of.image is not None else None
        if image is None:
            return None
        samples, projection = self.samples, of.projection
        height, width = image.shape[:2]
        flat = projection.mode == "uv"
        if not self.has_picture(of):
            return None
        side = samples.side if isinstance(samples, SheetSamples) else 1
        unit_size = projection.size if flat else projection.size * samples.model.diagonal
        # A picture finer than the samples is read from a smaller copy, or it would sparkle.
        fine = width / unit_size * (1 / side if flat else samples.spacing)
        image = self._smaller(of.image or "", image, int(np.floor(np.log2(fine))) if fine > 1 else 0)
        angle = np.radians(projection.turn)
        turn = np.array([np.cos(angle) / unit_size, np.sin(angle) / unit_size, width / height], np.float32)
        frame = np.concatenate([np.asarray(projection.centre, np.float32)[None], frame_of(projection.facing)])
        positions, normals, covered = self._chunk(chunk)
        across = samples.chunks_across if isinstance(samples, SheetSamples) else 1
        x, y = chunk % across * CHUNK_SIDE, chunk // across * CHUNK_SIDE
        out = np.empty((4, CHUNK), np.uint16)
        kernels.picture_chunk(
            positions, normals, covered, x, y, side, image,
            kernels.PictureFrame(
                WAYS[projection.mode], np.ascontiguousarray(frame, np.float32), turn, np.asarray(projection.shift, np.float32),
                projection.sharpness, projection.repeat, projection.through,
            ), out,
        )  # fmt: skip
        return out

    def _smaller(self, key: str, image: U16, halvings: int) -> U16:
        height, width = image.shape[:2]
        size = max(width >> halvings, 1), max(height >> halvings, 1)
        if size == (width, height):
            return image
        where = ("smaller", key, size)
        found: U16 | None = self._cache.get(where)
        if found is None:
            found = np.ascontiguousarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA))
            self._cache.put(where, found, found.nbytes)
        return found

    @lazy
    def laid(self) -> Laid | None:
        """What the imported file lays on the sheet; None without a layout."""
        return Laid(self.samples, self._smaller) if isinstance(self.samples, SheetSamples) else None

    def from_file(self, of: FileContent, channel: Channel, chunk: int) -> U16 | None:
        """(components + 1, 65536) uint16 of a picture of the imported file; None where it is gone."""
        image = self._images(of.image)
        picture = None if image is None or self.laid is None else self.laid.picture(of, image, chunk)
        return None if picture is None else ranged(picture, of, channel)

    def vertex_colours(self, channel: Channel, chunk: int) -> U16 | None:
        """The same of the model's vertex colours."""
        samples = self.samples
        at = self.laid.vertex_colours if self.laid is not None else samples.colours if isinstance(samples, VertexSamples) else None
        colours = None if at is None else at(chunk)
        return colours if colours is None or channel.components == 3 else np.stack([lightness(colours), colours[3]])

    def vertex_numbers(self, name: str, channel: Channel, chunk: int) -> U16 | None:
        """The same of numbers of the model's vertices under a name; None where they are gone or are not as many as the channel's."""
        numbers = next((n.values for n in self.samples.model.vertex_numbers if n.name == name), None)
        if numbers is None or numbers.shape[1] != channel.components:
            return None

        def coded(values: NDArray[np.float32]) -> U16:
            return encode(channel, np.nan_to_num(values))

        if self.laid is not None:
            return self.laid.vertex_values(name, numbers, coded, chunk)
        return self.samples.of_vertices(numbers, chunk, coded) if isinstance(self.samples, VertexSamples) else None

    def file_normal(self, of: FileContent, chunk: int) -> U16 | None:
        """(4, 65536) uint16 of a normal map of the imported file, alpha last; None where it is gone."""
        image = self._images(of.image)
        return None if image is None or self.laid is None else self.laid.normal(of, image, chunk)

    def ramped(self, values_u16: U16, ramp: tuple[ColourStop, ...], channel: Channel) -> U16:
        """(components + 1, 65536) uint16: values of a ramp at (65536,) codes, alpha full."""
        out = np.empty((channel.components + 1, CHUNK), np.uint16)
        kernels.ramp_colours(values_u16, ramp_table(ramp, channel), out)
        return out


def ramp_table(ramp: tuple[ColourStop, ...], channel: Channel) -> NDArray[np.float32]:
    """(components, 4097) float32 codes along a ramp, straight between its stops."""
    stops = sorted(ramp, key=lambda s: s.at)
    values = [encode(channel, tuple(s.value) if len(s.value) == channel.components else (s.value[0],) * channel.components) for s in stops]
    places, x = [s.at for s in stops], np.linspace(0, 1, 4097)
    return np.array([np.interp(x, places, [v[k] for v in values]) for k in range(channel.components)], np.float32)

"""Specular–glossiness of metallic–roughness and back, as KHR_materials_pbrSpecularGlossiness and its conversion sample describe it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.planes.plane import U16

#: What components made of base colour and metallic are called.
MADE = ("diffuse", "specular")
#: What a dielectric reflects straight on.
DIELECTRIC = np.float32(0.04)
_EPS = np.float32(1e-6)
F32 = NDArray[np.float32]


def to_specular(base: F32, metallic: F32) -> tuple[F32, F32]:
    """Diffuse and specular (3, n) of base colour (3, n) and metallic (n,), linear light 0–1."""
    specular = DIELECTRIC + (base - DIELECTRIC) * metallic
    left = 1 - specular.max(axis=0)
    diffuse = base * ((1 - DIELECTRIC) * (1 - metallic) / np.maximum(left, _EPS))
    return np.clip(diffuse, 0, 1).astype(np.float32), specular.astype(np.float32)


def from_specular(diffuse: F32, specular: F32) -> tuple[F32, F32]:
    """Base colour (3, n) and metallic (n,) of diffuse and specular colours (3, n), linear light 0–1."""
    strongest = specular.max(axis=0)
    metallic = _metallic(_brightness(diffuse), _brightness(specular), 1 - strongest)
    of_diffuse = diffuse * ((1 - strongest) / (1 - DIELECTRIC) / np.maximum(1 - metallic, _EPS))
    of_specular = (specular - DIELECTRIC * (1 - metallic)) / np.maximum(metallic, _EPS)
    base = of_diffuse + (of_specular - of_diffuse) * metallic**2
    return np.clip(base, 0, 1).astype(np.float32), metallic


def _brightness(colour: F32) -> F32:
    weights = np.array([0.299, 0.587, 0.114], np.float32)[:, None]
    found: F32 = np.sqrt((weights * colour**2).sum(axis=0)).astype(np.float32)
    return found


def _metallic(diffuse: F32, specular: F32, left: F32) -> F32:
    """The metallic that gives both brightnesses, by the quadratic of the conversion sample."""
    a = DIELECTRIC
    b = diffuse * left / (1 - DIELECTRIC) + specular - 2 * DIELECTRIC
    c = DIELECTRIC - specular
    found = (-b + np.sqrt(np.maximum(b * b - 4 * a * c, 0))) / (2 * a)
    return np.where(specular < DIELECTRIC, 0, np.clip(found, 0, 1)).astype(np.float32)


def diffuse_and_specular(base_u16: U16, metallic_u16: NDArray[np.uint16]) -> tuple[U16, U16]:
    """sRGB codes (3, n) of both, of sRGB codes (3, n) and metallic codes (n,)."""
    made = to_specular(DECODE_U16[base_u16], metallic_u16.astype(np.float32) / np.float32(65535))
    diffuse, specular = (np.rint(np.clip(linear_to_srgb_float(m), 0, 1) * 65535).astype(np.uint16) for m in made)
    return diffuse, specular

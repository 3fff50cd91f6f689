"""Colours by lightness, and two axes of hue and chroma: OKLab (B. Ottosson, 2020), with colours kept inside sRGB at one lightness and hue."""

# mypy: disable-error-code="no-untyped-def"
import numpy as np

from ruvelt.core.kernels import inline

f32 = np.float32
#: Halvings by which chroma is brought to the gamut's edge: within a 4096th.
HALVINGS = 12
#: How far past the gamut a component may lie and still be in it: less than a code of 8 bits.
EDGE = np.float32(2e-4)


@inline
def cube_root(x):
    """Of a float32 from 0 on, within 2e-7: a third of its exponent, then two steps of Halley's method. A tenth of what a power costs."""
    third = np.uint32(np.float32(x).view(np.uint32) // np.uint32(3)) + np.uint32(709921077)
    y = np.uint32(third).view(np.float32)
    for _ in range(2):
        cube = y * y * y
        y = y * (cube + f32(2) * x) / (f32(2) * cube + x)
    return y if x > f32(1e-20) else f32(0)


@inline
def _fifth_root(x):
    """Of a float32 0.05 … 1, in the same way."""
    fifth = np.uint32(np.float32(x).view(np.uint32) // np.uint32(5)) + np.uint32(852000000)
    y = np.uint32(fifth).view(np.float32)
    for _ in range(2):
        power = y * y * y * y * y
        y = y * (f32(2) * power + f32(3) * x) / (f32(3) * power + f32(2) * x)
    return y


@inline
def decoded(v):
    """Linear light of an sRGB-encoded component (IEC 61966-2-1), without a table, so that rows become vector instructions."""
    x = (v + f32(0.055)) * f32(1 / 1.055)
    root = _fifth_root(x)
    power = x * x * root * root
    return v * f32(1 / 12.92) if v <= f32(0.04045) else power


@inline
def encoded(v):
    """The inverse: v^(5/12) is the cube root times its own fourth root."""
    v = v if v > f32(0) else f32(0)
    root = cube_root(v)
    power = f32(1.055) * root * np.sqrt(np.sqrt(root)) - f32(0.055)
    return v * f32(12.92) if v <= f32(0.0031308) else power


@inline
def lab_of_light(r, g, b):
    """(lightness, a, b) of linear sRGB."""
    l = cube_root(f32(0.4122214708) * r + f32(0.5363325363) * g + f32(0.0514459929) * b)
    m = cube_root(f32(0.2119034982) * r + f32(0.6806995451) * g + f32(0.1073969566) * b)
    s = cube_root(f32(0.0883024619) * r + f32(0.2817188376) * g + f32(0.6299787005) * b)
    return (
        f32(0.2104542553) * l + f32(0.7936177850) * m - f32(0.0040720468) * s,
        f32(1.9779984951) * l - f32(2.4285922050) * m + f32(0.4505937099) * s,
        f32(0.0259040371) * l + f32(0.7827717662) * m - f32(0.8086757660) * s,
    )


@inline
def lab_of(r, g, b):
    """(lightness, a, b) of an encoded colour."""
    return lab_of_light(decoded(r), decoded(g), decoded(b))


@inline
def light_of(lightness, a, b):
    """Linear sRGB of a colour, which may lie outside of 0 … 1."""
    l = lightness + f32(0.3963377774) * a + f32(0.2158037573) * b
    m = lightness - f32(0.1055613458) * a - f32(0.0638541728) * b
    s = lightness - f32(0.0894841775) * a - f32(1.2914855480) * b
    l, m, s = l * l * l, m * m * m, s * s * s
    return (
        f32(4.0767416621) * l - f32(3.3077115913) * m + f32(0.2309699292) * s,
        f32(-1.2684380046) * l + f32(2.6097574011) * m - f32(0.3413193965) * s,
        f32(-0.0041960863) * l - f32(0.7034186147) * m + f32(1.7076147010) * s,
    )


@inline
def light_within(lightness, a, b):
    """Linear sRGB of that lightness and hue, with as much of its chroma as sRGB holds."""
    low, high = f32(0), f32(1)
    r, g, u = light_of(lightness, a, b)
    if min(r, g, u) < -EDGE or max(r, g, u) > f32(1) + EDGE:
        for _ in range(HALVINGS):
            share = (low + high) * f32(0.5)
            r, g, u = light_of(lightness, a * share, b * share)
            if min(r, g, u) < -EDGE or max(r, g, u) > f32(1) + EDGE:
                high = share
            else:
                low = share
        r, g, u = light_of(lightness, a * low, b * low)
    return r, g, u


@inline
def within(lightness, a, b):
    """The same, encoded."""
    r, g, u = light_within(lightness, a, b)
    return encoded(r), encoded(g), encoded(u)

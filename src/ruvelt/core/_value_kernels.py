"""What kernels do to single values, once."""

# mypy: disable-error-code="no-untyped-def"
import numpy as np

from ruvelt.core.kernels import inline

#: Rec. 709 weights of red, green and blue in lightness.
LUMA = (np.float32(0.2126), np.float32(0.7152), np.float32(0.0722))


@inline
def clipped(value):
    """A float32 within 0–1. Plain comparisons become vector instructions; min and max, which mind NaN, do not."""
    value = value if value > np.float32(0) else np.float32(0)
    return value if value < np.float32(1) else np.float32(1)


@inline
def smoothstep(t):
    """3 t² − 2 t³ for t within 0–1."""
    return t * t * (np.float32(3) - np.float32(2) * t)


@inline
def quantised(value):
    """The 16-bit value of a float 0–1, clipped and rounded."""
    return np.uint16(np.int32(clipped(value) * np.float32(65535) + np.float32(0.5)))


@inline
def unit(x, y, z):
    length = np.sqrt(x * x + y * y + z * z)
    inverse = np.float32(1) / length if length > np.float32(1e-20) else np.float32(0)
    return x * inverse, y * inverse, z * inverse


@inline
def hashed(x):
    """A 32-bit mix (Wellons, "Prospecting for hash functions", 2018), so that every point has a shift of its own."""
    # Products grow to 64 bits; each step is cut back to 32.
    x = np.uint32(x)
    x = np.uint32(x ^ (x >> np.uint32(16)))
    x = np.uint32(x * np.uint32(0x7FEB352D))
    x = np.uint32(x ^ (x >> np.uint32(15)))
    x = np.uint32(x * np.uint32(0x846CA68B))
    x = np.uint32(x ^ (x >> np.uint32(16)))
    return x

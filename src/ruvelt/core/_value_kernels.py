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

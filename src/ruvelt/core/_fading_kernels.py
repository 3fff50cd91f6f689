"""What is left of something that fades, for loops that become vector instructions."""

# mypy: disable-error-code="no-untyped-def"
import numpy as np

from ruvelt.core.kernels import inline


@inline
def left_of(y):
    """exp(−y) within a thousandth; nothing from 8 on, and all of it below 0, where only rounding leads."""
    y = y if y > np.float32(0) else np.float32(0)
    y = y if y < np.float32(8) else np.float32(8)
    z = y * np.float32(1 / 16)
    # The Taylor series of a sixteenth, to the power of sixteen.
    z = np.float32(1) - z + z * z * (np.float32(0.5) - z * np.float32(1 / 6))
    z = z * z
    z = z * z
    z = z * z
    z = z * z
    return z if y < np.float32(8) else np.float32(0)

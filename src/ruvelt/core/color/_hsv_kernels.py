"""A colour turned in hue and moved in saturation and value, for kernels."""

# mypy: disable-error-code="no-untyped-def"
import numpy as np

from ruvelt.core.kernels import inline


@inline
def _spoke(n, h, s, v):
    """One of red, green and blue (n is 5, 3 or 1) of a hue 0–6, saturation and value."""
    zero, one, four, six = np.float32(0), np.float32(1), np.float32(4), np.float32(6)
    k = n + h
    k = k - six if k >= six else k
    low = k if k < four - k else four - k
    low = low if low < one else one
    low = low if low > zero else zero
    return v - v * s * low


@inline
def turn_hsv(r, g, b, hue, saturation, value):
    """A colour with its hue turned (1 is a whole turn), its saturation 1 + saturation times as strong, and value moved towards 0 or 1.

    The hexcone of A. R. Smith, "Color gamut transform pairs" (1978).
    """
    one, zero, six = np.float32(1), np.float32(0), np.float32(6)
    # Without a branch, so that loops over many colours become vector instructions.
    r, g, b = (r if r > zero else zero), (g if g > zero else zero), (b if b > zero else zero)
    r, g, b = (r if r < one else one), (g if g < one else one), (b if b < one else one)
    high, low = (r if r > g else g), (r if r < g else g)
    high, low = (high if high > b else b), (low if low < b else b)
    span = high - low
    inverse = one / (span if span > zero else one)
    h = (g - b) if high == r else ((b - r) if high == g else (r - g))
    h = h * inverse + (zero if high == r else (np.float32(2) if high == g else np.float32(4)))
    h = (h if span > zero else zero) + hue * six
    h = h - six * np.floor(h / six)
    s = span / (high if high > zero else one)
    # Scaled, so that what is nearly grey stays so.
    s *= one + saturation
    s = s if s < one else one
    v = high + (one - high) * value if value > zero else high * (one + value)
    return _spoke(np.float32(5), h, s, v), _spoke(np.float32(3), h, s, v), _spoke(one, h, s, v)

"""A colour turned in hue and moved in saturation and value, for kernels."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np


@numba.njit(inline="always", error_model="numpy")
def turn_hsv(r, g, b, hue, saturation, value):
    """A colour with its hue turned (1 is a whole turn), and saturation and value moved towards 0 or 1 (A. R. Smith's hexcone, 1978)."""
    one, zero, six = np.float32(1), np.float32(0), np.float32(6)
    r, g, b = min(max(r, zero), one), min(max(g, zero), one), min(max(b, zero), one)
    high, low = max(r, g, b), min(r, g, b)
    span = high - low
    h = zero
    if span > zero:
        if high == r:
            h = (g - b) / span
        elif high == g:
            h = np.float32(2) + (b - r) / span
        else:
            h = np.float32(4) + (r - g) / span
    h = h + hue * six
    h = h - six * np.floor(h / six)
    s = span / high if high > zero else zero
    # A grey has no hue to strengthen.
    if s > zero:
        s = s + (one - s) * saturation if saturation > zero else s * (one + saturation)
    v = high + (one - high) * value if value > zero else high * (one + value)
    i = np.int32(np.floor(h))
    f = h - np.float32(i)
    p, q, t = v * (one - s), v * (one - s * f), v * (one - s * (one - f))
    if i == 0 or i == 6:
        return v, t, p
    if i == 1:
        return q, v, p
    if i == 2:
        return p, v, t
    if i == 3:
        return p, q, v
    if i == 4:
        return t, p, v
    return v, p, q

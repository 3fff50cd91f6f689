"""Places to indices: clamped while they are floats, so that whatever a place is, no index leaves its array. For kernels."""
# mypy: disable-error-code="no-untyped-def"

from ruvelt.core.kernels import inline


@inline
def cell_at(place, count):
    """The cell that holds a place counted in cells; beyond the ends the first or the last. No number at all is in the first."""
    inside = place if place > 0.0 else 0.0
    last = count - 1.0
    return int(inside if inside < last else last)


@inline
def first_texel(place, side):
    """The first of `side` texels that lies at a place or after it holds it; `side` when there is none."""
    inside = place if place > 0.0 else 0.0
    return int(inside if inside < side else side * 1.0)


@inline
def last_texel(place, side):
    """The last of `side` texels that a place reaches; -1 when there is none."""
    last = side - 1.0
    return int(place if place < last else last) if place >= 0.0 else -1

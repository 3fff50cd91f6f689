"""Named tolerances, each with its reason."""

#: A face is zero-area when its area is below this share of the model's bounding-box diagonal squared (float32 positions carry ~1e-7).
ZERO_AREA_SHARE = 1e-14

#: UVs this close outside the unit square count as inside it: exporters round 1.0 up.
UV_SLACK = 1e-5

#: UVs farther out than this many squares are left out: a float32 that large no longer tells texels of a 4096² sheet apart.
UV_LIMIT = 10_000.0

#: Faces meeting at no more than this angle share a smooth normal when a file brings none (degrees): chamfers of 45° stay flat.
CREASE_DEG = 30.0

#: Surface facing away from a dab by more than this cosine takes no paint; the ramp above it avoids a hard edge.
FACING_FADE_COS = 0.25

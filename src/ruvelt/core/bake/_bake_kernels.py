"""The loops of a bake: points on the low mesh, rays from them, what the answers come to, and curvature from neighbours."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core._value_kernels import hashed, unit
from ruvelt.core.bake.point_arrays import CORNERS, FOUND, MET, PLACED, RAYS, STARTS
from ruvelt.core.kernels import inline, kernel
from ruvelt.core.samples._raster_kernels import _closest_bary
from ruvelt.core.samples.address import CHUNK, slot_at

f32, i32, i64, u8, u32 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint32
#: The least share of each corner in a place, and in one that stands for a texel none of whose places is on the island.
HAIR, RIM_HAIR = np.float32(1e-4), np.float32(1 / 512)


@inline
def _inside(uv, t, x, y):
    """Whether a place lies in a triangle, its border included."""
    if t < 0:
        return False
    ax, ay, bx, by, cx, cy = uv[t, 0, 0], uv[t, 0, 1], uv[t, 1, 0], uv[t, 1, 1], uv[t, 2, 0], uv[t, 2, 1]
    a, b, c = (bx - ax) * (y - ay) - (by - ay) * (x - ax), (cx - bx) * (y - by) - (cy - by) * (x - bx), (ax - cx) * (y - cy) - (ay - cy) * (x - cx)
    return (a >= 0 and b >= 0 and c >= 0) or (a <= 0 and b <= 0 and c <= 0)


@inline
def _holder(owner, uv, x, y, side, px, py):
    """The triangle of a texel or of one beside it that holds a place; -1 where the place lies outside the island."""
    chunks = side // 256
    t = owner[slot_at(x, y, chunks)]
    if _inside(uv, t, px, py):
        return t
    for dy in range(-1, 2):
        for dx in range(-1, 2):
            u, v = x + dx, y + dy
            if 0 <= u < side and 0 <= v < side:
                o = owner[slot_at(u, v, chunks)]
                if o != t and _inside(uv, o, px, py):
                    return o
    return np.int32(-1)


@inline
def _amid(owner, x, y, side):
    """Whether a texel and all around it are covered: what lies in it lies on the island."""
    chunks = side // 256
    amid = 0 < x < side - 1 and 0 < y < side - 1
    if amid:
        for dy in range(-1, 2):
            for dx in range(-1, 2):
                if owner[slot_at(x + dx, y + dy, chunks)] < 0:
                    amid = False
    return amid


@inline
def _beyond(uv, t, x, y):
    """Weights of a triangle's corners at a place that lies a little beside it, in its plane; three of 0 where that is too far for so small a one."""
    ax, ay = uv[t, 0, 0], uv[t, 0, 1]
    ux, uy, vx, vy, px, py = uv[t, 1, 0] - ax, uv[t, 1, 1] - ay, uv[t, 2, 0] - ax, uv[t, 2, 1] - ay, x - ax, y - ay
    whole = ux * vy - uy * vx
    zero, one, most = np.float32(0), np.float32(1), np.float32(3)
    if abs(whole) < np.float32(1e-3):
        return zero, zero, zero
    b, c = (px * vy - py * vx) / whole, (ux * py - uy * px) / whole
    if max(abs(b), abs(c), abs(one - b - c)) > most:
        return zero, zero, zero
    return one - b - c, b, c


@kernel(i64(CORNERS, i64, i64, f32[:, ::1], i64, f32[:, ::1], PLACED), late=True)
def texel_points(mesh, chunk, side, shifts, turn, pulls, out):
    """Surface points under one place of each covered texel of a chunk, shifts[turn] from its centre; returns how many.

    A place belongs to the triangle that holds it; one outside the island is left out. A texel none of whose places is inside is measured once,
    at turn 0, at the nearest place of its triangle. Places on an edge are pulled inwards by a hair, or rays would start in the next face.

    pulls : (t, 3) the least share of each corner, where a hair is not enough
    """
    owner, uv, corners, normals, tangents = mesh
    local, triangle, bary, position, normal, geometric, tangent, frame = out
    chunks = side // 256
    x0, y0 = (chunk % chunks) * 256, (chunk // chunks) * 256
    half = np.float32(0.5)
    n = 0
    for i in range(CHUNK):
        t = owner[chunk * CHUNK + i]
        if t < 0:
            continue
        x, y = x0 + (i & 255), y0 + (i >> 8)
        px, py = np.float32(x) + half + shifts[turn, 0], np.float32(y) + half + shifts[turn, 1]
        least = HAIR
        found = _holder(owner, uv, x, y, side, px, py)
        wa = wb = wc = np.float32(0)
        # Triangles smaller than texels own none, so that their places have no holder, inside the island too: the plane beside them stands for them.
        if found < 0 and _amid(owner, x, y, side):
            wa, wb, wc = _beyond(uv, t, px, py)
            if wa != 0 or wb != 0 or wc != 0:
                found = t
        beside = wa != 0 or wb != 0 or wc != 0
        if found < 0:
            if turn != 0:
                continue
            held = False
            for k in range(1, len(shifts)):
                held = held or _holder(owner, uv, x, y, side, np.float32(x) + half + shifts[k, 0], np.float32(y) + half + shifts[k, 1]) >= 0
            if held:
                continue
            px, py, least = np.float32(x) + half, np.float32(y) + half, RIM_HAIR
        else:
            t = found
        fa, fb, fc, _ = _closest_bary(
            float(px),
            float(py),
            float(uv[t, 0, 0]),
            float(uv[t, 0, 1]),
            float(uv[t, 1, 0]),
            float(uv[t, 1, 1]),
            float(uv[t, 2, 0]),
            float(uv[t, 2, 1]),
        )
        if not beside:
            wa = max(np.float32(fa), least, pulls[t, 0])
            wb = max(np.float32(fb), least, pulls[t, 1])
            wc = max(np.float32(fc), least, pulls[t, 2])
            total = wa + wb + wc
            wa, wb, wc = wa / total, wb / total, wc / total
        local[n], triangle[n] = i, t
        bary[n, 0], bary[n, 1], bary[n, 2] = wa, wb, wc
        sign = tangents[t, 0, 3]
        for k in range(3):
            position[n, k] = wa * corners[t, 0, k] + wb * corners[t, 1, k] + wc * corners[t, 2, k]
            normal[n, k] = wa * normals[t, 0, k] + wb * normals[t, 1, k] + wc * normals[t, 2, k]
            tangent[n, k] = wa * tangents[t, 0, k] + wb * tangents[t, 1, k] + wc * tangents[t, 2, k]
            k1, k2 = (k + 1) % 3, (k + 2) % 3
            b0 = normals[t, 0, k1] * tangents[t, 0, k2] - normals[t, 0, k2] * tangents[t, 0, k1]
            b1 = normals[t, 1, k1] * tangents[t, 1, k2] - normals[t, 1, k2] * tangents[t, 1, k1]
            b2 = normals[t, 2, k1] * tangents[t, 2, k2] - normals[t, 2, k2] * tangents[t, 2, k1]
            frame[n, 2 + k] = sign * (wa * b0 + wb * b1 + wc * b2)
        tangent[n, 3] = sign
        frame[n, 0] = np.sqrt(normal[n, 0] ** 2 + normal[n, 1] ** 2 + normal[n, 2] ** 2)
        frame[n, 1] = np.sqrt(tangent[n, 0] ** 2 + tangent[n, 1] ** 2 + tangent[n, 2] ** 2)
        frame[n, 2], frame[n, 3], frame[n, 4] = unit(frame[n, 2], frame[n, 3], frame[n, 4])
        normal[n, 0], normal[n, 1], normal[n, 2] = unit(normal[n, 0], normal[n, 1], normal[n, 2])
        tangent[n, 0], tangent[n, 1], tangent[n, 2] = unit(tangent[n, 0], tangent[n, 1], tangent[n, 2])
        ux, uy, uz = corners[t, 1, 0] - corners[t, 0, 0], corners[t, 1, 1] - corners[t, 0, 1], corners[t, 1, 2] - corners[t, 0, 2]
        vx, vy, vz = corners[t, 2, 0] - corners[t, 0, 0], corners[t, 2, 1] - corners[t, 0, 1], corners[t, 2, 2] - corners[t, 0, 2]
        gx, gy, gz = unit(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx)
        if gx * normal[n, 0] + gy * normal[n, 1] + gz * normal[n, 2] < 0:
            gx, gy, gz = -gx, -gy, -gz
        geometric[n, 0], geometric[n, 1], geometric[n, 2] = gx, gy, gz
        n += 1
    return n


@kernel(numba.void(STARTS, f32[:, :, ::1], u32, f32, f32, f32, i64, i64, RAYS), late=True)
def hemisphere_rays(points, table, seed, bias, reach, fade, first, last, rays):
    """Cosine-weighted rays over points first … last, all rays of a point in a row.

    Each point takes one of the table's sets, turned about its normal by an angle of its own. Rays that would start below the face are mirrored
    at it.

    table : (sets, rays, 4) directions around +z, and a number 0–1, as `sky_table` makes them; sets: a power of two
    limit : how far each ray goes, spread evenly over the last share `fade` of `reach`, so that what it meets counts less the further it lies
    """
    position, normal, geometric, key = points
    origin, direction, limit = rays
    one, two, zero = np.float32(1), np.float32(2), np.float32(0)
    sets, n = np.uint32(table.shape[0] - 1), table.shape[1]
    for p in range(first, last):
        a = hashed(np.uint32(key[p] & 0xFFFFFFFF) ^ hashed(seed))
        chosen, angle = a & sets, np.float32(hashed(a ^ np.uint32(0x9E3779B9))) * np.float32(2 * np.pi / 4294967296.0)
        co, si = np.cos(angle), np.sin(angle)
        nx, ny, nz = normal[p, 0], normal[p, 1], normal[p, 2]
        gx, gy, gz = geometric[p, 0], geometric[p, 1], geometric[p, 2]
        # An orthonormal basis without a branch on the normal (Duff et al. 2017), turned.
        sign = one if nz >= 0 else -one
        c = -one / (sign + nz)
        d = nx * ny * c
        ax, ay, az = one + sign * nx * nx * c, sign * d, -sign * nx
        bx, by, bz = d, sign + ny * ny * c, -ny
        ux, uy, uz = co * ax + si * bx, co * ay + si * by, co * az + si * bz
        vx, vy, vz = co * bx - si * ax, co * by - si * ay, co * bz - si * az
        ox, oy, oz = position[p, 0] + gx * bias, position[p, 1] + gy * bias, position[p, 2] + gz * bias
        at = (p - first) * n
        for r in range(n):
            x, y, z = table[chosen, r, 0], table[chosen, r, 1], table[chosen, r, 2]
            dx, dy, dz = x * ux + y * vx + z * nx, x * uy + y * vy + z * ny, x * uz + y * vz + z * nz
            below = min(dx * gx + dy * gy + dz * gz, zero) * two
            origin[at + r, 0], origin[at + r, 1], origin[at + r, 2] = ox, oy, oz
            direction[at + r, 0], direction[at + r, 1], direction[at + r, 2] = dx - below * gx, dy - below * gy, dz - below * gz
            limit[at + r] = reach * (one - fade * table[chosen, r, 3])


@kernel(numba.void(i32[::1], f32[:, ::1], f32[:, ::1], i64, i64, i64, f32[::1], f32[:, ::1]), late=True)
def gather_open(hit, direction, normal, first, last, rays, open_share, bent):
    """Share of a point's rays that met nothing, and their mean direction (the normal where none is open)."""
    for p in range(first, last):
        free = 0
        x = y = z = np.float32(0)
        at = (p - first) * rays
        for r in range(at, at + rays):
            if hit[r] < 0:
                free += 1
                x += direction[r, 0]
                y += direction[r, 1]
                z += direction[r, 2]
        open_share[p] = np.float32(free) / np.float32(rays)
        x, y, z = unit(x, y, z)
        if x == 0 and y == 0 and z == 0:
            x, y, z = normal[p, 0], normal[p, 1], normal[p, 2]
        bent[p, 0], bent[p, 1], bent[p, 2] = x, y, z


@kernel(numba.void(f32[::1], f32[:, ::1], f32[:, ::1], i64, i64, i64, f32, f32[::1]), late=True)
def gather_thickness(distance, direction, inward, first, last, rays, reach, out):
    """Mean over a point's inward rays of distance times the cosine to the inward normal, `reach` at most."""
    for p in range(first, last):
        total = np.float32(0)
        at = (p - first) * rays
        for r in range(at, at + rays):
            cosine = direction[r, 0] * inward[p, 0] + direction[r, 1] * inward[p, 1] + direction[r, 2] * inward[p, 2]
            total += min(distance[r] * max(cosine, np.float32(0)), reach)
        out[p] = total / np.float32(rays)


@kernel(numba.void(f32[:, ::1], f32[:, ::1], f32[:, ::1], i64[::1], f32[::1], f32, f32[:, ::1], f32[:, ::1], f32[::1]), late=True)
def cage_rays(position, cage, reach, rows, centre, scale, start, direction, limit):
    """Rays from `reach[:, 0]` outside along the cage to `reach[:, 1]` inside; starts and limits in the scene's own units."""
    for i in range(len(rows)):
        p = rows[i]
        for k in range(3):
            start[i, k] = (position[p, k] + cage[p, k] * reach[p, 0] - centre[k]) * scale
            direction[i, k] = -cage[p, k]
        limit[i] = (reach[p, 0] + reach[p, 1]) * scale


@kernel(i64(FOUND, f32[:, ::1], numba.boolean, i32[::1], f32[:, :, ::1], f32[:, :, ::1], i64[::1], MET, i64[::1]), late=True)
def take_hits(found, direction, ignore_back, index, corners, normals, rows, out, again):
    """Position and interpolated normal of hits, written to rows; lists those that met a face from behind in `again` and counts them.

    index : the source's triangle for each primitive, or size 0 when they are the same
    """
    primitive, u, v, outward = found
    position, normal, triangle = out
    passed = 0
    for i in range(len(primitive)):
        if primitive[i] < 0:
            continue
        if ignore_back and outward[i, 0] * direction[i, 0] + outward[i, 1] * direction[i, 1] + outward[i, 2] * direction[i, 2] > 0:
            again[passed] = i
            passed += 1
            continue
        t, row = index[primitive[i]] if len(index) else primitive[i], rows[i]
        w = np.float32(1) - u[i] - v[i]
        for k in range(3):
            position[row, k] = w * corners[t, 0, k] + u[i] * corners[t, 1, k] + v[i] * corners[t, 2, k]
            normal[row, k] = w * normals[t, 0, k] + u[i] * normals[t, 1, k] + v[i] * normals[t, 2, k]
        normal[row, 0], normal[row, 1], normal[row, 2] = unit(normal[row, 0], normal[row, 1], normal[row, 2])
        triangle[row] = t
    return passed


@kernel(
    numba.void(f32[:, ::1], f32[:, ::1], f32[:, ::1], f32[:, ::1], f32[:, ::1], i32[::1], numba.boolean[::1], u8[::1], f32[::1], u8[::1]), late=True
)
def judge_hits(low, cage, reach, up, high, triangle, other, bits, height, suspect):
    """Height above the low mesh along its normals `up`, and the reasons to suspect each point.

    other : whether what a point met is not what it should; bits : of a miss, another part, the far limit; reach : as in `cage_rays`
    """
    for i in range(len(triangle)):
        if triangle[i] < 0:
            height[i], suspect[i] = np.float32(0), bits[0]
            continue
        h = (high[i, 0] - low[i, 0]) * cage[i, 0] + (high[i, 1] - low[i, 1]) * cage[i, 1] + (high[i, 2] - low[i, 2]) * cage[i, 2]
        height[i] = (high[i, 0] - low[i, 0]) * up[i, 0] + (high[i, 1] - low[i, 1]) * up[i, 1] + (high[i, 2] - low[i, 2]) * up[i, 2]
        suspect[i] = 0
        if other[i]:
            suspect[i] |= bits[1]
        if h < np.float32(-0.97) * reach[i, 1] or h > np.float32(0.97) * reach[i, 0]:
            suspect[i] |= bits[2]


@kernel(numba.void(f32[:, ::1], f32[:, ::1], f32[:, ::1], f32[:, ::1], numba.boolean, f32[:, ::1]), late=True)
def into_tangent_frame(direction, normal, tangent, frame, vertex, out):
    """Directions as their decoding turns them back, 0.5 + 0.5 · v, unit; out : (n, 3).

    Decoding multiplies by the matrix of tangent, bitangent and normal, whose columns are not orthogonal between vertices; this is its inverse,
    whose rows are cross products (M. Mikkelsen, "Simulation of wrinkled surfaces revisited", 2008). frame : as `texel_points` gives it.
    vertex : decoders interpolate bitangents of vertices and bring all three to unit length; else they take sign · normal × tangent, as interpolated
    """
    half, one = np.float32(0.5), np.float32(1)
    for i in range(len(direction)):
        nx, ny, nz, tx, ty, tz, sign = normal[i, 0], normal[i, 1], normal[i, 2], tangent[i, 0], tangent[i, 1], tangent[i, 2], tangent[i, 3]
        ln, lt = frame[i, 0], frame[i, 1]
        bx, by, bz = sign * (ny * tz - nz * ty), sign * (nz * tx - nx * tz), sign * (nx * ty - ny * tx)
        lb = ln * lt
        if vertex:
            bx, by, bz, ln, lt, lb = frame[i, 2], frame[i, 3], frame[i, 4], one, one, one
        wx, wy, wz = direction[i, 0], direction[i, 1], direction[i, 2]
        # Rows of the inverse times the determinant: bitangent × normal, normal × tangent, tangent × bitangent.
        rx, ry, rz = by * nz - bz * ny, bz * nx - bx * nz, bx * ny - by * nx
        sx, sy, sz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        qx, qy, qz = ty * bz - tz * by, tz * bx - tx * bz, tx * by - ty * bx
        turned = one if tx * rx + ty * ry + tz * rz >= 0 else -one
        x = turned * (wx * rx + wy * ry + wz * rz) / max(lt, np.float32(1e-12))
        y = turned * (wx * sx + wy * sy + wz * sz) / max(lb, np.float32(1e-12))
        z = turned * (wx * qx + wy * qy + wz * qz) / max(ln, np.float32(1e-12))
        x, y, z = unit(x, y, z)
        out[i, 0], out[i, 1], out[i, 2] = half + half * x, half + half * y, half + half * z


@kernel(numba.void(f32[:, ::1], i32[::1], i64, f32, numba.boolean, numba.uint16[:, ::1]), late=True)
def encode_rows(values, local, comps, scale, direction, out):
    """(n, comps) values 0–1 times `scale` to 16-bit codes of places `local`, with full coverage; out : (comps + 1, 65536).

    direction : values are 0.5 + 0.5 · v of a direction, which is brought to unit length
    """
    full, half, zero, one = np.float32(65535), np.float32(0.5), np.float32(0), np.float32(1)
    for i in range(len(local)):
        length = np.float32(1)
        if direction:
            x, y, z = values[i, 0] * scale * 2 - one, values[i, 1] * scale * 2 - one, values[i, 2] * scale * 2 - one
            length = np.float32(max(np.sqrt(x * x + y * y + z * z), np.float32(1e-9)))
        for k in range(comps):
            v = values[i, k] * scale
            if direction:
                v = half + (v - half) / length
            v = zero if not v > zero else one if v > one else v
            out[k, local[i]] = np.uint16(v * full + half)
        out[comps, local[i]] = np.uint16(65535)

"""Loops of smear: a brush that carries paint, lays part of it and takes up part of what it meets."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush._dab_kernels import ramp_of, smooth
from ruvelt.core.brush._push_kernels import ball_of
from ruvelt.core.brush._rich_kernels import grained, weigh
from ruvelt.core.brush.dab import (
    BENT,
    DEPTH,
    FACING,
    FLIP,
    FLOW,
    HARDNESS,
    KIND,
    LONG,
    NORMAL,
    RADIUS,
    RICH_BALL,
    ROUNDNESS,
    SHORT,
    TIP,
    TRAVELLED,
    X,
    Y,
    Z,
    vector,
)
from ruvelt.core.brush.smear_arrays import CARRYING, LAYING, LIMITS, LOAD
from ruvelt.core.brush.tip_arrays import TIPS
from ruvelt.core.kernels import f32_scratch, i64_scratch, inline, kernel, u16_at, u64_at
from ruvelt.core.samples.address import CHUNK, column_of, first_slot, local_of, packed_at, row_of
from ruvelt.core.samples.arrays import SAMPLES
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8, u16, u64 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16, numba.uint64
FADE = np.float32(FACING_FADE_COS)
#: Values of a sample, and of a node of the carried picture, whatever the channel has.
DEEP = 4
#: Share of a place in the carried picture that must be known to be laid.
LEAST = np.float32(1e-3)


@kernel(numba.void(f32[:, ::1], i64[::1], f32[:, ::1], f32[:, ::1], f32[::1]), late=True)
def carry_frames(dabs, copy, last, frames, travelled):
    """First axis of the picture that each dab carries, turned no more than the surface turns, and how far it came from the dab before.

    copy : (n,) which mirrored one a dab is; last : (copies, 10) known, centre, axis, normal of the dab before
    frames : (n, 6) the axis, and the way from the dab before, 0 where it jumped; travelled : (n,) its length, diameters, −1 for a first dab
    """
    for d in range(len(dabs)):
        k = copy[d]
        cx, cy, cz = vector(dabs, d, X)
        nx, ny, nz = vector(dabs, d, NORMAL)
        ex, ey, ez = vector(dabs, d, LONG)
        travelled[d] = np.float32(-1)
        frames[d, 3], frames[d, 4], frames[d, 5] = np.float32(0), np.float32(0), np.float32(0)
        if last[k, 0] > 0:
            dx, dy, dz = cx - last[k, 1], cy - last[k, 2], cz - last[k, 3]
            travelled[d] = np.sqrt(dx * dx + dy * dy + dz * dz) / (np.float32(2) * max(dabs[d, RADIUS], np.float32(1e-20)))
            if travelled[d] < np.float32(1):
                frames[d, 3], frames[d, 4], frames[d, 5] = dx, dy, dz
            ex, ey, ez = last[k, 4], last[k, 5], last[k, 6]
        along = ex * nx + ey * ny + ez * nz
        tx, ty, tz = ex - along * nx, ey - along * ny, ez - along * nz
        length = np.sqrt(tx * tx + ty * ty + tz * tz)
        if length < np.float32(0.05):
            # It turned by a right angle at once: the old normal lies across now.
            ex, ey, ez = last[k, 7], last[k, 8], last[k, 9]
            along = ex * nx + ey * ny + ez * nz
            tx, ty, tz = ex - along * nx, ey - along * ny, ez - along * nz
            length = max(np.sqrt(tx * tx + ty * ty + tz * tz), np.float32(1e-6))
        frames[d, 0], frames[d, 1], frames[d, 2] = tx / length, ty / length, tz / length
        last[k, 0], last[k, 1], last[k, 2], last[k, 3] = np.float32(1), cx, cy, cz
        last[k, 4], last[k, 5], last[k, 6] = frames[d, 0], frames[d, 1], frames[d, 2]
        last[k, 7], last[k, 8], last[k, 9] = nx, ny, nz


@inline
def _gather(block, samples, stride, rest, flat, who, spot, px, py, pz, nx, ny, nz):
    """List the covered samples of a block: slots, spots (as of `packed_at`), places, in texels where `flat`, and normals. Returns how many.

    stride : of the samples by which the brush knows what it meets; `rest` asks for all others
    """
    position, normal, face, side, is_sheet = samples.position, samples.normal, samples.face, samples.side, samples.is_sheet
    count, first = 0, first_slot(block, is_sheet)
    step = 1 if rest or not is_sheet else stride
    rows, mask = (16, stride - 1) if is_sheet else (1, 0)
    across, half, zero = side >> 8, np.float32(0.5), np.float32(0)
    left, top = (np.float32(column_of(first, across)), np.float32(row_of(first, across))) if across > 0 else (zero, zero)
    for y in range(0, rows, step):
        for x in range(0, 256 // rows, step):
            if rest and ((x | y) & mask) == 0:
                continue
            s = np.uint64(first + (y << 8) + x)
            if face[s] < 0:
                continue
            who[count], spot[count] = np.int64(s), block * 256 + (y << 4) + x
            if flat:
                px[count], py[count], pz[count] = left + np.float32(x) + half, top + np.float32(y) + half, zero
                nx[count], ny[count], nz[count] = zero, zero, np.float32(1)
            else:
                px[count], py[count], pz[count] = position[s, 0], position[s, 1], position[s, 2]
                nx[count], ny[count], nz[count] = normal[s, 0], normal[s, 1], normal[s, 2]
            count += 1
    return count


@inline
def _meet(
    count, px, py, pz, nx, ny, nz, dabs, d, frames, spacing, extent, nodes, flat, pictures,
    lay, meets, gu, gv,
):  # fmt: skip
    """What dab `d` lays at samples, lay[:count]; how far it meets them, meets[:count]; and where they lie in the carried picture, nodes.

    extent : half the side of that picture, radii
    """
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    cx, cy, cz, own = dabs[d, X], dabs[d, Y], dabs[d, Z], dabs[d, RADIUS]
    r = max(own, half * spacing)
    inv = one / r
    ux, uy, uz, flow = dabs[d, NORMAL], dabs[d, NORMAL + 1], dabs[d, NORMAL + 2], dabs[d, FLOW]
    ex, ey, ez = frames[d, 0], frames[d, 1], frames[d, 2]
    fx, fy, fz = uy * ez - uz * ey, uz * ex - ux * ez, ux * ey - uy * ex
    rich = dabs[d, KIND] >= np.float32(RICH_BALL)
    short = max(dabs[d, ROUNDNESS], half * spacing * inv)
    # A tip thinner than the samples lays its share of them.
    thin = own * inv * own * inv * dabs[d, ROUNDNESS] / short
    inner, outer = ramp_of(dabs[d, HARDNESS], spacing * inv)
    outer_sq, k = outer * outer, one / (outer * outer - inner * inner)
    ax, ay, az, bx, by, bz = dabs[d, LONG], dabs[d, LONG + 1], dabs[d, LONG + 2], dabs[d, SHORT], dabs[d, SHORT + 1], dabs[d, SHORT + 2]
    faces = dabs[d, FACING] > (np.float32(-2) if rich else zero) and not flat
    scale, bias = (one / FADE, zero) if faces else (zero, one)
    reach_sq, last = extent * extent, np.float32(nodes - 1)
    to_node = half * last / extent
    inv_short = inv / short
    # The tip comes from the dab before: what it lays is weighed at thirds of that way, or the rim of a hard one would leave ribs.
    third = np.float32(1 / 3)
    sx, sy, sz = frames[d, 3] * third, frames[d, 4] * third, frames[d, 5] * third
    sa, sb, sh = (sx * ax + sy * ay + sz * az) * inv, (sx * bx + sy * by + sz * bz) * inv_short, (sx * ux + sy * uy + sz * uz) * inv
    for i in range(np.uint64(count)):
        dx, dy, dz = px[i] - cx + sx, py[i] - cy + sy, pz[i] - cz + sz
        cosine = bias + scale * (nx[i] * ux + ny[i] * uy + nz[i] * uz)
        cosine = one if cosine > one else cosine
        cosine = zero if cosine < zero else cosine
        u, v, h = (dx * ex + dy * ey + dz * ez) * inv, (dx * fx + dy * fy + dz * fz) * inv, (dx * ux + dy * uy + dz * uz) * inv
        meets[i] = cosine if u * u + v * v + h * h < reach_sq else zero
        u, v = (u + extent) * to_node, (v + extent) * to_node
        u, v = (u if u > zero else zero), (v if v > zero else zero)
        gu[i], gv[i] = (u if u < last else last), (v if v < last else last)
        a, b = (dx * ax + dy * ay + dz * az) * inv, (dx * bx + dy * by + dz * bz) * inv_short
        weight = smooth((outer_sq - (a * a + b * b + h * h)) * k)
        a, b, h = a - sa, b - sb, h - sh
        weight += smooth((outer_sq - (a * a + b * b + h * h)) * k)
        a, b, h = a + np.float32(2) * sa, b + np.float32(2) * sb, h + np.float32(2) * sh
        weight += smooth((outer_sq - (a * a + b * b + h * h)) * k)
        lay[i] = flow * thin * cosine * weight * third
    if rich:
        along, across, up = (ax, ay, az), (bx, by, bz), (ux, uy, uz)
        tip = np.int64(dabs[d, TIP])
        for i in range(count):
            if meets[i] <= zero:
                lay[i] = zero
                continue
            w, a, b = weigh(
                px[i] - cx, py[i] - cy, pz[i] - cz, nx[i], ny[i], nz[i], inv, along, across, up, dabs[d, ROUNDNESS], inner, outer,
                np.float32(-3) if flat else dabs[d, FACING], dabs[d, DEPTH], tip, dabs[d, FLIP], dabs[d, BENT] > zero, pictures.pictures,
            )  # fmt: skip
            if pictures.grain.depth > 0 and w > zero:
                w *= grained(
                    pictures.grain, flat, px[i], py[i], pz[i], nx[i], ny[i], nz[i],
                    dabs[d, TRAVELLED] + a * r, b * dabs[d, ROUNDNESS] * r,
                )  # fmt: skip
            lay[i] = flow * w


@inline
def _square(gu, gv, nodes):
    """Four nodes around a place in the carried picture, and their weights."""
    one = np.float32(1)
    x, y, last = np.int32(gu), np.int32(gv), np.int32(nodes - 2)
    x, y = (x if x < last else last), (y if y < last else last)
    u, v = gu - np.float32(x), gv - np.float32(y)
    n = np.uint64(y * np.int32(nodes) + x)
    # Unsigned places need no look for a negative index.
    right, below = n + np.uint64(1), n + np.uint64(nodes)
    return n, right, below, below + np.uint64(1), (one - u) * (one - v), u * (one - v), (one - u) * v, u * v


@inline
def _there(picture, slot, held):
    """held[:4] = what a picture, an address of (65536, 4) uint16, has at a slot, 0–1."""
    four = u64_at(picture, CHUNK)[np.uint64(local_of(slot))]
    low, unit = np.uint64(65535), np.float32(1 / 65535)
    held[0] = np.float32(np.int32(four & low)) * unit
    held[1] = np.float32(np.int32((four >> np.uint64(16)) & low)) * unit
    held[2] = np.float32(np.int32((four >> np.uint64(32)) & low)) * unit
    held[3] = np.float32(np.int32(four >> np.uint64(48))) * unit


@inline
def _may(slot, allowed, confined):
    """How far a sample may change: not at all where it is not allowed, and as far as the stroke is confined."""
    one = np.float32(1)
    s = np.uint64(slot)
    if len(allowed) > 0 and allowed[s] == 0:
        return np.float32(0)
    if len(confined) > 0 and confined[s >> np.uint64(16)] != 0:
        return np.float32(np.int32(u16_at(confined[s >> np.uint64(16)], CHUNK)[s & np.uint64(65535)])) * np.float32(1 / 65535)
    return one


@inline
def _near(balls, block, dabs, d, reach):
    """Whether a dab may reach a block, by the ball around the block."""
    dx, dy, dz = balls[block, 0] - dabs[d, X], balls[block, 1] - dabs[d, Y], balls[block, 2] - dabs[d, Z]
    far = dabs[d, RADIUS] * reach + balls[block, 3]
    return dx * dx + dy * dy + dz * dz <= far * far


@kernel(numba.void(i32[::1], numba.boolean, SAMPLES, f32[:, ::1]), late=True)
def block_balls(blocks, flat, samples, balls):
    """balls (blocks of the sheet, 4) = (x, y, z, radius) around the samples of the listed blocks."""
    position, face, side, is_sheet = samples.position, samples.face, samples.side, samples.is_sheet
    across = side >> 8
    for at in range(len(blocks)):
        block = np.int64(blocks[at])
        if flat:
            first = first_slot(block, True)
            balls[block, 0], balls[block, 1] = np.float32(column_of(first, across) + 8), np.float32(row_of(first, across) + 8)
            balls[block, 2], balls[block, 3] = np.float32(0), np.float32(11.4)
        else:
            balls[block, 0], balls[block, 1], balls[block, 2], balls[block, 3] = ball_of(first_slot(block, is_sheet), is_sheet, position, face)


@kernel(numba.void(i32[::1], f32[:, ::1], numba.boolean, SAMPLES, CARRYING, TIPS, LIMITS, LAYING, LOAD), late=True)
def smear_known(blocks, balls, flat, samples, brush, tip, limits, under, load):
    """Lay dabs one after the other on every `stride`th sample each way, and let the brush take up what it meets there.

    balls : as of `block_balls`
    """
    dabs, frames, nodes, extent, stride = brush.dabs, brush.frames, brush.nodes, np.float32(brush.extent), brush.stride
    allowed, confined, spacing = limits.allowed, limits.confined, np.float32(1.0 if flat else samples.spacing)
    pictures, past, past_known, laid, coverage, dirty = under.pictures, under.past, under.past_known, under.laid, under.coverage, under.dirty
    copy, fades, wetness, carried, known = load.copy, load.fades, np.float32(load.wetness), load.carried, load.known
    met, took, weights, shares = load.met, load.took, load.weights, load.shares
    one, zero = np.float32(1), np.float32(0)
    px, py, pz, nx, ny, nz, who, spot = (
        f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), i64_scratch(256), i64_scratch(256)
    )  # fmt: skip
    lay, meets, gu, gv, held = f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(4)
    cells, all_nodes = len(laid), nodes * nodes
    for d in range(len(dabs)):
        k = copy[d]
        empty = True
        for n in range(all_nodes):
            past_known[d, n], weights[n], shares[n] = known[k, n], zero, zero
            empty = empty and known[k, n] == zero
            for c in range(cells):
                for q in range(DEEP):
                    past[d, c, n, q] = carried[k, c, n, q]
                    met[c, n, q], took[c, n, q] = zero, zero
        if not (dabs[d, RADIUS] > 0 and np.isfinite(dabs[d, X] + dabs[d, Y] + dabs[d, Z] + dabs[d, RADIUS])):
            continue
        for at in range(len(blocks)):
            block = np.int64(blocks[at])
            if not _near(balls, block, dabs, d, extent):
                continue
            # An empty brush lays nothing, and takes up all there is.
            count = _gather(block, samples, 1 if empty else stride, False, flat, who, spot, px, py, pz, nx, ny, nz)
            _meet(
                count, px, py, pz, nx, ny, nz, dabs, d, frames, spacing, extent, nodes, flat, tip,
                lay, meets, gu, gv,
            )  # fmt: skip
            changed = False
            for i in range(count):
                if meets[i] <= zero:
                    continue
                s, o = np.uint64(who[i]), np.uint64(spot[i])
                n0, n1, n2, n3, w0, w1, w2, w3 = _square(gu[i], gv[i], nodes)
                # What is not known is carried as nothing.
                total = w0 * known[k, n0] + w1 * known[k, n1] + w2 * known[k, n2] + w3 * known[k, n3]
                share = lay[i] * _may(s, allowed, confined) if total > LEAST else zero
                left, m = one - coverage[s], meets[i]
                taken = wetness * share * m
                e0, e1, e2, e3 = taken * w0, taken * w1, taken * w2, taken * w3
                w0, w1, w2, w3 = m * w0, m * w1, m * w2, m * w3
                weights[n0] += w0
                weights[n1] += w1
                weights[n2] += w2
                weights[n3] += w3
                shares[n0] += e0
                shares[n1] += e1
                shares[n2] += e2
                shares[n3] += e3
                inverse = one / (m * total) if share > zero else zero
                for c in range(np.uint64(cells)):
                    _there(pictures[c, s >> np.uint64(16)], s, held)
                    for q in range(np.uint64(DEEP)):
                        # Of its own trail a brush would never tire: what fades turns into what was there when the stroke began.
                        began = held[q]
                        there = began * left + laid[c, o, q]
                        paint = w0 * carried[k, c, n0, q] + w1 * carried[k, c, n1, q]
                        paint = (paint + w2 * carried[k, c, n2, q] + w3 * carried[k, c, n3, q]) * inverse
                        laid[c, o, q] += (paint - laid[c, o, q]) * share
                        met[c, n0, q] += began * w0
                        met[c, n1, q] += began * w1
                        met[c, n2, q] += began * w2
                        met[c, n3, q] += began * w3
                        took[c, n0, q] += there * e0
                        took[c, n1, q] += there * e1
                        took[c, n2, q] += there * e2
                        took[c, n3, q] += there * e3
                if share > zero:
                    coverage[s] += (one - coverage[s]) * share
                    changed = True
            if changed:
                dirty[block >> 8, block & 255] = 1
        fade = fades[d]
        for n in range(all_nodes):
            if weights[n] <= np.float32(1e-6):
                continue
            inverse = one / weights[n]
            for c in range(cells):
                for q in range(DEEP):
                    began = met[c, n, q] * inverse
                    now = carried[k, c, n, q] + (took[c, n, q] - shares[n] * carried[k, c, n, q]) * inverse
                    carried[k, c, n, q] = now + (began - now) * fade if known[k, n] > zero else began
            known[k, n] = one


@kernel(numba.void(i32[::1], f32[:, ::1], numba.boolean, SAMPLES, CARRYING, TIPS, LIMITS, LAYING), late=True)
def smear_rest(blocks, balls, flat, samples, brush, tip, limits, under):
    """Lay the same dabs on all other samples of blocks."""
    dabs, frames, nodes, extent, stride = brush.dabs, brush.frames, brush.nodes, np.float32(brush.extent), brush.stride
    allowed, confined, spacing = limits.allowed, limits.confined, np.float32(1.0 if flat else samples.spacing)
    past, past_known, laid, coverage, dirty = under.past, under.past_known, under.laid, under.coverage, under.dirty
    one, zero = np.float32(1), np.float32(0)
    px, py, pz, nx, ny, nz, who, spot = (
        f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), i64_scratch(256), i64_scratch(256)
    )  # fmt: skip
    lay, meets, gu, gv, may = f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256)
    for at in range(len(blocks)):
        block = np.int64(blocks[at])
        count = -1
        changed = False
        for d in range(len(dabs)):
            if not (dabs[d, RADIUS] > 0 and np.isfinite(dabs[d, X] + dabs[d, Y] + dabs[d, Z] + dabs[d, RADIUS])) or not _near(
                balls, block, dabs, d, extent
            ):
                continue
            if count < 0:
                count = _gather(block, samples, stride, True, flat, who, spot, px, py, pz, nx, ny, nz)
                for i in range(count):
                    may[i] = _may(who[i], allowed, confined)
            _meet(
                count, px, py, pz, nx, ny, nz, dabs, d, frames, spacing, extent, nodes, flat, tip,
                lay, meets, gu, gv,
            )  # fmt: skip
            e = np.uint64(d)
            for i in range(np.uint64(count)):
                share = lay[i] * may[i]
                if share <= zero:
                    continue
                n0, n1, n2, n3, w0, w1, w2, w3 = _square(gu[i], gv[i], nodes)
                total = w0 * past_known[e, n0] + w1 * past_known[e, n1] + w2 * past_known[e, n2] + w3 * past_known[e, n3]
                if total <= LEAST:
                    continue
                s, o, inverse, left = np.uint64(who[i]), np.uint64(spot[i]), one / total, one - share
                for c in range(np.uint64(len(laid))):
                    # All is read before anything is written: so the four become one vector instruction.
                    p0 = w0 * past[e, c, n0, 0] + w1 * past[e, c, n1, 0] + w2 * past[e, c, n2, 0] + w3 * past[e, c, n3, 0]
                    p1 = w0 * past[e, c, n0, 1] + w1 * past[e, c, n1, 1] + w2 * past[e, c, n2, 1] + w3 * past[e, c, n3, 1]
                    p2 = w0 * past[e, c, n0, 2] + w1 * past[e, c, n1, 2] + w2 * past[e, c, n2, 2] + w3 * past[e, c, n3, 2]
                    p3 = w0 * past[e, c, n0, 3] + w1 * past[e, c, n1, 3] + w2 * past[e, c, n2, 3] + w3 * past[e, c, n3, 3]
                    l0, l1, l2, l3 = laid[c, o, 0], laid[c, o, 1], laid[c, o, 2], laid[c, o, 3]
                    gain = inverse * share
                    laid[c, o, 0], laid[c, o, 1] = l0 * left + p0 * gain, l1 * left + p1 * gain
                    laid[c, o, 2], laid[c, o, 3] = l2 * left + p2 * gain, l3 * left + p3 * gain
                coverage[s] += (one - coverage[s]) * share
                changed = True
        if changed:
            dirty[block >> 8, block & 255] = 1


@kernel(numba.void(i32[::1], numba.boolean, f32[:, ::1], f32[::1], i32, numba.boolean, u16[:, ::1]), late=True)
def smear_values(slots, is_sheet, laid, coverage, comps, multiplied, out):
    """out (comps, 65536) = codes of the paint that lies at samples of a chunk; multiplied : by alpha, the last, which is taken out of it."""
    zero, half, full = np.float32(0), np.float32(0.5), np.float32(65535)
    for i in range(len(slots)):
        s = slots[i]
        if not coverage[s] > zero:
            continue
        o = packed_at(np.int64(s), is_sheet)
        gain = full / coverage[s]
        if multiplied:
            alpha = laid[o, DEEP - 1]
            gain = full / alpha if alpha > np.float32(1e-9) else zero
            out[comps - 1, local_of(s)] = np.uint16(min(alpha / coverage[s] * full + half, full))
        for q in range(comps - 1 if multiplied else comps):
            out[q, local_of(s)] = np.uint16(min(laid[o, q] * gain + half, full))

"""The compiled loops of the finish; what they are for stands where they are called."""

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def by_eye(r, g, b, eye):
    """One colour as an `Eye` sees it: see `night`."""
    to_xyz, blue, m, k, strength, white_ratio = eye
    zero, one = np.float32(0.0), np.float32(1.0)
    x = to_xyz[0, 0] * r + to_xyz[0, 1] * g + to_xyz[0, 2] * b
    y = max(to_xyz[1, 0] * r + to_xyz[1, 1] * g + to_xyz[1, 2] * b, zero)
    z = to_xyz[2, 0] * r + to_xyz[2, 1] * g + to_xyz[2, 2] * b
    ratio = np.float32(1.33) * (one + (y + z) / max(x, np.float32(1e-9))) - np.float32(1.68)
    # Grey stays as bright as it is: what counts is how much bluer than white light is.
    rod = y * min(max(ratio / white_ratio, zero), np.float32(4.0))
    level = (m * y + (one - m) * k * rod) / (m + (one - m) * k)
    scale = m * level / max(y, np.float32(1e-12))
    level *= one - m
    red = r + strength * (scale * r + level * blue[0] - r)
    green = g + strength * (scale * g + level * blue[1] - g)
    return red, green, b + strength * (scale * b + level * blue[2] - b)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def seen_by_eye(picture, eye, out):
    """A picture (h, w, 3) as an `Eye` sees it: see `night`."""
    for row in nb.prange(picture.shape[0]):
        for column in range(picture.shape[1]):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            r, g, b = by_eye(r, g, b, eye)
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = r, g, b


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def bright_part(picture, scale, out):
    """``out`` = the light of a picture (h, w, 3) in what is brighter than 1 when exposed; in how many pixels."""
    zero, one = np.float32(0.0), np.float32(1.0)
    count = 0
    for row in range(picture.shape[0]):
        for column in range(picture.shape[1]):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            level = scale * max(r, max(g, b))
            weight = zero
            if level > one:
                t = min(np.float32(0.5) * np.log2(level), one)
                weight = t * t * (np.float32(3.0) - np.float32(2.0) * t)
                count += 1
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = weight * r, weight * g, weight * b
    return count


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _lay(out, x, y, r, g, b):
    """Add light at a place between pixels, whose middles lie at whole numbers; past the edge it is lost."""
    i, j = int(np.floor(x)), int(np.floor(y))
    fx, fy = x - np.float32(i), y - np.float32(j)
    one = np.float32(1.0)
    for dj in range(2):
        row = j + dj
        if row < 0 or row >= out.shape[0]:
            continue
        wy = fy if dj else one - fy
        for di in range(2):
            column = i + di
            if column < 0 or column >= out.shape[1]:
                continue
            w = wy * (fx if di else one - fx)
            out[row, column, 0] += w * r
            out[row, column, 1] += w * g
            out[row, column, 2] += w * b


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def draw_spikes(bright, ways, share, least, wide, out):
    """Light moved along spikes, added to ``out`` (h, w, 3) where it goes and taken where it comes from.

    ``share`` (3,) of a pixel's light lies further out than one pixel, ``ways`` (m, 2) all alike; a spike is ``wide``
    [px] and ends where it would give less than ``least``.
    """
    half, one = np.float32(0.5), np.float32(1.0)
    count = np.float32(ways.shape[0])
    across = max(int(np.ceil(wide)), 1)
    longest = bright.shape[0] + bright.shape[1]
    for row in range(bright.shape[0]):
        for column in range(bright.shape[1]):
            r, g, b = bright[row, column, 0], bright[row, column, 1], bright[row, column, 2]
            most = max(r * share[0], max(g * share[1], b * share[2])) / count
            if most <= np.float32(0.0):
                continue
            taken = np.float32(0.0)
            for far in range(1, longest):
                d = np.float32(far)
                # What lies between half a pixel before and half a pixel behind.
                part = (one / (d - half) - one / (d + half)) / count
                if most * part * count < least:
                    break
                taken += part * count
                part /= np.float32(across)
                for m in range(ways.shape[0]):
                    ux, uy = ways[m, 0], ways[m, 1]
                    for k in range(across):
                        side = (np.float32(k) + half - half * np.float32(across)) * wide / np.float32(across) * half
                        x, y = np.float32(column) + d * ux - side * uy, np.float32(row) + d * uy + side * ux
                        _lay(out, x, y, part * share[0] * r, part * share[1] * g, part * share[2] * b)
            out[row, column, 0] -= taken * share[0] * r
            out[row, column, 1] -= taken * share[1] * g
            out[row, column, 2] -= taken * share[2] * b


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def draw_aperture(x, y, apothem, normals, light, out):
    """Add light (3,) to every pixel of ``out`` (h, w, 3) that lies in a regular polygon about x, y [px]."""
    half, zero, one = np.float32(0.5), np.float32(0.0), np.float32(1.0)
    reach = apothem * np.float32(1.5) + one
    top, bottom = max(int(y - reach), 0), min(int(y + reach) + 2, out.shape[0])
    left, right = max(int(x - reach), 0), min(int(x + reach) + 2, out.shape[1])
    for row in range(top, bottom):
        for column in range(left, right):
            dx, dy = np.float32(column) + half - x, np.float32(row) + half - y
            most = -apothem
            for n in range(normals.shape[0]):
                most = max(most, dx * normals[n, 0] + dy * normals[n, 1] - apothem)
            cover = min(max(half - most, zero), one)
            if cover > zero:
                for c in range(3):
                    out[row, column, c] += cover * light[c]


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def draw_motes(at, radius, normals, flux, out):
    """Add each mote's light (n, 3), summed over pixels, to ``out`` (h, w, 3).

    It lies over a polygon about its place (n, 2) [px] as large as the circle of a radius (n,), between four pixels
    where that is less than one.
    """
    half, zero, one = np.float32(0.5), np.float32(0.0), np.float32(1.0)
    sides = normals.shape[0]
    # The apothem of a polygon with the circle's area.
    inner = np.sqrt(np.float32(np.pi) / (np.float32(sides) * np.tan(np.float32(np.pi / sides))))
    for n in range(at.shape[0]):
        if radius[n] < one:
            _lay(out, at[n, 0] - half, at[n, 1] - half, flux[n, 0], flux[n, 1], flux[n, 2])
            continue
        # Drawn once by itself: how much of it lies in the frame, and what all its pixels' shares add up to.
        side = 2 * int(radius[n] * np.float32(1.6)) + 4
        room = np.zeros((side, side, 3), np.float32)
        left, top = int(np.floor(at[n, 0])) - side // 2, int(np.floor(at[n, 1])) - side // 2
        x, y = at[n, 0] - np.float32(left), at[n, 1] - np.float32(top)
        draw_aperture(x, y, radius[n] * inner, normals, np.ones(3, np.float32), room)
        whole = zero
        for row in range(side):
            for column in range(side):
                whole += room[row, column, 0]
        for row in range(max(-top, 0), min(side, out.shape[0] - top)):
            for column in range(max(-left, 0), min(side, out.shape[1] - left)):
                share = room[row, column, 0] / whole
                if share > zero:
                    for c in range(3):
                        out[top + row, left + column, c] += share * flux[n, c]


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def between_levels(sharp, first, second, third, level, out):
    """``out`` = for each pixel the picture between four, from sharp to soft, at its level in [0, 3]."""
    for row in nb.prange(sharp.shape[0]):
        for column in range(sharp.shape[1]):
            at = min(max(level[row, column], np.float32(0.0)), np.float32(3.0))
            k = min(int(at), 2)
            f = at - np.float32(k)
            for c in range(3):
                if k == 0:
                    a, b = sharp[row, column, c], first[row, column, c]
                elif k == 1:
                    a, b = first[row, column, c], second[row, column, c]
                else:
                    a, b = second[row, column, c], third[row, column, c]
                out[row, column, c] = a + f * (b - a)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def cover_of_stroke(points, radius, soft, out):
    """``out`` (h, w) = how much a brush led along points (n, 2) [px] covers: the most of all its places."""
    zero, one = np.float32(0.0), np.float32(1.0)
    for n in range(points.shape[0]):
        x0, y0 = points[max(n - 1, 0), 0], points[max(n - 1, 0), 1]
        x1, y1 = points[n, 0], points[n, 1]
        ux, uy = x1 - x0, y1 - y0
        length = ux * ux + uy * uy
        top, bottom = max(int(min(y0, y1) - radius) - 1, 0), min(int(max(y0, y1) + radius) + 2, out.shape[0])
        left, right = max(int(min(x0, x1) - radius) - 1, 0), min(int(max(x0, x1) + radius) + 2, out.shape[1])
        for row in range(top, bottom):
            for column in range(left, right):
                px, py = np.float32(column) + np.float32(0.5) - x0, np.float32(row) + np.float32(0.5) - y0
                t = min(max((px * ux + py * uy) / length, zero), one) if length > zero else zero
                dx, dy = px - t * ux, py - t * uy
                s = min(max((radius - np.sqrt(dx * dx + dy * dy)) / soft, zero), one)
                out[row, column] = max(out[row, column], s * s * (np.float32(3.0) - np.float32(2.0) * s))


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def blurred_along(picture, weights, out):
    """``out`` = a picture (h, w, 3) blurred along its rows by weights (n,), the middle first; mirrored at its edges."""
    width = picture.shape[1]
    for row in nb.prange(picture.shape[0]):
        line, made = picture[row], out[row]
        for column in range(width):
            for c in range(3):
                made[column, c] = weights[0] * line[column, c]
        for n in range(1, weights.shape[0]):
            for column in range(width):
                left, right = abs(column - n), column + n
                right = right if right < width else max(2 * width - 1 - right, 0)
                left = min(left, width - 1)
                for c in range(3):
                    made[column, c] += weights[n] * (line[left, c] + line[right, c])


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def blurred_down(picture, weights, out):
    """The same along its columns."""
    height = picture.shape[0]
    for row in nb.prange(height):
        made = out[row].reshape(-1)
        here = picture[row].reshape(-1)
        for k in range(made.size):
            made[k] = weights[0] * here[k]
        for n in range(1, weights.shape[0]):
            below = row + n if row + n < height else max(2 * height - 1 - row - n, 0)
            one, other = picture[min(abs(row - n), height - 1)].reshape(-1), picture[below].reshape(-1)
            for k in range(made.size):
                made[k] += weights[n] * (one[k] + other[k])


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def lay_dark_noise(picture, tile, weights, strength, at, darkest, brightest, out):
    """``out`` = a picture (h, w, 3) times 1 and the noise of the dark: see `dark`."""
    zero, one = np.float32(0.0), np.float32(1.0)
    for row in nb.prange(picture.shape[0]):
        grains = tile[row % tile.shape[0]]
        for column in range(picture.shape[1]):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            level = max(weights[0] * r + weights[1] * g + weights[2] * b, darkest)
            spread = strength * np.sqrt(at / level) * min(max(one - level / brightest, zero), one)
            # No darker than black, and as far up as down.
            factor = min(spread, np.float32(0.5)) * grains[column % tile.shape[1]]
            factor = one + min(max(factor, np.float32(-0.95)), np.float32(0.95))
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = factor * r, factor * g, factor * b

"""The compiled loops of the finish; what they are for stands where they are called."""

import math

import numba as nb
import numpy as np

from lunar_haze.core.units.fast_math import exp, log2

_LN2 = np.float32(math.log(2.0))


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def balanced(picture, matrix, gains, out):
    """``out`` = gain x matrix (3, 3) x every colour of a picture (h, w, 3); gains (h, w), or (1, 1) for none."""
    even = gains.shape[0] == 1
    for row in nb.prange(picture.shape[0]):
        for column in range(picture.shape[1]):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            gain = np.float32(1.0) if even else gains[row, column]
            for c in range(3):
                out[row, column, c] = gain * (matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b)


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _by_eye(r, g, b, to_xyz, blue, m, k, strength, white_ratio):
    """One colour as the eye sees it whose day vision takes part by m: see `night`."""
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
def seen_by_eye(picture, to_xyz, blue, m, k, strength, white_ratio, out):
    """A picture (h, w, 3) as the eye sees it whose day vision takes part by m: see `night`."""
    for row in nb.prange(picture.shape[0]):
        for column in range(picture.shape[1]):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            r, g, b = _by_eye(r, g, b, to_xyz, blue, m, k, strength, white_ratio)
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = r, g, b


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def in_one_go(picture, stays, scattered, to_xyz, blue, m, k, night, white_ratio, matrix, gains, out):
    """What `glowing`, `seen_by_eye` and `balanced` do in turn, with each pixel read and written once.

    ``scattered`` (h / 2, w / 2, 3) is added between its pixels to the share ``stays`` (3,) of the picture, and left
    out where it has one pixel only; ``night`` of 0 leaves the eye out; gains (h, w), or (1, 1) for none.
    """
    height, width = picture.shape[0], picture.shape[1]
    rows, columns = scattered.shape[0], scattered.shape[1]
    half, zero, one = np.float32(0.5), np.float32(0.0), np.float32(1.0)
    even, glows = gains.shape[0] == 1, rows > 1
    down, along = np.float32(rows) / np.float32(height), np.float32(columns) / np.float32(width)
    for row in nb.prange(height):
        y = min(max((np.float32(row) + half) * down - half, zero), np.float32(rows - 1))
        j = min(int(y), max(rows - 2, 0))
        upper, lower, fy = scattered[j], scattered[min(j + 1, rows - 1)], y - np.float32(j)
        for column in range(width):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            if glows:
                x = min(max((np.float32(column) + half) * along - half, zero), np.float32(columns - 1))
                i = min(int(x), max(columns - 2, 0))
                i1, fx = min(i + 1, columns - 1), x - np.float32(i)
                w00, w01 = (one - fy) * (one - fx), (one - fy) * fx
                w10, w11 = fy * (one - fx), fy * fx
                r = stays[0] * r + w00 * upper[i, 0] + w01 * upper[i1, 0] + w10 * lower[i, 0] + w11 * lower[i1, 0]
                g = stays[1] * g + w00 * upper[i, 1] + w01 * upper[i1, 1] + w10 * lower[i, 1] + w11 * lower[i1, 1]
                b = stays[2] * b + w00 * upper[i, 2] + w01 * upper[i1, 2] + w10 * lower[i, 2] + w11 * lower[i1, 2]
            if night > zero:
                r, g, b = _by_eye(r, g, b, to_xyz, blue, m, k, night, white_ratio)
            gain = one if even else gains[row, column]
            for c in range(3):
                out[row, column, c] = gain * (matrix[c, 0] * r + matrix[c, 1] * g + matrix[c, 2] * b)


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def couple(
    values, is_signal, saturation, luma, cut, low, slope, bias, split, shadows, lights, luminance, grey, per_stop, out
):
    """What `grade.coupled` does to colours, on a table's nodes (n, 3): saturation of a signal in ACEScct, which is
    decoded by ``cut``, ``low`` (2,), ``slope`` and ``bias``, and the split tone, whose colours are told in stops;
    ``per_stop`` is how fast it goes from the one to the other.
    """
    zero, one, half = np.float32(0.0), np.float32(1.0), np.float32(0.5)
    for block in nb.prange((values.shape[0] + 1023) // 1024):
        for n in range(block * 1024, min(block * 1024 + 1024, values.shape[0])):
            r, g, b = values[n, 0], values[n, 1], values[n, 2]
            if is_signal:
                y = luma[0] * r + luma[1] * g + luma[2] * b
                r = min(max(y + saturation * (r - y), zero), one)
                g = min(max(y + saturation * (g - y), zero), one)
                b = min(max(y + saturation * (b - y), zero), one)
                r = exp((r * slope - bias) * _LN2) if r > cut else (r - low[1]) / low[0]
                g = exp((g * slope - bias) * _LN2) if g > cut else (g - low[1]) / low[0]
                b = exp((b * slope - bias) * _LN2) if b > cut else (b - low[1]) / low[0]
            if split > zero:
                level = max(r * luminance[0] + g * luminance[1] + b * luminance[2], np.float32(1e-10))
                t = min(max(log2(level / grey) * per_stop + half, zero), one)
                t = t * t * (np.float32(3.0) - np.float32(2.0) * t)
                r = max(r, zero) * exp(split * _LN2 * (shadows[0] + t * (lights[0] - shadows[0])))
                g = max(g, zero) * exp(split * _LN2 * (shadows[1] + t * (lights[1] - shadows[1])))
                b = max(b, zero) * exp(split * _LN2 * (shadows[2] + t * (lights[2] - shadows[2])))
                now = max(r * luminance[0] + g * luminance[1] + b * luminance[2], np.float32(1e-10))
                r, g, b = r * level / now, g * level / now, b * level / now
            out[n, 0], out[n, 1], out[n, 2] = r, g, b


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def lay_grain(codes, noise, held, channels):
    """Lay noise on code values (h, w, channels or more) uint8, in place; ``held`` (256,) is its strength at each."""
    tile, width = noise.shape[1], codes.shape[1]
    for row in nb.prange(codes.shape[0]):
        line = noise[row % noise.shape[0]]
        for start in range(0, width, tile):
            for column in range(start, min(start + tile, width)):
                grain = line[column - start]
                for c in range(channels):
                    code = codes[row, column, c]
                    value = np.float32(code) + grain * held[code] + np.float32(0.5)
                    codes[row, column, c] = np.uint8(np.int32(min(max(value, np.float32(0.0)), np.float32(255.0))))


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

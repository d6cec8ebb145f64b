"""The compiled loops of the finish; what they are for stands where they are called."""

import numba as nb
import numpy as np

from lunar_haze.core.units.shapes import entry


@entry(picture="h w 3 f4", out="h w 3 f4", where="h w b1")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def bright_part(picture, scale, out, where):
    """``out`` = the light of a picture (h, w, 3) in what is brighter than 1 when exposed; ``where`` (h, w) that is."""
    zero, one, edge = np.float32(0.0), np.float32(1.0), np.float32(1.0) / scale
    for row in nb.prange(picture.shape[0]):
        here, there = picture[row], out[row]
        for column in range(picture.shape[1]):
            r, g, b = here[column, 0], here[column, 1], here[column, 2]
            weight = zero
            if max(r, max(g, b)) > edge:
                t = min(np.float32(0.5) * np.log2(scale * max(r, max(g, b))), one)
                weight = t * t * (np.float32(3.0) - np.float32(2.0) * t)
            there[column, 0], there[column, 1], there[column, 2] = weight * r, weight * g, weight * b
            where[row, column] = weight > zero


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
def _spike(x, y, ux, uy, ends, light, top, bottom, out):
    """Add a spike from a place along a unit vector to the rows of ``out`` (h, w, 3) from ``top`` to before ``bottom``.

    ``light`` (3,) lies further out than one pixel; it goes from half a pixel's way to where it ``ends``. It is drawn
    at the whole numbers of the way that it takes most of, so that it lies between two pixels at most.
    """
    half, zero, one = np.float32(0.5), np.float32(0.0), np.float32(1.0)
    is_flat = abs(ux) >= abs(uy)
    along, across, start, side = (ux, uy, x, y) if is_flat else (uy, ux, y, x)
    step, way = one / abs(along), 1 if along > zero else -1
    # From the first to the last of its places: those in the rows, and in the frame.
    first, last = zero, ends + step
    if abs(uy) > np.float32(1e-6):
        to_top, to_bottom = (np.float32(top) - one - y) / uy, (np.float32(bottom) - y) / uy
        first, last = max(first, min(to_top, to_bottom)), min(last, max(to_top, to_bottom))
    elif y <= np.float32(top) - one or y >= np.float32(bottom):
        return
    if last <= first:
        return
    begins = int(np.floor(start + first * along + half)) - way
    stops = int(np.floor(start + last * along + half)) + way
    low, high = (0, out.shape[1] - 1) if is_flat else (top, bottom - 1)
    begins, stops = (max(begins, low), min(stops, high)) if way > 0 else (min(begins, high), max(stops, low))
    for place in range(begins, stops + way, way):
        d = (np.float32(place) - start) / along
        near, far = max(d - half * step, half), min(d + half * step, ends)
        if far <= near:
            continue
        part = one / near - one / far
        at = side + d * across
        # Over three pixels by the quadratic spline: over two it would be a row of beads.
        beside = int(np.floor(at + half))
        f = at - np.float32(beside)
        for k in range(3):
            row, column = (beside + k - 1, place) if is_flat else (place, beside + k - 1)
            if top <= row < bottom and 0 <= column < out.shape[1]:
                if k == 1:
                    w = part * (np.float32(0.75) - f * f)
                else:
                    g = half - f if k == 0 else half + f
                    w = part * half * g * g
                out[row, column, 0] += w * light[0]
                out[row, column, 1] += w * light[1]
                out[row, column, 2] += w * light[2]


@entry(bright="h w 3 f4", rows="k i8", columns="k i8", ways="m 2 f4", share="3 f4", out="h w 3 f4", taken="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def draw_spikes(bright, rows, columns, ways, share, least, wide, out, taken):
    """Light of ``bright`` (h, w, 3) added to ``out`` (h, w, 3) along spikes, in turn by rows; ``taken`` (h, w, 3) is
    the share of each pixel's light that went.

    ``share`` (3,) of the light of a pixel, one of ``rows`` and ``columns`` (k,), lies further out than one pixel,
    ``ways`` (m, 2) all alike; a spike is ``wide`` [px] and ends where it would give less than ``least``.
    """
    half, two, across = np.float32(0.5), np.float32(2.0), max(int(np.ceil(wide)), 1)
    height, parts = out.shape[0], np.float32(ways.shape[0] * across)
    deep = 24
    bands = (height + deep - 1) // deep
    for piece in nb.prange(bands):
        # Bands are taken in such a turn that neither half of them holds only sky.
        even = (bands + 1) // 2
        band = 2 * piece if piece < even else 2 * (piece - even) + 1
        top, bottom = band * deep, min((band + 1) * deep, height)
        light = np.empty(3, np.float32)
        for n in range(rows.size):
            row, column, most = rows[n], columns[n], np.float32(0.0)
            for c in range(3):
                light[c] = bright[row, column, c] * share[c] / parts
                most = max(most, light[c])
            # There it gives that much from half a pixel before to half a pixel behind.
            ends = np.sqrt(most * np.float32(across) / least + np.float32(0.25)) + half
            reach = int(ends + wide) + 2
            if row + reach < top or row - reach >= bottom:
                continue
            for m in range(ways.shape[0]):
                ux, uy = ways[m, 0], ways[m, 1]
                for k in range(across):
                    side = (np.float32(k) + half - half * np.float32(across)) * wide / np.float32(across) * half
                    x, y = np.float32(column) - side * uy, np.float32(row) + side * ux
                    _spike(x, y, ux, uy, ends, light, top, bottom, out)
            if top <= row < bottom:
                for c in range(3):
                    taken[row, column, c] = (two - np.float32(1.0) / ends) * share[c]


@entry(picture="h w 3 f4", bright="h w 3 f4", taken="j i 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def take_bent(picture, bright, taken, step, gain, out):
    """``out`` (h, w, 3) = a picture + ``gain`` times what lies in ``out``, less the share of its ``bright`` part that
    went elsewhere: ``taken`` by blocks of ``step`` pixels (h / step, w / step, 3).
    """
    for row in nb.prange(picture.shape[0]):
        j = row // step
        for column in range(picture.shape[1]):
            i = column // step
            # Past the last whole block nothing was bent.
            inside = j < taken.shape[0] and i < taken.shape[1]
            for c in range(3):
                went = taken[j, i, c] * bright[row, column, c] if inside else np.float32(0.0)
                out[row, column, c] = picture[row, column, c] + gain * out[row, column, c] - went


@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _draw_aperture(x, y, apothem, normals, light, first, last, out):
    """Add light (3,) to every pixel of ``out`` (h, w, 3) that lies in a regular polygon about x, y [px].

    Only rows from ``first`` to before ``last`` are drawn.
    """
    half, zero, one = np.float32(0.5), np.float32(0.0), np.float32(1.0)
    # The corners of a triangle lie twice as far off as its edges.
    reach = apothem * np.float32(2.0) + one
    top, bottom = max(int(y - reach), first), min(int(y + reach) + 2, last)
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


@entry(at="n 2 f4", apothem="n f4", normals="m 2 f4", light="n 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def draw_apertures(at, apothem, normals, light, out):
    """Add light (n, 3) to ``out`` (h, w, 3), each in a regular polygon about a place ``at`` (n, 2) [px].

    ``apothem`` (n,) [px] is how far its edges lie off, ``normals`` (m, 2) are the unit vectors out of them.
    """
    height, deep = out.shape[0], 16
    for band in nb.prange((height + deep - 1) // deep):
        for n in range(at.shape[0]):
            first, last = band * deep, min((band + 1) * deep, height)
            _draw_aperture(at[n, 0], at[n, 1], apothem[n], normals, light[n], first, last, out)


@entry(at="n 2 f4", radius="n f4", normals="m 2 f4", flux="n 3 f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def draw_motes(at, radius, normals, flux, out):
    """Add each mote's ``flux`` (n, 3), light summed over pixels, to ``out`` (h, w, 3).

    It lies over a polygon of ``normals`` (m, 2) about its place ``at`` (n, 2) [px] as large as the circle of a radius
    (n,), between four pixels where that is less than one.
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
        _draw_aperture(x, y, radius[n] * inner, normals, np.ones(3, np.float32), 0, side, room)
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


@entry(points="n 2 f4", out="h w f4")
@nb.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def cover_of_stroke(points, radius, soft, out):
    """``out`` (h, w) = how much a brush of a ``radius`` [px] led along points (n, 2) [px] covers: the most of all its
    places.
    """
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


@entry(picture="h w 3 f4", weights="n f4", out="h w 3 f4")
@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def blurred(picture, weights, out):
    """``out`` = a picture (h, w, 3) blurred both ways by weights (n,), the middle first; it goes on as at its edges."""
    height, width, count = picture.shape[0], picture.shape[1], weights.shape[0]
    edge = 3 * (count - 1)
    for row in nb.prange(height):
        line = np.empty(3 * width + 2 * edge, np.float32)
        down, made, here = line[edge : edge + 3 * width], out[row].reshape(-1), picture[row].reshape(-1)
        for k in range(made.size):
            down[k] = weights[0] * here[k]
        for n in range(1, count):
            above, below = picture[max(row - n, 0)].reshape(-1), picture[min(row + n, height - 1)].reshape(-1)
            for k in range(made.size):
                down[k] += weights[n] * (above[k] + below[k])
        for k in range(edge):
            line[k], line[edge + 3 * width + k] = down[k % 3], down[3 * width - 3 + k % 3]
        for k in range(made.size):
            made[k] = weights[0] * down[k]
        for n in range(1, count):
            left, right = line[edge - 3 * n :], line[edge + 3 * n :]
            for k in range(made.size):
                made[k] += weights[n] * (left[k] + right[k])

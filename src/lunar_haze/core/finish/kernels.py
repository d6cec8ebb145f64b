"""The compiled loops of the finish; what they are for stands where they are called."""

import numba as nb
import numpy as np


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


@nb.njit(cache=True, nogil=True, parallel=True, fastmath=True, error_model="numpy")
def seen_by_eye(picture, to_xyz, blue, m, k, strength, white_ratio, out):
    """A picture (h, w, 3) as the eye sees it whose day vision takes part by m: see `night`."""
    zero, one = np.float32(0.0), np.float32(1.0)
    for row in nb.prange(picture.shape[0]):
        for column in range(picture.shape[1]):
            r, g, b = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            x = to_xyz[0, 0] * r + to_xyz[0, 1] * g + to_xyz[0, 2] * b
            y = max(to_xyz[1, 0] * r + to_xyz[1, 1] * g + to_xyz[1, 2] * b, zero)
            z = to_xyz[2, 0] * r + to_xyz[2, 1] * g + to_xyz[2, 2] * b
            ratio = np.float32(1.33) * (one + (y + z) / max(x, np.float32(1e-9))) - np.float32(1.68)
            # Grey stays as bright as it is: what counts is how much bluer than white light is.
            rod = y * min(max(ratio / white_ratio, zero), np.float32(4.0))
            level = (m * y + (one - m) * k * rod) / (m + (one - m) * k)
            scale = level / max(y, np.float32(1e-12))
            for c in range(3):
                day, night = picture[row, column, c] * scale, level * blue[c]
                seen = m * day + (one - m) * night
                out[row, column, c] = picture[row, column, c] + strength * (seen - picture[row, column, c])


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

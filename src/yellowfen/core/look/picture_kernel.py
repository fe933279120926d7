"""Loops over the pixels of a picture, compiled: smoothing, and samples along lines."""

import numpy as np
from numba import njit


@njit(cache=True)
def smoothed(image):
    """A grey picture (height, width) smoothed once by 1 4 6 4 1 both ways; its edge goes on
    outside.
    """
    height, width = image.shape
    down = np.empty((height, width))
    out = np.empty((height, width))
    for i in range(height):
        above, over = image[max(i - 2, 0)], image[max(i - 1, 0)]
        below, under = image[min(i + 1, height - 1)], image[min(i + 2, height - 1)]
        here, row = image[i], down[i]
        for j in range(width):
            row[j] = above[j] + under[j] + 4.0 * (over[j] + below[j]) + 6.0 * here[j]
    last = width - 1
    for i in range(height):
        row, to = down[i], out[i]
        for j in range(2, width - 2):
            to[j] = row[j - 2] + row[j + 2] + 4.0 * (row[j - 1] + row[j + 1]) + 6.0 * row[j]
        for j in range(width):
            if j < 2 or j > last - 2:
                to[j] = (
                    row[max(j - 2, 0)]
                    + row[min(j + 2, last)]
                    + 4.0 * (row[max(j - 1, 0)] + row[min(j + 1, last)])
                    + 6.0 * row[j]
                )
        for j in range(width):
            to[j] *= 1.0 / 256.0
    return out


@njit(cache=True)
def along_normals(image, spots, normals, offsets):
    """The picture at `offsets` (px) along the normal at each spot (n, 2), between pixels in
    proportion; not a number outside.
    """
    height, width = image.shape
    found = np.empty((len(spots), len(offsets)))
    for n in range(len(spots)):
        for k in range(len(offsets)):
            u = spots[n, 0] + offsets[k] * normals[n, 0]
            v = spots[n, 1] + offsets[k] * normals[n, 1]
            if not (0.0 <= u <= width - 1 and 0.0 <= v <= height - 1):
                found[n, k] = np.nan
                continue
            j, i = min(int(u), width - 2), min(int(v), height - 2)
            a, b = u - j, v - i
            upper = image[i, j] + a * (image[i, j + 1] - image[i, j])
            lower = image[i + 1, j] + a * (image[i + 1, j + 1] - image[i + 1, j])
            found[n, k] = upper + b * (lower - upper)
    return found

#!/usr/bin/env python3
"""MS-SSIM and BD-rate by NumPy and SciPy alone, from the papers' formulas: what ours are checked against.

reference.py ms-ssim REFERENCE.y4m DISTORTED.y4m     one number a frame
reference.py bd-rate '{"anchor": [[kbps, dB], ...], "test": [...]}'     percent
"""
import json
import sys

import numpy
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import correlate1d


def frames(path):
    data = open(path, "rb").read()
    end = data.index(b"\n")
    header = data[:end].split()
    width, height = (int(next(f[1:] for f in header if f[:1] == key)) for key in (b"W", b"H"))
    at = end + 1
    while at < len(data):
        at = data.index(b"\n", at) + 1
        yield numpy.frombuffer(data, numpy.uint8, width * height, at).reshape(height, width).astype(float)
        at += width * height * 3 // 2


def smooth(picture):
    x = numpy.arange(11) - 5
    window = numpy.exp(-(x ** 2) / (2 * 1.5 ** 2))
    window /= window.sum()
    return correlate1d(correlate1d(picture, window, axis=0), window, axis=1)[5:-5, 5:-5]


def similarity(a, b):
    c1, c2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
    ma, mb = smooth(a), smooth(b)
    va, vb, cov = smooth(a * a) - ma * ma, smooth(b * b) - mb * mb, smooth(a * b) - ma * mb
    cs = (2 * cov + c2) / (va + vb + c2)
    return (cs * (2 * ma * mb + c1) / (ma * ma + mb * mb + c1)).mean(), cs.mean()


def halve(p):
    p = p[: p.shape[0] // 2 * 2, : p.shape[1] // 2 * 2]
    return (p[::2, ::2] + p[1::2, ::2] + p[::2, 1::2] + p[1::2, 1::2]) / 4


def ms_ssim(a, b):
    product = 1.0
    weights = [0.0448, 0.2856, 0.3001, 0.2363, 0.1333]
    for scale, weight in enumerate(weights):
        ssim, cs = similarity(a, b)
        product *= max(0.0, ssim if scale == 4 else cs) ** weight
        a, b = halve(a), halve(b)
    return product


def bd_rate(anchor, test):
    def curve(points):
        points = sorted(points, key=lambda p: p[1])
        return PchipInterpolator([p[1] for p in points], [numpy.log10(p[0]) for p in points])

    low = max(min(p[1] for p in anchor), min(p[1] for p in test))
    high = min(max(p[1] for p in anchor), max(p[1] for p in test))
    difference = curve(test).integrate(low, high) - curve(anchor).integrate(low, high)
    return (10 ** (difference / (high - low)) - 1) * 100


if sys.argv[1] == "ms-ssim":
    for pair in zip(frames(sys.argv[2]), frames(sys.argv[3])):
        print(f"{ms_ssim(*pair):.7f}")
else:
    given = json.loads(sys.argv[2])
    print(f'{bd_rate(given["anchor"], given["test"]):.6f}')

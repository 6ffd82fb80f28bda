"""The same work as `npm run -s bench -- stacking`, with OpenCV and numpy on one thread; that bench runs it where Debian's python3-opencv is there.

    OMP_NUM_THREADS=1 /usr/bin/python3 reference/bench_stacking.py

Prints one JSON object: best seconds of several rounds.
"""
import json
import time

import cv2
import numpy as np

cv2.setNumThreads(1)
rng = np.random.default_rng(1)
picture = (10 + rng.normal(size=(1024, 1024))).astype(np.float32)
cube = (10 + rng.normal(size=(30, 256, 256))).astype(np.float32)
warped = np.zeros_like(picture)
matrix = np.array([[1, -0.001, 3.3], [0.001, 1, 2.2]])


def best(work, rounds):
    times = []
    for _ in range(rounds):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return min(times)


def warp(flags):
    cv2.warpAffine(picture, matrix, (1024, 1024), dst=warped, flags=flags | cv2.WARP_INVERSE_MAP)


def kappa_sigma():
    """Five rounds about the median, NaN for what is rejected."""
    left = cube.copy()
    for _ in range(5):
        centre = np.nanmedian(left, axis=0)
        sigma = np.nanstd(left, axis=0)
        out = np.abs(left - centre) > 3 * sigma
        if not out.any():
            break
        left[out] = np.nan
    np.nanmean(left, axis=0)


print(
    json.dumps(
        {
            "lanczos4": best(lambda: warp(cv2.INTER_LANCZOS4), 8),
            "bicubic": best(lambda: warp(cv2.INTER_CUBIC), 8),
            "kappaSigma": best(kappa_sigma, 3),
            "copy": best(lambda: cube.copy(), 20),
        }
    )
)

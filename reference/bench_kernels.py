"""The same work as `npm run -s bench -- kernels` and RL with 30 iterations, with scipy and OpenCV on one thread, for docs/performance.md.

    OMP_NUM_THREADS=1 /usr/bin/python3 reference/bench_kernels.py
"""
import time

import cv2
import numpy as np
import scipy.fft as sf

cv2.setNumThreads(1)
rng = np.random.default_rng(1)
picture = (10 + rng.normal(size=(1024, 1024))).astype(np.float32)


def best(name, work, rounds=5):
    times = []
    for _ in range(rounds):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    print(f"{name}: {min(times) * 1000:.1f} ms")


def starlet():
    current = picture
    for j in range(5):
        kernel = np.zeros(4 * 2**j + 1, np.float32)
        kernel[:: 2**j] = np.array([1, 4, 6, 4, 1], np.float32) / 16
        current = cv2.sepFilter2D(current, cv2.CV_32F, kernel, kernel, borderType=cv2.BORDER_REFLECT_101)


def richardson_lucy(iterations):
    n = 1080
    psf = np.zeros((n, n), np.float32)
    y, x = np.mgrid[-11:12, -11:12]
    profile = (1 + (x**2 + y**2) / 8.7) ** -3.0
    psf[:23, :23] = profile / profile.sum()
    transfer = sf.rfft2(np.roll(psf, (-11, -11), (0, 1)))
    data = np.zeros((n, n), np.float32)
    data[:1024, :1024] = picture
    u = data.copy()
    for _ in range(iterations):
        blurred = sf.irfft2(sf.rfft2(u) * transfer, (n, n))
        u *= sf.irfft2(sf.rfft2(data / np.maximum(blurred, 1e-6)) * np.conj(transfer), (n, n))


best("starlet, 5 scales, 1024² (OpenCV sepFilter2D)", starlet)
best("Richardson-Lucy, 30 iterations, 1024² (scipy.fft, cached transfer function)", lambda: richardson_lucy(30), 2)

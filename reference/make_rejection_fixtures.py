"""Makes the expected values of the rejections from general-purpose reference libraries.

Run once with Debian's python3-astropy and python3-scipy; the results are committed, so tests need no Python.
    /usr/bin/python3 reference/make_rejection_fixtures.py
"""
import json
import os

import astropy
import numpy as np
import scipy
from astropy.stats import mad_std, sigma_clip
from scipy import stats

HERE = os.path.join(os.path.dirname(__file__), "fixtures")
VERSIONS = {"numpy": np.__version__, "scipy": scipy.__version__, "astropy": astropy.__version__}


def numbers(a):
    return [float(f"{v:.9g}") for v in np.asarray(a, dtype=np.float64).ravel()]


def by_mad(x, low, high):
    return sigma_clip(x, sigma_lower=low, sigma_upper=high, maxiters=1, cenfunc="median", stdfunc=mad_std).compressed()


def by_sigma(x, low, high):
    return sigma_clip(x, sigma_lower=low, sigma_upper=high, maxiters=5, cenfunc="median", stdfunc="std").compressed()


def winsorised(x, low, high):
    for _ in range(5):
        m = np.median(x)
        s = 1.4826 * np.median(np.abs(x - m))
        for _ in range(10):
            next_s = 1.134 * np.clip(x, m - 1.5 * s, m + 1.5 * s).std()
            done = abs(next_s - s) <= 0.0005 * s
            s = next_s
            if done:
                break
        keep = (x >= m - low * s) & (x <= m + high * s)
        if keep.all() or not keep.any():
            break
        x = x[keep]
    return x


def by_line(x, low, high):
    x = np.sort(x)
    for _ in range(5):
        if len(x) < 5:
            break
        t = np.arange(len(x))
        d = x - np.polyval(np.polyfit(t, x, 1), t)
        s = np.abs(d).mean()
        first = next((i for i in range(len(x)) if -d[i] <= low * s), len(x))
        end = next((i + 1 for i in range(len(x) - 1, -1, -1) if d[i] <= high * s), 0)
        if (first == 0 and end == len(x)) or end <= first:
            break
        x = x[first:end]
    return x


def esd(x, share, significance):
    """The generalised test as the NIST/SEMATECH e-Handbook, 1.3.5.17.3, writes it."""
    n = len(x)
    left, set_aside, outliers = x.copy(), [], 0
    for i in range(1, max(1, int(share * n)) + 1):
        k = np.argmax(np.abs(left - left.mean()))
        r = np.abs(left[k] - left.mean()) / left.std(ddof=1)
        p = 1 - significance / (2 * (n - i + 1))
        t = stats.t.ppf(p, n - i - 1)
        critical = (n - i) * t / np.sqrt((n - i - 1 + t * t) * (n - i + 1))
        set_aside.append(left[k])
        left = np.delete(left, k)
        if r > critical:
            outliers = i
    return np.array([v for v in x if v not in set_aside[:outliers]])


def trimmed(x, low, high):
    assert low == high
    k = int(np.floor(low * len(x) + 1e-9))
    kept = np.sort(x)[k : len(x) - k]
    assert np.isclose(kept.mean(), stats.trim_mean(x, low))
    return kept


def extremes(x, low, high):
    return np.sort(x)[int(low) : len(x) - int(high)]


rng = np.random.default_rng(20261126)
n, pixels = 15, 60
cube = rng.normal(100, 3, size=(n, pixels))
for p in range(pixels):
    for i in rng.choice(n, size=p % 5, replace=False):
        cube[i, p] += rng.choice([-1, 1, 1, 1]) * rng.uniform(8, 300)
cube = cube.astype(np.float32)
wanted = [
    ("sigma", by_sigma, [(3, 3), (2, 2.5)]),
    ("mad", by_mad, [(3.5, 3.5), (2, 3)]),
    ("winsor", winsorised, [(3.5, 3.5), (2, 3)]),
    ("linear", by_line, [(3.5, 3.5), (5, 2)]),
    ("esd", esd, [(0.3, 0.05), (0.2, 0.01)]),
    ("percentile", trimmed, [(0.1, 0.1), (0.2, 0.2)]),
    ("minmax", extremes, [(1, 1), (0, 3)]),
]
cases = []
for name, method, limits in wanted:
    for low, high in limits:
        kept = [method(cube[:, p].astype(np.float64), low, high) for p in range(pixels)]
        cases.append({"id": name, "low": low, "high": high, "mean": numbers([k.mean() for k in kept]), "kept": [len(k) for k in kept]})
with open(os.path.join(HERE, "rejection.json"), "w") as f:
    json.dump({"made_with": VERSIONS, "n": n, "pixels": pixels, "cube": numbers(cube), "cases": cases}, f)

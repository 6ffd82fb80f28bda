"""Coefficients of an undecimated wavelet transform, from PyWavelets.

Run once with Debian's python3-pywt; the result is committed, so tests need no Python.
    /usr/bin/python3 reference/make_wavelet_fixture.py
"""
import json
import os

import numpy as np
import pywt

OUT = os.path.join(os.path.dirname(__file__), "fixtures", "wavelets.json")
SIDE = 64
# The transform goes on periodically: bands are kept so far from the border.
MARGIN = 12


def numbers(a):
    return [float(f"{v:.5g}") for v in np.asarray(a, dtype=np.float64).ravel()]


rng = np.random.default_rng(7)
y, x = np.mgrid[:SIDE, :SIDE]
plane = (5 * np.sin(x / 7) + 8 * (x > 31) * (y < 40) + rng.normal(size=(SIDE, SIDE))).astype(np.float32)
bands = []
for _, (down, across, both) in reversed(pywt.swt2(plane.astype(np.float64), "sym4", 2, norm=True)):
    # The library names details by the edges that they show: "horizontal" ones vary down the picture.
    bands += [numbers(band[MARGIN:-MARGIN, MARGIN:-MARGIN]) for band in (across, down, both)]
with open(OUT, "w") as f:
    json.dump({"made_with": {"numpy": np.__version__, "PyWavelets": pywt.__version__}, "side": SIDE, "margin": MARGIN, "plane": numbers(plane), "bands": bands}, f)

"""Expected values for approaches to noise, from general-purpose reference libraries.

Run once with Debian's python3-skimage and python3-opencv; the result is committed, so tests need no Python.
    /usr/bin/python3 reference/make_noise_fixtures.py
"""
import json
import os

import cv2
import numpy as np
import skimage
from skimage.restoration import denoise_tv_chambolle

OUT = os.path.join(os.path.dirname(__file__), "fixtures", "noise.json")
W, H = 48, 40


def numbers(a):
    return [float(f"{v:.7g}") for v in np.asarray(a, dtype=np.float64).ravel()]


rng = np.random.default_rng(5)
y, x = np.mgrid[:H, :W]
plane = 5 * np.sin(x / 7) + 8 * (x > 25) + 40 * np.exp(-((x - 12) ** 2 + (y - 20) ** 2) / 6) + rng.normal(size=(H, W))
plane = plane.astype(np.float32)
data = {
    "made_with": {"numpy": np.__version__, "scikit-image": skimage.__version__, "opencv": cv2.__version__},
    "width": W,
    "height": H,
    "plane": numbers(plane),
    "totalVariation": {"weight": 1.2, "expected": numbers(denoise_tv_chambolle(plane.astype(np.float64), weight=1.2, eps=1e-13, max_num_iter=50000))},
    "bilateral": {"radius": 4, "range": 3, "expected": numbers(cv2.bilateralFilter(plane, 9, 3, 2, borderType=cv2.BORDER_REFLECT_101))},
}
with open(OUT, "w") as f:
    json.dump(data, f)

"""Calibration and demosaicing of small frames by numpy, astropy, scipy and OpenCV.

    python3 reference/make_calibration_fixtures.py
"""
import json
import os

import astropy
import cv2
import numpy as np
import scipy
from astropy.stats import sigma_clip
from scipy.ndimage import convolve

HERE = os.path.join(os.path.dirname(__file__), "fixtures")
rng = np.random.default_rng(3)
H, W = 12, 16
flat_truth = 1 - 0.3 * ((np.arange(W) - 8)[None] ** 2 + (np.arange(H) - 6)[:, None] ** 2) / 100
colour = np.tile(np.array([[0.7, 1.0], [1.0, 0.55]]), (H // 2, W // 2))
bias = rng.normal(400, 3, (7, H, W)).round()
dark_level = rng.exponential(30, (H, W))
darks = (400 + dark_level + rng.normal(0, 6, (9, H, W))).round()
darks[2, 4, 5] += 900
flats = np.stack([400 + 20000 * (1 - 0.02 * k) * flat_truth * colour + rng.normal(0, 90, (H, W)) for k in range(5)]).round()
flats[1, 7, 7] += 5000
light = (400 + dark_level / 3 + 3000 * flat_truth * colour + rng.normal(0, 40, (H, W))).round()


def clipped_mean(cube):
    return sigma_clip(cube, sigma=3, maxiters=5, cenfunc="median", stdfunc="std", axis=0).mean(axis=0).filled(np.nan)


def cfa_means(frame):
    return np.array([[frame[j::2, i::2].mean() for i in range(2)] for j in range(2)])


def over_means(frame):
    return frame / np.tile(cfa_means(frame), (H // 2, W // 2))


master_bias = clipped_mean(bias)
master_dark = clipped_mean(darks)
master_flat = over_means(clipped_mean(np.stack([over_means(f - master_bias) for f in flats])))
with_dark = (light - master_dark) / master_flat
scaled = (light - (master_bias + (master_dark - master_bias) / 3)) / master_flat

# Demosaicing of a smooth coloured scene with edges, pattern RGGB.
H2, W2 = 20, 24
yy, xx = np.mgrid[0:H2, 0:W2]
scene = np.stack([100 + 4 * xx + 60 * (yy > 9), 160 + 2 * yy + 50 * (xx > 11), 70 + xx * yy / 6.0]).round().astype(np.uint16)
mosaic = np.zeros((H2, W2), np.uint16)
mosaic[0::2, 0::2] = scene[0, 0::2, 0::2]
mosaic[0::2, 1::2] = scene[1, 0::2, 1::2]
mosaic[1::2, 0::2] = scene[1, 1::2, 0::2]
mosaic[1::2, 1::2] = scene[2, 1::2, 1::2]
# OpenCV names a pattern by its second row and second column: RGGB is "BG".
bilinear = cv2.cvtColor(mosaic, cv2.COLOR_BayerBG2RGB)

f = mosaic.astype(float)
g_at_rb = np.array([[0, 0, -1, 0, 0], [0, 0, 2, 0, 0], [-1, 2, 4, 2, -1], [0, 0, 2, 0, 0], [0, 0, -1, 0, 0]]) / 8
row = np.array([[0, 0, 0.5, 0, 0], [0, -1, 0, -1, 0], [-1, 4, 5, 4, -1], [0, -1, 0, -1, 0], [0, 0, 0.5, 0, 0]]) / 8
diag = np.array([[0, 0, -1.5, 0, 0], [0, 2, 0, 2, 0], [-1.5, 0, 6, 0, -1.5], [0, 2, 0, 2, 0], [0, 0, -1.5, 0, 0]]) / 8
cg, cr, cc, cd = (convolve(f, k, mode="mirror") for k in (g_at_rb, row, row.T, diag))
red = (yy % 2 == 0) & (xx % 2 == 0)
green_r = (yy % 2 == 0) & (xx % 2 == 1)
green_b = (yy % 2 == 1) & (xx % 2 == 0)
blue = (yy % 2 == 1) & (xx % 2 == 1)
malvar = np.stack(
    [
        np.select([red, green_r, green_b, blue], [f, cr, cc, cd]),
        np.select([red, green_r, green_b, blue], [cg, f, f, cg]),
        np.select([red, green_r, green_b, blue], [cd, cc, cr, f]),
    ]
)


def flat_list(a):
    return [float(f"{v:.9g}") for v in np.asarray(a, float).ravel()]


with open(os.path.join(HERE, "calibration.json"), "w") as out:
    json.dump(
        {
            "made_with": {"numpy": np.__version__, "astropy": astropy.__version__, "scipy": scipy.__version__, "opencv": cv2.__version__},
            "width": W,
            "height": H,
            "bias": [flat_list(x) for x in bias],
            "darks": [flat_list(x) for x in darks],
            "flats": [flat_list(x) for x in flats],
            "light": flat_list(light),
            "masterBias": flat_list(master_bias),
            "masterDark": flat_list(master_dark),
            "masterFlat": flat_list(master_flat),
            "withDark": flat_list(with_dark),
            "scaledDark": flat_list(scaled),
            "demosaic": {
                "width": W2,
                "height": H2,
                "mosaic": flat_list(mosaic),
                "bilinear": [flat_list(bilinear[..., c]) for c in range(3)],
                "linear5": [flat_list(p) for p in malvar],
            },
        },
        out,
    )

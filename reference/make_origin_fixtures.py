#!/usr/bin/env python3
"""Data of another origin than our own writers and simulator: a small night made with numpy and written by astropy, a header with world
coordinates and their values by astropy.wcs.  Writes reference/fixtures/origin/.

    python3 reference/make_origin_fixtures.py        needs numpy, astropy
"""
import json
import os

import astropy
import numpy as np
from astropy.io import fits
from astropy.wcs import WCS

OUT = os.path.join(os.path.dirname(os.path.abspath(__file__)), "fixtures", "origin")
os.makedirs(OUT, exist_ok=True)
W, H = 240, 200


def night(n=5):
    """Five subs of one field in ADU of a 16-bit camera: shifts, seeing, cloud, saturated stars; offset 500, gain 0.8, read noise 3 e."""
    rng = np.random.default_rng(41)
    xs, ys = rng.uniform(8, W - 8, 70), rng.uniform(8, H - 8, 70)
    flux = 9000.0 / rng.uniform(0.03, 1, 70) ** 1.6
    yy, xx = np.mgrid[0:H, 0:W].astype(float)
    for k in range(n):
        dx, dy = rng.uniform(-6, 6, 2) if k else (0.0, 0.0)
        sigma = (2.6 + 0.25 * k) / 2.3548
        light = np.zeros((H, W))
        for x, y, f in zip(xs + dx, ys + dy, flux):
            light += f / (2 * np.pi * sigma**2) * np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / (2 * sigma**2))
        clear = [1, 0.98, 0.7, 0.95, 1][k]
        electrons = rng.poisson(light * clear + 60 + 0.05 * xx) + 3.0 * rng.standard_normal((H, W))
        adu = np.clip(np.rint(electrons / 0.8 + 500), 0, 65535).astype(np.uint16)
        head = fits.Header()
        head["OBJECT"] = "Weir field"
        head["EXPTIME"] = 60.0
        head["DATE-OBS"] = f"2026-02-0{k + 1}T22:00:00"
        head["FILTER"] = "L"
        head["INSTRUME"], head["TELESCOP"] = "Fen camera", "Fen refractor"
        head["GAIN"], head["EGAIN"] = 84, 0.8
        head["XPIXSZ"], head["FOCALLEN"] = 3.76, 530.0
        head["AIRMASS"], head["PIERSIDE"] = 1.1 + 0.01 * k, "WEST"
        yield adu, head


for k, (adu, head) in enumerate(night()):
    fits.PrimaryHDU(adu, head).writeto(os.path.join(OUT, f"sub{k + 1}.fits.gz"), overwrite=True)


def skies(header, points):
    wcs = WCS(header)
    return [[float(v) for v in wcs.all_pix2world(x, y, 0)] for x, y in points]


cases = {}
points = [[0, 0], [120.3, 40.7], [239, 199], [33, 150]]
base = dict(NAXIS=2, NAXIS1=W, NAXIS2=H, CRPIX1=118.25, CRPIX2=93.5, CRVAL1=312.75, CRVAL2=30.66)
cd = dict(CD1_1=-4.0e-4, CD1_2=1.1e-5, CD2_1=1.3e-5, CD2_2=3.9e-4)
tan = dict(CTYPE1="RA---TAN", CTYPE2="DEC--TAN")
for name, cards in {
    "cd": {**base, **tan, **cd},
    "pc": {**base, **tan, "CDELT1": -4e-4, "CDELT2": 4e-4, "PC1_1": 0.9, "PC1_2": -0.43, "PC2_1": 0.43, "PC2_2": 0.9},
    "rota": {**base, **tan, "CDELT1": -4e-4, "CDELT2": 4e-4, "CROTA2": 17.0},
    "plain": {**base, **tan, "CDELT1": -4e-4, "CDELT2": 4e-4},
    "sip": {**base, "CTYPE1": "RA---TAN-SIP", "CTYPE2": "DEC--TAN-SIP", **cd, "A_ORDER": 2, "B_ORDER": 2, "A_2_0": 2e-5, "A_1_1": -3e-5,
            "A_0_2": 1e-5, "B_2_0": -1e-5, "B_1_1": 2e-5, "B_0_2": 3e-5},
}.items():
    header = fits.Header()
    for key, value in cards.items():
        header[key] = value
    cases[name] = dict(cards=cards, points=points, sky=skies(header, points))
json.dump(dict(astropy=astropy.__version__, width=W, height=H, cases=cases), open(os.path.join(OUT, "wcs.json"), "w"), indent=1)

"""Makes the expected values that tests compare with, from general-purpose reference libraries.

Run once with Debian's python3-astropy, python3-scipy, python3-skimage; the results are committed, so tests need no Python.
    /usr/bin/python3 reference/make_fixtures.py
"""
import json
import os

import astropy
import numpy as np
import scipy
import skimage
from astropy.io import fits
from astropy.stats import mad_std, sigma_clip
from scipy.ndimage import convolve1d
from skimage.restoration import richardson_lucy

HERE = os.path.join(os.path.dirname(__file__), "fixtures")
os.makedirs(HERE, exist_ok=True)
VERSIONS = {"numpy": np.__version__, "scipy": scipy.__version__, "astropy": astropy.__version__, "scikit-image": skimage.__version__}


def save(name, data):
    with open(os.path.join(HERE, name), "w") as f:
        json.dump({"made_with": VERSIONS, **data}, f)


def numbers(a):
    return [float(f"{v:.9g}") for v in np.asarray(a, dtype=np.float64).ravel()]


def fits_files():
    rng = np.random.default_rng(1)
    picture = rng.integers(0, 200, size=(5, 7))
    kinds = {"u8": np.uint8, "i16": np.int16, "i32": np.int32, "f32": np.float32, "f64": np.float64}
    expected = {}
    for name, dtype in kinds.items():
        data = (picture - (50 if name in ("i16", "i32") else 0)).astype(dtype) * (1.5 if name.startswith("f") else 1)
        fits.PrimaryHDU(data.astype(dtype)).writeto(os.path.join(HERE, f"{name}.fits"), overwrite=True)
        expected[name] = numbers(data)
    u16 = (picture.astype(np.uint16) * 300)
    hdu = fits.PrimaryHDU(u16)
    hdu.header["OBJECT"] = "Weir's Nebula"
    hdu.header["EXPTIME"] = (120.5, "s")
    hdu.header["XPIXSZ"] = 4.2
    hdu.header["FOCALLEN"] = 540.0
    hdu.header.add_history("a line of history")
    hdu.writeto(os.path.join(HERE, "u16.fits"), overwrite=True)
    expected["u16"] = numbers(u16)
    cube = rng.normal(size=(3, 5, 7)).astype(np.float32)
    cube[1, 2, 3] = np.nan
    fits.PrimaryHDU(cube).writeto(os.path.join(HERE, "cube.fits"), overwrite=True)
    expected["cube"] = [None if np.isnan(v) else float(v) for v in cube.ravel()]
    scaled = fits.PrimaryHDU(picture.astype(np.int16))
    scaled.header["BLANK"] = int(picture[0, 0])
    path = os.path.join(HERE, "scaled.fits")
    scaled.writeto(path, overwrite=True)
    with fits.open(path, mode="update", do_not_scale_image_data=True) as f:
        f[0].header["BSCALE"] = 0.5
        f[0].header["BZERO"] = 10.0
    with fits.open(path) as f:
        expected["scaled"] = [None if np.isnan(v) else float(v) for v in f[0].data.ravel()]
    save("fits.json", {"width": 7, "height": 5, "expected": expected})


def clipping():
    rng = np.random.default_rng(2)
    n, pixels = 15, 60
    cube = rng.normal(100, 5, size=(n, pixels))
    cube[3, ::4] += 90
    cube[7, ::9] -= 120
    cube[11, 5] += 1000
    cube = cube.astype(np.float32)
    cases = []
    for low, high in [(3, 3), (2, 2.5), (1.5, 4)]:
        clipped = sigma_clip(cube.astype(np.float64), sigma_lower=low, sigma_upper=high, maxiters=5, cenfunc="median", stdfunc="std", axis=0)
        cases.append({"low": low, "high": high, "mean": numbers(clipped.mean(axis=0)), "kept": (~clipped.mask).sum(axis=0).tolist()})
    save("clipping.json", {"n": n, "pixels": pixels, "cube": numbers(cube), "cases": cases, "mad_std": float(mad_std(cube[0].astype(np.float64)))})


def deconvolution():
    rng = np.random.default_rng(3)
    size = 32
    scene = np.zeros((size, size))
    scene[10, 12] = 60
    scene[20, 18] = 90
    scene[21, 22] = 30
    scene[14:19, 5:9] = 2
    y, x = np.mgrid[-4:5, -4:5]
    psf = (1 + ((x - 0.3) ** 2 + 1.3 * y**2) / 4.0) ** -3.0
    psf = (psf / psf.sum()).astype(np.float32)
    blurred = np.clip(scipy.signal.convolve(scene, psf, mode="same") + 0.2 + 0.01 * rng.normal(size=scene.shape), 1e-3, None)
    data = (blurred / blurred.max()).astype(np.float32)
    results = {str(k): numbers(richardson_lucy(data.astype(np.float64), psf.astype(np.float64), num_iter=k, clip=False)) for k in (1, 10, 30)}
    save("richardson_lucy.json", {"size": size, "psf_size": 9, "psf": numbers(psf), "data": numbers(data), "start": 0.5, "results": results})


def starlet():
    rng = np.random.default_rng(4)
    h, w = 37, 50
    plane = rng.normal(size=(h, w)).astype(np.float32)
    current = plane.astype(np.float64)
    scales = []
    for j in range(4):
        kernel = np.zeros(4 * 2**j + 1)
        kernel[:: 2**j] = np.array([1, 4, 6, 4, 1]) / 16
        # scipy's "mirror" is the reflection that does not repeat the edge
        current = convolve1d(convolve1d(current, kernel, axis=0, mode="mirror"), kernel, axis=1, mode="mirror")
        scales.append(numbers(current))
    save("starlet.json", {"width": w, "height": h, "plane": numbers(plane), "smooth": scales})


fits_files()
clipping()
deconvolution()
starlet()
print(VERSIONS)

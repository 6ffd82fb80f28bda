"""Small files in every format that is read, written by libraries outside the project, with the values they hold.

Run with Debian's python3 (packages python3-astropy, python3-numpy, python3-opencv, python3-pil, ffmpeg):
    python3 reference/make_format_fixtures.py
"""
import gzip
import json
import os
import subprocess

import astropy
import cv2
import numpy as np
from astropy.io import fits
from PIL import Image
import PIL

HERE = os.path.join(os.path.dirname(__file__), "fixtures", "formats")
os.makedirs(HERE, exist_ok=True)
rng = np.random.default_rng(7)
H, W = 24, 30
expected = {}
pictures = []


def put(name, values, **more):
    values = np.asarray(values)
    planes = values[None] if values.ndim == 2 else values
    flat = [[None if np.isnan(v) else float(np.format_float_positional(v, 9, unique=False, fractional=False)) for v in p.ravel()] for p in planes]
    if flat not in pictures:
        pictures.append(flat)
    expected[name] = {
        "picture": pictures.index(flat),
        "width": int(planes.shape[2]),
        "height": int(planes.shape[1]),
        **more,
    }


sky = 1000 + 40 * rng.standard_normal((H, W)) + 8000 * np.exp(-(((np.arange(W) - 12) ** 2)[None] + ((np.arange(H) - 9) ** 2)[:, None]) / 9)

# — FITS: tile compression (astropy calls the reference implementation of the convention) —
i16 = (sky - 1200).astype(np.int16)
u16 = sky.astype(np.uint16)
i32 = (sky * 1000).astype(np.int32)
u8 = np.clip(sky / 40, 0, 255).astype(np.uint8)
for method in ["RICE_1", "GZIP_1", "GZIP_2", "HCOMPRESS_1", "PLIO_1"]:
    for kind, data in [("i16", i16), ("u16", u16), ("i32", i32), ("u8", u8)]:
        if method == "PLIO_1" and kind != "u8" or method == "HCOMPRESS_1" and kind != "i16":
            continue
        name = f"{method.lower()}_{kind}.fits"
        hdu = fits.CompImageHDU(data, compression_type=method)
        hdu.header["FILTER"] = "red"
        hdu.writeto(os.path.join(HERE, name), overwrite=True)
        put(name, data)
tiles = fits.CompImageHDU(i16, compression_type="RICE_1", tile_size=(16, 8))
tiles.writeto(os.path.join(HERE, "rice_tiles.fits"), overwrite=True)
put("rice_tiles.fits", i16)
f32 = sky.astype(np.float32)
f32[3, 4:9] = 0
f32[5, 7] = np.nan
for method in ["RICE_1", "GZIP_2"]:
    for dither in [1, 2]:
        name = f"{method.lower()}_dither{dither}.fits"
        hdu = fits.CompImageHDU(f32, compression_type=method, quantize_level=8, quantize_method=dither, dither_seed=4321)
        hdu.writeto(os.path.join(HERE, name), overwrite=True)
        put(name, fits.getdata(os.path.join(HERE, name), 1))
for method in ["GZIP_1", "GZIP_2"]:
    name = f"{method.lower()}_lossless.fits"
    fits.CompImageHDU(f32, compression_type=method, quantize_level=0).writeto(os.path.join(HERE, name), overwrite=True)
    put(name, f32)

# — FITS: extensions, 64 bits, long strings, gzip, row order —
i64 = (sky.astype(np.int64) - 1200) * 10**9
fits.PrimaryHDU(i64).writeto(os.path.join(HERE, "i64.fits"), overwrite=True)
put("i64.fits", i64.astype(np.float64))
primary = fits.PrimaryHDU()
primary.header["OBJECT"] = "Weir Nebula"
image = fits.ImageHDU(u16, name="SCI")
image.header["EXPTIME"] = 300.0
table = fits.BinTableHDU.from_columns([fits.Column("A", "J", array=np.arange(5))])
fits.HDUList([primary, table, image]).writeto(os.path.join(HERE, "extension.fits"), overwrite=True)
put("extension.fits", u16)
long = fits.PrimaryHDU(u8)
long.header["NOTES"] = "Harrow Fen rooftop observatory, clear until two, then thin cloud from the west; " * 3
long.header["HIERARCH DET GAIN MODE"] = "high"
long.header["HIERARCH DET COOLING power"] = 62.5
long.writeto(os.path.join(HERE, "long.fits"), overwrite=True)
put("long.fits", u8, notes=long.header["NOTES"])
with open(os.path.join(HERE, "extension.fits"), "rb") as f, open(os.path.join(HERE, "extension.fits.gz"), "wb") as g:
    g.write(gzip.compress(f.read(), mtime=0))
put("extension.fits.gz", u16)
bottom = fits.PrimaryHDU(u16[::-1])
bottom.header["ROWORDER"] = "BOTTOM-UP"
bottom.writeto(os.path.join(HERE, "bottomup.fits"), overwrite=True)
put("bottomup.fits", u16)

# — TIFF and PNG —
rgb16 = np.stack([u16, u16[::-1], u16[:, ::-1]]).astype(np.uint16)
rgb8 = np.stack([u8, u8[::-1], u8[:, ::-1]])


def bgr(planes):
    return np.ascontiguousarray(np.moveaxis(planes, 0, -1)[..., ::-1])


for label, code in [("none", 1), ("lzw", 5), ("deflate", 8), ("packbits", 32773)]:
    flags = [cv2.IMWRITE_TIFF_COMPRESSION, code]
    for name, data, write in [
        (f"grey16_{label}.tif", u16, u16),
        (f"rgb8_{label}.tif", rgb8, bgr(rgb8)),
        (f"rgb16_{label}.tif", rgb16, bgr(rgb16)),
    ]:
        cv2.imwrite(os.path.join(HERE, name), write, flags)
        put(name, data)
    name = f"float_{label}.tif"
    float_data = (sky / 65535).astype(np.float32)
    cv2.imwrite(os.path.join(HERE, name), float_data, flags)
    put(name, float_data)
Image.fromarray(u8).save(os.path.join(HERE, "grey8_pillow.tif"))
put("grey8_pillow.tif", u8)
for name, data, write in [
    ("grey16.png", u16, u16),
    ("rgb16.png", rgb16, bgr(rgb16)),
    ("rgb8.png", rgb8, bgr(rgb8)),
    ("grey8.png", u8, u8),
]:
    cv2.imwrite(os.path.join(HERE, name), write)
    put(name, data)
palette = Image.fromarray(np.moveaxis(rgb8, 0, -1)).quantize(16)
palette.save(os.path.join(HERE, "palette.png"), bits=8)
put("palette.png", np.moveaxis(np.asarray(palette.convert("RGB")), -1, 0))

# — AVI: uncompressed colour and grey, and one with a compression that is refused —
def video(name, fourcc, colour):
    writer = cv2.VideoWriter(os.path.join(HERE, name), cv2.CAP_FFMPEG, fourcc, 25.0, (W, H), colour)
    frames = [np.roll(bgr(rgb8) if colour else u8, k, axis=1) for k in range(3)]
    for frame in frames:
        writer.write(frame)
    writer.release()
    last = frames[2]
    put(name, np.moveaxis(last[..., ::-1], -1, 0) if colour else last, frames=3)


raw = [np.roll(bgr(rgb8), k, axis=1) for k in range(3)]
subprocess.run(
    f"ffmpeg -y -loglevel error -f rawvideo -pix_fmt bgr24 -s {W}x{H} -r 25 -i - -c:v rawvideo -pix_fmt bgr24 colour.avi".split(),
    input=b"".join(frame.tobytes() for frame in raw),
    cwd=HERE,
    check=True,
)
put("colour.avi", np.moveaxis(raw[2][..., ::-1], -1, 0), frames=3)
video("grey.avi", cv2.VideoWriter_fourcc(*"Y800"), False)
video("refused.avi", 0, True)

with open(os.path.join(HERE, "expected.json"), "w") as f:
    json.dump(
        {
            "made_with": {"astropy": astropy.__version__, "numpy": np.__version__, "opencv": cv2.__version__, "pillow": PIL.__version__},
            "pictures": pictures,
            "files": expected,
        },
        f,
    )
print(len(expected), "files;", sum(os.path.getsize(os.path.join(HERE, n)) for n in os.listdir(HERE)) // 1024, "KiB")

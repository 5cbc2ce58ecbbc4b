"""Decodes a DDS with Pillow and sets it beside our decoder's picture and the picture both came from.

Usage: compare_dds.py FILE.dds OURS.png SOURCE.png CHANNELS
Prints one JSON line: PSNR of both against the source in dB (null for no difference) and the greatest difference of the two.
"""
import json
import math
import sys

from PIL import Image, ImageChops, ImageStat


def bands(path, channels):
    return Image.open(path).convert("RGBA").split()[:channels]


def psnr(a, b):
    sums = [ImageStat.Stat(ImageChops.difference(x, y)).sum2[0] for x, y in zip(a, b)]
    mean = sum(sums) / (len(sums) * a[0].width * a[0].height)
    return 10 * math.log10(255 * 255 / mean) if mean > 0 else None


dds, ours, source = (bands(path, int(sys.argv[4])) for path in sys.argv[1:4])
greatest = max(ImageStat.Stat(ImageChops.difference(x, y)).extrema[0][1] for x, y in zip(dds, ours))
print(json.dumps({"pillow": psnr(dds, source), "ours": psnr(ours, source), "greatest": greatest}))

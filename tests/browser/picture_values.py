"""Makes a picture of known values, or prints what Pillow reads in others.

Usage: picture_values.py make FILE WIDTH HEIGHT CHANNELS
       picture_values.py read FILE...
The value of channel c at (x, y) is (7 x + 31 y + 67 c + x y) mod 256. Reading prints one JSON object: for each file its mode, size and values, row by row.
"""
import json
import os
import sys

from PIL import Image

if sys.argv[1] == "make":
    width, height, channels = map(int, sys.argv[3:6])
    values = bytes((7 * x + 31 * y + 67 * c + x * y) % 256 for y in range(height) for x in range(width) for c in range(channels))
    Image.frombytes({1: "L", 3: "RGB", 4: "RGBA"}[channels], (width, height), values).save(sys.argv[2])
else:
    found = {}
    for path in sys.argv[2:]:
        with Image.open(path) as picture:
            flat = [v for pixel in picture.getdata() for v in (pixel if isinstance(pixel, tuple) else (pixel,))]
            found[os.path.basename(path)] = {"mode": picture.mode, "size": picture.size, "values": flat}
    print(json.dumps(found))

"""Writes a trunk with UVs and the textures that come with it: nothing here was made for a bake."""
import math
import os
import random
import sys

from PIL import Image

SIDE = 256
folder = sys.argv[1]


def noise(seed, step):
    values = random.Random(seed)
    count = SIDE // step + 2
    picture = Image.new("L", (count, count))
    picture.putdata([int(255 * values.random()) for _ in range(count * count)])
    return picture.resize((SIDE, SIDE), Image.BICUBIC)


def save(picture, name):
    picture.save(os.path.join(folder, name))


fine, coarse = noise(1, 16), noise(2, 40)
colour = Image.merge("RGB", (fine.point(lambda v: 80 + v // 3), coarse.point(lambda v: 60 + v // 3), fine.point(lambda v: 40 + v // 4)))
save(colour, "bark_albedo.png")
save(fine, "bark_height.png")
save(coarse.point(lambda v: 120 + v // 3), "bark_Gloss.png")
save(fine.point(lambda v: 150 + v // 3).convert("RGB"), "bark_AO.jpg")
save(noise(9, 8), "bark_metal.png")

around, up = 16, 16
with open(os.path.join(folder, "trunk.obj"), "w") as mesh:
    for j in range(up + 1):
        for i in range(around):
            turn = 2 * math.pi * i / around
            mesh.write(f"v {math.cos(turn) * 0.2:.5f} {j / up:.5f} {math.sin(turn) * 0.2:.5f}\n")
    for j in range(up + 1):
        for i in range(around + 1):
            mesh.write(f"vt {i / around:.5f} {j / up:.5f}\n")
    mesh.write("o trunk\nusemtl bark\n")
    for j in range(up):
        for i in range(around):
            a, b = j * around + i + 1, j * around + (i + 1) % around + 1
            t = j * (around + 1) + i + 1
            mesh.write(f"f {a}/{t} {a + around}/{t + around + 1} {b + around}/{t + around + 2} {b}/{t + 1}\n")

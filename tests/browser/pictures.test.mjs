// Loose pictures of every format and depth, read by readers nobody here wrote: Pillow, and the EXR and Radiance readers of three.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { FloatType } from "three";
import { EXRLoader } from "three/examples/jsm/loaders/EXRLoader.js";
import { HDRLoader } from "three/examples/jsm/loaders/HDRLoader.js";
import { crumpet, root } from "./app.mjs";

const WIDTH = 19, HEIGHT = 13;
const code = (x, y, c) => (7 * x + 31 * y + 67 * c + x * y) % 256;
const python = (...args) => execFileSync("/usr/bin/python3", [join(root, "tests/browser/picture_values.py"), ...args.map(String)], { encoding: "utf8" });
const feeds = (count) => [..."rgba"].slice(0, count).map((channel) => ({ from: ["source"], channel }));
// Name, file format, bits, channels.
const OUTPUTS = [
  ["grey8", "png", 8, 1], ["rgb8", "png", 8, 3], ["rgba8", "png", 8, 4], ["grey16", "png", 16, 1],
  ["grey8", "tga", 8, 1], ["rgb8", "tga", 8, 3], ["rgba8", "tga", 8, 4],
  ["grey8", "tiff", 8, 1], ["rgb8", "tiff", 8, 3], ["rgba8", "tiff", 8, 4], ["grey16", "tiff", 16, 1], ["grey32", "tiff", 32, 1],
  ["rgb8", "webp", 8, 3], ["rgba8", "webp", 8, 4], ["grey8", "jpeg", 8, 1], ["rgb8", "jpeg", 8, 3],
  ["grey16", "exr", 16, 1], ["rgb16", "exr", 16, 3], ["rgba32", "exr", 32, 4], ["rgb32", "hdr", 32, 3],
].map(([name, picture, bits, channels]) => ({ name: `${picture}_${name}`, picture, bits, channels: feeds(channels), meaning: "linear", file: "{map}" }));
const ENDINGS = { png: ".png", tga: ".tga", tiff: ".tif", jpeg: ".jpg", webp: ".webp", exr: ".exr", hdr: ".hdr" };

let folder, fileOf;

before(() => {
  folder = mkdtempSync(join(tmpdir(), "pictures-"));
  python("make", join(folder, "x_source.png"), WIDTH, HEIGHT, 4);
  writeFileSync(join(folder, "r.json"), JSON.stringify({ version: 2, name: "all", outputs: OUTPUTS }));
  crumpet("pack", "--maps", folder, "--recipe", join(folder, "r.json"), "--out", join(folder, "out"));
  fileOf = (output) => join(folder, "out", output.name + ENDINGS[output.picture]);
});

after(() => rmSync(folder, { recursive: true, force: true }));

test("Pillow reads the values that were packed, to the last bit where nothing is lossy", () => {
  const own = OUTPUTS.filter((o) => !["exr", "hdr"].includes(o.picture)), read = JSON.parse(python("read", ...own.map(fileOf)));
  for (const output of own) {
    const { size, values } = read[output.name + ENDINGS[output.picture]], count = output.channels.length;
    assert.deepEqual(size, [WIDTH, HEIGHT]);
    assert.equal(values.length, WIDTH * HEIGHT * count, output.name);
    values.forEach((value, i) => {
      const c = i % count, x = Math.floor(i / count) % WIDTH, y = Math.floor(i / count / WIDTH);
      const wanted = output.bits === 8 ? code(x, y, c) : output.bits === 16 ? 257 * code(x, y, c) : code(x, y, c) / 255;
      // Noise is the worst a lossy format can be given; its mean is looked at below.
      if (output.picture !== "jpeg") assert.ok(Math.abs(value - wanted) < 1e-6, `${output.name} at ${x}, ${y}, ${c}: ${value}, not ${wanted}`);
    });
    if (output.picture === "jpeg") {
      const off = values.reduce((sum, value, i) => sum + Math.abs(value - code(Math.floor(i / count) % WIDTH, Math.floor(i / count / WIDTH), i % count)), 0);
      assert.ok(off / values.length < 12, `${output.name} is off by ${off / values.length}`);
    }
  }
});

test("readers of floating point give the values that were packed", () => {
  for (const output of OUTPUTS.filter((o) => ["exr", "hdr"].includes(o.picture))) {
    const bytes = readFileSync(fileOf(output)), loader = new (output.picture === "exr" ? EXRLoader : HDRLoader)();
    const read = loader.setDataType(FloatType).parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength));
    assert.deepEqual([read.width, read.height], [WIDTH, HEIGHT], output.name);
    const each = read.data.length / (WIDTH * HEIGHT), bottomUp = output.picture === "exr";
    for (let y = 0; y < HEIGHT; y++) {
      for (let x = 0; x < WIDTH; x++) {
        for (let c = 0; c < output.channels.length; c++) {
          const value = read.data[((bottomUp ? HEIGHT - 1 - y : y) * WIDTH + x) * each + c], wanted = code(x, y, c) / 255;
          // A shared exponent keeps eight bits of the greatest channel.
          const most = Math.max(code(x, y, 0), code(x, y, 1), code(x, y, 2)) / 255;
          const near = output.picture === "hdr" ? most / 128 : output.bits === 16 ? Math.max(wanted / 2048, 1e-7) : 1e-7;
          assert.ok(Math.abs(value - wanted) <= near, `${output.name} at ${x}, ${y}, ${c}: ${value}, not ${wanted}`);
        }
      }
    }
  }
});

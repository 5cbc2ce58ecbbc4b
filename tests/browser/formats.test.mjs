// Every block format as this browser's graphics decode it, against what `crumpet decode` says; containers as readers nobody here wrote see them.
import assert from "node:assert/strict";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { createRequire } from "node:module";
import { after, before, test } from "node:test";
import { inflateSync } from "node:zlib";
import { read } from "ktx-parse";
import { crumpet } from "./app.mjs";
import { openBrowser } from "./browser.mjs";
import { png } from "./png.mjs";

// Format, its number in Vulkan and in WebGL, channels that are compared, codes that decoders may differ by.
const formats = [
  ["bc1", 131, 0x83f0, 3, 3], ["bc1a", 133, 0x83f1, 4, 3], ["bc3", 137, 0x83f3, 4, 3], ["bc4", 139, 0x8dbb, 1, 1], ["bc4s", 140, 0x8dbc, 1, 1],
  ["bc5", 141, 0x8dbd, 2, 1], ["bc5s", 142, 0x8dbe, 2, 1], ["bc6h", 143, 0x8e8f, 3, 1], ["bc6hs", 144, 0x8e8e, 3, 1], ["bc7", 145, 0x8e8c, 4, 0],
  ["etc2", 147, 0x9274, 3, 0], ["etc2a1", 149, 0x9276, 4, 0], ["etc2a", 151, 0x9278, 4, 0],
  ["eacr", 153, 0x9270, 1, 1], ["eacrs", 154, 0x9271, 1, 1], ["eacrg", 155, 0x9272, 2, 1], ["eacrgs", 156, 0x9273, 2, 1],
  ["astc4x4", 157, 0x93b0, 4, 1], ["astc5x5", 161, 0x93b2, 4, 1], ["astc6x6", 165, 0x93b4, 4, 1], ["astc8x8", 171, 0x93b7, 4, 1],
];
const width = 96, height = 60, folder = mkdtempSync(join(tmpdir(), "crumpet-formats-")), at = (name) => join(folder, name);
let browser, page;

before(async () => {
  browser = await openBrowser();
  page = await browser.newPage();
  writeFileSync(at("in.png"), png(width, height, texel));
});
after(async () => {
  await browser.close();
  rmSync(folder, { recursive: true, force: true });
});

// Gradients, edges, two hues in a block, noise, and an alpha that is open, closed and between.
function texel(x, y) {
  const noise = (k) => ((Math.imul(x * 73 + y * 151 + k * 977, 2654435761) >>> 16) & 63) - 32, right = x > 48, low = y > 30;
  const colour = low ? [x * 2.6, y * 4, 255 - x * 2]
    : right ? [((x >> 1) + (y >> 1)) % 2 ? 220 : 30, 90 + noise(1) / 2, 160] : [1, 2, 3].map((k) => 128 + noise(k));
  const alpha = x % 24 < 12 ? 255 : low ? (x * 5 + y * 3) % 256 : (x ^ y) & 2 ? 255 : 0;
  return [...colour.map((c) => Math.max(0, Math.min(255, Math.round(c)))), alpha];
}

// Pixels of a PNG of 8 bits, any filter.
function pixels(file) {
  const bytes = readFileSync(file), parts = [], channels = { 0: 1, 2: 3, 4: 2, 6: 4 }[bytes[25]], stride = channels * width;
  for (let i = 8; i < bytes.length; i += 12 + bytes.readUInt32BE(i))
    if (bytes.toString("latin1", i + 4, i + 8) === "IDAT") parts.push(bytes.subarray(i + 8, i + 8 + bytes.readUInt32BE(i)));
  const raw = inflateSync(Buffer.concat(parts)), out = new Uint8Array(stride * height);
  for (let y = 0; y < height; y++) {
    const filter = raw[y * (stride + 1)];
    for (let i = 0; i < stride; i++) {
      const here = y * stride + i, isInside = i >= channels;
      const a = isInside ? out[here - channels] : 0, b = y ? out[here - stride] : 0, c = y && isInside ? out[here - stride - channels] : 0;
      const p = a + b - c, near = Math.abs(p - a) <= Math.abs(p - b) && Math.abs(p - a) <= Math.abs(p - c) ? a : Math.abs(p - b) <= Math.abs(p - c) ? b : c;
      out[y * stride + i] = raw[y * (stride + 1) + 1 + i] + [0, a, b, (a + b) >> 1, near][filter];
    }
  }
  return { channels, values: out };
}

/** Draws level 0 into numbers and gives them, row by row from the first. */
function drawn([blocks, code, w, h]) {
  const gl = document.createElement("canvas").getContext("webgl2");
  for (const name of ["EXT_color_buffer_float", "WEBGL_compressed_texture_s3tc", "EXT_texture_compression_rgtc", "EXT_texture_compression_bptc",
    "WEBGL_compressed_texture_etc", "WEBGL_compressed_texture_astc"]) gl.getExtension(name);
  const bytes = Uint8Array.from(atob(blocks), (c) => c.charCodeAt(0));
  gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
  gl.compressedTexImage2D(gl.TEXTURE_2D, 0, code, w, h, 0, bytes);
  const texture = gl.getParameter(gl.TEXTURE_BINDING_2D), target = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, target);
  gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA32F, w, h);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, target, 0);
  const program = gl.createProgram(), make = (kind, text) => {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, `#version 300 es\nprecision highp float;\n${text}`);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  };
  make(gl.VERTEX_SHADER, "void main() { gl_Position = vec4(vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0, 0, 1); }");
  make(gl.FRAGMENT_SHADER, "uniform highp sampler2D t; out vec4 c; void main() { c = texelFetch(t, ivec2(gl_FragCoord.xy), 0); }");
  gl.linkProgram(program);
  gl.useProgram(program);
  gl.viewport(0, 0, w, h);
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  const values = new Float32Array(4 * w * h);
  gl.readPixels(0, 0, w, h, gl.RGBA, gl.FLOAT, values);
  return { error: gl.getError(), values: [...values] };
}

for (const [format, vulkan, code, channels, slack] of formats) {
  test(`${format} is decoded by the card as by Crumpet, and its container is read`, async () => {
    crumpet("convert", at("in.png"), "--format", format, "--colour", "linear", "--mips", "box", "--container", "ktx2", "--out", at(`${format}.ktx2`));
    crumpet("decode", at(`${format}.ktx2`), "--out", at(`${format}.png`));
    const container = read(readFileSync(at(`${format}.ktx2`)));
    assert.deepEqual([container.vkFormat, container.pixelWidth, container.pixelHeight, container.levels.length], [vulkan, width, height, 7]);
    const blocks = Buffer.from(container.levels[0].levelData).toString("base64");
    const { error, values } = await page.evaluate(drawn, [blocks, code, width, height]), ours = pixels(at(`${format}.png`));
    assert.equal(error, 0);
    const signed = /[^e]s$/.test(format) && !format.startsWith("bc6");
    let worst = 0;
    for (let i = 0; i < width * height; i++) {
      for (let c = 0; c < channels; c++) {
        const value = values[4 * i + c], card = Math.max(0, Math.min(1, signed ? value / 2 + 0.5 : value)) * 255;
        worst = Math.max(worst, Math.abs(card - ours.values[ours.channels * i + c]));
      }
    }
    assert.ok(worst <= slack + 0.51, `${format}: ${worst}`);
  });
}

test("a machine with narrower vectors gives the same bytes", () => {
  for (const format of ["bc1", "bc4", "bc6h", "bc7", "etc2a", "astc6x6"]) {
    process.env.DOTNET_EnableAVX512 = "0";
    crumpet("convert", at("in.png"), "--format", format, "--colour", "linear", "--mips", "box", "--container", "ktx2", "--out", at("narrow.ktx2"));
    delete process.env.DOTNET_EnableAVX512;
    assert.ok(readFileSync(at("narrow.ktx2")).equals(readFileSync(at(`${format}.ktx2`))), format);
  }
});

/** The transcoder that three ships: reads UASTC as any viewer does. */
async function transcoder() {
  const file = createRequire(import.meta.url).resolve("three/examples/jsm/libs/basis/basis_transcoder.js"), made = { exports: {} };
  new Function("module", "exports", "require", "__filename", "__dirname", readFileSync(file, "utf8"))(made, made.exports, createRequire(import.meta.url), file,
    file.replace(/[^/]*$/, ""));
  const basis = await made.exports({ wasmBinary: readFileSync(file.replace(".js", ".wasm")) });
  basis.initializeBasis();
  return basis;
}

// Its numbers of formats.
const asRgba = 13, asBc7 = 6, asEtc2 = 1;

function transcoded(basis, bytes, target, level = 0) {
  const file = new basis.KTX2File(new Uint8Array(bytes));
  assert.ok(file.isValid() && file.isUASTC() && file.startTranscoding());
  const out = new Uint8Array(file.getImageTranscodedSizeInBytes(level, 0, 0, target));
  assert.ok(file.transcodeImage(out, level, 0, 0, target, 0, -1, -1), `level ${level} as ${target}`);
  file.close();
  file.delete();
  return out;
}

// Of UASTC: bits a block begins with, how many, how many hints follow, and how many partitions there are, mode by mode.
const modes = [[1, 4, 15], [0x35, 6, 15], [0x1d, 5, 15, 30], [3, 5, 15, 11], [0x13, 5, 15, 30], [0xb, 5, 15], [0x1b, 5, 15], [7, 5, 15, 19], [0x17, 5, 0],
  [0xf, 5, 23, 30], [2, 3, 17], [0, 2, 17], [6, 3, 17], [0x1f, 5, 23], [0xd, 5, 23], [5, 7, 23], [0x15, 6, 23, 30], [0x25, 6, 23], [9, 4, 15]];

const worst = (a, b) => a.reduce((most, v, i) => Math.max(most, Math.abs(v - b[i])), 0);

test("UASTC is read by a transcoder nobody here wrote, packed and not, to the texels that Crumpet reads", async () => {
  const basis = await transcoder();
  for (const container of ["ktx2", "ktx2-zstd"]) for (const level of ["draft", "normal", "best"]) {
    crumpet("convert", at("in.png"), "--format", "uastc", "--colour", "linear", "--mips", "box", "--level", level, "--container", container,
      "--out", at("u.ktx2"));
    crumpet("decode", at("u.ktx2"), "--out", at("u.png"));
    const bytes = readFileSync(at("u.ktx2")), ours = pixels(at("u.png")).values;
    assert.equal(worst(transcoded(basis, bytes, asRgba), ours), 0, `${container} ${level}`);
    for (let mip = 1; mip < 7; mip++) transcoded(basis, bytes, asBc7, mip);
  }
  // What is made of it for older graphics is nearer to it than without the hints in its blocks.
  const shown = pixels(at("u.png")).values;
  crumpet("convert", at("in.png"), "--format", "uastc", "--colour", "linear", "--mips", "none", "--container", "ktx2", "--out", at("plain.ktx2"));
  const hinted = readFileSync(at("plain.ktx2")), bare = Buffer.from(hinted);
  for (let k = bare.length - width * height; k < bare.length; k += 16) {
    const [, length, hints] = modes.find(([c, l]) => (bare[k] & ((1 << l) - 1)) === c);
    for (let i = length; i < length + (hints ?? 15); i++) bare[k + (i >> 3)] &= ~(1 << (i & 7));
  }
  const distance = async (file) => {
    const { error, values } = await page.evaluate(drawn, [Buffer.from(transcoded(basis, file, asEtc2)).toString("base64"), 0x9278, width, height]);
    assert.equal(error, 0);
    return 10 * Math.log10(255 * 255 * values.length / values.reduce((sum, v, i) => sum + (v * 255 - shown[i]) ** 2, 0));
  };
  const [near, far] = [await distance(hinted), await distance(bare)];
  assert.ok(near > far + 2, `${near} ${far}`);
});

test("UASTC blocks of every mode and partition are read alike, whatever is in them", async () => {
  const basis = await transcoder();
  crumpet("convert", at("in.png"), "--format", "uastc", "--colour", "linear", "--mips", "none", "--container", "ktx2", "--out", at("any.ktx2"));
  const bytes = readFileSync(at("any.ktx2")), first = bytes.length - width * height, seen = new Set();
  let seed = 12345;
  const byte = () => { seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0; return seed >>> 24; };
  for (let round = 0; round < 12; round++) {
    for (let k = first; k < bytes.length; k += 16) {
      const [code, length, hints, partitions] = modes[(k / 16 + round) % modes.length | 0];
      let bits = 0n;
      for (let i = 0; i < 16; i++) bits = bits << 8n | BigInt(byte());
      bits = bits >> BigInt(length) << BigInt(length) | BigInt(code);
      if (partitions) {
        const place = BigInt(length + hints), size = partitions === 11 ? 15n : 31n, pattern = BigInt(byte() % partitions);
        bits = bits & ~(size << place) | pattern << place;
      }
      for (let i = 0; i < 16; i++) bytes[k + i] = Number(bits >> BigInt(8 * i) & 255n);
      seen.add(code);
    }
    writeFileSync(at("any.ktx2"), bytes);
    crumpet("decode", at("any.ktx2"), "--out", at("any.png"));
    const judge = transcoded(basis, bytes, asRgba), ours = pixels(at("any.png")).values;
    const wrong = [...judge].findIndex((v, i) => v !== ours[i]);
    const texel = wrong >> 2, block = (texel / width >> 2) * (width / 4) + (texel % width >> 2);
    const mode = () => modes.findIndex(([c, l]) => (bytes[first + 16 * block] & ((1 << l) - 1)) === c);
    assert.equal(wrong, -1, wrong < 0 ? "" : `mode ${mode()}, texel ${texel % width % 4} ${(texel / width | 0) % 4}`);
  }
  assert.equal(seen.size, 19);
});

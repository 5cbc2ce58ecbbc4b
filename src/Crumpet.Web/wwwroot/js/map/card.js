// Textures as this browser's graphics decode them: blocks go to the card as they lie in the file, and texels are read back.
import { placesOf, useProgram } from "./program.js";

const vertex = `#version 300 es
void main() { gl_Position = vec4(vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0, 0.0, 1.0); }`;

// A texel of a coarser tile is the mean of what it covers, of colours in linear light.
const fragment = `#version 300 es
precision highp float;
uniform highp sampler2D blocks;
uniform ivec2 corner, size;
uniform int level, isColour, isSigned, rebuilds;
out vec4 texel;
vec3 light(vec3 v) { return mix(v / 12.92, pow((v + 0.055) / 1.055, vec3(2.4)), step(0.04045, v)); }
vec3 stored(vec3 v) { return mix(v * 12.92, 1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, v)); }
vec4 at(ivec2 place) {
  vec4 v = texelFetch(blocks, min(place, size - 1), 0);
  if (isSigned == 1) v.rgb = v.rgb * 0.5 + 0.5;
  if (rebuilds == 1) {
    vec2 n = v.rg * 2.0 - 1.0;
    v.b = sqrt(max(0.0, 1.0 - dot(n, n))) * 0.5 + 0.5;
  }
  return v;
}
void main() {
  ivec2 first = (corner + ivec2(gl_FragCoord.xy)) << level;
  vec4 sum = vec4(0.0);
  int side = 1 << level;
  for (int y = 0; y < side; y++)
    for (int x = 0; x < side; x++) {
      vec4 v = at(first + ivec2(x, y));
      sum += isColour == 1 && level > 0 ? vec4(light(v.rgb), v.a) : v;
    }
  sum /= float(side * side);
  texel = isColour == 1 && level > 0 ? vec4(stored(sum.rgb), sum.a) : sum;
}`;

const keptAtOnce = 6;
let graphics = null;

/** The card of this page, made when it is first asked for. */
function open() {
  const canvas = document.createElement("canvas"), gl = canvas.getContext("webgl2");
  if (!gl) return { gl: null };
  const program = useProgram(gl, vertex, fragment);
  gl.pixelStorei(gl.PACK_ALIGNMENT, 1);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  const at = placesOf(gl, program, ["corner", "size", "level", "isColour", "isSigned", "rebuilds"]);
  return { gl, at, takesFloats: !!gl.getExtension("EXT_color_buffer_float"), targets: new Map(), kept: new Map() };
}

/**
 * Gives a level's blocks to the card.
 * @param look how a texture is looked at; @param mip its level; @param picture size, channels and bits it is read back with
 * @returns the level on the card, or why there is none
 */
export async function openCard(look, mip, picture) {
  graphics ??= open();
  const { gl, kept } = graphics, { width, height, channels, bits } = picture;
  if (!gl) return { problem: "this browser gives no second WebGL2 canvas" };
  if (!look.card) return { problem: `${look.format} is not compressed in blocks` };
  if (!gl.getExtension(look.card.extension)) return { problem: `these graphics have no ${look.format}` };
  if (bits === 32 && !graphics.takesFloats) return { problem: "these graphics give no floating point back" };
  if (Math.max(width, height) > gl.getParameter(gl.MAX_TEXTURE_SIZE)) return { problem: `these graphics take no texture of ${width} × ${height} px` };
  const address = `${look.blocks}/${mip}`;
  let level = kept.get(address);
  if (level) kept.delete(address);
  else {
    const response = await fetch(address);
    if (!response.ok) return { problem: "its blocks cannot be fetched" };
    const texture = upload(gl, look.card.number, width, height, new Uint8Array(await response.arrayBuffer()));
    if (!texture) return { problem: `these graphics refuse this ${look.format}` };
    level = { texture };
  }
  kept.set(address, level);
  for (const [other, { texture }] of kept) {
    if (kept.size <= keptAtOnce) break;
    gl.deleteTexture(texture);
    kept.delete(other);
  }
  return { card: { read: (coarse, x, y, w, h) => read({ address, look, width, height, channels, bits }, coarse, x, y, w, h) } };
}

function upload(gl, number, width, height, blocks) {
  while (gl.getError() !== gl.NO_ERROR);
  const texture = gl.createTexture();
  gl.bindTexture(gl.TEXTURE_2D, texture);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
  gl.compressedTexImage2D(gl.TEXTURE_2D, 0, number, width, height, 0, blocks);
  if (gl.getError() === gl.NO_ERROR) return texture;
  gl.deleteTexture(texture);
  return null;
}

/** Texels of a tile, one value a channel; throws where the card has let the level go, so that the tile is asked for again. */
function read({ address, look, width, height, channels, bits }, coarse, x, y, w, h) {
  const { gl, at, kept } = graphics, level = kept.get(address);
  if (!level) throw new Error("no longer on the card");
  target(bits, Math.max(w, h));
  gl.bindTexture(gl.TEXTURE_2D, level.texture);
  gl.viewport(0, 0, w, h);
  gl.uniform2i(at.corner, x, y);
  gl.uniform2i(at.size, width, height);
  gl.uniform1i(at.level, coarse);
  gl.uniform1i(at.isColour, look.isColour ? 1 : 0);
  gl.uniform1i(at.isSigned, look.isSigned ? 1 : 0);
  gl.uniform1i(at.rebuilds, look.rebuildsThird ? 1 : 0);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  const whole = new (bits === 8 ? Uint8Array : Float32Array)(4 * w * h);
  gl.readPixels(0, 0, w, h, gl.RGBA, bits === 8 ? gl.UNSIGNED_BYTE : gl.FLOAT, whole);
  if (channels === 4) return whole;
  const data = new whole.constructor(channels * w * h);
  for (let i = 0; i < w * h; i++) for (let c = 0; c < channels; c++) data[channels * i + c] = whole[4 * i + c];
  return data;
}

/** Binds what is drawn to: bytes or floating point, as large as a tile. */
function target(bits, side) {
  const { gl, targets } = graphics, key = `${bits} ${side}`;
  if (!targets.has(key)) {
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texStorage2D(gl.TEXTURE_2D, 1, bits === 8 ? gl.RGBA8 : gl.RGBA32F, side, side);
    targets.set(key, texture);
  }
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, targets.get(key), 0);
}

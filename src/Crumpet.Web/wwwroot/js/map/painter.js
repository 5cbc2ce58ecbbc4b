// Draws tiles with WebGL2: one picture, or the difference of two, through channels, range and exposure.
import { placesOf, useProgram } from "./program.js";
import { tileStore } from "./tiles.js";

const vertex = `#version 300 es
uniform vec4 place;
out vec2 at;
void main() {
  vec2 corner = vec2(gl_VertexID & 1, gl_VertexID >> 1);
  at = corner;
  gl_Position = vec4((place.xy + corner * place.zw) * 2.0 - 1.0, 0.0, 1.0);
  gl_Position.y = -gl_Position.y;
}`;

const fragment = `#version 300 es
precision highp float;
uniform sampler2D a, b;
uniform int channelsA, channelsB, difference;
uniform vec4 shown;
uniform float from, to, exposure, gain;
in vec2 at;
out vec4 colour;
vec4 spread(vec4 v, int n) { return n == 1 ? vec4(v.rrr, 1.0) : n == 2 ? vec4(v.rrr, v.g) : n == 3 ? vec4(v.rgb, 1.0) : v; }
void main() {
  vec4 v = spread(texture(a, at), channelsA);
  if (difference == 1) v = abs(v - spread(texture(b, at), channelsB)) * gain;
  else v = vec4((v.rgb - from) / (to - from) * exposure, v.a);
  float count = dot(shown, vec4(1.0));
  if (count < 1.5) { colour = vec4(vec3(dot(v, shown)), 1.0); return; }
  v.rgb *= shown.rgb;
  float board = mod(floor(gl_FragCoord.x / 8.0) + floor(gl_FragCoord.y / 8.0), 2.0) < 0.5 ? 0.4 : 0.54;
  colour = vec4(shown.a > 0.5 && difference == 0 ? mix(vec3(board), v.rgb, clamp(v.a, 0.0, 1.0)) : v.rgb, 1.0);
}`;

export class Painter {
  constructor(canvas) {
    this.canvas = canvas;
    const gl = this.gl = canvas.getContext("webgl2", { antialias: false, preserveDrawingBuffer: true, alpha: false });
    if (!gl) throw new Error("this browser has no WebGL2, which the map viewer needs");
    // Without it, floating-point maps are shown unsmoothed.
    this.smoothFloats = !!gl.getExtension("OES_texture_float_linear");
    this.at = placesOf(gl, useProgram(gl, vertex, fragment),
      ["place", "a", "b", "channelsA", "channelsB", "difference", "shown", "from", "to", "exposure", "gain"]);
    gl.uniform1i(this.at.a, 0);
    gl.uniform1i(this.at.b, 1);
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
    gl.clearColor(0.467, 0.467, 0.467, 1);
    const dropped = tileStore.dropped;
    tileStore.dropped = (tile) => {
      dropped(tile);
      if (tile.textures?.has(this)) gl.deleteTexture(tile.textures.get(this));
    };
  }

  begin(ratio) {
    const { gl, canvas } = this, w = Math.round(canvas.clientWidth * ratio), h = Math.round(canvas.clientHeight * ratio);
    if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
    this.ratio = ratio;
    gl.disable(gl.SCISSOR_TEST);
    gl.viewport(0, 0, w, h);
    gl.clear(gl.COLOR_BUFFER_BIT);
  }

  /** Draws a picture, or its difference from another, where the view has it. clip: left and width in CSS pixels. */
  draw(picture, other, view, clip, look) {
    const { gl, at, ratio, canvas } = this, { clientWidth: cw, clientHeight: ch } = canvas;
    gl.enable(gl.SCISSOR_TEST);
    gl.scissor(Math.round(clip[0] * ratio), 0, Math.round(clip[1] * ratio), canvas.height);
    gl.uniform4fv(at.shown, look.shown);
    gl.uniform1f(at.from, look.from);
    gl.uniform1f(at.to, look.to);
    gl.uniform1f(at.exposure, look.exposure);
    gl.uniform1f(at.gain, look.gain);
    gl.uniform1i(at.difference, other ? 1 : 0);
    gl.uniform1i(at.channelsA, picture.channels);
    gl.uniform1i(at.channelsB, other?.channels ?? 1);
    // The level whose texels are at most two to a pixel.
    const wanted = Math.min(picture.levels.length - 1, Math.max(0, Math.floor(-Math.log2(view.scale * ratio) + 0.01)));
    for (let v = look.repeat ? -1 : 0; v <= (look.repeat ? 1 : 0); v++)
      for (let u = look.repeat ? -1 : 0; u <= (look.repeat ? 1 : 0); u++) {
        const left = view.x + u * view.width * view.scale, top = view.y + v * view.height * view.scale;
        if (left > clip[0] + clip[1] || top > ch || left + view.width * view.scale < clip[0] || top + view.height * view.scale < 0) continue;
        this.level(picture, other, wanted, left, top, view.scale, clip, cw, ch);
      }
  }

  level(picture, other, level, left, top, scale, clip, cw, ch) {
    const { gl, at } = this, { width, height } = picture.levels[level], side = picture.tileSide;
    const kx = picture.width * scale / width, ky = picture.height * scale / height;
    const range = (from, to, k, count) => [Math.max(0, Math.floor(from / k / side)), Math.min(count - 1, Math.floor(to / k / side))];
    const [x0, x1] = range(clip[0] - left, clip[0] + clip[1] - left, kx, Math.ceil(width / side)),
      [y0, y1] = range(-top, ch - top, ky, Math.ceil(height / side));
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const a = picture.tile(level, x, y), b = other?.tile(level, x, y);
        if (!a || (other && !b)) {
          this.standIn(picture, other, level, x, y, left, top, scale, cw, ch);
          continue;
        }
        gl.uniform4f(at.place, (left + x * side * kx) / cw, (top + y * side * ky) / ch, a.width * kx / cw, a.height * ky / ch);
        this.quad(a, b, kx);
      }
  }

  /** While a tile is on its way, its share of the nearest coarser one that is here. */
  standIn(picture, other, level, x, y, left, top, scale, cw, ch) {
    if (other) return;
    const { gl, at } = this, side = picture.tileSide;
    for (let coarse = level + 1, f = 2; coarse < picture.levels.length; coarse++, f *= 2) {
      const tile = tileStore.tiles.get(`${picture.key}/${coarse}/${Math.floor(x / f)}/${Math.floor(y / f)}`);
      if (!tile?.data) continue;
      const { width, height } = picture.levels[coarse], kx = picture.width * scale / width, ky = picture.height * scale / height;
      const l = left + Math.floor(x / f) * side * kx, t = top + Math.floor(y / f) * side * ky;
      gl.uniform4f(at.place, l / cw, t / ch, tile.width * kx / cw, tile.height * ky / ch);
      this.quad(tile, null, kx);
      return;
    }
    // Ask for the coarsest, which comes fastest and covers most.
    picture.tile(picture.levels.length - 1, 0, 0);
  }

  quad(a, b, scale) {
    const { gl } = this;
    for (const [unit, tile] of [[1, b], [0, a]]) {
      if (!tile) continue;
      gl.activeTexture(gl.TEXTURE0 + unit);
      gl.bindTexture(gl.TEXTURE_2D, this.texture(tile));
      const filter = scale * this.ratio < 1.5 && (tile.bits === 8 || this.smoothFloats) ? gl.LINEAR : gl.NEAREST;
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter);
    }
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  }

  texture(tile) {
    tile.textures ??= new Map();
    let texture = tile.textures.get(this);
    if (texture) return texture;
    const { gl } = this, i = tile.channels - 1;
    texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    const format = [gl.RED, gl.RG, gl.RGB, gl.RGBA][i];
    if (tile.bits === 8) gl.texImage2D(gl.TEXTURE_2D, 0, [gl.R8, gl.RG8, gl.RGB8, gl.RGBA8][i], tile.width, tile.height, 0, format, gl.UNSIGNED_BYTE,
      tile.data);
    else {
      const values = tile.bits === 16 ? Float32Array.from(tile.data, (v) => v / 65535) : tile.data;
      gl.texImage2D(gl.TEXTURE_2D, 0, [gl.R32F, gl.RG32F, gl.RGB32F, gl.RGBA32F][i], tile.width, tile.height, 0, format, gl.FLOAT, values);
    }
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
    tile.textures.set(this, texture);
    return texture;
  }
}

// Draws islands with WebGL2: triangles, their borders and wires, and what lies beneath on the tile.

const corner = `#version 300 es
layout(location = 0) in vec2 at;
layout(location = 1) in vec4 tint;
uniform vec4 place;
out vec2 uv;
out vec4 colour;
void main() { uv = at; colour = tint; gl_Position = vec4(at * place.xy + place.zw, 0, 1); }`;
const flat = `#version 300 es
precision mediump float;
in vec4 colour;
out vec4 pixel;
uniform float opacity;
void main() { pixel = vec4(colour.rgb, colour.a * opacity); }`;
const tileInside = `#version 300 es
precision highp float;
in vec2 uv;
out vec4 pixel;
uniform int beneath;
uniform float squares;
uniform sampler2D picture;
void main() {
  if (beneath == 2) { pixel = vec4(texture(picture, vec2(uv.x, 1.0 - uv.y)).rgb, 1); return; }
  float odd = mod(floor(uv.x * squares) + floor(uv.y * squares), 2.0);
  pixel = vec4(beneath == 1 ? vec3(mix(0.33, 0.46, odd)) : vec3(0.384), 1);
}`;

export class IslandCanvas {
  constructor(canvas) {
    this.canvas = canvas;
    const gl = this.gl = canvas.getContext("webgl2", { antialias: true, preserveDrawingBuffer: true });
    if (!gl) throw new Error("this browser has no WebGL2");
    this.lines = program(gl, corner, flat);
    this.tile = program(gl, corner, tileInside);
    this.square = onCard(gl, new Float32Array([0, 0, 1, 0, 0, 1, 1, 1]));
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA);
    this.picture = gl.createTexture();
  }

  /** Takes triangles' corners; twice where there is another state to compare with. */
  take(view, sheet) {
    const { gl } = this, here = [];
    for (let t = 0; t < view.triangles; t++) if (view.islands[view.island[t]].sheet === sheet) here.push(t);
    this.triangles = here;
    this.states?.forEach((s) => { s.inside.free(); s.edges.free(); s.wires.free(); });
    this.states = [view.uv, view.even].filter(Boolean).map((uv) => this.state(gl, view, uv, here));
  }

  state(gl, view, uv, here) {
    const points = new Float32Array(6 * here.length), wires = new Float32Array(12 * here.length);
    const edges = [], tints = [];
    here.forEach((t, i) => {
      points.set(uv.subarray(6 * t, 6 * t + 6), 6 * i);
      for (let k = 0; k < 3; k++) {
        const a = 6 * t + 2 * k, b = 6 * t + 2 * ((k + 1) % 3), border = view.flags[t] & 4 << k, hard = view.flags[t] & 32 << k;
        wires.set([uv[a], uv[a + 1], uv[b], uv[b + 1]], 12 * i + 4 * k);
        if (!border && !hard) continue;
        edges.push(uv[a], uv[a + 1], uv[b], uv[b + 1]);
        // A hard edge inside an island bakes a line; one on its border is as it should be.
        const tint = border ? [32, 48, 47, 255] : [164, 36, 59, 255];
        tints.push(...tint, ...tint);
      }
    });
    const grey = new Uint8Array(24 * here.length).fill(40);
    return { inside: onCard(gl, points, new Uint8Array(12 * here.length)), edges: onCard(gl, new Float32Array(edges), new Uint8Array(tints)),
      wires: onCard(gl, wires, grey) };
  }

  /** Colours triangles: of(triangle) gives three numbers, isPicked(triangle) whether it is marked. */
  colour(of, isPicked) {
    const colours = new Uint8Array(12 * this.triangles.length);
    this.triangles.forEach((t, i) => {
      let c = of(t);
      if (isPicked(t)) c = [255, 233, 74];
      for (let k = 0; k < 3; k++) colours.set([c[0], c[1], c[2], 255], 12 * i + 4 * k);
    });
    for (const state of this.states) state.inside.tint(colours);
  }

  /** Takes a picture to lie beneath. */
  takePicture(image) {
    const { gl } = this;
    gl.bindTexture(gl.TEXTURE_2D, this.picture);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, gl.RGBA, gl.UNSIGNED_BYTE, image);
    gl.generateMipmap(gl.TEXTURE_2D);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
  }

  begin(ratio) {
    const { gl, canvas } = this, w = Math.round(canvas.clientWidth * ratio), h = Math.round(canvas.clientHeight * ratio);
    if (canvas.width !== w || canvas.height !== h) Object.assign(canvas, { width: w, height: h });
    gl.disable(gl.SCISSOR_TEST);
    gl.viewport(0, 0, w, h);
    gl.clearColor(0.467, 0.467, 0.467, 1);
    gl.clear(gl.COLOR_BUFFER_BIT);
    this.ratio = ratio;
  }

  /** Draws one state between two columns of the canvas. */
  draw(state, pan, [from, to], { beneath, squares, wires, opacity }) {
    const { gl, canvas } = this, w = canvas.clientWidth, h = canvas.clientHeight, side = pan.width * pan.scale;
    const place = [2 * side / w, 2 * side / h, 2 * pan.x / w - 1, 1 - 2 * (pan.y + side) / h];
    gl.enable(gl.SCISSOR_TEST);
    gl.scissor(Math.round(from * this.ratio), 0, Math.max(0, Math.round((to - from) * this.ratio)), canvas.height);
    gl.useProgram(this.tile);
    gl.uniform4fv(gl.getUniformLocation(this.tile, "place"), place);
    gl.uniform1i(gl.getUniformLocation(this.tile, "beneath"), beneath);
    gl.uniform1f(gl.getUniformLocation(this.tile, "squares"), squares);
    this.square.draw(gl.TRIANGLE_STRIP);
    gl.useProgram(this.lines);
    gl.uniform4fv(gl.getUniformLocation(this.lines, "place"), place);
    const opaque = gl.getUniformLocation(this.lines, "opacity"), shown = this.states[state] ?? this.states[0];
    gl.uniform1f(opaque, opacity);
    shown.inside.draw(gl.TRIANGLES);
    if (wires) {
      gl.uniform1f(opaque, Math.min(0.8, 0.2 + pan.scale));
      shown.wires.draw(gl.LINES);
    }
    // Borders of narrow islands would hide them when seen from afar.
    gl.uniform1f(opaque, Math.min(1, 0.45 + pan.scale));
    shown.edges.draw(gl.LINES);
  }
}

function program(gl, vertex, fragment) {
  const made = gl.createProgram();
  for (const [kind, text] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
    gl.attachShader(made, shader);
  }
  gl.linkProgram(made);
  return made;
}

/** Points, and where given their colours, on the graphics card. */
function onCard(gl, points, colours) {
  const array = gl.createVertexArray(), at = gl.createBuffer(), tints = colours ? gl.createBuffer() : null;
  gl.bindVertexArray(array);
  gl.bindBuffer(gl.ARRAY_BUFFER, at);
  gl.bufferData(gl.ARRAY_BUFFER, points, gl.STATIC_DRAW);
  gl.enableVertexAttribArray(0);
  gl.vertexAttribPointer(0, 2, gl.FLOAT, false, 0, 0);
  const tint = (values) => {
    gl.bindVertexArray(array);
    gl.bindBuffer(gl.ARRAY_BUFFER, tints);
    gl.bufferData(gl.ARRAY_BUFFER, values, gl.DYNAMIC_DRAW);
    gl.enableVertexAttribArray(1);
    gl.vertexAttribPointer(1, 4, gl.UNSIGNED_BYTE, true, 0, 0);
  };
  if (tints) tint(colours);
  return {
    tint,
    draw(kind) { gl.bindVertexArray(array); gl.drawArrays(kind, 0, points.length / 2); },
    free() { gl.deleteBuffer(at); if (tints) gl.deleteBuffer(tints); gl.deleteVertexArray(array); },
  };
}

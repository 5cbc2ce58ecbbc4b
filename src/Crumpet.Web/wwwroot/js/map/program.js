// Shaders of the map's canvases.

/** Links a program and takes it; throws what the driver says is wrong. @returns the program */
export function useProgram(gl, vertex, fragment) {
  const program = gl.createProgram();
  for (const [kind, source] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(program));
  gl.useProgram(program);
  gl.bindVertexArray(gl.createVertexArray());
  return program;
}

/** Places of a program's uniforms by their names. */
export const placesOf = (gl, program, names) => Object.fromEntries(names.map((n) => [n, gl.getUniformLocation(program, n)]));

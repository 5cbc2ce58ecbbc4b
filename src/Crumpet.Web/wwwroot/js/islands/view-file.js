// Reads the islands the server writes (LayoutView in the core) into typed arrays.

/** @returns the view: header fields, and uv, even, island, density, angle, area, flags by triangle */
export async function loadView(url) {
  const response = await fetch(url);
  if (!response.ok) throw new Error(`the islands cannot be fetched (${response.status})`);
  const bytes = await response.arrayBuffer(), words = new DataView(bytes), length = words.getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 8, length))), base = 8 + length, n = header.triangles;
  const floats = (at, count) => new Float32Array(bytes, base + at, count);
  return {
    ...header,
    uv: floats(header.uv, 6 * n),
    even: header.even === null ? null : floats(header.even, 6 * n),
    island: new Int32Array(bytes, base + header.island, n),
    density: floats(header.density, n),
    angle: floats(header.angle, n),
    area: floats(header.area, n),
    flags: new Uint8Array(bytes, base + header.flags, n),
  };
}

// Reads the primitives of a GLB that Crumpet wrote.

/** Typed arrays of each primitive's attributes and indices. */
export function readGlb(bytes) {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const jsonLength = view.getUint32(12, true);
  const json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + jsonLength)));
  const start = 20 + jsonLength + 8;
  const read = (number) => {
    const accessor = json.accessors[number], at = start + json.bufferViews[accessor.bufferView].byteOffset;
    const width = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 }[accessor.type], count = accessor.count * width;
    const Kind = { 5126: Float32Array, 5125: Uint32Array, 5123: Uint16Array }[accessor.componentType];
    return new Kind(bytes.slice(at, at + count * Kind.BYTES_PER_ELEMENT).buffer);
  };
  return json.meshes.flatMap((mesh) => mesh.primitives.map((p) => ({
    position: read(p.attributes.POSITION), normal: read(p.attributes.NORMAL), uv: read(p.attributes.TEXCOORD_0), tangent: read(p.attributes.TANGENT),
      index: read(p.indices),
  })));
}

/** The same with one entry a corner. */
export function unindexed({ index, ...attributes }) {
  const widths = { position: 3, normal: 3, uv: 2, tangent: 4 };
  return Object.fromEntries(Object.entries(attributes).map(([name, values]) => {
    const width = widths[name], out = new Float32Array(index.length * width);
    index.forEach((vertex, i) => out.set(values.subarray(vertex * width, vertex * width + width), i * width));
    return [name, out];
  }));
}

// Reads the stage previews that the server writes (StagePreview in the core).

const cache = new Map();

/** Objects of a preview: header fields plus typed arrays. Null where there is no such file. */
export function loadPreview(url) {
  if (!url) return Promise.resolve(null);
  if (!cache.has(url)) cache.set(url, fetch(url).then((r) => (r.ok ? r.arrayBuffer() : null)).then((b) => (b ? parse(b) : null)));
  return cache.get(url);
}

function parse(buffer) {
  const view = new DataView(buffer);
  if (view.getUint32(0, false) !== 0x43505631) throw new Error("not a preview");
  const length = view.getUint32(4, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 8, length)));
  const base = 8 + length;
  return header.objects.map((o) => ({
    ...o,
    positions: new Uint16Array(buffer, base + o.positionOffset, 4 * o.vertices),
    normals: new Int8Array(buffer, base + o.normalOffset, 4 * o.vertices),
    index: new Uint32Array(buffer, base + o.indexOffset, o.indices),
    tangents: o.tangentOffset < 0 ? null : new Float32Array(buffer, base + o.tangentOffset, 4 * o.vertices),
    uvs: o.uvOffset < 0 ? null : new Float32Array(buffer, base + o.uvOffset, 2 * o.vertices),
    fullNormals: o.fullNormalOffset < 0 ? null : new Float32Array(buffer, base + o.fullNormalOffset, 3 * o.vertices),
  }));
}

// Reads the stage previews that the server writes (StagePreview in the core), level after level as they arrive.

const cache = new Map();

/**
 * A preview: { materials, objects, level } with each object's levels as typed arrays, coarse first. Null where there is no such file.
 * onLevel(preview) is called whenever a finer level has arrived, onBytes(share) as bytes come; the promise settles with the finest.
 */
export function loadPreview(url, onLevel = () => {}, onBytes = () => {}) {
  if (!url) return Promise.resolve(null);
  let entry = cache.get(url);
  if (!entry) {
    entry = { preview: null, listeners: new Set(), onBytes };
    entry.whole = stream(url, entry);
    cache.set(url, entry);
  } else if (entry.preview) onLevel(entry.preview);
  entry.listeners.add(onLevel);
  return entry.whole.finally(() => entry.listeners.delete(onLevel));
}

async function stream(url, entry) {
  const response = await fetch(url);
  if (!response.ok) return null;
  const total = Number(response.headers.get("Content-Length"));
  const bytes = new Uint8Array(total);
  const reader = response.body.getReader();
  let filled = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    bytes.set(value, filled);
    filled += value.length;
    entry.onBytes(filled / total, total);
    if (!entry.preview && filled >= 8) entry.preview = header(bytes, filled);
    const { preview } = entry;
    if (!preview) continue;
    const before = preview.level;
    while (preview.level + 1 < preview.levelEnds.length && filled >= preview.base + preview.levelEnds[preview.level + 1]) open(preview, ++preview.level,
      bytes.buffer);
    if (preview.level > before) {
      for (const listener of entry.listeners) listener(preview);
      // Let what has arrived be drawn before more is read.
      await new Promise((r) => setTimeout(r));
    }
  }
  return entry.preview;
}

function header(bytes, filled) {
  const view = new DataView(bytes.buffer);
  if (view.getUint32(0, false) !== 0x43505632) throw new Error("not a preview");
  const length = view.getUint32(4, true);
  if (filled < 8 + length) return null;
  return { ...JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + length))), base: 8 + length, level: -1 };
}

function open(preview, level, buffer) {
  const array = (type, offset, count) => (offset < 0 ? null : new type(buffer, preview.base + offset, count));
  for (const o of preview.objects) {
    const mesh = o.levels[level];
    if (!mesh) {
      o.levels[level] = o.levels[level - 1];
      continue;
    }
    const { vertices: v } = mesh;
    o.levels[level] = {
      position: array(Uint16Array, mesh.position, 4 * v), normal: array(Int16Array, mesh.normal, 2 * v),
      index: array(mesh.wide ? Uint32Array : Uint16Array, mesh.index, mesh.indices), colour: array(Uint8Array, mesh.colour, 4 * v),
      uv: array(Float32Array, mesh.uv, 2 * v), tangent: array(Float32Array, mesh.tangent, 4 * v), density: array(Float32Array, mesh.density, v),
      hard: array(Uint32Array, mesh.hard, mesh.hardCount), seam: array(Uint32Array, mesh.seam, mesh.seamCount),
    };
  }
}

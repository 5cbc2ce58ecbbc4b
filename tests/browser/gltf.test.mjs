// glTF files as an independent reader sees them: three's loader and Crumpet's agree in bounds and counts.
import assert from "node:assert/strict";
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { MeshoptDecoder, MeshoptEncoder } from "meshoptimizer";
import { Box3, Vector3 } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { crumpet } from "./app.mjs";

let folder;
before(() => { folder = mkdtempSync(join(tmpdir(), "crumpet-gltf-")); });
after(() => rmSync(folder, { recursive: true, force: true }));

// The loader asks for the browser it usually runs in.
globalThis.self = globalThis;
globalThis.ProgressEvent ??= class extends Event {};

async function asThreeReads(bytes) {
  const { scene } = await new GLTFLoader().parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength), "");
  scene.updateMatrixWorld(true);
  const box = new Box3();
  let triangles = 0;
  scene.traverse((o) => {
    if (!o.isMesh) return;
    const { index, attributes: { position } } = o.geometry, at = new Vector3(), order = index ? index.array
      : Uint32Array.from({ length: position.count }, (_, i) => i);
    // The loader turns strips and fans into plain triangles.
    triangles += Math.floor(order.length / 3);
    for (const i of order) box.expandByPoint(o.getVertexPosition(i, at).applyMatrix4(o.matrixWorld));
  });
  return { triangles, min: box.min.toArray(), max: box.max.toArray() };
}

function asCrumpetReads(path) {
  const { objects } = JSON.parse(crumpet("inspect", path, "--json"));
  const min = [0, 1, 2].map((a) => Math.min(...objects.map((o) => o.minMetres[a]))), max = [0, 1, 2]
    .map((a) => Math.max(...objects.map((o) => o.minMetres[a] + o.sizeMetres[a])));
  return { triangles: objects.reduce((n, o) => n + o.triangles, 0), min, max };
}

async function agree(path) {
  const three = await asThreeReads(readFileSync(path)), ours = asCrumpetReads(path);
  assert.equal(ours.triangles, three.triangles, path);
  const size = Math.hypot(...three.max.map((v, i) => v - three.min[i]));
  for (let a = 0; a < 3; a++) {
    assert.ok(Math.abs(ours.min[a] - three.min[a]) <= 1e-5 * size, `${path}: least ${ours.min} for ${three.min}`);
    assert.ok(Math.abs(ours.max[a] - three.max[a]) <= 1e-5 * size, `${path}: greatest ${ours.max} for ${three.max}`);
  }
}

test("the demo kit's high sides", async () => {
  crumpet("demo", "--coarse", "--out", join(folder, "demo"));
  const assets = join(folder, "demo", "assets");
  for (const asset of readdirSync(assets))
    for (const file of readdirSync(join(assets, asset)).filter((f) => f.endsWith(".glb"))) await agree(join(assets, asset, file));
});

/** A small grid with the given component type, primitive mode, and node transforms. */
function grid({ component = 5126, normalized = false, mode = 4, stride = 0, sparse = false, nodes }) {
  const n = 5, size = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5126: 4 }[component], full = normalized
    ? { 5120: 127, 5121: 255, 5122: 32767, 5123: 65535 }[component] : component === 5126 ? 1 : 20;
  const write = { 5120: "setInt8", 5121: "setUint8", 5122: "setInt16", 5123: "setUint16", 5126: "setFloat32" }[component], step = stride || 3 * size;
  const positions = new DataView(new ArrayBuffer(n * n * step));
  for (let i = 0; i < n * n; i++)
    [(i % n) / n, ((i * 7) % 5) / 9, Math.floor(i / n) / n]
      .forEach((v, c) => positions[write](i * step + c * size, component === 5126 ? v : Math.round(v * full), true));
  const list = [];
  for (let y = 0; y + 1 < n; y++)
    for (let x = 0; x + 1 < n; x++) {
      const a = y * n + x;
      if (mode === 4) list.push(a, a + n, a + n + 1, a, a + n + 1, a + 1);
    }
  if (mode === 5) for (let x = 0; x < n; x++) list.push(x, x + n);
  if (mode === 6) list.push(12, 6, 7, 8, 13, 18);
  const indices = Uint16Array.from(list), at = new Uint16Array([3, 11]), moved = new Float32Array([9, 8, 7, -4, -5, -6]);
  const buffers = [Buffer.from(positions.buffer), Buffer.from(indices.buffer), Buffer.from(at.buffer), Buffer.from(moved.buffer)];
  const accessor = { bufferView: 0, componentType: component, normalized, count: n * n, type: "VEC3", min: [-9, -9, -9], max: [255, 255, 255] };
  if (sparse) accessor.sparse = { count: 2, indices: { bufferView: 2, componentType: 5123 }, values: { bufferView: 3 } };
  return JSON.stringify({
    asset: { version: "2.0" }, scene: 0, scenes: [{ nodes: [0] }], nodes: nodes ?? [{ mesh: 0 }],
    extensionsUsed: ["KHR_mesh_quantization"], extensionsRequired: component === 5126 ? undefined : ["KHR_mesh_quantization"],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1, mode }] }],
    accessors: [accessor, { bufferView: 1, componentType: 5123, count: indices.length, type: "SCALAR" }],
    bufferViews: buffers.map((b, i) => ({ buffer: i, byteLength: b.length, ...(i === 0 && stride ? { byteStride: stride } : {}) })),
    buffers: buffers.map((b) => ({ byteLength: b.length, uri: `data:application/octet-stream;base64,${b.toString("base64")}` })),
  });
}

const turned = [{ children: [1, 2], rotation: [0.1825742, 0.3651484, 0.5477226, 0.7302967], translation: [1, -2, 3], scale: [2, 0.5, 1.5] },
  { mesh: 0, matrix: [0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 2, 0, 4, 5, 6, 1] }, { children: [3], scale: [-1, 1, 1] }, { mesh: 0, translation: [0, 7, 0] }];
const files = {
  "plain floats": {}, "signed bytes": { component: 5120, stride: 4 }, "unsigned bytes": { component: 5121, stride: 4 },
    "signed words": { component: 5122, stride: 8 }, "unsigned words": { component: 5123, stride: 8 },
  "normalised signed bytes": { component: 5120, normalized: true, stride: 4 }, "normalised bytes": { component: 5121, normalized: true, stride: 4 },
    "normalised signed words": { component: 5122, normalized: true, stride: 8 }, "normalised words": { component: 5123, normalized: true, stride: 8 },
  "a stride": { stride: 24 }, "sparse positions": { sparse: true }, "a strip": { mode: 5 }, "a fan": { mode: 6 },
    "a tree of turned, stretched and mirrored nodes": { nodes: turned }, "all of it": { component: 5122, normalized: true, stride: 12, nodes: turned },
};
for (const [name, parts] of Object.entries(files))
  test(`a grid of ${name}`, async () => {
    const path = join(folder, "grid.gltf");
    writeFileSync(path, grid(parts));
    await agree(path);
  });

/** What a command that fails prints. */
function failed(run) {
  try { run(); } catch (error) { return error.stdout; }
  throw new Error("it did not fail");
}

/** A GLB of one mesh; views that are given packed are written compressed. */
function glbOf({ views, accessors, primitive, used }) {
  const chunks = [];
  let length = 0;
  const put = (bytes) => { const at = length; chunks.push(bytes, Buffer.alloc((4 - bytes.length % 4) % 4)); length += bytes.length + (4 - bytes.length % 4) % 4; return at; };
  const bufferViews = views.map(({ bytes, packed, count, stride, mode, filter }) => packed
    ? { buffer: 1, byteOffset: 0, byteLength: count * stride, extensions: { EXT_meshopt_compression: { buffer: 0, byteOffset: put(packed), byteLength: packed.length,
      byteStride: stride, count, mode, ...(filter ? { filter } : {}) } } }
    : { buffer: 0, byteOffset: put(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)), byteLength: bytes.byteLength,
      ...(mode === "ATTRIBUTES" ? { byteStride: stride } : {}) });
  const binary = Buffer.concat(chunks), packs = views.some((v) => v.packed);
  const json = Buffer.from(JSON.stringify({ asset: { version: "2.0" }, scene: 0, scenes: [{ nodes: [0] }], nodes: [{ mesh: 0, name: "ball" }], meshes: [{ primitives: [primitive] }],
    accessors, bufferViews, buffers: [{ byteLength: binary.length }, ...(packs
      ? [{ byteLength: views.reduce((n, v) => n + v.count * v.stride, 0), extensions: { EXT_meshopt_compression: { fallback: true } } }] : [])],
    extensionsUsed: used, extensionsRequired: packs ? used : used.filter((u) => u !== "EXT_meshopt_compression") }));
  const text = Buffer.concat([json, Buffer.alloc((4 - json.length % 4) % 4, " ")]), head = (n, kind) => { const b = Buffer.alloc(8); b.writeUInt32LE(n); b.writeUInt32LE(kind, 4); return b; };
  const start = Buffer.alloc(12);
  start.write("glTF");
  start.writeUInt32LE(2, 4);
  start.writeUInt32LE(28 + text.length + binary.length, 8);
  return Buffer.concat([start, head(text.length, 0x4e4f534a), text, head(binary.length, 0x004e4942), binary]);
}

test("compressed meshes hold what their own decoder says, in every mode and filter", async () => {
  await MeshoptEncoder.ready;
  await MeshoptDecoder.ready;
  const across = 61, down = 37, count = across * down, positions = new Float32Array(3 * count), normals = new Float32Array(4 * count), list = [];
  for (let i = 0; i < count; i++) {
    const u = (i % across) / (across - 1) * 2 * Math.PI, v = Math.floor(i / across) / (down - 1) * Math.PI * 0.98 + 0.01, r = 1 + 0.1 * Math.sin(7 * u) * Math.sin(5 * v);
    const n = [Math.cos(u) * Math.sin(v), Math.cos(v), Math.sin(u) * Math.sin(v)];
    positions.set(n.map((c) => c * r), 3 * i);
    normals.set([...n, 0], 4 * i);
  }
  for (let y = 0; y + 1 < down; y++)
    for (let x = 0; x + 1 < across; x++) { const a = y * across + x; list.push(a, a + 1, a + across, a + 1, a + across + 1, a + across); }
  const bytesOf = (array) => new Uint8Array(array.buffer, array.byteOffset, array.byteLength);
  for (const [wide, mode, positionFilter, normalBits] of [[true, "TRIANGLES", null, 8], [false, "TRIANGLES", "EXPONENTIAL", 16], [true, "INDICES", "EXPONENTIAL", 8],
    [false, "INDICES", null, 16]]) {
    const indices = wide ? Uint32Array.from(list) : Uint16Array.from(list), size = wide ? 4 : 2;
    const raw = positionFilter ? MeshoptEncoder.encodeFilterExp(positions, count, 12, 18) : bytesOf(positions);
    const directions = MeshoptEncoder.encodeFilterOct(normals, count, normalBits === 8 ? 4 : 8, normalBits);
    const views = [{ bytes: raw, count, stride: 12, mode: "ATTRIBUTES", filter: positionFilter }, { bytes: directions, count, stride: normalBits === 8 ? 4 : 8, mode: "ATTRIBUTES",
      filter: "OCTAHEDRAL" }, { bytes: bytesOf(indices), count: list.length, stride: size, mode }];
    const packed = views.map((v) => ({ ...v, packed: Buffer.from(MeshoptEncoder.encodeGltfBuffer(v.bytes, v.count, v.stride, v.mode, 0)) }));
    const plain = packed.map((v) => {
      const bytes = new Uint8Array(v.count * v.stride);
      MeshoptDecoder.decodeGltfBuffer(bytes, v.count, v.stride, v.packed, v.mode, v.filter ?? "NONE");
      return { ...v, bytes, packed: null };
    });
    const accessors = [{ bufferView: 0, componentType: 5126, count, type: "VEC3", min: [-2, -2, -2], max: [2, 2, 2] }, { bufferView: 1, componentType: normalBits === 8 ? 5120 : 5122,
      normalized: true, count, type: "VEC3" }, { bufferView: 2, componentType: wide ? 5125 : 5123, count: list.length, type: "SCALAR" }];
    const mesh = { accessors, primitive: { attributes: { POSITION: 0, NORMAL: 1 }, indices: 2 }, used: ["EXT_meshopt_compression", "KHR_mesh_quantization"] };
    writeFileSync(join(folder, "none.json"), '{"mends":[]}');
    const read = (views_, name) => {
      writeFileSync(join(folder, `${name}.glb`), glbOf({ ...mesh, views: views_ }));
      crumpet("mend", join(folder, `${name}.glb`), "--rules", join(folder, "none.json"), "--out", join(folder, `${name}.ply`));
      return readFileSync(join(folder, `${name}.ply`));
    };
    assert.ok(read(packed, "packed").equals(read(plain, "plain")), `${mode} ${positionFilter} ${normalBits}`);
  }
});

test("a compressed mesh that is cut is said to be", async () => {
  await MeshoptEncoder.ready;
  const positions = new Float32Array(3 * 64).map((_, i) => Math.sin(i)), whole = Buffer.from(MeshoptEncoder.encodeGltfBuffer(new Uint8Array(positions.buffer), 64, 12, "ATTRIBUTES", 0));
  for (const packed of [whole.subarray(0, 40), Buffer.concat([Buffer.from([0xa7]), whole.subarray(1)]), Buffer.alloc(8)]) {
    writeFileSync(join(folder, "cut.glb"), glbOf({ views: [{ packed, count: 64, stride: 12, mode: "ATTRIBUTES" }], accessors: [{ bufferView: 0, componentType: 5126, count: 63,
      type: "VEC3", min: [-1, -1, -1], max: [1, 1, 1] }], primitive: { attributes: { POSITION: 0 } }, used: ["EXT_meshopt_compression"] }));
    const said = JSON.parse(failed(() => crumpet("inspect", join(folder, "cut.glb"), "--json")));
    assert.match(said.error, /cut\.glb.*compressed/);
  }
});

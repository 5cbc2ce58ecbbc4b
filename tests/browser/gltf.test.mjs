// glTF files as an independent reader sees them: three's loader and Crumpet's agree in bounds and counts.
import assert from "node:assert/strict";
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
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

// Deliveries for every ready target, and files in every mesh format, as readers nobody here wrote see them: an asset with no symmetry, whose
// axes, unit, handedness, groups, pivots, instances, UVs, colours and materials are known, leaves Crumpet and is read back.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { after, before, test } from "node:test";
import validator from "gltf-validator";
import { Matrix4, Mesh, Quaternion, Vector3 } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { MTLLoader } from "three/examples/jsm/loaders/MTLLoader.js";
import { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
import { PLYLoader } from "three/examples/jsm/loaders/PLYLoader.js";
import { USDLoader } from "three/examples/jsm/loaders/USDLoader.js";
import { strToU8, zipSync } from "three/examples/jsm/libs/fflate.module.js";
import { crumpet, root } from "./app.mjs";
import { openBrowser } from "./browser.mjs";
import { png } from "./png.mjs";
import { readStoredZip } from "./zip.mjs";

// The loader asks for the browser it usually runs in.
globalThis.self = globalThis;
globalThis.ProgressEvent ??= class extends Event {};

const folder = mkdtempSync(join(tmpdir(), "crumpet-targets-")), at = (...names) => join(folder, ...names);
after(() => rmSync(folder, { recursive: true, force: true }));

// A wedge without symmetry: 0.3 m along x, 0.2 m along y, 0.1 m along z; a corner of its own on each axis.
const corners = [[0, 0, 0], [0.3, 0, 0], [0, 0.2, 0], [0, 0, 0.1]], faces = [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]];
const blades = [0, 1, 2].map((k) => ({
  name: `blade_${k}_low`, matrix: new Matrix4().compose(new Vector3(0.5 * k, 1, 0.2 * k), new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), 0.7 * k),
    new Vector3(1, 1, 1)),
}));
const arm = new Matrix4().compose(new Vector3(0, 0.25, -1), new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), 0.4), new Vector3(1, 1, 1));
const world = (k) => new Matrix4().multiplyMatrices(arm, blades[k].matrix);

/** The wedge three times as glTF, below a group, with UVs apart for each face and a colour for each corner. */
function source() {
  const list = faces.flat(), positions = list.flatMap((c) => corners[c]);
  const normals = faces.flatMap(([a, b, c]) => {
    const n = new Vector3().subVectors(new Vector3(...corners[b]), new Vector3(...corners[a]))
      .cross(new Vector3().subVectors(new Vector3(...corners[c]), new Vector3(...corners[a]))).normalize().toArray();
    return [...n, ...n, ...n];
  });
  const uvs = faces.flatMap((_, f) => [[0.05, 0.05], [0.45, 0.05], [0.05, 0.4]].flatMap(([u, v]) => [u + 0.5 * (f % 2), v + 0.5 * (f >> 1)]));
  const colours = list.flatMap((c) => [c === 1, c === 2, c === 3, true].map(Number));
  const arrays = [positions, normals, uvs, colours].map((a) => new Float32Array(a)), buffer = Buffer.concat(arrays.map((a) => Buffer.from(a.buffer)));
  let offset = 0;
  const bufferViews = arrays.map((a) => { const view = { buffer: 0, byteOffset: offset, byteLength: a.byteLength }; offset += a.byteLength; return view; });
  const accessor = (view, type, more = {}) => ({ bufferView: view, componentType: 5126, count: list.length, type, ...more });
  return JSON.stringify({
    asset: { version: "2.0" }, scene: 0, scenes: [{ nodes: [0] }],
    nodes: [{ name: "arm", matrix: arm.toArray(), children: [1, 2, 3] }, ...blades.map((b) => ({ name: b.name, mesh: 0, matrix: b.matrix.toArray() }))],
    meshes: [{ name: "blade", primitives: [{ attributes: { POSITION: 0, NORMAL: 1, TEXCOORD_0: 2, COLOR_0: 3 }, material: 0 }] }],
    materials: [{
      name: "vane", doubleSided: true, alphaMode: "MASK", alphaCutoff: 0.25, pbrMetallicRoughness: { roughnessFactor: 0.5, metallicFactor: 0 },
      extensions: { KHR_materials_clearcoat: { clearcoatFactor: 0.75, clearcoatRoughnessFactor: 0.125 }, KHR_materials_ior: { ior: 1.25 } },
    }],
    accessors: [accessor(0, "VEC3", { min: [0, 0, 0], max: [0.3, 0.2, 0.1] }), accessor(1, "VEC3"), accessor(2, "VEC2"), accessor(3, "VEC4")],
    bufferViews, buffers: [{ byteLength: buffer.length, uri: `data:application/octet-stream;base64,${buffer.toString("base64")}` }],
  });
}

before(() => {
  const asset = at("kit", "assets", "vane");
  mkdirSync(asset, { recursive: true });
  writeFileSync(join(asset, "vane_low.gltf"), source());
  writeFileSync(join(asset, "vane_colour.png"), png(64, 64, (x, y) => [4 * x, 4 * y, 40, x + y < 20 ? 0 : 255]));
  writeFileSync(join(asset, "vane_normal.png"), png(64, 64, (x) => [128, 128 + (x % 16), 250, 255]));
  writeFileSync(join(asset, "vane_orm.png"), png(64, 64, (x, y) => [255, 2 * y + 60, x > 32 ? 255 : 0, 255]));
  writeFileSync(at("kit", "kit.json"), JSON.stringify({ version: 3, name: "Vanes", assets: ["vane"], settings: { layout: { uvs: "keep", pack: false } } }));
  writeFileSync(join(asset, "asset.json"), JSON.stringify({ version: 3, name: "vane",
    sources: ["vane_low.gltf", "vane_colour.png", "vane_normal.png", "vane_orm.png"].map((path) => ({ path })), settings: {
    recipe: { outputs: { colour: {
      name: "colour", meaning: "srgb", alpha: "opacity", channels: ["r", "g", "b", "a"].map((channel) => ({ from: ["colour"], channel })),
    } } },
  } }));
});

/** Builds the asset for a target. @returns the package's files by their paths */
function deliver(target) {
  const file = at(`${target.name.replace(/\W/g, "")}.target.json`);
  writeFileSync(file, JSON.stringify(target));
  const out = at("out", target.name.replace(/\W/g, ""));
  crumpet("build", at("kit"), "--target", file, "--out", out, "--store", at("store"));
  return readStoredZip(readFileSync(join(out, "vane.zip")));
}

const ready = (name) => JSON.parse(crumpet("target", name));
const text = (bytes) => new TextDecoder().decode(bytes);
const plain = (bytes) => bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);

/** Positions in the space of a target: turned, in its unit. */
const placed = ({ up, handedness, unitMetres }) => (p) => {
  const sign = handedness === "left" ? -1 : 1;
  return (up === "z" ? [p.x, -sign * p.z, p.y] : [p.x, p.y, sign * p.z]).map((v) => v / unitMetres);
};

/** Every corner of every blade, where it should be. */
const expected = (target) => [0, 1, 2].flatMap((k) => faces.flat().map((c) => placed(target)(new Vector3(...corners[c]).applyMatrix4(world(k)))));

/** Whether points are the same, in whatever order they come. */
function sameCorners(found, wanted, near) {
  assert.equal(found.length, wanted.length);
  const left = [...found];
  for (const point of wanted) {
    const i = left.findIndex((f) => f.every((v, a) => Math.abs(v - point[a]) < near));
    assert.ok(i >= 0, `${point} is not among ${JSON.stringify(left.slice(0, 4))}`);
    left.splice(i, 1);
  }
}

/** Six times the volume that triangles enclose: positive where they face outward, as their file counts. */
const volume = (points) => Array.from({ length: points.length / 3 }, (_, t) => points.slice(3 * t, 3 * t + 3).map((p) => new Vector3(...p)))
  .reduce((sum, [a, b, c]) => sum + a.dot(b.clone().cross(c)), 0);

/** What three's objects hold in the world: corners in the order of triangles. */
function cornersOf(top) {
  top.updateMatrixWorld(true);
  const points = [], meshes = [];
  top.traverse((o) => {
    if (!(o instanceof Mesh)) return;
    meshes.push(o);
    const { index, attributes: { position } } = o.geometry;
    for (let i = 0; i < (index ?? position).count; i++)
      points.push(new Vector3().fromBufferAttribute(position, index ? index.getX(i) : i).applyMatrix4(o.matrixWorld).toArray());
  });
  return { points, meshes };
}

/** What assimp reads of a file: triangles and the box, in the file's own space. */
function assimp(name, files) {
  for (const [path, bytes] of files) {
    mkdirSync(dirname(at("assimp", path)), { recursive: true });
    writeFileSync(at("assimp", path), bytes);
  }
  const said = execFileSync("assimp", ["info", at("assimp", name)], { encoding: "utf8" });
  const number = (label) => Number(said.match(new RegExp(`${label}:\\s+(\\d+)`))[1]);
  const point = (label) => said.match(new RegExp(`${label}\\s+\\(([^)]*)\\)`))[1].trim().split(/\s+/).map(Number);
  return { triangles: number("Faces"), min: point("Minimum point"), max: point("Maximum point") };
}

function inBox(box, points, near) {
  for (let a = 0; a < 3; a++) {
    assert.ok(Math.abs(box.min[a] - Math.min(...points.map((p) => p[a]))) < near, `least ${box.min}`);
    assert.ok(Math.abs(box.max[a] - Math.max(...points.map((p) => p[a]))) < near, `greatest ${box.max}`);
  }
}

async function validated(bytes, { files = new Map(), base = "", hasBasis = false } = {}) {
  const report = await validator.validateBytes(bytes, {
    externalResourceFunction: async (uri) => files.get(join(base, decodeURIComponent(uri))) ?? Promise.reject(new Error(`${uri} is not there`)),
  });
  // The validator does not know pictures in KTX2, which KHR_texture_basisu brings.
  const isBasis = (m) => m.code === "IMAGE_UNRECOGNIZED_FORMAT" || (m.code === "VALUE_NOT_IN_LIST" && m.message.includes("image/ktx2"));
  assert.deepEqual(report.issues.messages.filter((m) => m.severity < 2 && !(hasBasis && isBasis(m))), []);
  return report;
}

// Node has no pictures; what is read of them is checked elsewhere.
const withoutPictures = (json) => ({ ...json, textures: json.textures?.map(() => ({})), images: undefined });

async function checkGltf(json, binary, target) {
  assert.equal(json.meshes.length, 1, "the blade is written once");
  assert.deepEqual(json.nodes.filter((n) => n.mesh === 0).map((n) => n.name), blades.map((b) => b.name));
  assert.ok(json.nodes.some((n) => n.name === "arm" && n.children.length === 3 && n.mesh === undefined));
  const [material] = json.materials;
  assert.deepEqual([material.name, material.alphaMode, material.alphaCutoff, material.doubleSided], ["vane", "MASK", 0.25, true]);
  assert.deepEqual(material.extensions.KHR_materials_clearcoat, { clearcoatFactor: 0.75, clearcoatRoughnessFactor: 0.125 });
  assert.equal(material.extensions.KHR_materials_ior.ior, 1.25);
  assert.ok(material.pbrMetallicRoughness.baseColorTexture && material.normalTexture && material.occlusionTexture);
  const own = withoutPictures(json);
  for (const m of own.materials) {
    delete m.normalTexture; delete m.occlusionTexture;
    delete m.pbrMetallicRoughness.baseColorTexture; delete m.pbrMetallicRoughness.metallicRoughnessTexture;
  }
  own.buffers[0].uri = `data:application/octet-stream;base64,${Buffer.from(binary).toString("base64")}`;
  delete own.textures;
  delete own.extensionsRequired;
  const { scene } = await new GLTFLoader().parseAsync(JSON.stringify(own), "");
  const { points, meshes } = cornersOf(scene);
  sameCorners(points, expected(target), 1e-5);
  assert.ok(volume(points) > 0);
  for (const mesh of meshes) {
    assert.equal(mesh.geometry.attributes.tangent.itemSize, 4);
    assert.equal(mesh.geometry.attributes.color.count, mesh.geometry.attributes.uv.count);
    // The pivot is the blade's own corner.
    const k = blades.findIndex((b) => mesh.name.startsWith(b.name));
    assert.ok(new Vector3().setFromMatrixPosition(mesh.matrixWorld).distanceTo(new Vector3().setFromMatrixPosition(world(k))) < 1e-5);
  }
}

function splitGlb(bytes) {
  const view = new DataView(bytes.buffer, bytes.byteOffset), length = view.getUint32(12, true);
  return [JSON.parse(text(bytes.subarray(20, 20 + length))), bytes.subarray(28 + length)];
}

for (const [label, change] of [["PNG", {}], ["JPEG", { embedded: "jpeg" }], ["UASTC", { embedded: "ktx2", textures: null }],
  ["UASTC once more compressed", { embedded: "ktx2-zstd", textures: null }]]) {
  test(`open glTF with ${label} inside is valid, and read by three and assimp as it is`, async () => {
    const target = { ...ready("Open glTF"), name: `glb ${label}`, ...change }, files = deliver(target), bytes = files.get("vane.glb");
    await validated(bytes, { hasBasis: label.startsWith("UASTC") });
    const [json, binary] = splitGlb(bytes);
    await checkGltf(json, binary, target);
    const image = json.images[0], view = json.bufferViews[image.bufferView], begins = [...binary.subarray(view.byteOffset, view.byteOffset + 4)];
    assert.deepEqual([image.mimeType, begins], label === "PNG" ? ["image/png", [0x89, 0x50, 0x4e, 0x47]]
      : label === "JPEG" ? ["image/jpeg", begins] : ["image/ktx2", [0xab, 0x4b, 0x54, 0x58]]);
    if (label === "PNG") {
      const read = assimp("vane.glb", files);
      // The blade that stands three times is one mesh.
      assert.equal(read.triangles, 4);
      inBox(read, expected(target), 1e-4);
    }
  });
}

test("loose files, Y up: glTF with its buffer is valid, and its materials are MaterialX and settings too", async () => {
  const target = ready("Loose files, Y up"), files = deliver(target);
  assert.deepEqual([...files.keys()].sort(), ["manifest.json", "materials/vane.mtlx", "materials/vane_settings.json", "meshes/vane.bin", "meshes/vane.gltf",
    "textures/vane_colour.png", "textures/vane_masks.png", "textures/vane_normal.png"]);
  await validated(files.get("meshes/vane.gltf"), { files, base: "meshes" });
  const json = JSON.parse(text(files.get("meshes/vane.gltf")));
  assert.deepEqual(json.images.map((i) => i.uri).sort(), ["colour", "masks", "normal"].map((n) => `../textures/vane_${n}.png`));
  await checkGltf(json, files.get("meshes/vane.bin"), target);
  const read = assimp("meshes/vane.gltf", files);
  assert.equal(read.triangles, 4);
  inBox(read, expected(target), 1e-4);
  const settings = JSON.parse(text(files.get("materials/vane_settings.json")));
  assert.deepEqual(settings.textures.map((t) => [t.file, t.meaning]),
    [["textures/vane_colour.png", "srgb"], ["textures/vane_normal.png", "normal"], ["textures/vane_masks.png", "linear"]]);
  assert.equal(settings.materials[0].surface.clearCoat, 0.75);
});

for (const [label, space] of [["Z up, centimetres", {}], ["Y up, inches", { up: "y", unitMetres: 0.0254 }], ["left-handed, Z up", { handedness: "left" }],
  ["left-handed, Y up, metres", { up: "y", unitMetres: 1, handedness: "left" }]]) {
  test(`loose files, OBJ, ${label}: three and assimp read the axes, the unit and the hand`, () => {
    const target = { ...ready("Loose files, Z up"), name: `obj ${label}`, ...space }, files = deliver(target);
    const { points } = cornersOf(new OBJLoader().parse(text(files.get("meshes/vane.obj"))));
    sameCorners(points, expected(target), 1e-4 / target.unitMetres);
    assert.ok(volume(points) > 0, "faces look outward");
    const read = assimp("meshes/vane.obj", files);
    assert.equal(read.triangles, 12);
    inBox(read, expected(target), 1e-4 / target.unitMetres);
    const library = new MTLLoader().parse(text(files.get("meshes/vane.mtl")), ""), info = library.materialsInfo.vane;
    assert.deepEqual([info.map_kd, info.ni, info.norm], ["../textures/vane_colour.dds", "1.25", "../textures/vane_normal.dds"]);
    const manifest = JSON.parse(text(files.get("manifest.json")));
    assert.deepEqual([manifest.up, manifest.handedness, manifest.green], [target.up, target.handedness, "down"]);
  });

  test(`PLY, ${label}: three and assimp read the axes, the unit and the hand`, () => {
    const target = { ...ready("Loose files, Z up"), name: `ply ${label}`, mesh: "ply", ...space }, files = deliver(target);
    const geometry = new PLYLoader().parse(plain(files.get("meshes/vane.ply"))), { points } = cornersOf(new Mesh(geometry));
    sameCorners(points, expected(target), 1e-4 / target.unitMetres);
    assert.ok(geometry.attributes.uv && geometry.attributes.color && geometry.attributes.normal);
    inBox(assimp("meshes/vane.ply", files), expected(target), 1e-4 / target.unitMetres);
  });
}

for (const [label, more] of [["USDZ", {}], ["USDA", { mesh: "usda", embedded: null, textures: "png" }],
  ["USDZ, Z up, centimetres", { up: "z", unitMetres: 0.01 }]]) {
  test(`USD scene, ${label}: three reads axes, unit, groups, instances and materials`, () => {
    const target = { ...ready("USD scene"), name: label, ...more }, files = deliver(target), isPacked = target.mesh === "usdz";
    const name = `vane.${target.mesh}`, inside = isPacked ? readStoredZip(files.get(name)) : files;
    const layer = text(inside.get("vane.usda")), shapes = text(inside.get("vane_shapes.usda"));
    assert.match(layer, new RegExp(`upAxis = "${target.up.toUpperCase()}"`));
    assert.match(layer, new RegExp(`metersPerUnit = ${target.unitMetres}\\b`));
    assert.equal((layer + shapes).match(/point3f\[\] points/g).length, 1, "the blade is written once");
    assert.match(shapes, /float4\[\] primvars:tangents[^(]*\([^\]]*\] \(\n\s+interpolation = "faceVarying"\n\s+\)/);
    assert.match(layer, /float inputs:opacityThreshold = 0.25/);
    assert.match(layer, /float inputs:clearcoat = 0.75/);
    if (isPacked) {
      // Each entry begins at a multiple of 64 bytes.
      const bytes = files.get(name), view = new DataView(bytes.buffer, bytes.byteOffset);
      for (let i = 0; view.getUint32(i, true) === 0x04034b50;) {
        const begins = i + 30 + view.getUint16(i + 26, true) + view.getUint16(i + 28, true);
        assert.equal(begins % 64, 0);
        i = begins + view.getUint32(i + 18, true);
      }
    }
    // Pictures need a page, so they are left out; the loader takes layers that refer to others from packages.
    const bare = layer.replace(/asset inputs:file = @[^@]*@/g, "asset inputs:file = @@");
    const top = new USDLoader().parse(plain(zipSync({ "vane.usda": strToU8(bare), "vane_shapes.usda": strToU8(shapes) }, { level: 0 })));
    const { points, meshes } = cornersOf(top);
    assert.deepEqual(meshes.map((m) => m.name), blades.map((b) => b.name));
    assert.deepEqual(meshes.map(({ material: m }) => [m.clearcoat, m.alphaTest]), blades.map(() => [0.75, 0.25]));
    // The loader brings every scene to Y up and metres.
    const wanted = expected({ up: "y", handedness: "right", unitMetres: 1 });
    for (const { geometry: { attributes } } of meshes) for (const name of ["normal", "uv"])
      assert.ok(attributes[name].array.every(Number.isFinite) && attributes[name].array.some((v) => v !== 0), name);
    sameCorners(points, wanted, 1e-4 / target.unitMetres);
    assert.ok(volume(points) > 0);
  });
}

test("MaterialX: three's loader takes every node, with the pictures and what the material says", async () => {
  const files = deliver({ ...ready("Loose files, Y up"), name: "mtlx" }), browser = await openBrowser();
  try {
    const page = await browser.newPage(), host = "http://three.test";
    // The loader is for pages, so a page is given the very files that lie here.
    await page.route(`${host}/**`, async (route) => {
      const path = new URL(route.request().url()).pathname;
      const imports = { three: "/build/three.webgpu.js", "three/webgpu": "/build/three.webgpu.js", "three/tsl": "/build/three.tsl.js" };
      if (path === "/")
        return route.fulfill({ contentType: "text/html", body: `<script type="importmap">${JSON.stringify({ imports })}</script>` });
      if (path.startsWith("/textures/")) return route.fulfill({ contentType: "image/png", body: Buffer.from(files.get(path.slice(1))) });
      return route.fulfill({ contentType: "text/javascript", path: join(root, "tests/browser/node_modules/three", path) });
    });
    await page.goto(host);
    const read = await page.evaluate(async (document) => {
      const { MaterialXLoader } = await import("/examples/jsm/loaders/MaterialXLoader.js");
      const { materials, errors, warnings } = new MaterialXLoader().setPath("/materials/").parse(document);
      const [vane] = Object.values(materials), has = (name) => vane[name] !== null && vane[name] !== undefined;
      return {
        names: Object.keys(materials), said: [...errors, ...warnings].map((e) => JSON.stringify(e)),
        nodes: ["colorNode", "roughnessNode", "metalnessNode", "normalNode", "opacityNode", "clearcoatNode", "iorNode"].filter(has),
      };
    }, text(files.get("materials/vane.mtlx")));
    assert.deepEqual(read, {
      names: ["vane"], said: [], nodes: ["colorNode", "roughnessNode", "metalnessNode", "normalNode", "opacityNode", "clearcoatNode", "iorNode"],
    });
  } finally {
    await browser.close();
  }
});

test("what our own reader reads of each format is what left", () => {
  for (const [name, extra] of [["Open glTF", {}], ["USD scene", {}], ["USD scene", { up: "z", unitMetres: 0.01 }], ["Loose files, Y up", {}]]) {
    const target = { ...ready(name), ...extra, name: `back ${name} ${extra.up ?? ""}` }, files = deliver(target);
    for (const [path, bytes] of files) {
      mkdirSync(dirname(at("back", path)), { recursive: true });
      writeFileSync(at("back", path), bytes);
    }
    const mesh = [...files.keys()].find((f) => /\.(glb|gltf|usdz|usda)$/.test(f)), { objects } = JSON.parse(crumpet("inspect", at("back", mesh), "--json"));
    assert.deepEqual(objects.map((o) => o.name).sort(), blades.map((b) => b.name));
    const points = expected({ up: "y", handedness: "right", unitMetres: 1 });
    for (let a = 0; a < 3; a++)
      assert.ok(Math.abs(Math.min(...objects.map((o) => o.minMetres[a])) - Math.min(...points.map((p) => p[a]))) < 1e-4, `${name}`);
  }
});

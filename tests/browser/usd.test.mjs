// Scenes of Universal Scene Description as an independent writer makes them and an independent reader sees them.
import assert from "node:assert/strict";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { Box3, CylinderGeometry, Group, Mesh, MeshStandardMaterial, Scene, TorusKnotGeometry, Vector3 } from "three";
import { USDZExporter } from "three/examples/jsm/exporters/USDZExporter.js";
import { USDAParser } from "three/examples/jsm/loaders/usd/USDAParser.js";
import { USDLoader } from "three/examples/jsm/loaders/USDLoader.js";
import { crumpet, root } from "./app.mjs";
import { writeCrate } from "./usd-crate.mjs";
import { crate, specs, text } from "./usd-scene.mjs";

let folder;
before(() => { folder = mkdtempSync(join(tmpdir(), "crumpet-usd-")); });
after(() => rmSync(folder, { recursive: true, force: true }));

function measured(top) {
  top.updateMatrixWorld(true);
  const box = new Box3(), at = new Vector3();
  let triangles = 0;
  top.traverse((o) => {
    if (!o.isMesh) return;
    const { index, attributes: { position } } = o.geometry;
    triangles += (index ?? position).count / 3;
    for (let i = 0; i < position.count; i++) box.expandByPoint(o.getVertexPosition(i, at).applyMatrix4(o.matrixWorld));
  });
  return { triangles, min: box.min.toArray(), max: box.max.toArray() };
}

function asCrumpetReads(path) {
  const { objects } = JSON.parse(crumpet("inspect", path, "--json"));
  return {
    objects, triangles: objects.reduce((n, o) => n + o.triangles, 0),
    min: [0, 1, 2].map((a) => Math.min(...objects.map((o) => o.minMetres[a]))),
    max: [0, 1, 2].map((a) => Math.max(...objects.map((o) => o.minMetres[a] + o.sizeMetres[a]))),
  };
}

function agree(ours, theirs) {
  assert.equal(ours.triangles, theirs.triangles);
  for (let a = 0; a < 3; a++) {
    assert.ok(Math.abs(ours.min[a] - theirs.min[a]) < 1e-4, `least ${ours.min} for ${theirs.min}`);
    assert.ok(Math.abs(ours.max[a] - theirs.max[a]) < 1e-4, `greatest ${ours.max} for ${theirs.max}`);
  }
}

test("a package that another program wrote", async () => {
  const scene = new Scene(), arm = new Group(), brass = new MeshStandardMaterial({ name: "brass", color: 0xb5a642, metalness: 1, roughness: 0.25 });
  arm.name = "arm";
  arm.position.set(0.4, 1.2, -0.3);
  arm.rotation.set(0.3, -0.8, 1.1);
  scene.add(arm);
  const knot = new Mesh(new TorusKnotGeometry(0.2, 0.05, 40, 8), brass), post = new Mesh(new CylinderGeometry(0.1, 0.2, 1, 12), brass.clone());
  [knot.name, post.name] = ["knot_high", "post_low"];
  post.material.name = "oak";
  post.scale.set(1, 2, 0.5);
  knot.position.z = 0.7;
  arm.add(knot, post);
  const path = join(folder, "arm.usdz"), wanted = measured(scene);
  writeFileSync(path, Buffer.from(await new USDZExporter().parseAsync(scene, { quickLookCompatible: false })));
  const ours = asCrumpetReads(path);
  agree(ours, wanted);
  assert.deepEqual(ours.objects.map((o) => [o.name, o.side]).sort(), [["knot_high", "high"], ["post_low", "low"]]);
  assert.deepEqual(ours.objects.map((o) => [o.uvSets, o.hasNormals]), [[1, true], [1, true]]);
});

test("a layer with transforms, an axis and a unit, as another reader has it", async () => {
  const shape = `def Mesh "shape" {
      int[] faceVertexCounts = [3, 3, 4, 4, 4]
      int[] faceVertexIndices = [0, 2, 1, 3, 4, 5, 0, 1, 4, 3, 1, 2, 5, 4, 2, 0, 3, 5]
      point3f[] points = [(0, 0, 0), (30, 0, 0), (0, 40, 0), (0, 0, 50), (30, 0, 50), (0, 40, 50)]
      uniform token subdivisionScheme = "none"
    }`;
  const text = `#usda 1.0
(
  metersPerUnit = 0.01
  upAxis = "Z"
  defaultPrim = "World"
)
def Xform "World" {
  double3 xformOp:translate = (100, 20, 5)
  float3 xformOp:rotateXYZ = (10, 20, 30)
  float3 xformOp:scale = (1, 2, 3)
  uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ", "xformOp:scale"]
  def Xform "wedge_low" {
    ${shape}
  }
  def Xform "wedge_high" {
    ${shape}
    double3 xformOp:translate = (0, -80, 0)
    quatf xformOp:orient = (0.8, 0, 0.6, 0)
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:orient"]
  }
}
`;
  const path = join(folder, "wedge.usda");
  writeFileSync(path, text);
  assert.ok(new USDAParser().parseData(text));
  const ours = asCrumpetReads(path);
  assert.deepEqual(ours.objects.map((o) => o.name), ["wedge_low", "wedge_high"]);
  agree(ours, measured(new USDLoader().parse(text)));
});

test("the binary form, as another reader has it and as its text says", () => {
  const whole = crate(8);
  for (const [name, bytes] of [["scene.usdc", whole], ["scene.usda", Buffer.from(text)]]) {
    const fixture = join(root, "tests/Crumpet.Core.Tests/Fixtures", name);
    if (process.env.CRUMPET_WRITE_FIXTURES) writeFileSync(fixture, bytes);
    assert.ok(readFileSync(fixture).equals(bytes), `${name} is not what is written here; CRUMPET_WRITE_FIXTURES=1 writes it`);
  }
  const plain = writeCrate(specs({ composes: false })), path = join(folder, "tubes.usdc");
  writeFileSync(path, plain);
  const ours = asCrumpetReads(path);
  assert.deepEqual(ours.objects.map((o) => [o.name, o.hasNormals]), [["tube_low", true], ["tube_high", false]]);
  agree(ours, measured(new USDLoader().parse(plain.buffer.slice(plain.byteOffset, plain.byteOffset + plain.length))));
  // Every version writes arrays its own way; what is read is the same.
  const listed = (bytes, as) => { writeFileSync(join(folder, as), bytes); return JSON.parse(crumpet("inspect", join(folder, as), "--json")).objects.map((o) => ({ ...o, file: "" })); };
  const wanted = listed(text, "scene.usda");
  assert.deepEqual(wanted.map((o) => o.name), ["tube_low", "tube_high", "plate_high", "plate_low", "bolt_low"]);
  for (const minor of [4, 5, 6, 7, 8, 12]) assert.deepEqual(listed(crate(minor), `v${minor}.usdc`), wanted);
});

// The schemas that are shipped, as an independent validator reads them: what Crumpet writes is good by them, and what it refuses is not.
import Ajv from "ajv/dist/2020.js";
import assert from "node:assert/strict";
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, root } from "./app.mjs";

let folder;
before(() => { folder = mkdtempSync(join(tmpdir(), "crumpet-schema-")); });
after(() => rmSync(folder, { recursive: true, force: true }));

const read = (path) => JSON.parse(readFileSync(path, "utf8"));
const schema = (word) => new Ajv.default({ strict: false }).compile(read(join(root, "docs/schema", `${word}.schema.json`)));

test("the demo kit is good by its schemas", () => {
  crumpet("demo", "--out", folder, "--coarse");
  const kit = schema("kit"), asset = schema("asset");
  assert.ok(kit(read(join(folder, "kit.json"))), JSON.stringify(kit.errors));
  for (const name of readdirSync(join(folder, "assets")))
    assert.ok(asset(read(join(folder, "assets", name, "asset.json"))), JSON.stringify(asset.errors));
});

test("what the command refuses is refused by the schema, and what it takes is taken", () => {
  const kit = schema("kit"), whole = { version: 3, name: "K", assets: [] };
  for (const [good, more] of [[true, {}], [false, { asets: [] }], [false, { settings: { bake: { size: 9 } } }], [true, { settings: { bake: { size: 64 } } }],
    [false, { settings: { bake: { samples: 3 } } }], [false, { settings: { bake: { maps: ["sparkle"] } } }], [false, { settings: { bake: { filter: "round" } } }],
    [true, { settings: { bake: { outwardReachMetres: null, maps: ["normal", "ao"], filter: "box" } } }],
    [true, { rules: { mends: [{ mend: "units", factor: 0.01 }] } }], [false, { rules: { mends: [{ mend: "unit", factor: 0.01 }] } }],
    [false, { rules: { mends: [{ mend: "units", factr: 0.01 }] } }]]) {
    const document = { ...whole, ...more };
    assert.equal(kit(document), good, JSON.stringify(more));
    writeFileSync(join(folder, "kit.json"), JSON.stringify(document));
    const run = () => crumpet("build", folder, "--explain");
    if (good) run(); else assert.throws(run);
  }
});

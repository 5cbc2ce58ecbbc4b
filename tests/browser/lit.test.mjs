// An asset through all four targets, as three's own loaders and materials light it, beside the stage that shows what is delivered: the camera,
// the sky and the sun are the same. What is left is how much two renderers differ.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { after, before, test } from "node:test";
import { unzipSync } from "three/examples/jsm/libs/fflate.module.js";
import { crumpet, root, sharedApp } from "./app.mjs";
import { bytesOf, dropKit, kitOf, openBrowser, openPage, press, ready, work } from "./browser.mjs";
import { png } from "./png.mjs";
import { sphere } from "./shapes.mjs";
import { readStoredZip } from "./zip.mjs";

const folder = mkdtempSync(join(tmpdir(), "crumpet-lit-")), at = (...names) => join(folder, ...names);
const keep = process.env.CRUMPET_LIT;
let app, browser, page, complaints, asset, kit, stage;

const upload = (name, colour) => ({ name: `float_${name}.png`, mimeType: "image/png", buffer: png(128, 128, colour) });
const squares = (x, y, n) => ((x >> n) + (y >> n)) % 2;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app, 1));
  // Painted metal with bumps: every channel has something to get wrong, left from right and above from below.
  asset = await dropKit(page, app, [sphere("float_low", 48, 24),
    upload("albedo", (x, y) => (squares(x, y, 4) ? [200, 60 + y, 40, 255] : [90, 120, 60 + x, 255])),
    upload("nrm", (x, y) => [128 + (x % 32 < 16 ? 40 : -40), 128 + (y % 32 < 16 ? 40 : -40), 240, 255]),
    upload("orm", (x, y) => [255 - y, 60 + x, squares(x, y, 5) ? 255 : 0, 255])], { "bake.size": "256" });
  kit = await kitOf(page, asset);
  await work(page, asset, "bind");
  await page.goto(`${asset}/bind`);
  await page.click(".bound .folds summary");
  const said = { ClearCoat: "0.6", ClearCoatRoughness: "0.2", Index: "1.7", RepeatU: "2", RepeatV: "1.5", TurnDegrees: "20", MoveU: "0.1", MoveV: "0.05" };
  for (const [field, value] of Object.entries(said)) await page.fill(`.bound [name="${field}"]`, value);
  await press(page, ".bound .folds button:text-is('Keep')");
  await work(page, asset, "bind");
  await page.goto(`${asset}/bind`);
  await ready(page);
  stage = await page.evaluate(async () => {
    const { stage } = document.querySelector("[data-stage]"), { still, aim } = await clientFile("js/stage/painting.js");
    const width = 320, height = Math.round(320 * stage.canvas.clientHeight / stage.canvas.clientWidth);
    const bitmap = await createImageBitmap(await still(stage, width, height)), small = new OffscreenCanvas(width, height).getContext("2d");
    small.drawImage(bitmap, 0, 0);
    const { data } = small.getImageData(0, 0, width, height), camera = aim(stage, stage.layout()[0]);
    let text = "";
    for (let i = 0; i < data.length; i += 0x8000) text += String.fromCharCode(...data.subarray(i, i + 0x8000));
    return { width, height, pixels: btoa(text), camera: { matrix: camera.matrixWorld.toArray(), projection: camera.projectionMatrix.toArray() } };
  });
  stage.pixels = bytesOf(stage.pixels);
  const saved = unzipSync(new Uint8Array(await (await fetch(`${kit}/folder.zip`)).arrayBuffer()));
  for (const [path, bytes] of Object.entries(saved)) {
    mkdirSync(dirname(at("kit", path)), { recursive: true });
    writeFileSync(at("kit", path), bytes);
  }
});

after(async () => {
  await browser?.close();
  await app?.stop();
  rmSync(folder, { recursive: true, force: true });
});

/** The asset's files for a target. */
function deliver(name) {
  const target = at(`${name.replace(/\W/g, "")}.target.json`), out = at("out", name.replace(/\W/g, ""));
  writeFileSync(target, crumpet("target", name));
  const told = JSON.parse(crumpet("build", at("kit"), "--target", target, "--out", out, "--store", at("store"), "--json"));
  return { files: readStoredZip(readFileSync(told.assets[0].files[0].path)), jobs: told.jobs };
}

/** Blocks as Debian's Pillow decodes them; of normals the third number is what is left to one. */
function decoded(bytes, name) {
  writeFileSync(at("blocks.dds"), bytes);
  execFileSync("/usr/bin/python3", ["-c", `
import sys
from PIL import Image
picture = Image.open(sys.argv[1]).convert("RGB")
if "normal" in sys.argv[3]:
    up = lambda r, g: max(0, 1 - (r / 127.5 - 1) ** 2 - (g / 127.5 - 1) ** 2) ** 0.5
    picture.putdata([(r, g, round(127.5 * up(r, g) + 127.5)) for r, g, b in picture.getdata()])
picture.save(sys.argv[2])`, at("blocks.dds"), at("blocks.png"), name]);
  return readFileSync(at("blocks.png"));
}

async function drawn(files, kind, url, settings) {
  const context = await browser.newContext(), three = await context.newPage();
  const types = { js: "text/javascript", mjs: "text/javascript", png: "image/png", json: "application/json" };
  await three.route(`${app.url}/beside/**`, async (route) => {
    const path = decodeURIComponent(new URL(route.request().url()).pathname.slice("/beside/".length));
    const contentType = types[path.split(".").pop()] ?? "application/octet-stream";
    if (path === "") {
      const imports = { three: "/beside/three/build/three.module.js", "three/addons/": "/beside/three/examples/jsm/" };
      return route.fulfill({ contentType: "text/html", body: `<script type="importmap">${JSON.stringify({ imports })}</script>` });
    }
    if (path.startsWith("three/")) return route.fulfill({ contentType, path: join(root, "tests/browser/node_modules", path) });
    if (path === "beside-three.mjs") return route.fulfill({ contentType, path: join(root, "tests/browser/beside-three.mjs") });
    const bytes = files.get(path.replace("delivery/", ""));
    if (!bytes) return route.fulfill({ status: 404 });
    return route.fulfill(path.endsWith(".dds") ? { contentType: "image/png", body: decoded(bytes, path) } : { contentType, body: Buffer.from(bytes) });
  });
  await three.goto(`${app.url}/beside/`);
  const { width, height, camera } = stage, base = `${app.url}/beside/delivery/`;
  const text = await three.evaluate(async (what) => (await import("/beside/beside-three.mjs")).draw(what),
    { kind, url: base + url, settings: settings && base + settings, lightUrl: `${app.url}/light`, camera, width, height });
  await context.close();
  return bytesOf(text);
}

/** How far two pictures are apart where both show the asset and not its edge: in codes of 255. */
function compared(ours, theirs, name) {
  const { width, height } = stage, apart = [];
  const inside = (i) => theirs[4 * i + 3] === 255;
  let edge = 0, covered = 0;
  for (let y = 1; y < height - 1; y++)
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      if (theirs[4 * i + 3] > 127) covered++;
      if (![i, i - 1, i + 1, i - width, i + width].every(inside)) { edge++; continue; }
      for (let c = 0; c < 3; c++) apart.push(Math.abs(ours[4 * i + c] - theirs[4 * i + c]));
    }
  if (keep)
    for (const [label, pixels] of [["stage", ours], [name.replace(/\W/g, ""), theirs]])
      writeFileSync(join(keep, `${label}.png`), png(width, height, (x, y) => [...pixels.slice(4 * (y * width + x), 4 * (y * width + x) + 3), 255]));
  apart.sort((a, b) => a - b);
  return { covered, mean: apart.reduce((sum, v) => sum + v, 0) / apart.length, most: apart[Math.floor(apart.length * 0.95)] };
}

for (const [name, kind, url, settings] of [["Open glTF", "gltf", "float.glb"], ["USD scene", "usd", "float.usdz"],
  ["Loose files, Y up", "gltf", "meshes/float.gltf"], ["Loose files, Z up", "obj", "meshes/float.obj", "materials/float_settings.json"]])
  test(`${name}: three's loader, lit by the same sky, shows what the stage shows`, async (t) => {
    const { files, jobs } = deliver(name), found = compared(stage.pixels, await drawn(files, kind, url, settings), name);
    t.diagnostic(`${jobs.worked} of ${jobs.all} jobs worked; mean ${found.mean.toFixed(2)}, 95 % within ${found.most} of 255`);
    assert.ok(found.covered > 10_000, `${found.covered} pixels show it`);
    assert.ok(found.mean < 11 && found.most < 30, JSON.stringify(found));
  });

test("nothing was complained of", () => assert.equal(complaints.join("\n"), ""));

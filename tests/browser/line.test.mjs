// The whole line as an artist walks it: from dropped files to the downloaded package, and the package before independent judges.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { after, before, test } from "node:test";
import validator from "gltf-validator";
import { crumpet, root, sharedApp } from "./app.mjs";
import { openBrowser, openPage, press } from "./browser.mjs";
import { readGlb, unindexed } from "./glb.mjs";
import { readStoredZip } from "./zip.mjs";

let app, browser, page, complaints, demo, kit, asset, zip, files;

before(async () => {
  app = await sharedApp();
  demo = join(app.folder, "demo");
  crumpet("demo", "--coarse", "--out", demo);
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

async function stop(station, state) {
  try {
    await page.waitForSelector(`.stop-${state}[data-station="${station}"]`, { timeout: 240_000 });
  } catch (error) {
    throw new Error(`${station} is not ${state}; the page says:\n${await page.innerText("body")}\n${app.log()}`, { cause: error });
  }
}

test("dropped and picked files become an asset whose objects are listed", async () => {
  await page.goto(`${app.url}/kits`);
  await page.fill("#name", "Salt marsh station");
  await page.click('button:has-text("Make kit")');
  // Until the page has loaded nothing there listens for a drop.
  await page.waitForURL(/\/kits\/\d+/);
  kit = page.url();
  const folder = join(demo, "assets", "louvre_screen");
  const texts = ["louvre_screen_low.obj", "louvre_screen_low.mtl"].map((name) => ({ name, text: readFileSync(join(folder, name), "utf8") }));
  const transfer = await page.evaluateHandle((list) => {
    const t = new DataTransfer();
    for (const { name, text } of list) t.items.add(new File([text], name));
    return t;
  }, texts);
  await page.dispatchEvent(".drop", "drop", { dataTransfer: transfer });
  await page.waitForURL(/\/assets\/\d+\/intake/);
  asset = page.url().replace(/\/intake.*/, "");
  await page.setInputFiles('input[name="files"]', join(folder, "louvre_screen_high.glb"));
  await stop("layout", "fresh");
  await page.waitForSelector('.ledger tr[data-place="slat_south_01_high"]');
  assert.equal(await page.locator(".ledger tbody tr").count(), 92);
});

test("pairs are shown one part a row and the stage shows the high side", async () => {
  await page.keyboard.press("2");
  await page.waitForURL(/\/pairs/);
  assert.equal(await page.locator(".ledger tbody tr").count(), 46);
  await page.waitForSelector('[data-stage][data-ready="high:plain"]', { timeout: 60_000 });
});

test("a bake shows its progress, ends fresh and can be read texel by texel", async () => {
  await page.goto(`${asset}/bake`);
  await page.selectOption("#size", "512");
  await page.fill("#rays", "8");
  await page.click("button.button-main");
  await page.waitForFunction(() => Number(document.querySelector(".run-box progress")?.value) > 0.1, null, { timeout: 120_000 });
  await stop("bake", "fresh");
  await page.waitForSelector('[data-map-viewer][data-ready$="_normal.png"]', { timeout: 60_000 });
  const box = await page.locator("[data-map-viewer] .over").boundingBox();
  // The empty lower right of the sheet is flat.
  await page.mouse.move(box.x + box.width * 0.9, box.y + box.height * 0.62);
  await page.waitForFunction(() => /R 128 G 128 B 255 n \(0\.00, 0\.00, 1\.00\)/.test(document.querySelector("[data-map-viewer] .readout").textContent));
  await page.waitForSelector('[data-stage][data-ready="wipe high:plain low:baked"]', { timeout: 60_000 });
});

test("a run can be cancelled and says so", async () => {
  await page.selectOption("#size", "4096");
  await page.click("button.button-main");
  await page.waitForFunction(() => Number(document.querySelector(".run-box progress")?.value) > 0.02, null, { timeout: 120_000 });
  await press(page, "text=Cancel");
  await page.goto(`${app.url}/runs`);
  await page.waitForSelector('.run-message:has-text("Cancelled at Bake; what was worked until then is kept, nothing half done is.")');
  await page.goto(`${asset}/bake`);
  await page.selectOption("#size", "512");
  await page.click("button.button-main");
  await stop("bake", "fresh");
});

test("build all takes the asset to a delivery that can be downloaded", async () => {
  await page.goto(kit);
  await page.click("text=Build all");
  await stop("deliver", "fresh");
  await page.click(".timetable .asset-name");
  await page.waitForURL(/\/deliver/);
  const [download] = await Promise.all([page.waitForEvent("download"), page.click(".ticket a[download]")]);
  zip = readFileSync(await download.path());
  files = readStoredZip(zip);
  assert.deepEqual([...files.keys()], ["louvre_screen.glb", "textures/louvre_screen_colour.dds", "textures/louvre_screen_normal.dds",
    "textures/louvre_screen_masks.dds", "manifest.json"]);
});

test("every station's page opens with its viewers and without a complaint", async () => {
  for (const [station, ready] of [["intake", "high:plain"], ["layout", "low:checker"], ["pack", null], ["convert", null], ["bind", "low:delivered"],
    ["deliver", "low:delivered"]]) {
    await page.goto(`${asset}/${station}`);
    if (ready) await page.waitForSelector(`[data-stage][data-ready="${ready}"]`, { timeout: 60_000 });
    assert.equal(await page.evaluate(() => document.documentElement.scrollHeight > innerHeight), false, `${station} scrolls`);
  }
  assert.deepEqual(complaints, []);
});

test("the manifest's hashes and sizes hold", () => {
  const manifest = JSON.parse(new TextDecoder().decode(files.get("manifest.json")));
  assert.equal(manifest.files.length, 4);
  for (const file of manifest.files) {
    const bytes = files.get(file.path);
    assert.equal(bytes.length, file.bytes);
    assert.equal(createHash("sha256").update(bytes).digest("hex"), file.sha256);
    assert.ok(file.madeFrom.length > 0);
  }
});

test("the GLB passes the validator with no error and no warning", async () => {
  const report = await validator.validateBytes(files.get("louvre_screen.glb"), { externalResourceFunction: async (uri) => files.get(decodeURIComponent(uri)) });
  assert.equal(report.issues.numErrors, 0, JSON.stringify(report.issues.messages.slice(0, 5)));
  assert.equal(report.issues.numWarnings, 0, JSON.stringify(report.issues.messages.slice(0, 5)));
  assert.ok(report.info.totalTriangleCount >= 1500 && report.info.totalTriangleCount <= 4000);
  assert.ok(report.info.hasTextures);
});

test("tangents are the reference implementation's", async () => {
  const { generateTangents } = await import("mikktspace");
  let worst = 0, corners = 0;
  for (const primitive of readGlb(files.get("louvre_screen.glb"))) {
    const { position, normal, uv, tangent } = unindexed(primitive);
    // glTF counts v from the top; tangents belong to v from the bottom, as green points up.
    const upward = uv.map((value, i) => (i % 2 ? 1 - value : value));
    const reference = generateTangents(position, normal, upward);
    for (let i = 0; i < tangent.length; i++) worst = Math.max(worst, Math.abs(reference[i] - tangent[i]));
    corners += tangent.length / 4;
  }
  assert.ok(corners > 6000);
  assert.ok(worst < 1e-4, `${worst}`);
});

test("DDS files decode in Pillow as they do here", async () => {
  const work = join(app.folder, "dds");
  mkdirSync(work);
  for (const [name, channels] of [["louvre_screen_colour", 3], ["louvre_screen_normal", 2], ["louvre_screen_masks", 3]]) {
    const at = (ending) => join(work, name + ending);
    writeFileSync(at(".dds"), files.get(`textures/${name}.dds`));
    writeFileSync(at(".png"), Buffer.from(await (await fetch(`${asset}/files/pack/${name}.png`)).arrayBuffer()));
    crumpet("decode", at(".dds"), "--out", at("_ours.png"));
    const found = JSON.parse(execFileSync("/usr/bin/python3",
      [join(dirname(new URL(import.meta.url).pathname), "compare_dds.py"), at(".dds"), at("_ours.png"), at(".png"), channels], { encoding: "utf8" }));
    if (channels === 2) {
      // Pillow rounds the values between BC5's ends down, where the format has them exact: one code at most, and never above ours.
      assert.ok(found.greatest <= 1 && found.ours >= found.pillow, JSON.stringify(found));
      assert.ok(found.ours > 45);
    } else {
      assert.ok(Math.abs((found.pillow ?? 999) - (found.ours ?? 999)) <= 0.1, JSON.stringify(found));
    }
  }
});

test("blocks of every BC7 mode decode in Pillow to the same texels", () => {
  const work = join(app.folder, "random");
  mkdirSync(work);
  const side = 256, blocks = new Uint8Array(side * side);
  let seed = 1;
  for (let i = 0; i < blocks.length; i++) blocks[i] = (seed = (Math.imul(seed, 1103515245) + 12345) >>> 0) >>> 16;
  for (let i = 0; i < blocks.length; i += 16) {
    const mode = (i / 16) % 8;
    blocks[i] = (blocks[i] & ~((2 << mode) - 1)) | (1 << mode);
  }
  const head = new Uint8Array(148), view = new DataView(head.buffer);
  for (const [at, value] of [[0, 0x20534444], [4, 124], [8, 0x81007], [12, side], [16, side], [20, blocks.length], [28, 1], [76, 32], [80, 4], [84, 0x30315844],
    [108, 0x1000], [128, 98], [132, 3], [140, 1]])
    view.setUint32(at, value, true);
  writeFileSync(join(work, "a.dds"), Buffer.concat([head, blocks]));
  crumpet("decode", join(work, "a.dds"), "--out", join(work, "a.png"));
  const found = JSON.parse(execFileSync("/usr/bin/python3",
    [join(root, "tests/browser/compare_dds.py"), join(work, "a.dds"), join(work, "a.png"), join(work, "a.png"), 4], { encoding: "utf8" }));
  assert.equal(found.greatest, 0);
});

// The bake station: what is baked looks like the high side, faults are shown and mended, drafts come first and can be kept.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { deflateSync } from "node:zlib";
import { sharedApp } from "./app.mjs";
import { bytesOf, dropKit, fresh, openBrowser, openPage, openStage, press, ready, work } from "./browser.mjs";
import { sphere } from "./shapes.mjs";

let app, browser, page, complaints;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  // Every pixel is drawn in software.
  await page.setViewportSize({ width: 960, height: 640 });
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

/** Brightness, 0 to 255, of the stage from 12 sides. */
const sides = async () => (await page.evaluate(() => {
  const { stage } = document.querySelector("[data-stage]"), { canvas, camera } = stage;
  stage.frameAll();
  return Array.from({ length: 12 }, (_, i) => {
    [camera.yaw, camera.pitch] = [i * Math.PI / 6, [-0.5, 0, 0.6][i % 3]];
    camera.place(false);
    stage.drawNow();
    const small = new OffscreenCanvas(160, 160).getContext("2d");
    small.drawImage(canvas, 0, 0, 160, 160);
    return btoa(String.fromCharCode(...small.getImageData(0, 0, 160, 160).data.filter((_, n) => n % 4 === 1)));
  });
})).map(bytesOf);

test("the baked low side, lit, differs from the high side by less than 2.5 of 255 root mean square from 12 sides", async () => {
  const asset = await dropKit(page, app, [sphere("float_low", 64, 32), sphere("float_high", 192, 96, { dents: 0.008 })]);
  await page.goto(`${asset}/bake`);
  await page.uncheck('input[name="Maps"][value="ao"]');
  await page.selectOption("#size", "512");
  await page.fill("#outward", "10");
  await page.fill("#inward", "60");
  await press(page, "[data-bake]");
  await fresh(page, "bake");
  await openStage(page, asset, "bake");
  await page.click('[data-stage] [data-compare="one"]');
  const seen = {};
  for (const look of ["high:plain", "low:baked", "low:plain"]) {
    await page.selectOption('[data-stage] [data-pane="0"]', look);
    await ready(page);
    seen[look] = await sides();
  }
  // Where both sides cover the pixel: outlines are geometry's, not the map's.
  const background = seen["high:plain"][0][0];
  const apart = (one, two) => seen[one].map((view, i) => {
    const covered = (n) => [view[n], seen[two][i][n]].every((v) => Math.abs(v - background) > 1);
    const inside = (n) => [0, 4, -4, 4 * 160, -4 * 160].every((step) => covered(n + step));
    const both = view.map((v, n) => [v, seen[two][i][n], n]).filter(([, , n]) => inside(n));
    return Math.sqrt(both.reduce((sum, [a, b]) => sum + (a - b) ** 2, 0) / both.length);
  });
  const baked = apart("high:plain", "low:baked"), plain = apart("high:plain", "low:plain");
  const words = `baked ${baked.map((v) => v.toFixed(2))}; without the map ${plain.map((v) => v.toFixed(2))}`;
  assert.ok(Math.max(...baked) < 2.5, words);
  assert.ok(baked.every((v, i) => v < 0.6 * plain[i]), words);
});

test("a neighbour's surface is shown with its ray, and one press puts it right", async () => {
  const asset = await dropKit(page, app, ["left", "right"].flatMap(
    (part, i) => [sphere(`${part}_low`, 48, 24, { right: 1.004 * i }), sphere(`${part}_high`, 96, 48, { right: 1.004 * i })]));
  await work(page, asset, "pairs", { trays: "One" });
  await work(page, asset, "bake", { size: "256", rays: "1", outward: "1200", inward: "20" });
  await openStage(page, asset, "bake");
  await page.waitForSelector("[data-map-viewer][data-ready]");
  const finding = page.locator(".finding:has-text('carries the surface')").first();
  await finding.click();
  await page.waitForFunction(() => document.querySelector("[data-stage]").stage.gap?.type === "ArrowHelper"
    || document.querySelector("[data-stage]").stage.gap);
  const [x, y, width] = (await finding.getAttribute("data-on-sheet")).split(" ").map(Number);
  const shown = await page.evaluate(([cx, cy]) => { const { view, canvas } = document.querySelector("[data-map-viewer]").map;
    return [view.x + cx * view.scale, view.y + cy * view.scale, canvas.clientWidth, canvas.clientHeight]; }, [x + width / 2, y]);
  assert.ok(shown[0] > 0 && shown[0] < shown[2] && shown[1] > 0 && shown[1] < shown[3], `the region is in sight: ${shown}`);
  await page.selectOption('[data-map-viewer] [data-pane="0"]', { label: "faults" });
  assert.match(await page.locator(".legend").first().innerText(), /another part/);
  await press(page, "button:has-text('on separate trays') >> nth=0");
  await fresh(page, "bake");
  await page.reload();
  assert.equal(await page.locator(".finding:has-text('carries the surface')").count(), 0);
  await page.goto(`${asset}/history`);
  assert.match(await page.locator("main").innerText(), /kept apart|apart from/i);
});

test("a draft comes first and can be kept; the button then bakes in full", async () => {
  const asset = await dropKit(page, app, [sphere("slow_low", 48, 24), sphere("slow_high", 128, 64, { dents: 0.02 })]);
  await page.goto(`${asset}/bake`);
  await page.selectOption("#size", "1024");
  await page.fill("#rays", "1024");
  await page.fill("#inward", "60");
  await press(page, "[data-bake]");
  await page.waitForSelector("text=Stop and keep this draft", { timeout: 120_000 });
  assert.match(await page.locator(".draft-note").innerText(), /draft at 1\/(8|2)/);
  await press(page, "text=Stop and keep this draft");
  await fresh(page, "bake");
  await page.reload();
  assert.match(await page.locator(".draft-note").innerText(), /bakes it in full/);
  const covered = async () => Number((await page.locator("dt:has-text('Texels covered') + dd").innerText()).replace(/\D/g, ""));
  assert.ok(await covered() <= 512 * 512);
  await work(page, asset, "bake", { size: "256", rays: "1" });
  await page.reload();
  assert.equal(await page.locator(".draft-note").count(), 0);
  assert.ok(await covered() > 50_000);
});

test("every map can be asked for, with its files, legend and scales, and numbers that are none are said", async () => {
  const asset = await dropKit(page, app, [sphere("all_low", 32, 16), sphere("all_high", 64, 32)]);
  await page.goto(`${asset}/bake`);
  for (const box of await page.locator('input[name="Maps"]').all()) await box.check();
  assert.match(await page.locator("[data-bake]").innerText(), /Bake 17 maps at/);
  await page.selectOption("#size", "128");
  await page.fill("#rays", "4");
  await press(page, "[data-bake]");
  await fresh(page, "bake");
  await page.reload();
  assert.equal(await page.locator(".ticket a[download]").count(), 18);
  // A ball of half a metre bends by 2 a metre everywhere; the range that is fitted holds it.
  const [, least, most] = /curvature: black is (\S+) 1\/m, white (\S+) 1\/m/.exec(await page.locator(".ticket").innerText());
  assert.equal(-least, Number(most));
  assert.ok(most > 2 && most < 2.5, most);
  await page.locator("summary:has-text('Padding, files')").click();
  await page.selectOption("#file-height", { label: "EXR, float" });
  await page.fill("#padding", "lots");
  await press(page, "[data-bake]");
  assert.match(await page.locator("[role=alert]").innerText(), /padding/i);
  await work(page, asset, "bake", { padding: "", "file-height": "Exr" });
  await page.reload();
  assert.ok((await page.getAttribute(".ticket a[download$='height.exr']", "href")).includes("height.exr"));
  await page.waitForSelector("[data-stage][data-ready]");
  await page.selectOption('[data-stage] [data-pane="0"]', "low:map:height");
  await ready(page);
  assert.deepEqual(complaints, []);
});

test("a map is made from a texture where there is no high side", async () => {
  const png = grey(64, (x, y) => 128 + 100 * Math.sin(x / 5) * Math.sin(y / 7));
  await page.goto(`${app.url}/kits`);
  await page.fill("#name", "Rocks");
  await press(page, 'button:has-text("Make kit")');
  await page.setInputFiles('input[name="files"]', [sphere("rock_low", 32, 16), { name: "rock_height.png", mimeType: "image/png", buffer: png }]);
  await page.waitForURL(/\/assets\/\d+\/intake/);
  await page.waitForSelector("text=/or make maps from textures at Bake/", { timeout: 120_000 });
  const asset = page.url().replace(/\/intake.*/, "");
  await page.goto(`${asset}/bake`);
  await page.locator("summary:has-text('Made from textures')").click();
  await page.selectOption("#madeTo", "normal");
  await press(page, "text=Make this map");
  await fresh(page, "bake");
  await page.reload();
  assert.match(await page.locator(".made-row").innerText(), /normal from rock_height.png/);
  await ready(page);
  await page.waitForSelector('[data-map-viewer][data-ready^="bake/"]');
});

/** A grey PNG of 8 bits. */
function grey(size, value) {
  const crcTable = Array.from({ length: 256 }, (_, n) => { for (let k = 0; k < 8; k++) n = n & 1 ? 0xedb88320 ^ (n >>> 1) : n >>> 1; return n >>> 0; });
  const crc = (bytes) => (bytes.reduce((c, b) => crcTable[(c ^ b) & 255] ^ (c >>> 8), 0xffffffff) ^ 0xffffffff) >>> 0;
  const chunk = (type, data) => {
    const body = Buffer.concat([Buffer.from(type), data]), out = Buffer.alloc(12 + data.length);
    out.writeUInt32BE(data.length, 0);
    body.copy(out, 4);
    out.writeUInt32BE(crc(body), 8 + data.length);
    return out;
  };
  const rows = Buffer.alloc(size * (size + 1)), head = Buffer.alloc(13);
  for (let y = 0; y < size; y++) for (let x = 0; x < size; x++) rows[y * (size + 1) + 1 + x] = value(x, y);
  head.writeUInt32BE(size, 0);
  head.writeUInt32BE(size, 4);
  head[8] = 8;
  return Buffer.concat([Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]), chunk("IHDR", head), chunk("IDAT", deflateSync(rows)), chunk("IEND", Buffer.alloc(0))]);
}

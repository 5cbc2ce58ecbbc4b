// Textures stored as an artist wants them: what is proposed is taken, and a memory is met.
import assert from "node:assert/strict";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, sharedApp } from "./app.mjs";
import { dropKit, fresh, kitOf, openBrowser, openPage, press, work } from "./browser.mjs";

let app, browser, page, complaints, folder, asset;

before(async () => {
  app = await sharedApp();
  folder = mkdtempSync(join(tmpdir(), "convert-"));
  crumpet("demo", "--coarse", "--out", join(folder, "demo"));
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  const files = ["low.obj", "low.mtl", "high.glb"].map((n) => join(folder, "demo/assets/louvre_screen", `louvre_screen_${n}`));
  asset = await dropKit(page, app, files, { "bake.size": "256", "bake.samples": "1" });
  await work(page, asset, "convert");
});

after(async () => {
  assert.deepEqual(complaints, []);
  rmSync(folder, { recursive: true, force: true });
  await browser?.close();
  await app?.stop();
});

const bytes = (text) => parseFloat(text) * (text.includes("MiB") ? 1 << 20 : text.includes("KiB") ? 1024 : 1);
const memory = async () => bytes(await page.textContent('section table.small-table tfoot td.number, table.small-table tfoot td.number'));

const viewer = async () => {
  await page.goto(`${asset}/convert`);
  await page.waitForSelector("[data-map-viewer][data-ready]");
};
// Texels of a tile as the viewer has them, and as the server decodes them.
const tiles = () => page.evaluate(async () => {
  const { texture } = document.querySelector("[data-map-viewer]").map;
  while (!texture.tile(0, 0, 0)) await new Promise(requestAnimationFrame);
  const ours = new Uint8Array(await (await fetch(`${texture.address}/0/0/0`)).arrayBuffer());
  return { format: texture.choice.texture.format, by: texture.decodedBy, shown: [...texture.tile(0, 0, 0).data], ours: [...ours] };
});

test("a texture is shown as the card decodes it, level by level, with its errors and the worst of them to fly to", async () => {
  await viewer();
  for (const name of ["colour", "normal", "masks"]) {
    await page.selectOption('[data-pane="1"]', { label: `louvre_screen_${name}.dds` });
    await page.waitForFunction((n) => document.querySelector("[data-map-viewer][data-ready]")?.map.texture?.choice.label.includes(n), name);
    const { format, by, shown, ours } = await tiles(), slack = { BC7: 0, BC5: 2, BC1: 3 }[format];
    assert.match(by, /graphics/);
    assert.equal(shown.length, ours.length);
    assert.ok(shown.every((v, i) => Math.abs(v - ours[i]) <= slack), `${name} ${format}`);
  }
  await page.selectOption('[data-pane="0"]', { label: "louvre_screen_masks.png" });
  await page.waitForFunction(() => document.querySelector("[data-map-viewer][data-ready='pack/louvre_screen_masks.png']"));
  await page.click("[data-blocks=open]");
  await page.click("[data-shades=stored]");
  await page.waitForSelector("[data-map-viewer][data-shades=stored]");
  // The error the list gives for the worst place is what its texels give.
  const worst = await page.textContent("[data-blocks=worst] button"), [, x, y, error] = worst.match(/(\d+), (\d+)\s+([\d.]+)/).map(Number);
  const own = await page.evaluate(async ([left, top]) => {
    const { map } = document.querySelector("[data-map-viewer]"), [picture, texture] = map.opened;
    let sum = 0;
    for (let v = top; v < top + 4; v++) for (let u = left; u < left + 4; u++) {
      while (!picture.texel(u, v) || !texture.texel(u, v)) await new Promise(requestAnimationFrame);
      const a = picture.texel(u, v), b = texture.texel(u, v);
      for (let c = 0; c < 3; c++) sum += (a[c] - b[c]) ** 2;
    }
    return Math.sqrt(sum / 48);
  }, [x, y]);
  assert.ok(Math.abs(own - error) < 0.06, `${worst}: ${own}`);
  await page.click("[data-blocks=worst] button");
  assert.ok(await page.evaluate(() => document.querySelector("[data-map-viewer]").map.view.scale) > 4);
  // Another level is another picture, and beside it the picture as it was filtered.
  await page.click('[data-level="2"]');
  await page.waitForFunction(() => document.querySelector("[data-map-viewer][data-ready]")?.map.texture?.mip === 2);
  const sizes = await page.evaluate(() => document.querySelector("[data-map-viewer]").map.opened.map((p) => p.width));
  assert.equal(sizes[0], sizes[1]);
  await page.click("[data-shades=soft]");
  await page.waitForSelector("[data-map-viewer][data-shades=soft]");
  assert.match(await page.textContent("[data-blocks=soft]"), /Soft from mip \d|No level is soft/);
});

test("where the graphics lack a format, Crumpet decodes it and says so", async () => {
  const poor = await browser.newPage();
  await poor.addInitScript(() => {
    const { getExtension } = WebGL2RenderingContext.prototype;
    WebGL2RenderingContext.prototype.getExtension = function (name) {
      return name.startsWith("EXT_texture_compression") ? null : getExtension.call(this, name);
    };
  });
  await poor.goto(`${asset}/convert`);
  await poor.waitForSelector("[data-map-viewer][data-ready]");
  await poor.selectOption('[data-pane="1"]', { label: "louvre_screen_colour.dds" });
  await poor.waitForFunction(() => /decoded by Crumpet, because these graphics have no BC7/.test(document.querySelector(".readout").textContent));
  await poor.close();
});

test("a way to store it is seen beside how it is stored now, before it is taken", async () => {
  await viewer();
  const masks = page.locator('details.choices[id="choices-masks"]');
  if (await masks.getAttribute("open") === null) await masks.locator("summary").click();
  await page.click('button[aria-label="See masks as BC1, ¼ size"]');
  await page.waitForFunction(() => document.querySelector(".readout").textContent.startsWith("louvre_screen_masks.dds | masks as BC1, ¼ size"));
  const [now, then] = await page.evaluate(() => document.querySelector("[data-map-viewer]").map.opened
    .map((p) => [p.width, p.choice.texture.format, p.decodedBy]));
  assert.deepEqual([now[0], then[0], then[1]], [256, 64, "BC1"]);
  assert.match(then[2], /graphics/);
  // Nothing was decided by looking.
  assert.equal(await page.locator('td:has-text("now")').count() > 0, true);
  assert.equal((await fetch(`${asset}/convert?handler=WouldBe&way=masks|bc1|3`)).status, 404);
});

test("a format that was measured is taken with a press", async () => {
  await page.goto(`${asset}/convert`);
  const masks = page.locator('details.choices[id="choices-masks"]');
  await masks.locator("summary").click();
  assert.match(await masks.locator(".hint").textContent(), /because it holds .*(takes least memory|loses least)/s);
  assert.equal(await masks.locator("tbody tr").count(), 9);
  await press(page, 'button[aria-label="Store masks as BC1, ½ size"]');
  await fresh(page, "convert");
  await page.waitForSelector('th:has-text("BC1 · 128 px")');
  // Level 0 of the picture is as large as before.
  assert.match(await page.textContent("body"), /BC7 sRGB · 256 px/);
});

test("a memory is met, shown before it is taken, and refused where it cannot be", async () => {
  await page.goto(`${asset}/convert`);
  await page.fill("#budget", "0.06");
  await press(page, 'button:has-text("See what fits")');
  const then = bytes(await page.textContent("#budget-table tfoot td:nth-child(3)"));
  assert.ok(then <= 0.06 * (1 << 20), `${then}`);
  await press(page, 'button:has-text("Store them so")');
  await fresh(page, "convert");
  await page.waitForFunction((most) => {
    const text = document.querySelector("table.small-table tfoot td.number").textContent;
    return parseFloat(text) * (text.includes("MiB") ? 1 << 20 : 1024) <= most;
  }, 0.061 * (1 << 20));
  assert.ok(await memory() <= 0.061 * (1 << 20));
  await page.goto(`${asset}/convert?budget=0.01`);
  assert.match(await page.textContent(".problem"), /cannot be met: the textures take at least [\d.]+ MiB/);
  await page.goto(`${asset}/convert?budget=many`);
  assert.match(await page.textContent(".problem"), /must be 0\.01 to 65536 MiB/);
});

test("a kit meets a memory over all its assets", async () => {
  const kit = await kitOf(page, asset);
  await page.goto(`${kit}?budget=0.05#memory`);
  assert.ok(bytes(await page.textContent("#budget-table tfoot td:nth-child(3)")) <= 0.05 * (1 << 20));
  await press(page, '#memory button:has-text("Store them so")');
  await page.goto(`${asset}/convert`);
  await fresh(page, "convert");
  await page.waitForFunction(() => parseFloat(document.querySelector("table.small-table tfoot td.number").textContent) <= 51.3);
  await page.goto(`${kit}?budget=0.001`);
  assert.match(await page.textContent("#memory .problem"), /must be 0\.01 to 65536 MiB/);
});

// Textures stored as an artist wants them: what is proposed is taken, and a memory is met.
import assert from "node:assert/strict";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, sharedApp } from "./app.mjs";
import { dropKit, fresh, openBrowser, openPage, press, work } from "./browser.mjs";

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
  assert.match(await page.textContent(".problem"), /cannot be met: the textures take at least [\d.]+ KiB/);
  await page.goto(`${asset}/convert?budget=many`);
  assert.match(await page.textContent(".problem"), /must be 0\.01 to 65536 MiB/);
});

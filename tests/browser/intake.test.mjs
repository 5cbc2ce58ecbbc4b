// The rain gauge of the demo kit arrives wrong; an artist sees what is wrong, mends it, and changes their mind.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { fresh, openBrowser, openPage, press, ready } from "./browser.mjs";

let app, browser, page, complaints, intake;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  intake = `${app.url}/assets/3/intake`;
  await page.goto(intake);
  await page.waitForSelector("text=/Mend all/", { timeout: 240_000 });
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const findings = () => page.locator(".findings .finding").allInnerTexts();
const settled = () => page.waitForFunction(() => !document.querySelector("[data-run]"), null, { timeout: 120_000 });

test("what is wrong is said, and a press flies the stage to the place and marks it", async () => {
  assert.equal((await findings()).length, 8);
  await page.goto(intake);
  await ready(page);
  const before = await page.evaluate(() => document.querySelector("[data-stage]").stage.camera.distance);
  await page.click(".finding:has-text('has 2 materials')");
  await ready(page);
  await page.waitForFunction(() => !document.querySelector(".stage-mark").hidden);
  const { distance, looks } = await page.evaluate(
    () => { const { camera, panes } = document.querySelector("[data-stage]").stage; return { distance: camera.distance, looks: panes }; });
  assert.ok(distance < 0.5 * before, `${distance} for ${before}`);
  // The stray faces are on the low side, which was not shown.
  assert.equal(looks[0], "low:plain");
});

test("one press mends one thing, and the rest stays", async () => {
  await press(page, ".findings button:has-text('Turn Z up to Y up')");
  await settled();
  await page.waitForSelector(".mends li:has-text('22 changed')");
  assert.ok(!(await findings()).some((f) => f.includes("Y is up")));
  assert.equal((await findings()).length, 7);
});

test("mending all that is safe leaves nothing that stops, and the gauge stands beside the figure", async () => {
  await press(page, "text=/Mend all/");
  await fresh(page, "layout");
  assert.deepEqual((await findings()).map((f) => /open/.test(f)), [true]);
  assert.equal(await page.locator(".mends li").count(), 7);
  await ready(page);
  const height = await page.evaluate(() => document.querySelector("[data-stage]").stage.boxOf().getSize(
    { set(x, y, z) { Object.assign(this, { x, y, z }); return this; }, subVectors(a, b) { return this.set(a.x - b.x, a.y - b.y, a.z - b.z); } }).y);
  assert.ok(Math.abs(height - 0.48) < 0.01, `${height} m`);
});

test("a mend is switched off and on again, and taken back from the keyboard", async () => {
  await press(page, ".mends li:has-text('centimetres') button.switch");
  await settled();
  await page.waitForSelector(".finding:has-text('m large while')");
  await press(page, ".mends li:has-text('centimetres') button.switch");
  await settled();
  assert.equal((await findings()).length, 1);
  await page.locator("h1").click();
  await Promise.all([page.waitForNavigation(), page.keyboard.press("Control+z")]);
  await settled();
  await page.waitForSelector(".finding:has-text('m large while')");
  await Promise.all([page.waitForNavigation(), page.keyboard.press("Control+Shift+z")]);
  await settled();
  await page.waitForFunction(() => document.querySelectorAll(".findings .finding").length === 1);
});

test("several ticked objects are put aside by hand", async () => {
  for (const name of ["bolt_01_low", "bolt_01_high"]) await page.check(`tr[data-place="${name}"] input`);
  await page.click(".by-hand summary");
  await page.selectOption("#what", "side");
  assert.ok(await page.locator("#hand-side").isVisible());
  assert.ok(!(await page.locator("#hand-factor").isVisible()));
  await page.selectOption("#hand-side", "Aside");
  await press(page, "button:has-text('Record this mend')");
  await settled();
  await page.waitForSelector("tr[data-place='bolt_01_low'] td:has-text('aside')");
  await page.goto(`${app.url}/assets/3/pairs`);
  await page.waitForSelector("text=10 parts paired");
});

test("the texture is shown with what it is, in the map viewer", async () => {
  await page.goto(`${intake}?show=textures`);
  await page.waitForSelector("[data-map-viewer][data-ready]", { timeout: 60_000 });
  const row = await page.locator(".ledger tbody tr").innerText();
  for (const part of ["rain_gauge_colour.png", "1024 × 1024", "base colour", "used by rain_gauge", "sRGB"]) assert.ok(row.includes(part), row);
  await page.check(".ledger tbody input");
  await page.click(".by-hand summary");
  await page.selectOption("#what", "resize");
  await page.fill("#hand-width", "512");
  await page.fill("#hand-height", "512");
  await press(page, "button:has-text('Record this mend')");
  await settled();
  await page.waitForSelector("tbody tr:has-text('512 × 512')");
  assert.match(page.url(), /show=textures/);
});

test("no page complained", () => assert.deepEqual(complaints, []));

// The shell as an artist uses it: decisions taken back, things found, kits kept in order, all by keyboard, readable to all.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { dropKit, fresh, kitOf, openBrowser, openPage, press, ready, work } from "./browser.mjs";
import { sphere } from "./shapes.mjs";

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");
let app, browser, page, complaints, asset, kit;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  asset = await dropKit(page, app, [sphere("float_low", 24, 12), sphere("float_high", 48, 24)]);
  kit = await kitOf(page, asset);
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

test("a decision is taken back with Ctrl Z, repeated with Ctrl Shift Z, and read in the history", async () => {
  await work(page, asset, "layout", { size: "512" });
  await work(page, asset, "layout", { size: "1024" });
  await page.goto(`${asset}/layout`);
  assert.match(await page.getAttribute("#undo", "title"), /Take back: .*Sheet size set to 1024 px/);
  await page.keyboard.press("Control+z");
  await page.waitForFunction(() => document.getElementById("size")?.value === "512");
  // The result of the earlier decision is still there.
  await page.waitForSelector('.stop-fresh[data-station="layout"]');
  await page.keyboard.press("Control+Shift+z");
  await page.waitForFunction(() => document.getElementById("size")?.value === "1024");
  await page.click(".history-link");
  assert.deepEqual(await page.$$eval(".decisions li > span:nth-child(2)", (all) => all.map((s) => s.textContent.trim())),
    ["Islands laid for 1024 px; Sheet size set to 1024 px", "Islands laid for 512 px; Sheet size set to 512 px", "The asset as it was made"]);
  await page.click('li:has-text("512 px") button');
  await page.waitForSelector('li[aria-current]:has-text("512 px")');
});

test("what is looked for is found from the keyboard and opened where it is", async () => {
  await page.goto(`${asset}/intake`);
  await page.setInputFiles('input[name="files"]', sphere("lost_high", 12, 6));
  await page.waitForSelector('.stop-blocked[data-station="pairs"]');
  await page.goto(`${app.url}/kits`);
  await page.keyboard.press("/");
  await page.keyboard.type("lost");
  // What the first letters found is there before what all of them find.
  await page.waitForSelector('#found:not(:has-text("Louvre")) a:has-text("has no low side")');
  await page.keyboard.press("ArrowDown");
  assert.match(await page.textContent('#found [aria-selected="true"]'), /lost_high has no low side/);
  await page.keyboard.press("Enter");
  await page.waitForURL(/\/pairs\?place=lost_high/);
  await ready(page);
  assert.match(await page.textContent("[data-stage] .readout"), /^lost/);
  // Taking the file back mends it.
  await page.keyboard.press("Control+z");
  await page.waitForSelector('.stop-fresh[data-station="pairs"]');
});

test("number keys walk the line, and the question mark shows all keys", async () => {
  await page.goto(`${asset}/intake`);
  for (const [key, station] of [["6", "pack"], ["0", "deliver"], ["5", "finish"], ["1", "intake"]]) {
    await page.keyboard.press(key);
    await page.waitForURL(new RegExp(`/${station}$`));
  }
  await page.keyboard.press("?");
  assert.ok(await page.isVisible("dialog#keys"));
  await page.keyboard.press("2");
  assert.match(page.url(), /intake/);
  await page.keyboard.press("Escape");
  assert.ok(!await page.isVisible("dialog#keys"));
});

test("an asset is renamed, copied and archived from its row", async () => {
  await page.goto(kit);
  await page.click("td.row-menu summary");
  await page.fill(".row-menu input[name=name]", "Mooring float");
  await page.click(".row-menu button:has-text('Rename')");
  await page.waitForSelector(".asset-name:has-text('Mooring float')");
  await page.click("td.row-menu summary");
  await page.click("button:has-text('Copy the asset')");
  await page.waitForSelector(".asset-name:has-text('Mooring float copy')");
  // The copy's line is as far as its original's, without a run.
  assert.equal(await page.locator("tr:has-text('Mooring float copy') .stop-fresh").count(), await page.locator("tbody tr:first-child .stop-fresh").count());
  await page.click("tr:has-text('Mooring float copy') summary");
  await page.click("tr:has-text('Mooring float copy') button:has-text('Archive')");
  await page.waitForSelector("text=Archived assets (1)");
  assert.equal(await page.locator(".timetable tbody tr").count(), 1);
});

test("the end of a run that is waited for is told on other pages, and others are not", async () => {
  await page.goto(`${asset}/bake`);
  await page.selectOption("#size", "512");
  await page.fill("#rays", "4");
  await press(page, "button.button-main");
  await page.goto(`${app.url}/kits`);
  await page.waitForSelector(".toast-slip:has-text('Bake is done')", { timeout: 120_000 });
  await page.click(".toast-slip button");
  assert.equal(await page.locator(".toast-slip").count(), 0);
});

test("a run that ended is repeated from the page of runs", async () => {
  await page.goto(`${app.url}/runs`);
  // Runs of other tests stand in the table too, and their assets may be busy.
  const own = `.runs-table tr:has(a[href^="${new URL(asset).pathname}/"]) button[name=run]`;
  const before = await page.locator(own).first().getAttribute("value");
  await page.locator(own).first().click();
  // It waits its turn, is at work, or has ended already.
  await page.waitForFunction(([button, path, run]) => Number(document.querySelector(button)?.value) > run
    || [...document.querySelectorAll(".run-card")].some((card) => Number(card.dataset.run) > run && card.querySelector(`a[href^="${path}/"]`)),
  [own, new URL(asset).pathname, Number(before)]);
});

test("light and dark are chosen and kept", async () => {
  const paper = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  await page.goto(kit);
  assert.equal(await paper(), "rgb(247, 244, 236)");
  await page.click("#theme");
  await page.click("#theme");
  assert.equal(await paper(), "rgb(27, 35, 34)");
  await page.reload();
  assert.equal(await paper(), "rgb(27, 35, 34)");
  await page.click("#theme");
});

test("no page is hard to use for people who see, hear or move otherwise, light or dark; no station scrolls; nothing is lost at 900", async () => {
  await page.goto(`${asset}/intake`);
  await fresh(page, "intake");
  // What is read already need not be read again.
  assert.ok(await page.isDisabled(".button-main:has-text('are read')"));
  const stations = ["intake", "pairs", "layout", "bake", "pack", "convert", "bind", "deliver"].map((s) => `${asset}/${s}`);
  for (const address of [`${app.url}/kits`, kit, `${app.url}/runs`, `${app.url}/find?q=float`, `${asset}/history`, `${asset}/intake?show=files`,
    `${asset}/intake?show=textures`, `${app.url}/nowhere`, ...stations]) {
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(address);
    const isStation = stations.includes(address);
    if (isStation) assert.equal(await page.evaluate(() => document.documentElement.scrollHeight > innerHeight), false, `${address} scrolls`);
    await page.evaluate(axe);
    // Only colours differ between light and dark.
    for (const scheme of ["light", "dark"]) {
      await page.emulateMedia({ colorScheme: scheme });
      const rules = { resultTypes: ["violations"], ...(scheme === "light" ? {} : { runOnly: ["color-contrast"] }) };
      const problems = await page.evaluate(async (asked) => (await window.axe.run(asked)).violations.filter((v) => ["serious", "critical"].includes(v.impact))
        .map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 120)).slice(0, 3).join(" | ")}`), rules);
      assert.deepEqual(problems, [], `${address} ${scheme}`);
    }
    await page.emulateMedia({ colorScheme: "light" });
    await page.setViewportSize({ width: 900, height: 800 });
    const wide = await page.evaluate(() => Math.max(document.documentElement.scrollWidth - innerWidth,
      document.querySelector("main").scrollWidth - document.querySelector("main").clientWidth));
    assert.ok(wide <= 0, `${address} is ${wide} px too wide`);
    if (!isStation) continue;
    const table = await page.locator(".light-table").boundingBox();
    assert.ok(table.height > 400 && table.width > 860, `${address}: ${JSON.stringify(table)}`);
  }
  await page.setViewportSize({ width: 1280, height: 800 });
});

test("nothing was complained of", () => assert.deepEqual(complaints.filter((c) => !/404/.test(c)), []));

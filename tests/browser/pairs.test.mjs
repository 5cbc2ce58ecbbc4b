// Pairs as an artist works it: names by drag, trays by drag, contacts on the stage, cages with the brush.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { difference, fresh, openBrowser, openPage, picture, ready } from "./browser.mjs";
import { sphere } from "./shapes.mjs";

let app, browser, page, complaints, louvre, balls;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  louvre = `${app.url}/assets/1/pairs`;
  await page.goto(louvre);
  // The line goes on to Layout by itself, and what it ends with takes the place of what is shown.
  await fresh(page, "layout");
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const stage = (what) => page.evaluate(`document.querySelector("[data-stage]").stage.${what}`);
const settled = () =>
  page.waitForFunction(() => !document.querySelector("[data-run]")
  && document.querySelector('.stop[data-station="pairs"]').matches(".stop-fresh, .stop-blocked"), null, { timeout: 120_000 });

test("a press on a contact shows the two parts alone, the gap between them and its width", async () => {
  await page.goto(`${louvre}?show=trays`);
  await ready(page);
  // The contact with the widest gap.
  const parts = await page.$$eval(".contact", (all) => {
    const gap = (e) => { const p = e.dataset.gap.split(" ").map(Number); return Math.hypot(p[0] - p[3], p[1] - p[4], p[2] - p[5]); };
    const widest = all.sort((a, b) => gap(b) - gap(a))[0];
    widest.focus();
    return [widest.dataset.place, widest.dataset.pair];
  });
  await page.keyboard.press("Enter");
  await page.waitForFunction(([one, two]) => {
    const said = document.querySelector(".stage .readout").textContent;
    return said.includes(one) && said.includes(two) && / · \d+\.\d mm apart/.test(said);
  }, parts);
  assert.equal(await stage("loadedSides[0].objects.filter((o) => o.mesh.visible).length"), 2);
  assert.ok(await stage("gap.children.length") > 0);
  // What is looked at next is whole again.
  await page.locator('.part-stop[data-part="ridge"]').focus();
  await page.keyboard.press("Enter");
  await page.waitForFunction(() => document.querySelector("[data-stage]").stage.hidden.size === 0);
  await page.waitForSelector("#card h2:has-text('ridge')");
});

test("a part dragged onto another tray stays there, and the plan is made around it", async () => {
  // What a run ended with takes the place of what is shown; a drag must not begin in between.
  await settled();
  const { from, to, other } = await page.evaluate(async () => {
    const find = () => document.querySelector('.part-stop[data-part="latch_knob"]');
    for (let stop = find(), still = 0; still < 5; still = stop && stop === find() ? still + 1 : 0) {
      stop = find();
      await new Promise((r) => setTimeout(r, 200));
    }
    const stop = find(), other = (Number(stop.dataset.tray) + 1) % document.querySelectorAll(".track").length, box = (e) => { const { x, y } = e.getBoundingClientRect(); return { x, y }; };
    return { other, from: box(stop.querySelector("circle, rect, path")), to: box(document.querySelector(`.track[data-tray="${other}"] .ground`)) };
  });
  await page.mouse.move(from.x + 5, from.y + 5);
  await page.mouse.down();
  await page.mouse.move(from.x + 30, to.y + 30, { steps: 4 });
  await page.mouse.up();
  await page.waitForSelector(`.part-stop.by-hand[data-part="latch_knob"][data-tray="${other}"]`, { timeout: 60_000 });
  await settled();
  assert.match(await page.innerText("#ticket"), /2 \(least possible\)/);
  await page.keyboard.press("Control+z");
  await page.waitForSelector('.part-stop[data-part="latch_knob"]:not(.by-hand)', { timeout: 60_000 });
});

test("cages are drawn around the parts, and a stroke of the brush raises one and can be taken back", async () => {
  await page.goto(`${louvre}?show=cage`);
  await ready(page);
  await page.waitForFunction(() => document.querySelector("[data-stage]").stage.rays?.parts.length === 46);
  const withCage = await picture(page);
  await page.click('[data-stage] [data-drawer="view"] summary');
  await page.click('[data-toggle="cage"]');
  await ready(page);
  assert.ok(difference(withCage, await picture(page)) > 0.5);
  await page.click('[data-toggle="hairs"]');
  await ready(page);
  await page.keyboard.press("Escape");
  await page.click('[data-brush-kind="Cage"]');
  await page.waitForFunction(() => document.querySelector("[data-stage]").stage.sides.low?.now);
  await ready(page);
  const box = await page.locator(".stage canvas").boundingBox(), x = box.x + box.width * 0.5, y = box.y + box.height * 0.36;
  await page.mouse.move(x, y);
  await page.mouse.down();
  for (let i = 1; i < 6; i++) await page.mouse.move(x + 5 * i, y + i);
  await Promise.all([page.waitForNavigation(), page.mouse.up()]);
  await page.waitForSelector(".ledger td .more, .ledger th .more:has-text('1 stroke')", { timeout: 60_000 });
  await page.keyboard.press("Control+z");
  await page.waitForFunction(() => !/1 stroke/.test(document.querySelector(".ledger").innerText), null, { timeout: 60_000 });
});

test("a pattern is tried while it is typed", async () => {
  await page.goto(`${louvre}?show=names`);
  assert.match(await page.innerText(".names-said"), /All 92 names are read/);
  await page.fill("#pattern", "{part}_low");
  await page.waitForSelector("#readings .problem:has-text('lacks {side}')");
  await page.fill("#pattern", "{part}_0{detail}_{side}");
  await page.waitForSelector(".names-said:has-text('84 of 92 names are read')");
  assert.equal(await page.locator(".names .unread").count(), 8);
  assert.equal(await page.locator(".names .unread .piece-broken").first().innerText(), "h");
});

test("a name dragged onto another becomes its other side", async () => {
  await page.goto(`${app.url}/kits`);
  await page.fill("#name", "Balls");
  await page.click('button:has-text("Make kit")');
  await page.waitForURL(/\/kits\/\d+/);
  await page.setInputFiles('input[name="files"]', [
    sphere("one_low", 16, 8), sphere("two_low", 16, 8, { right: 2 }), sphere("one_high", 32, 16, { dents: 0.01 }),
    sphere("odd_high", 32, 16, { dents: 0.01, right: 5 })]);
  await page.waitForURL(/\/assets\/\d+\/intake/);
  balls = page.url().replace(/\/intake.*/, "/pairs");
  await page.goto(balls);
  await page.waitForSelector(".ledger tr.unpaired", { timeout: 60_000 });
  await settled();
  assert.equal(await page.locator(".ledger tr.unpaired").count(), 2);
  await page.dragAndDrop('[data-object]:has-text("odd_high")', '[data-object]:has-text("two_low")');
  await page.waitForSelector("#ticket:has-text('2 parts paired, 0 not')", { timeout: 60_000 });
  assert.ok(await page.locator('[data-object]:has-text("two_high")').count());
});

test("no page complained", () => assert.deepEqual(complaints, []));

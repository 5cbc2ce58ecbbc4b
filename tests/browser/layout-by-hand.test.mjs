// Layout by hand, on two small crates: edges and pins on canvas and stage, sheets of parts, the kit's density, an atlas.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { dropKit, fresh, kitOf, openBrowser, openPage, press, ready } from "./browser.mjs";
import { cube } from "./shapes.mjs";

let app, browser, page, complaints, crate, kit;

const files = (name, file = name) => ["low", "high"]
  .map((side) => cube(`${file}_${side}`, `${name}_${side}`));

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  crate = await dropKit(page, app, files("crate"), { "bake.size": "512", "layout.rotation": "quarter", "layout.unwrap.cutAngleDegrees": "75" });
  kit = new URL(await kitOf(page, crate)).pathname;
  await open();
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const open = async (asset = crate) => {
  await page.goto(`${asset}/layout`);
  await page.waitForSelector("[data-islands][data-ready]", { timeout: 60_000 });
  await ready(page);
};
const again = async () => {
  await fresh(page, "layout");
  await page.reload();
  await page.waitForSelector("[data-islands][data-ready]", { timeout: 60_000 });
  await ready(page);
};
const look = (what) =>
  page.evaluate(`(() => { const islands = document.querySelector("[data-islands]").islands, { view, pan, over } = islands; return ${what}; })()`);
const fact = (name) => page.locator(`#ticket dt:has-text("${name}") + dd`).innerText();
const said = (tool) => page.innerText(`.picked[data-for=${tool}] .picked-said`);
/** Where a point of the tile is on the screen. */
const onScreen = async ([u, v]) => {
  const [x, y] = await look(
    `[over.getBoundingClientRect().x + pan.x + ${u} * pan.width * pan.scale, over.getBoundingClientRect().y + pan.y + (1 - ${v}) * pan.width * pan.scale]`);
  return [x, y];
};
const corner = (t, k) => look(`[view.uv[${6 * t + 2 * k}], view.uv[${6 * t + 2 * k + 1}]]`);
const between = (a, b, share) => [a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])];
/** A border edge of triangle 0: one that is shared with another face. */
const borderOf = async (t) => [0, 1, 2].find(await look(`((f) => [0, 1, 2].map((k) => Boolean(f & (4 << k))))(view.flags[${t}])`).then((is) => (k) => is[k]));

/** A point just inside an edge of a triangle, in tiles. */
const inside = async (t, k) => between(between(await corner(t, k), await corner(t, (k + 1) % 3), 0.4), await corner(t, (k + 2) % 3), 0.04);

test("an edge pressed on the canvas is picked and marked on the stage; stitching joins two islands, and undo parts them", async () => {
  assert.equal(await look("view.islands.length"), 6);
  await page.click("[data-tool=edges]");
  await page.click('[data-reach="Edge"]');
  const k = await borderOf(0);
  await page.mouse.click(...await onScreen(await inside(0, k)));
  await page.waitForFunction(() => /^1 edge · 1\.00 m$/.test(document.querySelector(".picked[data-for=edges] .picked-said").textContent));
  assert.equal(await page.evaluate(() => document.querySelector("[data-stage]").stage.edges.geometry.getAttribute("position").count), 2);
  await press(page, 'button[value="sew"]');
  await again();
  assert.equal(await look("view.islands.length"), 5);
  await page.click("#undo, [aria-label^='Undo']");
  await fresh(page, "layout");
  await page.waitForFunction(() => document.querySelector("[data-islands]").islands?.view?.islands.length === 6, null, { timeout: 60_000 });
  assert.deepEqual(complaints, []);
});

test("a press on the stage picks an edge, a second press on it drops it, and Escape puts the tool away", async () => {
  await open();
  await page.click("[data-tool=edges]");
  await page.click('[data-reach="Edge"]');
  const box = await page.locator("[data-stage] canvas").first().boundingBox(), at = [box.x + 0.5 * box.width, box.y + 0.55 * box.height];
  await page.mouse.click(...at);
  await page.waitForFunction(() => /^1 edge · /.test(document.querySelector(".picked[data-for=edges] .picked-said").textContent));
  assert.ok(await look("islands.tools.edges.halves.size") > 0);
  await page.mouse.click(...at);
  await page.waitForFunction(() => /^Press an edge/.test(document.querySelector(".picked[data-for=edges] .picked-said").textContent));
  await page.focus("[data-islands] .over");
  await page.keyboard.press("Escape");
  assert.equal(await page.getAttribute("[data-tool=islands]", "aria-pressed"), "true");
  assert.ok(await page.isHidden(".picked[data-for=edges]"));
});

test("the shortest path goes from the vertex picked before to the one pressed", async () => {
  await page.click("[data-tool=edges]");
  await page.click('[data-reach="Edge"]');
  const k = await borderOf(0);
  await page.mouse.click(...await onScreen(await inside(0, k)));
  await page.waitForFunction(() => /^1 edge/.test(document.querySelector(".picked[data-for=edges] .picked-said").textContent));
  await page.click('[data-reach="Path"]');
  const far = await look("view.triangles - 1");
  await page.mouse.click(...await onScreen(await inside(far, await borderOf(far))));
  await page.waitForFunction(() => /^[2-9] edges/.test(document.querySelector(".picked[data-for=edges] .picked-said").textContent));
  await page.click('button:has-text("Pick none")');
  assert.match(await said("edges"), /^Press an edge/);
});

test("two pins hold an island where they were dragged, until they are taken out", async () => {
  await page.click("[data-tool=pins]");
  const [a, b] = [await corner(0, 0), await corner(0, 1)], goal = between(a, b, 0.6);
  await page.mouse.click(...await onScreen(a));
  await page.waitForFunction(() => /^1 new pin/.test(document.querySelector(".picked[data-for=pins] .picked-said").textContent));
  await page.mouse.move(...await onScreen(b));
  await page.mouse.down();
  await page.mouse.move(...await onScreen(goal), { steps: 4 });
  await page.mouse.up();
  assert.match(await said("pins"), /^2 new pins/);
  await press(page, "[data-act=lay-pins]");
  await again();
  const [heldA, heldB] = [await corner(0, 0), await corner(0, 1)];
  for (const [held, wanted] of [[heldA, a], [heldB, goal]]) assert.ok(Math.hypot(held[0] - wanted[0], held[1] - wanted[1]) < 0.01,
    `${held} is not at ${wanted}`);
  assert.ok(await look("view.islands[view.island[0]].locked"));
  await page.click("[data-tool=pins]");
  assert.match(await said("pins"), /^2 pins in the plan/);
  await press(page, "[data-act=drop-pins]");
  await again();
  assert.equal(await look("view.islands.some((i) => i.locked)"), false);
});

test("picked islands are marked on the stage, and their part is put on another sheet", async () => {
  await page.selectOption("#sheets", "2");
  await press(page, "[data-lay-out]");
  await again();
  await page.mouse.click(...await onScreen(between(await corner(0, 0), between(await corner(0, 1), await corner(0, 2), 0.5), 0.6)));
  assert.match(await said("islands"), /^crate · 2 tris/);
  assert.equal(await page.evaluate(() => document.querySelector("[data-stage]").stage.markedIslands[0].geometry.getAttribute("position").count), 6);
  await press(page, '.picked button[name=sheet][value="2"]');
  await again();
  assert.equal(await look("view.sheets"), 2);
  assert.ok(await look("view.islands.every((i) => i.sheet === 1)"));
  assert.match(await page.innerText("#ticket"), /A sheet a material: 1 sheet, 1 draw, .* all on 2: 2 sheets, 1 draw/);
});

test("the kit's density holds until the asset says its own, and another asset's can be matched", async () => {
  await page.goto(`${app.url}${kit}`);
  await page.setInputFiles('input[name="files"]', files("crate", "chest"));
  await page.waitForURL(/\/assets\/\d+\/intake/);
  await fresh(page, "layout");
  const chest = page.url().replace(/\/intake.*/, "");
  await page.goto(`${app.url}${kit}`);
  await page.evaluate(() => document.querySelectorAll("details.rules-fold").forEach((d) => { d.open = true; }));
  await page.fill("#density", "plenty");
  await press(page, 'button:has-text("Keep the rules")');
  assert.match(await page.innerText(".problem"), /density is 'plenty'/);
  await page.evaluate(() => document.querySelectorAll("details.rules-fold").forEach((d) => { d.open = true; }));
  await page.fill("#density", "100");
  await press(page, 'button:has-text("Keep the rules")');
  await open(chest);
  await fresh(page, "layout");
  await page.reload();
  assert.equal(await page.getAttribute("#density", "placeholder"), "kit: 100");
  assert.equal(await fact("Median density"), "100 px/m");
  await page.click("#layout-form summary");
  await page.click("[data-match]");
  assert.equal(await page.inputValue("#density"), "100");
  await page.fill("#density", "fill");
  await page.selectOption("#size", "512");
  await press(page, "[data-lay-out]");
  await again();
  assert.ok(parseFloat(await fact("Median density")) > 110);
});

test("an atlas joins assets whose parts have the same name on one sheet", async () => {
  await page.goto(`${app.url}${kit}`);
  await page.click(".atlas summary");
  await press(page, 'button:has-text("Join the marked assets")');
  assert.match(await page.innerText(".problem"), /two assets or more/);
  await page.click(".atlas summary");
  for (const box of await page.locator(".atlas input[type=checkbox]").all()) await box.check();
  await press(page, 'button:has-text("Join the marked assets")');
  await fresh(page, "layout");
  await page.reload();
  await page.waitForSelector("[data-islands][data-ready]", { timeout: 60_000 });
  assert.deepEqual(await look("[view.sheets, view.islands.length, ...new Set(view.objects.map((o) => o.part))]"), [1, 12, "chest_crate", "crate_crate"]);
  assert.equal(await fact("Overlaps"), "none");
  assert.deepEqual(complaints, []);
});

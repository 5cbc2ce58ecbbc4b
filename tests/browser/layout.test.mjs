// Layout as an artist works it: islands on the canvas, unwrapped and packed from the ticket, picked here and there, taken back.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { bytesOf, difference, dropKit, fresh, openBrowser, openPage, press, ready } from "./browser.mjs";
import { cube } from "./shapes.mjs";

let app, browser, page, complaints, layout;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  layout = `${app.url}/assets/2/layout`;
  await page.goto(layout);
  await fresh(page, "layout");
  await laid();
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const islands = (what) => page.evaluate(`document.querySelector("[data-islands]").islands.${what}`);
const laid = () => page.waitForSelector("[data-islands][data-ready]", { timeout: 240_000 });
const fact = (name) => page.locator(`#ticket dt:has-text("${name}") + dd`).innerText();
const pixels = async () => bytesOf(await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => {
  const small = Object.assign(document.createElement("canvas"), { width: 96, height: 96 }).getContext("2d");
  small.drawImage(document.querySelector("[data-islands] .texels"), 0, 0, 96, 96);
  done(btoa(String.fromCharCode(...small.getImageData(0, 0, 96, 96).data)));
})))));

test("islands that came are kept, and every colouring draws something of its own", async () => {
  assert.match(await page.innerText("#ticket"), /as they came/);
  assert.match(await fact("Islands"), /stacked/);
  const seen = new Map();
  for (const by of ["part", "density", "angle", "area", "tray", "plain"]) {
    await page.selectOption("[data-by]", by);
    const now = await pixels();
    for (const [other, then] of seen) assert.ok(difference(now, then) > 0.2, `${by} looks like ${other}`);
    seen.set(by, now);
  }
  await page.selectOption("[data-by]", "density");
  assert.match(await page.innerText("[data-islands] .stage-legend"), /px\/m/);
  assert.deepEqual(complaints, []);
});

test("the main button names what it will do, and unwraps and packs", async () => {
  await page.selectOption("#islands", "unwrap");
  await page.selectOption("#size", "512");
  await page.click("summary:has-text('Turning, stacking')");
  await page.selectOption("#rotation", "Quarter");
  assert.match(await page.innerText("[data-lay-out]"), /^Unwrap and pack 9 parts at 512$/);
  await press(page, "[data-lay-out]");
  await page.waitForFunction(() => /unwrapped and packed/.test(document.querySelector("#ticket").innerText), null, { timeout: 240_000 });
  await fresh(page, "layout");
  await page.waitForFunction(() => /^\d+ islands$/.test(document.querySelector("[data-islands]").dataset.ready), null, { timeout: 60_000 });
  assert.equal(await islands("view.islands.length"), Number.parseInt(await fact("Islands"), 10));
  assert.equal(await fact("Overlaps"), "none");
  assert.ok(parseFloat(await fact("Room used")) > 60);
  assert.ok(parseFloat(await fact("Padding")) >= 8);
});

test("an island picked on the canvas is named, and its part can be made twice as sharp and back", async () => {
  const box = await page.evaluate(() => {
    const { islands } = document.querySelector("[data-islands]"), { view } = islands;
    return islands.boxes().find((b) => view.objects[view.islands[b.island].on].part === "foot");
  });
  const at = await page.evaluate(({ u, v }) => { const { pan, over } = document.querySelector("[data-islands]").islands, r = over.getBoundingClientRect(),
    side = pan.width * pan.scale; return [r.x + pan.x + u * side, r.y + pan.y + (1 - v) * side]; }, { u: (box.u0 + box.u1) / 2, v: (box.v0 + box.v1) / 2 });
  await page.mouse.click(...at);
  await page.waitForSelector(".picked:not([hidden])");
  assert.match(await page.innerText(".picked-said"), /^foot · \d+ tris · \d+ px\/m/);
  const before = Number(/(\d+) px\/m/.exec(await page.innerText(".picked-said"))[1]);
  await press(page, '.picked button[value="2"]');
  await fresh(page, "layout");
  await page.waitForFunction(() => document.querySelector("[data-islands]").islands?.view, null, { timeout: 240_000 });
  await laid();
  const dense = await islands("view.islands.filter((i) => document.querySelector('[data-islands]').islands.view.objects[i.on].part === 'foot')[0].density");
  const median = parseFloat(await fact("Median density"));
  assert.ok(Math.abs(dense / median - 2) < 0.02, `${dense} beside ${median}, was ${before}`);
  await page.keyboard.press("Control+z");
  await page.waitForFunction(() => { const view = document.querySelector("[data-islands]")?.islands?.view; return view
    && Math.abs(Math.max(...view.islands.map((i) => i.density)) / Math.min(...view.islands.map((i) => i.density)) - 1) < 0.01; }, null, { timeout: 240_000 });
});

test("the low side goes out with its new UVs as GLB and OBJ", async () => {
  for (const [ending, first] of [["glb", "glTF"], ["obj", "#"]]) {
    const response = await page.request.get(`${app.url}/assets/2/laid.${ending}`);
    assert.equal(response.status(), 200);
    assert.ok((await response.body()).subarray(0, 400).toString().includes(first === "#" ? "o " : first));
  }
});

test("the dial says what fewer seams or less stretch come to, and draws the seams on the stage", async () => {
  const turn = async (percent) => {
    const before = await page.innerText(".dial output");
    await page.fill(".dial input", String(percent));
    assert.equal(await page.inputValue("#stretch"), String(percent));
    await page.waitForFunction((was) => { const now = document.querySelector(".dial output").textContent; return now !== was && /seams/.test(now); }, before);
    const [, count, metres] = /^(\d+) islands, ([\d.]+) m of seams, .*% for 95 %$/.exec(await page.innerText(".dial output"));
    return { count: Number(count), metres: Number(metres), drawn: await page.evaluate(() =>
      document.querySelector("[data-stage]").stage.edges.geometry.getAttribute("position").count) };
  };
  const little = await turn(2), few = await turn(80);
  assert.ok(few.metres < little.metres && few.count <= little.count, `${JSON.stringify(few)} against ${JSON.stringify(little)}`);
  assert.ok(few.drawn > 0 && few.drawn < little.drawn);
  await page.click("summary:has-text('Turning, stacking')");
  await page.selectOption("#hardEdges", "Free");
  assert.match(await page.innerText("#hard-hint"), /line a texel wide/);
  await page.waitForFunction((then) => Number.parseInt(document.querySelector(".dial output").textContent, 10) < then, few.count);
});

test("a first layout stands before the search is done, and can be kept", async () => {
  await page.selectOption("#islands", "unwrap");
  await page.selectOption("#size", "2048");
  await page.fill("#padding", "7");
  await press(page, "[data-lay-out]");
  await page.waitForSelector("text=Stop and keep this layout", { timeout: 60_000 });
  await press(page, "text=Stop and keep this layout");
  await fresh(page, "layout");
  await page.waitForSelector("text=The button above searches in full", { timeout: 60_000 });
  assert.equal(await fact("Overlaps"), "none");
  assert.ok(parseFloat(await fact("Padding")) >= 7);
  await press(page, "[data-lay-out]");
  await fresh(page, "layout");
  assert.equal(await page.locator(".draft-note").count(), 0);
});

test("a number that is none is said, and what was set stays", async () => {
  await page.goto(layout);
  await ready(page);
  await page.fill("#padding", "lots");
  await press(page, "[data-lay-out]");
  assert.match(await page.innerText(".problem"), /padding is 'lots'/i);
});

test("a mesh without UVs is unwrapped by itself", async () => {
  const crate = await dropKit(page, app, ["low", "high"].map((side) => cube(`crate_${side}`)), { "bake.size": "512" });
  await page.goto(`${crate}/layout`);
  await laid();
  // A box unfolds; it is cut where that fills the sheet better.
  assert.ok(await islands("view.islands.length") < 6);
});

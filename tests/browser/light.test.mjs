// What the stage's light does to pixels, against closed forms.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { difference, dropKit, openBrowser, openPage, openStage, picture, ready, work } from "./browser.mjs";
import { sphere } from "./shapes.mjs";

let app, browser, page, asset;
const white = { name: "white.mtl", mimeType: "text/plain", buffer: Buffer.from("newmtl white\nKd 1 1 1\nNs 0\n") };

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page } = await openPage(browser, app, 1));
  // Every pixel is drawn in software.
  await page.setViewportSize({ width: 960, height: 640 });
  asset = await dropKit(page, app, [sphere("float_low", 64, 32, { material: "white.mtl" }), sphere("float_high", 64, 32), white]);
  await work(page, asset, "bake", { size: "256", rays: "1", outward: "30", inward: "60" });
  await work(page, asset, "deliver");
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const decode = (byte) => (byte / 255 <= 0.04045 ? byte / 255 / 12.92 : ((byte / 255 + 0.055) / 1.055) ** 2.4);

/** Sets the light: an even sky, a share of it that grows upwards, and a sun from the viewer. */
const setLight = (even, upwards, sun) => page.evaluate(([e, u, s]) => {
  const { stage } = document.querySelector("[data-stage]"), { light } = stage;
  light.irradiance.value.forEach((v, i) => v.setScalar(i === 0 ? e : i === 1 ? u : 0));
  light.environment.value.image.data.fill([0, 0x3400, 0x3800][Math.round(e * 4)] ?? 0);
  light.environment.value.needsUpdate = true;
  light.sun.value.setScalar(s);
  light.sunDirection.value.set(0, 0, 1);
  light.exposure.value = 1;
  stage.camera.look("front");
  stage.camera.setFlat(true);
  stage.frameAll();
  stage.drawNow();
}, [even, upwards, sun]);

/** Linear brightness where the sphere's normal is (x, y, ·) as the viewer sees it. */
const brightness = (x, y) => page.evaluate(([nx, ny]) => {
  const { stage } = document.querySelector("[data-stage]"), { canvas } = stage,
    r = 0.5 / stage.camera.metresPerPixel(canvas.clientHeight) * canvas.width / canvas.clientWidth;
  const small = new OffscreenCanvas(canvas.width, canvas.height).getContext("2d");
  small.drawImage(canvas, 0, 0);
  return [...small.getImageData(Math.round(canvas.width / 2 + nx * r), Math.round(canvas.height / 2 - ny * r), 1, 1).data];
}, [x, y]).then((p) => p.slice(0, 3).map(decode));

test("a white sphere with a flat normal map is as bright as the even sky around it, everywhere", async () => {
  await openStage(page, asset, "bind");
  assert.equal(await page.getAttribute("[data-stage]", "data-ready"), "low:delivered");
  await page.evaluate(() => document.querySelector("[data-stage]").stage.light.irradiance.value[0].set(0, 0, 0));
  await setLight(0.5, 0, 0);
  for (const [x, y] of [[0, 0], [0.5, 0], [0, -0.6], [-0.6, 0.5]])
    for (const value of await brightness(x, y)) assert.ok(Math.abs(value - 0.5) < 0.01, `at ${x} ${y}: ${value}`);
});

test("under a sun from the viewer it falls off with the cosine", async () => {
  await setLight(0, 0, 0.6);
  const [middle] = await brightness(0, 0);
  assert.ok(middle > 0.5 && middle < 0.65, `${middle}`);
  for (const x of [0.3, 0.6, 0.8]) {
    const [value] = await brightness(x, 0), cosine = Math.sqrt(1 - x * x);
    assert.ok(Math.abs(value / middle - cosine) < 0.06, `at ${x}: ${value / middle} for ${cosine}`);
  }
});

test("a sky that grows brighter upwards lights each side by its height", async () => {
  await setLight(0, 0, 0);
  await page.evaluate(() => {
    const { stage } = document.querySelector("[data-stage]");
    stage.light.irradiance.value[0].setScalar(0.4);
    stage.light.irradiance.value[1].setScalar(0.3);
    stage.drawNow();
  });
  const [middle] = await brightness(0, 0);
  for (const y of [-0.7, -0.4, 0.4, 0.7]) {
    const [value] = await brightness(0, y);
    assert.ok(Math.abs(value / middle - (0.4 + 0.3 * y) / 0.4) < 0.07, `at ${y}: ${value / middle}`);
  }
});

test("light turns, and exposure doubles", async () => {
  await setLight(0, 0, 0.3);
  const [front] = await brightness(0, 0), [side] = await brightness(0.8, 0);
  await page.evaluate(() => { const { stage } = document.querySelector("[data-stage]"); stage.light.lightTurn.value = -Math.PI / 2; stage.drawNow(); });
  const [turnedFront] = await brightness(0, 0), [right] = await brightness(0.8, 0), [left] = await brightness(-0.8, 0);
  assert.ok(turnedFront < 0.1 * front && Math.max(left, right) > side, `${turnedFront} ${left} ${right}`);
  await page.evaluate(() => { const { stage } = document.querySelector("[data-stage]"); stage.light.lightTurn.value = 0; stage.light.exposure.value = 2;
    stage.drawNow(); });
  assert.ok(Math.abs((await brightness(0, 0))[0] / front - 2) < 0.05);
});

test("maps with green up and green down light the same after conversion", async () => {
  const dented = await dropKit(page, app, [sphere("float_low", 64, 32), sphere("float_high", 128, 64, { dents: 0.03 })]);
  const pictures = {};
  for (const green of ["Up", "Down"]) {
    await work(page, dented, "bake", { size: "256", rays: "1", outward: "30", inward: "90", green });
    await work(page, dented, "deliver");
    for (const [station, look] of [["bake", "low:baked"], ["bind", "low:delivered"]]) {
      await openStage(page, dented, station);
      await page.click('[data-stage] [data-compare="one"]');
      await page.selectOption('[data-stage] [data-pane="0"]', look);
      await ready(page);
      pictures[`${green} ${look}`] = await picture(page);
    }
  }
  await page.selectOption('[data-stage] [data-pane="0"]', "low:plain");
  await ready(page);
  const smooth = await picture(page);
  for (const look of ["low:baked", "low:delivered"]) {
    assert.ok(difference(pictures[`Up ${look}`], pictures[`Down ${look}`]) < 0.25, `${look}: ${difference(pictures[`Up ${look}`], pictures[`Down ${look}`])}`);
    assert.ok(difference(pictures[`Up ${look}`], smooth) > 0.6, "the dents are lit");
  }
});

test("with two materials each part is drawn with its own sheet's maps, and nothing is left out", async () => {
  const red = { ...white, name: "red.mtl", buffer: Buffer.from("newmtl red\nKd 0.6 0.05 0.05\nNs 0\n") };
  const pair = await dropKit(page, app, [sphere("left_low", 32, 16, { material: "white.mtl" }), sphere("left_high", 32, 16),
    sphere("right_low", 32, 16, { material: "red.mtl", right: 1.2 }), sphere("right_high", 32, 16, { right: 1.2 }), white, red]);
  await work(page, pair, "bake", { size: "256", rays: "1" });
  await work(page, pair, "deliver");
  await openStage(page, pair, "bind");
  const drawn = (pixels) => pixels.filter((v, i) => i % 4 === 3 && Math.max(...[1, 2, 3].map((c) => Math.abs(pixels[i - c] - 0x77))) > 10).length;
  const delivered = await picture(page);
  await page.selectOption('[data-stage] [data-pane="0"]', "low:plain");
  await ready(page);
  const plain = await picture(page);
  assert.ok(Math.abs(drawn(delivered) - drawn(plain)) < 0.05 * drawn(plain), `${drawn(delivered)} of ${drawn(plain)}`);
  const redness = (right) => delivered.filter((v, i) => i % 4 === 0 && (Math.floor(i / 4) % 64 >= 32) === right && v > 1.5 * delivered[i + 1]).length;
  assert.ok(redness(true) > 50 && redness(false) < 10, `${redness(true)} ${redness(false)}`);
  await page.goto(`${pair}/bake`);
  await page.waitForSelector("[data-map-viewer][data-ready]");
  assert.equal(await page.evaluate(() => document.querySelector("[data-map-viewer]").map.picture.choice.material !== null), true);
});

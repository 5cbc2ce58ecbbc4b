// The viewers as an artist uses them, and textures as the graphics card decodes them.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, startApp } from "./app.mjs";
import { openBrowser } from "./browser.mjs";

let app, browser, page;

before(async () => {
  app = await startApp("--demo", "false");
  const demo = join(app.folder, "demo");
  crumpet("demo", "--out", demo);
  browser = await openBrowser();
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(app.url);
  await page.fill("#name", "Kit");
  await page.click("text=Make kit");
  await page.setInputFiles('input[name="files"]', ["louvre_screen_low.obj", "louvre_screen_low.mtl", "louvre_screen_high.glb"].map((f) => join(demo, "louvre_screen", f)));
  await page.waitForURL(/\/assets\/1\/intake/);
  await fresh("layout");
  await page.goto(`${app.url}/assets/1/pairs`);
  await page.selectOption("#trays", "One");
  await page.click("button.button-main");
  await fresh("pairs");
  await page.goto(`${app.url}/assets/1/bake`);
  await page.selectOption("#size", "512");
  await page.fill("#rays", "4");
  await page.click("button.button-main");
  await fresh("bake");
  await page.goto(`${app.url}/assets/1/deliver`);
  await page.click("button.button-main");
  await fresh("deliver");
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const fresh = (station) => page.waitForSelector(`.stop-fresh[data-station="${station}"]`, { timeout: 240_000 });
const picture = () => page.evaluate(() => {
  const canvas = document.querySelector("[data-stage] canvas"), small = new OffscreenCanvas(64, 64).getContext("2d");
  small.drawImage(canvas, 0, 0, 64, 64);
  return [...small.getImageData(0, 0, 64, 64).data];
});
const difference = (a, b) => a.reduce((sum, value, i) => sum + Math.abs(value - b[i]), 0) / a.length;
const settled = () => page.evaluate(() => new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(() => requestAnimationFrame(r)))));

async function openStage(station, mode) {
  await page.goto(`${app.url}/assets/1/${station}`);
  await page.waitForSelector(`[data-stage][data-ready="${mode}"]`, { timeout: 60_000 });
  await settled();
}

test("the stage turns by drag and by keys, zooms, and frames again", async () => {
  await openStage("pairs", "high");
  const start = await picture();
  const box = await page.locator("[data-stage] canvas").boundingBox();
  await page.mouse.move(box.x + 100, box.y + 300);
  await page.mouse.down();
  await page.mouse.move(box.x + 200, box.y + 330, { steps: 4 });
  await page.mouse.up();
  await settled();
  const turned = await picture();
  assert.ok(difference(start, turned) > 0.5);
  await page.locator("[data-stage] canvas").focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press("+");
  await settled();
  const near = await picture();
  assert.ok(difference(turned, near) > 0.5);
  await page.keyboard.press("f");
  await settled();
  assert.ok(difference(turned, await picture()) < 0.2);
});

test("a press on a ledger row flies the stage to the part", async () => {
  await openStage("pairs", "high");
  const start = await picture();
  await page.click('.ledger tr[data-place="latch_knob"]');
  await settled();
  assert.equal(await page.textContent("[data-stage] .readout"), "latch_knob");
  assert.ok(difference(start, await picture()) > 2);
  assert.equal(await page.locator(".ledger tr.marked").count(), 1);
});

test("the wipe shows the high side left and the baked low side right of its seam", async () => {
  await openStage("bake", "wipe");
  const half = await picture();
  const box = await page.locator("[data-stage] canvas").boundingBox();
  await page.mouse.move(box.x + box.width / 2, box.y + 200);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 2, box.y + 200, { steps: 6 });
  await page.mouse.up();
  await settled();
  const allHigh = await picture();
  await page.click('[data-mode="high"]');
  await page.waitForSelector('[data-stage][data-ready="high"]');
  await settled();
  const high = await picture();
  assert.ok(difference(allHigh, high) < difference(half, high) + 0.01);
  assert.ok(difference(allHigh, high) < 0.6, `${difference(allHigh, high)}`);
});

test("neighbours that burn in on one tray are findings that fly both viewers there", async () => {
  await openStage("bake", "wipe");
  await page.waitForSelector("#map[data-ready] canvas");
  const finding = page.locator(".finding", { hasText: "carries the surface of" }).first();
  assert.match(await finding.textContent(), /put each part on its own tray/);
  const before = await page.evaluate(() => document.getElementById("map").mapView.view.scale);
  await finding.click();
  assert.ok(await page.evaluate(() => document.getElementById("map").mapView.view.scale) > before);
});

test("a texel reads as the file has it", async () => {
  await page.goto(`${app.url}/assets/1/bake`);
  await page.waitForSelector("#map[data-ready] canvas");
  const [x, y] = [100, 300];
  const spot = await page.evaluate(([tx, ty]) => {
    const { view, canvas } = document.getElementById("map").mapView, rect = canvas.getBoundingClientRect();
    return [rect.x + view.x + (tx + 0.5) * view.scale, rect.y + view.y + (ty + 0.5) * view.scale];
  }, [x, y]);
  await page.mouse.move(...spot);
  const shown = (await page.textContent("#map .readout")).match(/x (\d+) y (\d+) R (\d+) G (\d+) B (\d+)/).slice(1).map(Number);
  const url = await page.getAttribute('#map [aria-selected="true"]', "data-map");
  const real = await page.evaluate(async ([address, tx, ty]) => {
    const image = await createImageBitmap(await (await fetch(address)).blob(), { colorSpaceConversion: "none" });
    const context = new OffscreenCanvas(image.width, image.height).getContext("2d");
    context.drawImage(image, 0, 0);
    return [...context.getImageData(tx, ty, 1, 1).data.slice(0, 3)];
  }, [url, shown[0], shown[1]]);
  assert.deepEqual(shown.slice(2), real);
});

test("Space swaps picture and decoded texture", async () => {
  await page.goto(`${app.url}/assets/1/convert`);
  await page.waitForSelector("#map[data-ready] canvas");
  await page.locator("#map canvas").focus();
  await page.keyboard.down(" ");
  assert.equal(await page.evaluate(() => document.getElementById("map").mapView.swapped), true);
  await page.keyboard.up(" ");
  assert.equal(await page.evaluate(() => document.getElementById("map").mapView.swapped), false);
});

test("the graphics card decodes the delivered blocks to what Crumpet says they are", async () => {
  await openStage("bind", "delivered");
  for (const [name, channels] of [["louvre_screen_normal.dds", 2], ["louvre_screen_masks.dds", 3]]) {
    const found = await page.evaluate(async ([file, count]) => {
      const THREE = await import("/lib/three/three.module.js");
      const { loadDds } = await import("/js/dds.js");
      const texture = await loadDds(`/assets/1/files/convert/${file}`);
      texture.minFilter = texture.magFilter = THREE.NearestFilter;
      const side = texture.mipmaps[0].width;
      const renderer = new THREE.WebGLRenderer();
      const target = new THREE.WebGLRenderTarget(side, side, { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter });
      const material = new THREE.ShaderMaterial({
        uniforms: { map: { value: texture } },
        vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
        fragmentShader: "uniform sampler2D map; varying vec2 at; void main() { gl_FragColor = texture2D(map, at); }",
      });
      const scene = new THREE.Scene();
      scene.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material));
      renderer.setRenderTarget(target);
      renderer.render(scene, new THREE.Camera());
      const card = new Uint8Array(side * side * 4);
      renderer.readRenderTargetPixels(target, 0, 0, side, side, card);
      const image = await createImageBitmap(await (await fetch(`/assets/1/decoded/${file}`)).blob(), { colorSpaceConversion: "none", premultiplyAlpha: "none" });
      const context = new OffscreenCanvas(side, side).getContext("2d");
      context.drawImage(image, 0, 0);
      const ours = context.getImageData(0, 0, side, side).data;
      let worst = 0, sum = 0;
      for (let i = 0; i < side * side; i++)
        for (let c = 0; c < count; c++) {
          const d = Math.abs(card[4 * i + c] - ours[4 * i + c]);
          worst = Math.max(worst, d);
          sum += d;
        }
      renderer.dispose();
      return { worst, mean: sum / (side * side * count) };
    }, [name, channels]);
    assert.ok(found.worst <= 1, `${name}: ${JSON.stringify(found)}`);
    assert.ok(found.mean < 0.5, `${name}: ${JSON.stringify(found)}`);
  }
});

test("number keys walk the line", async () => {
  await page.goto(`${app.url}/assets/1/intake`);
  for (const [key, station] of [["5", "pack"], ["8", "deliver"], ["1", "intake"]]) {
    await page.keyboard.press(key);
    await page.waitForURL(new RegExp(`/${station}$`));
  }
});

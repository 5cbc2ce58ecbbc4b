// The viewers as an artist uses them, and textures as the graphics card decodes them.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, sharedApp } from "./app.mjs";
import { decodedByCard, texelShown, tilesHeld } from "./in-page.mjs";
import { difference, dropKit, openBrowser, openPage, openStage, picture, ready, work } from "./browser.mjs";

let app, browser, page, complaints, asset;

before(async () => {
  app = await sharedApp();
  const demo = join(app.folder, "demo");
  crumpet("demo", "--coarse", "--out", demo);
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  // A picture of floating-point numbers among the sources: 3.25 everywhere, -1.5 in one corner.
  const real = join(app.folder, "heights.tif");
  writeFileSync(join(app.folder, "make.py"),
    `from PIL import Image\ni = Image.new("F", (300, 200), 3.25)\ni.putpixel((0, 0), -1.5)\ni.save(${JSON.stringify(real)})\n`);
  execFileSync("/usr/bin/python3", [join(app.folder, "make.py")]);
  asset = await dropKit(page, app,
    [...["louvre_screen_low.obj", "louvre_screen_low.mtl", "louvre_screen_high.glb"].map((f) => join(demo, "assets", "louvre_screen", f)), real]);
  await work(page, asset, "pairs", { trays: "One" });
  await work(page, asset, "bake", { size: "512", rays: "4", outward: "12", inward: "20" });
  await work(page, asset, "deliver");
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

const stage = (read) => page.evaluate(read);
const canvasBox = () => page.locator("[data-stage] canvas").boundingBox();
const drawer = (name) => page.click(`[data-stage] [data-drawer="${name}"] summary`);

async function show(look, pane = 0) {
  await page.selectOption(`[data-stage] [data-pane="${pane}"]`, look);
  await ready(page);
}

/** The half of a 64 × 64 picture. */
const half = (pixels, right) => pixels.filter((_, i) => (Math.floor(i / 4) % 64 >= 32) === right);

test("the stage turns by drag and by keys, zooms to the pointer, and shows the whole asset again", async () => {
  await openStage(page, asset, "pairs");
  const start = await picture(page);
  const box = await canvasBox();
  await page.mouse.move(box.x + 100, box.y + 300);
  await page.mouse.down();
  await page.mouse.move(box.x + 200, box.y + 330, { steps: 4 });
  await page.mouse.up();
  await ready(page);
  const turned = await picture(page);
  assert.ok(difference(start, turned) > 0.5);
  const under = () => page.evaluate(async () => {
    const s = document.querySelector("[data-stage]").stage, { partUnder } = await clientFile("js/stage/pointing.js");
    return partUnder(s, s.canvas.clientWidth * 0.3, s.canvas.clientHeight * 0.4);
  });
  await page.mouse.move(box.x + box.width * 0.3, box.y + box.height * 0.4);
  const before = await under();
  await page.mouse.wheel(0, -900);
  await ready(page);
  assert.ok(difference(turned, await picture(page)) > 0.5);
  assert.equal(await under(), before);
  await page.locator("[data-stage] canvas").focus();
  await page.keyboard.press("Home");
  await ready(page);
  assert.ok(difference(turned, await picture(page)) < 0.3);
  await page.keyboard.press("Shift+X");
  await ready(page);
  assert.ok(Math.abs(await stage(() => document.querySelector("[data-stage]").stage.camera.yaw) + Math.PI / 2) < 1e-6);
});

test("detail while moving follows how fast frames come, and never returns to what was too slow", async () => {
  await openStage(page, asset, "pairs");
  const begun = await stage(() => {
    const { pace } = document.querySelector("[data-stage]").stage, start = pace.level;
    pace.begin(300_000);
    const light = pace.level;
    pace.begin(500_000);
    return [start, light, pace.level];
  });
  assert.deepEqual(begun, [2, 2, 0]);
  const levels = await stage(() => {
    const { pace } = document.querySelector("[data-stage]").stage;
    const after = (milliseconds, frames) => { for (let i = 0; i < frames; i++) pace.took(milliseconds); return pace.level; };
    Object.assign(pace, { level: 0, ceiling: 2, slow: 0, quick: 0 });
    return [after(16, 12), after(16, 12), after(60, 1), after(60, 1), after(16, 40)];
  });
  assert.deepEqual(levels, [1, 2, 2, 1, 1]);
});

test("fingers turn, move and zoom the stage, and a touch pad's pinch zooms it", async () => {
  await openStage(page, asset, "pairs");
  const box = await canvasBox(), cdp = await page.context().newCDPSession(page);
  const touch = (type, ...points) =>
    cdp.send("Input.dispatchTouchEvent", { type, touchPoints: points.map(([x, y], id) => ({ x: box.x + x, y: box.y + y, id })) });
  const camera = () =>
    stage(() => { const { yaw, distance, target } = document.querySelector("[data-stage]").stage.camera; return { yaw, distance, target: target.toArray() }; });
  const start = await camera();
  await touch("touchStart", [100, 200]);
  await touch("touchMove", [160, 200]);
  await touch("touchEnd");
  const turned = await camera();
  assert.ok(Math.abs(turned.yaw - start.yaw + 60 * 0.008) < 0.01 && turned.distance === start.distance);
  await touch("touchStart", [150, 300], [250, 300]);
  await touch("touchMove", [100, 320], [300, 320]);
  await touch("touchEnd");
  const pinched = await camera();
  assert.ok(Math.abs(pinched.distance / turned.distance - 0.5) < 0.05, `${pinched.distance / turned.distance}`);
  assert.notDeepEqual(pinched.target, turned.target);
  assert.equal(pinched.yaw, turned.yaw);
  await page.mouse.move(box.x + 200, box.y + 300);
  await page.keyboard.down("Control");
  await page.mouse.wheel(0, 40);
  await page.keyboard.up("Control");
  await page.waitForFunction((d) => document.querySelector("[data-stage]").stage.camera.distance > d * 1.2, pinched.distance);
});

test("parallel lines stay parallel: what is nearer is no larger", async () => {
  await openStage(page, asset, "pairs");
  await page.locator("[data-stage] canvas").focus();
  await page.keyboard.press("z");
  await page.keyboard.press("o");
  await ready(page);
  const widths = await stage(() => {
    const { camera, box } = document.querySelector("[data-stage]").stage, Vector = box.min.constructor;
    return [box.min.z, box.max.z].map((z) => new Vector(box.max.x, 1, z).project(camera.three).x - new Vector(box.min.x, 1, z).project(camera.three).x);
  });
  assert.ok(Math.abs(widths[0] - widths[1]) < 1e-6 && widths[0] > 0.1);
});

test("parts are isolated, drawn apart and brought back", async () => {
  await openStage(page, asset, "pairs");
  const whole = await picture(page);
  await drawer("parts");
  await page.click('[data-only="latch_knob"]');
  assert.equal(await stage(() => document.querySelector("[data-stage]").stage.sides.high.now.objects.filter((o) => o.mesh.visible).length), 1);
  await page.click('[data-parts="all"]');
  await ready(page);
  assert.ok(difference(whole, await picture(page)) < 0.1);
  await page.fill('[data-slider="explode"]', "1");
  await ready(page);
  const grown = await stage(() => { const s = document.querySelector("[data-stage]").stage;
    return s.boxOf().getSize(s.box.max.clone()).y / s.box.getSize(s.box.max.clone()).y; });
  assert.ok(grown > 1.5, `${grown}`);
});

test("a press picks the part under it, and the ledger shows its row", async () => {
  await openStage(page, asset, "pairs");
  await page.locator("[data-stage] canvas").focus();
  await page.keyboard.press("y");
  await ready(page);
  // Straight from above there is nothing but roof.
  const box = await canvasBox();
  await page.mouse.click(box.x + box.width * 0.4, box.y + box.height * 0.44);
  assert.match(await page.textContent("[data-stage] .readout"), /^roof_0\d/);
  assert.match(await page.getAttribute(".ledger tr.marked", "data-place"), /^roof_0\d$/);
});

test("a press on a ledger row flies the stage to the part", async () => {
  await openStage(page, asset, "pairs");
  const start = await picture(page);
  await page.click('.ledger tr[data-place="latch_knob"]');
  await ready(page);
  assert.match(await page.textContent("[data-stage] .readout"), /^latch_knob/);
  assert.ok(difference(start, await picture(page)) > 2);
  assert.equal(await page.locator(".ledger tr.marked").count(), 1);
});

test("the wipe shows the high side left and the baked low side right of its seam", async () => {
  await openStage(page, asset, "bake");
  const start = await picture(page);
  const box = await canvasBox();
  await page.mouse.move(box.x + box.width / 2, box.y + 200);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 1, box.y + 200, { steps: 6 });
  await page.mouse.up();
  await ready(page);
  const allHigh = await picture(page);
  // The seam moves by keys too.
  await page.locator("[data-stage] canvas").focus();
  for (let i = 0; i < 10; i++) await page.keyboard.press(",");
  assert.ok(Math.abs(await stage(() => document.querySelector("[data-stage]").stage.seam) - 0.5) < 0.01);
  await page.click('[data-stage] [data-compare="one"]');
  await ready(page);
  const high = await picture(page);
  assert.ok(difference(allHigh, high) < 0.6, `${difference(allHigh, high)}`);
  assert.ok(difference(half(start, false), half(high, false)) < 0.6);
  await show("low:baked");
  assert.ok(difference(half(start, true), half(await picture(page), true)) < 0.6);
});

test("side by side, both cameras are one", async () => {
  await openStage(page, asset, "bind");
  await page.click('[data-stage] [data-compare="beside"]');
  await show("low:plain", 0);
  await show("low:plain", 1);
  await page.locator("[data-stage] canvas").focus();
  for (const key of ["ArrowLeft", "ArrowLeft", "ArrowUp", "+"]) await page.keyboard.press(key);
  await ready(page);
  const pixels = await picture(page);
  assert.ok(difference(half(pixels, false), half(pixels, true)) < 1.2, `${difference(half(pixels, false), half(pixels, true))}`);
});

test("every way of seeing draws something, and no two the same", async () => {
  await openStage(page, asset, "bind");
  const seen = new Map();
  const looks = await page.$$eval('[data-stage] [data-pane="0"] option', (all) => all.map((o) => o.value));
  assert.ok(looks.length > 18, looks.join(" "));
  for (const look of looks) {
    await show(look);
    const pixels = await picture(page);
    const drawn = pixels.filter((v, i) => i % 4 === 0 && Math.abs(v - 0x77) > 6).length;
    assert.ok(drawn > 150, `${look} draws ${drawn} pixels`);
    // One material and one tray look alike; so do normals of flat low and high sides from afar.
    if (!/groups|materials|trays|colours|material$|facing|normals|baked|delivered|plain/.test(look))
      for (const [other, before] of seen) assert.ok(difference(pixels, before) > 0.3, `${look} looks like ${other}`);
    seen.set(look, pixels);
  }
});

test("wires, edges, cage, grid and figure are drawn on top", async () => {
  await openStage(page, asset, "layout");
  await show("low:plain");
  const plain = await picture(page);
  await drawer("view");
  for (const toggle of ["wire", "edges", "cage", "grid", "figure"]) {
    await page.click(`[data-toggle="${toggle}"]`);
    await ready(page);
    assert.ok(difference(plain, await picture(page)) > 0.15, `${toggle}: ${difference(plain, await picture(page))}`);
    await page.click(`[data-toggle="${toggle}"]`);
    await ready(page);
    assert.ok(difference(plain, await picture(page)) < 0.05, `${toggle} goes`);
  }
});

test("a still picture has the chosen size and shows the view", async () => {
  await openStage(page, asset, "bind");
  await drawer("view");
  await page.selectOption('[data-still="size"]', "2560x1440");
  const [download] = await Promise.all([page.waitForEvent("download"), page.click('[data-still="save"]')]);
  const look = "import sys, json; from PIL import Image; i = Image.open(sys.argv[1]).convert('L'); "
    + "print(json.dumps([i.format, *i.size, len(set(i.resize((64, 64)).getdata()))]))";
  const found = JSON.parse(execFileSync("/usr/bin/python3", ["-c", look, await download.path()], { encoding: "utf8" }));
  assert.deepEqual(found.slice(1, 3), [2560, 1440]);
  assert.ok(found[3] > 20);
});

test("neighbours that burn in on one tray are findings that fly both viewers there", async () => {
  await openStage(page, asset, "bake");
  await page.waitForSelector("[data-map-viewer][data-ready]");
  const finding = page.locator(".finding", { hasText: "carries the surface of" }).first();
  assert.match(await finding.textContent(), /plan the trays, or put the two on separate ones/);
  const scale = () => page.evaluate(() => document.querySelector("[data-map-viewer]").map.view.scale);
  const distance = () => stage(() => document.querySelector("[data-stage]").stage.camera.distance);
  const [scaleBefore, distanceBefore] = [await scale(), await distance()];
  // The arrow keys walk the findings, worst first.
  await page.keyboard.press("ArrowDown");
  assert.ok(await scale() > scaleBefore);
  assert.ok(await distance() < distanceBefore);
});

test("a point on the map is marked on the stage, and back", async () => {
  await openStage(page, asset, "bake");
  await page.waitForSelector("[data-map-viewer][data-ready]");
  // The middle of a triangle of the low side, as UV and as a point.
  const spot = await page.evaluate(() => {
    const map = document.querySelector("[data-map-viewer]").map, low = document.querySelector("[data-stage]").stage.sides.low.now;
    const o = low.objects.find((c) => c.part === "roof_01"), { uv, index } = o.source.levels[0], rect = map.canvas.getBoundingClientRect();
    const middle = [0, 1].map((c) => (uv[2 * index[0] + c] + uv[2 * index[1] + c] + uv[2 * index[2] + c]) / 3);
    return { x: rect.x + map.view.x + middle[0] * map.view.width * map.view.scale,
      y: rect.y + map.view.y + (1 - middle[1]) * map.view.height * map.view.scale };
  });
  await page.mouse.move(spot.x, spot.y);
  await page.waitForSelector(".stage-mark:not([hidden])");
  const marked = await stage(() => { const s = document.querySelector("[data-stage]").stage;
    return s.sides.low.now.objects.find((o) => o.part === "roof_01").box.clone().expandByScalar(1e-3).containsPoint(s.markAt); });
  assert.ok(marked);
  // On the stage, straight from above, the same roof.
  await page.locator("[data-stage] canvas").focus();
  await page.keyboard.press("y");
  await ready(page);
  const box = await canvasBox();
  for (const x of [0.44, 0.45]) {
    await page.mouse.move(box.x + box.width * x, box.y + box.height * 0.44);
    await page.waitForTimeout(80);
  }
  const uv = await page.evaluate(() => document.querySelector("[data-map-viewer]").map.mark);
  const [u, v] = (await page.textContent("[data-stage] .readout")).match(/u (\d\.\d+) v (\d\.\d+)/).slice(1).map(Number);
  assert.ok(Math.abs(uv[0] - u) < 1e-3 && Math.abs(uv[1] - v) < 1e-3);
});

/** Opens a map in its viewer and waits for it. */
async function openMap(station, key) {
  await page.goto(`${asset}/${station}?map=${encodeURIComponent(key)}`);
  await page.waitForSelector(`[data-map-viewer][data-ready="${key}"]`, { timeout: 60_000 });
}

/** Points at a texel and gives the readout once its numbers are there. */
async function readAt(x, y) {
  const spot = await page.evaluate(([tx, ty]) => {
    const { view, canvas } = document.querySelector("[data-map-viewer]").map, rect = canvas.getBoundingClientRect();
    return [rect.x + view.x + (tx + 0.5) * view.scale, rect.y + view.y + (ty + 0.5) * view.scale];
  }, [x, y]);
  await page.mouse.move(...spot);
  await page.waitForFunction(() => /· (R|grey) -?\d/.test(document.querySelector("[data-map-viewer] .readout").textContent));
  return page.textContent("[data-map-viewer] .readout");
}

test("a texel reads as the file has it", async () => {
  const key = await page.goto(`${asset}/bake`).then(() => page.$eval('[data-map-viewer] [data-pane="0"] option', (o) => o.value));
  await openMap("bake", key);
  const shown = (await readAt(100, 300)).match(/x (\d+) y (\d+) · R (\d+) G (\d+) B (\d+) n \(/).slice(1).map(Number);
  const real = await page.evaluate(async ([address, x, y]) => {
    const image = await createImageBitmap(await (await fetch(address)).blob(), { colorSpaceConversion: "none" });
    const context = new OffscreenCanvas(image.width, image.height).getContext("2d");
    context.drawImage(image, 0, 0);
    return [...context.getImageData(x, y, 1, 1).data.slice(0, 3)];
  }, [`${asset}/files/${key}`, shown[0], shown[1]]);
  assert.deepEqual(shown.slice(2), real);
});

test("floating-point numbers are read as they are and shown from their least to their greatest", async () => {
  await openMap("pack", "intake/heights.tif");
  assert.match(await readAt(150, 100), /grey 3\.25 · heights\.tif · 300 × 200 px · float/);
  assert.match(await readAt(0, 0), /grey -1\.5 ·/);
  assert.deepEqual(await page.$$eval("[data-map-viewer] [data-range]", (all) => all.map((i) => Number(i.value))), [-1.5, 3.25]);
  const shade = await page.evaluate(() => {
    const canvas = document.querySelector("[data-map-viewer] .texels"), small = new OffscreenCanvas(canvas.width, canvas.height).getContext("2d");
    small.drawImage(canvas, 0, 0);
    return small.getImageData(canvas.width / 2, canvas.height / 2, 1, 1).data[0];
  });
  assert.equal(shade, 255);
});

test("channels are shown alone or together", async () => {
  await openMap("pack", "pack/louvre_screen_masks.png");
  const middle = () => page.evaluate(texelShown, [200, 200]);
  await readAt(200, 200);
  const together = await middle();
  assert.deepEqual(together.pixel, together.values);
  await page.click('[data-map-viewer] [data-channel="G"]', { modifiers: ["Shift"] });
  const alone = await middle();
  assert.deepEqual(alone.pixel, [alone.values[1], alone.values[1], alone.values[1]]);
});

test("Space swaps picture and decoded texture, and the difference has the decibels of the ticket", async () => {
  await page.goto(`${asset}/convert`);
  await page.waitForSelector("[data-map-viewer][data-ready]");
  await page.locator("[data-map-viewer] .over").focus();
  const front = () => page.evaluate(() => document.querySelector("[data-map-viewer]").map.picture.choice.key);
  const first = await front();
  await page.keyboard.down(" ");
  const held = await front();
  await page.keyboard.up(" ");
  assert.match(first, /^pack\//);
  assert.match(held, /^convert\//);
  assert.equal(await front(), first);
  await page.selectOption('[data-map-viewer] [data-pane="0"]', "pack/louvre_screen_masks.png");
  await page.selectOption('[data-map-viewer] [data-pane="1"]', "convert/louvre_screen_masks.dds");
  await page.click('[data-map-viewer] [data-compare="difference"]');
  await page.mouse.move(1200, 780);
  await page.waitForFunction(() => /PSNR/.test(document.querySelector("[data-map-viewer] .readout").textContent));
  const [, shown] = (await page.textContent("[data-map-viewer] .readout")).match(/PSNR ([\d.]+) dB/);
  const ticket = (await page.textContent('.small-table tr:has-text("masks") + tr td:nth-child(3)')).match(/([\d.]+) dB/)[1];
  assert.ok(Math.abs(shown - ticket) < 0.15, `${shown} ${ticket}`);
});

test("mip levels of a texture are looked at one by one", async () => {
  await openMap("convert", "convert/louvre_screen_normal.dds");
  await page.click('[data-map-viewer] [data-compare="one"]');
  await page.selectOption("[data-mip]", "3");
  await page.waitForFunction(() => /mip 3 · 64 × 64 px/.test(document.querySelector("[data-map-viewer] .readout").textContent));
});

test("stepping through many maps holds a bounded number of tiles", async () => {
  await openMap("convert", "convert/louvre_screen_normal.dds");
  const held = await page.evaluate(tilesHeld);
  assert.ok(held.most <= 160 * 1024 * 1024 && held.most > 0, JSON.stringify(held));
  assert.equal(held.bytes, held.counted);
});

test("the graphics card decodes the delivered blocks to what Crumpet says they are", async () => {
  await openStage(page, asset, "bind");
  for (const [name, channels] of [["louvre_screen_normal.dds", 2], ["louvre_screen_masks.dds", 3]]) {
    await openMap("convert", `convert/${name}`);
    const found = await page.evaluate(decodedByCard, [name, channels, asset]);
    assert.ok(found.worst <= 1, `${name}: ${JSON.stringify(found)}`);
    assert.ok(found.mean < 0.5, `${name}: ${JSON.stringify(found)}`);
  }
});

test("nothing was complained of", () => assert.deepEqual(complaints, []));

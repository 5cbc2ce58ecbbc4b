// Pieces of the front end by themselves, in the browser they run in.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { sharedApp } from "./app.mjs";
import { openBrowser, openPage } from "./browser.mjs";

let app, browser, page;

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page } = await openPage(browser, app));
  await page.goto(`${app.url}/kits`);
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

test("the colour scale is cividis from end to end, and grows ever brighter", async () => {
  const colours = await page.evaluate(async () => {
    const { cividis } = await clientFile("js/stage/shader.js");
    return Array.from({ length: 101 }, (_, i) => cividis(i / 100).match(/\d+/g).map(Number));
  });
  // Published ends and middle of the scale.
  for (const [at, known] of [[0, [0, 34, 78]], [50, [124, 123, 120]], [100, [254, 232, 56]]])
    colours[at].forEach((value, c) => assert.ok(Math.abs(value - known[c]) <= 12, `${at}: ${colours[at]} for ${known}`));
  const light = colours.map(([r, g, b]) => 0.2126 * (r / 255) ** 2.2 + 0.7152 * (g / 255) ** 2.2 + 0.0722 * (b / 255) ** 2.2);
  for (let i = 1; i < light.length; i++) assert.ok(light[i] > light[i - 1] - 1e-3, `at ${i}`);
});

test("every edge of a mesh is a wire once", async () => {
  const found = await page.evaluate(async () => {
    const { wiresOf } = await clientFile("js/stage/side.js"), across = 40, index = [];
    for (let y = 0; y < across; y++)
      for (let x = 0; x < across; x++) {
        const a = y * (across + 1) + x, b = a + 1, c = b + across + 1, d = a + across + 1;
        index.push(a, b, c, a, c, d);
      }
    const pairs = [...wiresOf(Uint32Array.from(index))], seen = new Set();
    for (let i = 0; i < pairs.length; i += 2) seen.add(`${pairs[i]} ${pairs[i + 1]}`);
    return { wires: pairs.length / 2, distinct: seen.size, expected: across * (across + 1) * 2 + across * across };
  });
  assert.deepEqual(found, { wires: found.expected, distinct: found.expected, expected: found.expected });
});

test("zooming a flat view keeps what lies under the pointer", async () => {
  const found = await page.evaluate(async () => {
    const { PanZoom } = await clientFile("js/map/pan-zoom.js"), canvas = document.createElement("canvas");
    Object.assign(canvas.style, { width: "400px", height: "300px", display: "block" });
    document.body.append(canvas);
    const view = new PanZoom(canvas, () => {}), seen = [];
    view.fit(2048, 1024);
    seen.push([view.width * view.scale <= 400, view.height * view.scale <= 300]);
    for (const factor of [1.7, 0.3, 40, 1e-9, 1e9]) {
      const before = view.at(123, 77);
      view.zoomAt(123, 77, factor);
      const after = view.at(123, 77);
      seen.push([Math.abs(after[0] - before[0]) < 1e-6 * Math.max(1, Math.abs(before[0])),
        Math.abs(after[1] - before[1]) < 1e-6 * Math.max(1, Math.abs(before[1]))]);
    }
    canvas.remove();
    return seen;
  });
  assert.ok(found.flat().every(Boolean), JSON.stringify(found));
});

test("a preview that is not there is none, and one that is no preview is refused", async () => {
  const found = await page.evaluate(async () => {
    const { loadPreview } = await clientFile("js/stage/preview.js");
    const missing = await loadPreview("/assets/99/files/intake/low.preview"), empty = await loadPreview("");
    const wrong = await loadPreview(document.querySelector("link[rel=icon]").href).then(() => "taken", (e) => e.message);
    return { missing, empty, wrong };
  });
  assert.deepEqual(found, { missing: null, empty: null, wrong: "not a preview" });
});

test("tiles are forgotten when there are too many bytes, those not asked for longest first", async () => {
  const found = await page.evaluate(async () => {
    const { tileStore } = await clientFile("js/map/tiles.js"), dropped = [];
    tileStore.dropped = (tile) => dropped.push(tile.name);
    const ask = (name, megabytes) => new Promise((done) => tileStore.get(name, async () => ({ name, data: new Uint8Array(megabytes << 20) }), done));
    for (const name of ["a", "b"]) await ask(name, 60);
    // What is asked for again is young again.
    tileStore.get("a");
    await ask("c", 60);
    await ask("d", 30);
    return { dropped, held: [...tileStore.tiles.keys()], mebibytes: tileStore.bytes >> 20 };
  });
  assert.deepEqual(found, { dropped: ["b"], held: ["a", "c", "d"], mebibytes: 150 });
});

test("a dropped folder gives all its files with their paths below it, however many there are", async () => {
  const paths = await page.evaluate(async () => {
    const { filesOf } = await clientFile("js/upload.js");
    const file = (name) => ({ isFile: true, name, file: (done) => done(new File([name], name)) });
    // As browsers do, a reader gives its entries in portions and then nothing.
    const folder = (name, ...entries) =>
      ({ isFile: false, isDirectory: true, name, createReader: () => { const left = [...entries]; return { readEntries: (done) => done(left.splice(0, 100)) };
      } });
    const many = Array.from({ length: 250 }, (_, i) => file(`part${i}.obj`));
    return (await filesOf(folder("gauge", file("low.obj"), folder("maps", file("a.png"), folder("old", file("b.png"))), folder("set", ...many),
      file(".hidden")), null)).map((f) => f.path);
  });
  assert.deepEqual(paths.slice(0, 3), ["low.obj", "maps/a.png", "maps/old/b.png"]);
  assert.equal(paths.length, 253);
  assert.equal(paths.at(-1), "set/part249.obj");
});

// Bind as an artist uses it: a brought set is bound, a texture is dragged onto an input, a closed input is opened, and what was done is taken
// back; a target is changed, taken away and taken in, and its versions stand.
import assert from "node:assert/strict";
import { after, before, test } from "node:test";
import { readFileSync } from "node:fs";
import { sharedApp } from "./app.mjs";
import { dropKit, fresh, kitOf, openBrowser, openPage, picture, difference, press, ready, work } from "./browser.mjs";
import { png } from "./png.mjs";
import { sphere } from "./shapes.mjs";

let app, browser, page, complaints, asset, kit;
const upload = (name, colour) => ({ name: `float_${name}.png`, mimeType: "image/png", buffer: png(64, 64, colour) });

/** Adds an asset that stops at Intake, as a mesh without a high side and without textures does. */
async function stopped(files) {
  await page.goto(kit);
  await page.setInputFiles('input[name="files"]', files);
  await page.waitForURL(/\/assets\/\d+\/intake/);
  await page.waitForSelector(".stop-blocked[data-station=intake]", { timeout: 60_000 });
  return page.url().replace(/\/intake.*/, "");
}

const row = (input) => `[data-input="${input}"]`;
const words = (input) => page.textContent(`${row(input)} .input-words`);

before(async () => {
  app = await sharedApp();
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  asset = await dropKit(page, app, [sphere("float_low", 24, 12), upload("albedo", (x, y) => [180, 4 * y, 4 * x, 255]),
    upload("nrm", () => [128, 128, 255, 255]), upload("orm", (x) => [255, 90 + x, 0, 255]),
    upload("glow", (x) => (x < 32 ? [255, 120, 0, 255] : [0, 0, 0, 255]))],
  { "bake.size": "256" });
  kit = await kitOf(page, asset);
  await work(page, asset, "bind");
});

after(async () => {
  await browser?.close();
  await app?.stop();
});

test("a brought set is bound, and each input says why it holds what it holds", async () => {
  await page.goto(`${asset}/bind`);
  await ready(page);
  assert.match(await words("base colour"), /float_colour\.dds.*to the letter/s);
  assert.match(await words("occlusion, roughness, metalness"), /float_masks\.dds/);
  assert.match(await words("emission"), /it is closed; it opens with emission/);
  assert.equal(await page.locator(".inputs li:not(.quiet)").count(), 3);
});

test("a texture dragged onto an input stays there, and undo takes it out again", async () => {
  await page.dragAndDrop('.loose [data-texture="masks"]', row("base colour"));
  await page.waitForSelector(`${row("base colour")} .file-name:text-is("float_masks.dds")`);
  await fresh(page, "bind");
  assert.match(await words("base colour"), /it was put here by hand/);
  await page.keyboard.press("Control+z");
  await page.waitForSelector(`${row("base colour")} .file-name:text-is("float_colour.dds")`);
});

test("an input is emptied by its list, says so, and its names decide again", async () => {
  await page.goto(`${asset}/bind`);
  await page.selectOption(`${row("normal")} select`, "empty");
  await page.waitForSelector(`${row("normal")} :text("it was emptied by hand")`);
  await page.selectOption(`${row("normal")} select`, "by name");
  await page.waitForSelector(`${row("normal")} .file-name:text-is("float_normal.dds")`);
});

test("a closed input is opened, the output it asks for is added by its press, and the stage glows", async () => {
  await page.goto(`${asset}/bind`);
  await ready(page);
  const dark = await picture(page);
  await press(page, 'button:text-is("Switch emission on")');
  await page.waitForSelector(`${row("emission")} :text("no file is named float_emission")`);
  await press(page, 'button:text-is("Add an output emission")');
  await page.waitForSelector(`${row("emission")} .file-name:text-is("float_emission.dds")`, { timeout: 120_000 });
  await fresh(page, "bind");
  await page.goto(`${asset}/bind`);
  await ready(page);
  assert.ok(difference(dark, await picture(page)) > 2, "the surface gives off light");
  // Two decisions were made, and two presses take them back.
  await page.keyboard.press("Control+z");
  await page.waitForSelector(`${row("emission")} :text("no file is named")`);
  await page.keyboard.press("Control+z");
  await page.waitForSelector(`${row("emission")} :text("it is closed")`);
});

test("what a material says is typed, bounded, and holds what it says", async () => {
  await page.goto(`${asset}/bind`);
  await page.click(".bound .folds summary");
  await page.selectOption('.bound [name="Alpha"]', "CutOut");
  await page.fill('.bound [name="Threshold"]', "0.3");
  await page.check('.bound [name="TwoSided"]');
  await press(page, ".bound .folds button:text-is('Keep')");
  assert.equal(await page.locator(".problem").count(), 0, await page.locator("main").innerText());
  await fresh(page, "bind");
  await page.goto(`${asset}/bind`);
  assert.match(await page.textContent(".bound .folds summary"), /cut-out, two sides/);
  assert.equal(await page.inputValue('.bound [name="Threshold"]'), "0.3");
  // Sent past the page's own limits it is refused.
  const form = Object.fromEntries(await page.$$eval(".bound .folds form input, .bound .folds form select", (all) => all.map((f) => [f.name, f.value])));
  form.__RequestVerificationToken = await page.locator('input[name="__RequestVerificationToken"]').first().inputValue();
  const refused = await page.request.post(`${asset}/bind?handler=Surface`, { form: { ...form, Threshold: "7" } });
  assert.match(await refused.text(), /The threshold of opacity is 7; it must be 0 to 1/);
});

test("a mesh takes the textures of another asset, which are bound there once", async () => {
  const post = await stopped([sphere("post_low", 24, 12)]);
  await page.goto(`${post}/bind`);
  await page.selectOption('[aria-label="Textures of post"]', "Float");
  await page.waitForSelector(`${row("base colour")} .file-name:text-is("float_colour.dds")`, { timeout: 120_000 });
  await page.goto(`${post}/bind`);
  await ready(page);
  assert.equal(await page.locator(".put").count(), 0);
  assert.match(await page.textContent(".bound .hint"), /Bound once at Float/);
  await page.goto(`${asset}/bind`);
  await page.selectOption(`${row("normal")} select`, "use masks");
  await page.waitForSelector(`${row("normal")} .file-name:text-is("float_masks.dds")`);
  await work(page, post, "bind");
  await page.goto(`${post}/bind`);
  assert.match(await words("normal"), /float_masks\.dds/);
  await page.keyboard.press("Control+z");
  await page.waitForSelector('[aria-label="Textures of post"] option[value=""][selected]', { state: "attached" });
  await page.goto(`${asset}/bind`);
  await page.selectOption(`${row("normal")} select`, "by name");
  await page.waitForSelector(`${row("normal")} .file-name:text-is("float_normal.dds")`);
});

test("a target is changed after a delivery: the version counts, the earlier one stays, and files follow without baking", async () => {
  await work(page, asset, "deliver");
  await page.goto(`${kit}/target`);
  assert.match(await page.textContent("h1"), /Open glTF\s+version 1/);
  await page.selectOption('[name="set[target.embedded]"]', "jpeg");
  await press(page, 'button:text-is("Keep the target")');
  assert.match(await page.textContent("h1"), /version 2/);
  assert.match(await page.textContent('[aria-label="Versions"]'), /PNG inside and DDS beside/);
  await page.goto(`${asset}/deliver`);
  assert.match(await page.textContent(".ticket"), /1 of \d+ jobs|package/);
  await page.goto(`${kit}/target`);
  await press(page, 'button:text-is("Take it")');
  assert.match(await page.textContent("h1"), /version 1/);
});

test("a target leaves as a file and comes back; what cannot be is said, with what can", async () => {
  await page.goto(`${kit}/target`);
  const [download] = await Promise.all([page.waitForEvent("download"), page.click(".target-files a[download]")]);
  assert.equal(download.suggestedFilename(), "open_gltf.target.json");
  const target = JSON.parse(readFileSync(await download.path(), "utf8"));
  const send = (name, change) => Promise.all([page.waitForNavigation(), page.setInputFiles('.target-files input[type="file"]',
    { name, mimeType: "application/json", buffer: Buffer.from(JSON.stringify({ ...target, ...change })) })]);
  await send("odd.target.json", { mesh: "usdz", textures: null, embedded: "ktx2" });
  assert.match(await page.textContent(".problem"), /odd\.target\.json.*KTX2 cannot lie inside USDZ; choose PNG or JPEG/);
  await send("odd.target.json", { up: "z" });
  assert.match(await page.textContent(".problem"), /GLB holds Y up, right-handed axes/);
  await send("own.target.json", { name: "Own engine", mesh: "obj", up: "z", unitMetres: 0.01, embedded: null });
  assert.match(await page.textContent("h1"), /Own engine\s+version 1/);
  await page.click('.model tr:has-text("base colour") summary');
  await page.fill('.model tr:has-text("base colour") [name="form.Fills"]', "baseColor");
  await press(page, '.model tr:has-text("base colour") button:text-is("Keep")');
  assert.match(await page.textContent(".problem"), /'baseColor' is not a slot of a material; there are baseColour/);
});

test("nothing was complained of", () => assert.equal(complaints.join("\n"), ""));

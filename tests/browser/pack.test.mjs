// Recipes as an artist makes them: outputs added, changed, exported, used by a second asset and without a page, to the same bytes.
import assert from "node:assert/strict";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, sharedApp } from "./app.mjs";
import { dropKit, fresh, openBrowser, openPage, press, work } from "./browser.mjs";

let app, browser, page, complaints, folder, files, first;

before(async () => {
  app = await sharedApp();
  folder = mkdtempSync(join(tmpdir(), "pack-"));
  crumpet("demo", "--coarse", "--out", join(folder, "demo"));
  files = ["louvre_screen_low.obj", "louvre_screen_low.mtl", "louvre_screen_high.glb"].map((n) => join(folder, "demo/assets/louvre_screen", n));
  browser = await openBrowser();
  ({ page, complaints } = await openPage(browser, app));
  first = await dropKit(page, app, files, { "bake.size": "256", "bake.samples": "1" });
  await work(page, first, "pack");
});

after(async () => {
  assert.deepEqual(complaints, []);
  rmSync(folder, { recursive: true, force: true });
  await browser?.close();
  await app?.stop();
});

const open = async (output) => {
  const fold = page.locator(`.output[aria-label="${output}"] > details`);
  await fold.evaluate((d) => { for (const all of [d, ...d.querySelectorAll("details")]) all.open = true; });
  return fold;
};

const names = () => page.locator(".output").evaluateAll((all) => all.map((o) => o.getAttribute("aria-label")));

test("a recipe of twelve outputs is made by hand and packed", async () => {
  await page.goto(`${first}/pack`);
  assert.deepEqual(await names(), ["colour", "normal", "masks"]);
  for (const arrangement of ["masks", "normal_roughness", "colour_opacity", "gloss", "normal_specular", "normal_masks"]) {
    await page.locator(".add-output").evaluate((d) => { d.open = true; });
    await page.selectOption("#arrangement", arrangement);
    await press(page, ".add-output button");
  }
  for (const copied of ["masks", "gloss", "normal"]) {
    await open(copied);
    await press(page, `.output[aria-label="${copied}"] button:text-is("Copy")`);
  }
  assert.equal((await names()).length, 12);
  await fresh(page, "pack");
  assert.ok((await names()).includes("masks_2"));
});

test("a feed has a range, an inversion and a mix, and its words say so", async () => {
  const fold = await open("masks_2");
  await fold.locator('[name="form.Name"]').fill("worn");
  await fold.locator('[name="form.Channels[0].From"]').fill("cavity, ao");
  await fold.locator('[name="form.Channels[0].Least"]').fill("0.2");
  await fold.locator('[name="form.Channels[0].Most"]').fill("0.8");
  await fold.locator('[name="form.Channels[0].Invert"]').check();
  await fold.locator('[name="form.Channels[1].From"]').fill("ao");
  await fold.locator('[name="form.Channels[1].MixFrom"]').fill("normal");
  await fold.locator('[name="form.Channels[2].From"]').fill("normal");
  await fold.locator('[name="form.Picture"]').selectOption("tiff");
  await fold.locator('[name="form.Bits"]').selectOption("16");
  await fold.locator('[name="form.Size"]').fill("half");
  await press(page, '.output[aria-label="masks_2"] button:text-is("Keep")');
  await fresh(page, "pack");
  const words = await page.locator('.output[aria-label="worn"] .plate').first().innerText();
  for (const said of ["ao, 0.2 to 0.8, inverted", "ao, times normal", "128 × 128 px", "TIFF, 16 bit"])
    assert.ok(words.includes(said), `${said} is not in ${words}`);
});

test("what cannot be is refused with a sentence, and nothing changes", async () => {
  for (const [field, typed, said] of [["form.Channels[0].Exponent", "0", "exponent"], ["form.Size", "huge", "size of output gloss"],
    ["form.Name", "a/b", "a/b"],
    ["form.File", "../{map}", "no file name may"], ["form.Channels[0].Most", "x", "must be a number"]]) {
    await page.goto(`${first}/pack`);
    const fold = await open("gloss");
    await fold.locator(`[name="${field}"]`).fill(typed);
    await press(page, '.output[aria-label="gloss"] button:text-is("Keep")');
    assert.match(await page.locator(".problem").innerText(), new RegExp(said));
  }
  await page.goto(`${first}/pack`);
  assert.ok((await names()).includes("gloss"));
});

test("the recipe is exported, gives the same bytes without a page, and a second asset overrides one output", async () => {
  const recipe = await (await page.request.get(`${first}/pack?handler=File`)).body();
  writeFileSync(join(folder, "made.recipe.json"), recipe);
  assert.equal(JSON.parse(recipe).outputs.length, 12);
  // What the materials say without maps is the page's alone, so only what is fed by maps is compared.
  const only = JSON.parse(recipe);
  only.outputs = only.outputs.filter((o) => ["worn", "normal"].includes(o.name));
  writeFileSync(join(folder, "only.recipe.json"), JSON.stringify(only));
  await page.goto(`${first}/pack`);
  const choices = JSON.parse(await page.locator("[data-map-viewer]").getAttribute("data-config")).choices;
  const baked = choices.filter((c) => c.group === "Baked" && c.key.startsWith("bake/")).map((c) => c.key.slice(5));
  mkdirSync(join(folder, "maps"));
  for (const name of baked) writeFileSync(join(folder, "maps", name), await (await page.request.get(`${first}/files/bake/${name}`)).body());
  crumpet("pack", "--maps", join(folder, "maps"), "--recipe", join(folder, "only.recipe.json"), "--out", join(folder, "out"));
  const packed = choices.filter((c) => c.group === "Packed").map((c) => c.key.slice(5));
  for (const [output, ending] of [["worn", ".tif"], ["normal", ".png"]]) {
    const own = packed.find((f) => f.endsWith(`_${output}${ending}`)), sheet = baked.find((f) => f.endsWith("_ao.png")).replace("_ao.png", "");
    const page1 = await (await page.request.get(`${first}/files/pack/${own}`)).body();
    assert.deepEqual(readFileSync(join(folder, "out", `${sheet}_${output}${ending}`)), page1, output);
  }

  const second = await dropKit(page, app, files, { "bake.size": "256", "bake.samples": "1" });
  await page.goto(`${second}/pack`);
  await page.locator("#recipe-import").evaluate((f) => { f.closest("details").open = true; });
  await page.setInputFiles("#recipe-file", join(folder, "made.recipe.json"));
  await press(page, '#recipe-import button:text-is("Take over")');
  await fresh(page, "pack");
  assert.equal((await names()).length, 12);
  const fold = await open("gloss");
  await fold.locator('[name="form.Channels[0].Invert"]').uncheck();
  await press(page, '.output[aria-label="gloss"] button:text-is("Keep")');
  await fresh(page, "pack");
  const changed = JSON.parse(await (await page.request.get(`${second}/pack?handler=File`)).body());
  assert.deepEqual(changed.outputs.filter((o, i) => JSON.stringify(o) !== JSON.stringify(JSON.parse(recipe).outputs[i])).map((o) => o.name), ["gloss"]);
});

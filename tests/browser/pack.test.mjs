// Recipes as an artist makes them: outputs added, changed, exported, used by a second asset and without a page, to the same bytes.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { crumpet, sharedApp } from "./app.mjs";
import { addAsset as addTo, dropKit, fresh, kitOf, openBrowser, openPage, press, work } from "./browser.mjs";

let app, browser, page, complaints, folder, files, cups, first;

before(async () => {
  app = await sharedApp();
  folder = mkdtempSync(join(tmpdir(), "pack-"));
  crumpet("demo", "--coarse", "--out", join(folder, "demo"));
  files = ["louvre_screen_low.obj", "louvre_screen_low.mtl", "louvre_screen_high.glb"].map((n) => join(folder, "demo/assets/louvre_screen", n));
  cups = ["cup_anemometer_low.obj", "cup_anemometer_low.mtl", "cup_anemometer_high.glb"].map((n) => join(folder, "demo/assets/cup_anemometer", n));
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

const addAsset = (kit, its) => addTo(page, kit, its);

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
  const words = await page.locator('.output[aria-label="worn"]').evaluate((o) =>
    [...o.querySelectorAll(".plate, .slot-words")].map((n) => n.innerText).join(" "));
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

  // Kept for the kit it is a second asset's with one press, and what that says otherwise of one output is its own.
  await page.goto(`${first}/pack`);
  const openRecipe = () => page.locator("#recipe-fold").evaluate((d) => { d.open = true; });
  await openRecipe();
  await page.fill("#recipe-called", "twelve");
  await press(page, '#recipe-name button:text-is("Rename")');
  await openRecipe();
  await press(page, 'button:text-is("Keep for the kit")');
  const second = await addAsset(await kitOf(page, first), cups);
  await page.goto(`${second}/pack`);
  assert.deepEqual(await page.locator("#recipe-of option").allInnerTexts(), ["colour, normal, masks (1 asset)", "twelve (1 asset)"]);
  await page.selectOption("#recipe-of", "twelve");
  await press(page, '#recipe-use button:text-is("Use")');
  assert.equal((await names()).length, 12);
  const fold = await open("gloss");
  await fold.locator('[name="form.Channels[0].Invert"]').uncheck();
  await press(page, '.output[aria-label="gloss"] button:text-is("Keep")');
  const made = JSON.parse(await (await page.request.get(`${first}/pack?handler=File`)).body());
  const changed = JSON.parse(await (await page.request.get(`${second}/pack?handler=File`)).body());
  assert.deepEqual(changed.outputs.filter((o, i) => JSON.stringify(o) !== JSON.stringify(made.outputs[i])).map((o) => o.name), ["gloss"]);
  await page.locator("#own-settings").evaluate((d) => { d.open = true; });
  assert.deepEqual(await page.locator("#own-settings strong").allInnerTexts(), ["Output gloss", "Name of a recipe"]);
  await press(page, '.own-setting:has(strong:text-is("Output gloss")) button:text-is("As the kit says")');
  assert.deepEqual(JSON.parse(await (await page.request.get(`${second}/pack?handler=File`)).body()).outputs, made.outputs);
  // A recipe that is used stays.
  await page.selectOption("#recipe-of", "twelve");
  await press(page, 'button:text-is("Take it out of the kit")');
  assert.match(await page.locator(".problem").innerText(), /use the recipe twelve/);
  // The file is taken over elsewhere.
  const third = await dropKit(page, app, files, { "bake.size": "256", "bake.samples": "1" });
  await page.goto(`${third}/pack`);
  await openRecipe();
  await page.setInputFiles("#recipe-file", join(folder, "made.recipe.json"));
  await press(page, '#recipe-import button:text-is("Take over")');
  assert.equal((await names()).length, 12);
});

test("channels are joined by list and by drag, and looked at alone", async () => {
  const asset = await dropKit(page, app, files, { "bake.size": "256", "bake.samples": "1" });
  await work(page, asset, "pack");
  await page.goto(`${asset}/pack`);
  await page.waitForSelector("[data-map-viewer][data-ready]");
  const slot = (output, number) => page.locator(`[data-slot][data-output="${output}"][data-number="${number}"]`);
  assert.equal(await slot("masks", 2).getAttribute("data-takes"), "R metalness");
  await Promise.all([page.waitForNavigation(), slot("masks", 2).locator("select").selectOption("G normal")]);
  assert.equal(await slot("masks", 2).getAttribute("data-takes"), "G normal");
  await Promise.all([page.waitForNavigation(), page.locator('[data-strip="B normal"]').dragTo(slot("masks", 1))]);
  assert.equal(await slot("masks", 1).getAttribute("data-takes"), "B normal");
  await Promise.all([page.waitForNavigation(), page.locator('[data-strip="R ao"]').dragTo(page.locator('.output[aria-label="normal"] .plate'))]);
  assert.equal(await slot("normal", 3).getAttribute("data-takes"), "R ao");
  await Promise.all([page.waitForNavigation(), page.locator('[data-strip="R ao"]').dragTo(page.locator("[data-new-output]"))]);
  assert.deepEqual(await names(), ["colour", "normal", "masks", "ao"]);
  await fresh(page, "pack");
  await page.waitForSelector("[data-map-viewer][data-ready]");
  await page.click('[data-strip="G normal"]');
  await page.waitForFunction(() => document.querySelector("[data-map-viewer]").map.look.shown.join() === "0,1,0,0");
  assert.match(await page.locator("#spread p").innerText(), /G \d+ to \d+/);
  // What the material says is no picture, and is looked at all the same.
  await page.click('[data-strip="R roughness"]');
  await page.waitForFunction(() => /grey 158 to 158/.test(document.querySelector("#spread p").innerText));
});

test("what is typed is seen before it is kept, beside the channel as its map holds it", async () => {
  await page.goto(`${first}/pack`);
  await page.waitForSelector("[data-map-viewer][data-ready]");
  const fold = await open("worn"), form = fold.locator("[data-live]");
  await form.locator('[name="form.Channels[1].MixFrom"]').fill("");
  await form.locator('[name="form.Channels[1].Least"]').fill("0.5");
  await page.waitForFunction(() => /G 0 to 1, mean [\d.]+, [\d.]+ % cut/.test(document.querySelector('.output[aria-label="worn"] .live-said').textContent));
  // Half to full becomes empty to full, to a code of 16 bits.
  await page.waitForFunction(async () => {
    const { opened: [after, before] } = document.querySelector("[data-map-viewer]").map;
    if (after?.choice.key !== "live-alone" || before?.choice.key !== "live-before") return false;
    const tile = async (p) => new Uint16Array(await (await fetch(`${p.address}/0/0/0`)).arrayBuffer());
    const [a, b] = [await tile(after), await tile(before)];
    return a.every((v, i) => Math.abs(v - Math.min(65535, Math.max(0, 2 * b[i] - 65535))) <= 1.5);
  });
  await form.locator('[name="form.Channels[1].Exponent"]').fill("0");
  await page.waitForFunction(() => /exponent/i.test(document.querySelector('.output[aria-label="worn"] .live-said').textContent));
});

test("what is told is mended with its press", async () => {
  const asset = await dropKit(page, app, files, { "bake.size": "256", "bake.samples": "1" });
  await work(page, asset, "pack");
  await page.goto(`${asset}/pack`);
  for (const [told, mend] of [["everywhere; drop roughness", "Let 0.62 stand in channel 2 of masks"], ["everywhere; drop colour", "Do without colour"],
    ["is fed by no output", "Add an output colour"]]) {
    assert.equal(await page.locator(`.finding:has-text("${told}")`).count(), 1, told);
    await press(page, `.findings button:text-is("${mend}")`);
    await fresh(page, "pack");
    if (told !== "everywhere; drop roughness") assert.equal(await page.locator(`.finding:has-text("${told}")`).count(), 0, told);
  }
});

test("a new user's five textures and a mesh with UVs reach a delivery in six presses", async () => {
  const bark = mkdtempSync(join(tmpdir(), "bark-"));
  execFileSync("/usr/bin/python3", [join(import.meta.dirname, "brought_textures.py"), bark]);
  let presses = 0;
  const counted = async (what) => { presses++; await press(page, what); };
  await page.goto(`${app.url}/kits`);
  await page.fill("#name", "Bark");
  await counted('button:has-text("Make kit")');
  presses++;
  await Promise.all([page.waitForURL(/\/assets\/\d+\/intake/), page.setInputFiles('input[name="files"]', readdirSync(bark).map((f) => join(bark, f)))]);
  await page.waitForSelector('.findings button:text-is("It is low")', { timeout: 60_000 });
  await counted('.findings button:text-is("It is low")');
  await counted('.stop[data-station="deliver"] a');
  await counted("button.button-main");
  await fresh(page, "deliver");
  assert.ok(presses <= 6, `${presses} presses`);
  await page.goto(page.url().replace("deliver", "pack"));
  assert.deepEqual(await page.locator(".slot").evaluateAll((all) => all.map((s) => s.dataset.takes)), ["R colour", "G colour", "B colour", "R normal",
    "G normal", "B normal", "R ao", "R roughness", "R metalness"]);
  assert.match(await page.locator(".there").innerText(), /bark_Gloss\.png/);
  rmSync(bark, { recursive: true, force: true });
});

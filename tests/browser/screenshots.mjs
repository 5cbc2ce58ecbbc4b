// Takes the pictures in docs/screenshots from the demo kit: node tests/browser/screenshots.mjs
import { join } from "node:path";
import { root, startApp } from "./app.mjs";
import { fresh, openBrowser, openPage, press, ready, work } from "./browser.mjs";

const app = await startApp("--demo", "true"), browser = await openBrowser(), { page, complaints } = await openPage(browser, app, 1);
const shot = (name) => page.screenshot({ path: join(root, "docs/screenshots", `${name}.png`) });
const asset = `${app.url}/assets/1`;

const gauge = `${app.url}/assets/3`;

async function open(station, of = asset) {
  await page.goto(`${of}/${station}`);
  if (await page.locator("[data-stage]").count()) await ready(page);
  if (await page.locator("[data-map-viewer]").count()) await page.waitForSelector("[data-map-viewer][data-ready]", { timeout: 120_000 });
  // Tiles come after the map is open.
  await page.waitForTimeout(1500);
}

try {
  // The rain gauge arrives wrong and is mended.
  await page.goto(`${gauge}/intake`);
  await page.waitForSelector("text=/Mend all/", { timeout: 240_000 });
  await open("intake", gauge);
  await shot("intake-before");
  await press(page, "text=/Mend all/");
  await fresh(page, "layout");
  await open("intake", gauge);
  await shot("intake");
  // A few decisions for the history, the last one taken back.
  for (const [station, name, value] of [["bake", "outward", "9"], ["bake", "padding", "24"], ["layout", "size", "2048"], ["bake", "outward", "12"],
    ["pairs", "trays", "One"]]) {
    await page.goto(`${asset}/${station}`);
    const field = page.locator(`#${name}`);
    await field.evaluate((f) => { const fold = f.closest("details"); if (fold) fold.open = true; });
    if (await field.evaluate((f) => f.tagName === "SELECT")) await field.selectOption(value);
    else await field.fill(value);
    await press(page, "button.button-main");
    await page.goto(`${app.url}/runs`);
    // What runs need not be waited for; a run may end before it is cancelled.
    while (await page.locator("button:has-text('Cancel')").count()) await page.locator("button:has-text('Cancel')").first().click({ timeout: 1000 })
      .catch(() => {});
  }
  await page.goto(`${asset}/history`);
  await press(page, "li[aria-current] + li button");
  await shot("history");
  // With a reach that is typed neighbours burn in on one tray and not on those of the plan: the same place of both bakes.
  const maps = [];
  for (const trays of ["One", "Planned"]) {
    await work(page, asset, "pairs", { trays, outward: "12", inward: "20" });
    await work(page, asset, "bake");
    await open("bake");
    // Findings would leave one picture less room than the other.
    await page.evaluate(() => document.querySelector("#findings").remove());
    await page.selectOption('[data-map-viewer] [data-pane="0"]', "bake/louvre_screen_normal.png");
    await page.waitForTimeout(1500);
    // Where the leaf of a hinge lies on its post.
    await page.evaluate(() => document.querySelector("[data-map-viewer]").map.view.show(1537, 603, 43, 23));
    await page.waitForTimeout(1500);
    maps.push((await page.locator("[data-map-viewer] .sight").screenshot()).toString("base64"));
  }
  const beside = await browser.newPage();
  await beside.setContent(`<style>body { margin: 0; display: flex; gap: 8px; width: max-content }</style>
    ${maps.map((m) => `<img src="data:image/png;base64,${m}">`).join("")}`);
  await beside.locator("body").screenshot({ path: join(root, "docs/screenshots/one-tray-and-plan.png") });
  await beside.close();
  await work(page, asset, "pairs", { outward: "", inward: "" });
  await page.goto(`${asset}/pairs?show=cage`);
  await page.selectOption("#kind", "Fitted");
  await press(page, "button.button-main");
  await page.waitForSelector(".ledger td:has-text('fitted')", { timeout: 120_000 });
  await fresh(page, "pairs");
  await open("pairs?show=cage");
  await page.click('.ledger tr[data-place="hinge_01_pin"]');
  await page.waitForTimeout(2500);
  await shot("pairs-cages");
  await page.selectOption("#kind", "Reach");
  await press(page, "button.button-main");
  await fresh(page, "pairs");
  await open("pairs?show=trays");
  await page.locator(".contact").first().focus();
  await page.keyboard.press("Enter");
  await page.waitForTimeout(2500);
  await shot("pairs-trays");
  await page.goto(`${app.url}/kits/1`);
  await press(page, "button:has-text('Build all')");
  await page.goto(`${asset}/bake`);
  await page.goto(`${app.url}/assets/2/bake`);
  await page.waitForFunction(() => Number(document.querySelector(".run-box progress")?.value) > 0.4, null, { timeout: 240_000 });
  await page.goto(`${app.url}/runs`);
  await page.waitForFunction(() => Number(document.querySelector(".run-card progress")?.value) > 0.4, null, { timeout: 240_000 });
  await shot("runs");
  for (const of of [asset, `${app.url}/assets/2`, gauge]) {
    await page.goto(`${of}/deliver`);
    await fresh(page, "deliver");
  }
  for (const station of ["pairs", "layout", "bake", "pack", "convert", "bind", "deliver"]) {
    await open(station);
    // What feeds an output, and what else is said of it.
    if (station === "pack")
      await page.locator('.output[aria-label="masks"] > details').evaluate((d) => { d.open = true; d.closest(".output").scrollIntoView(); });
    // Where the format lost most.
    if (station === "convert") {
      await page.click("[data-blocks=open]");
      await page.click("[data-shades=stored]");
      await page.waitForSelector("[data-map-viewer][data-shades=stored]");
      await page.waitForTimeout(1500);
    }
    await shot(station);
  }
  await page.goto(`${app.url}/kits/1/target`);
  await shot("target");
  await page.goto(`${app.url}/kits/1`);
  await shot("kit");

  await open("bind");
  await page.click('[data-stage] [data-compare="beside"]');
  await page.selectOption('[data-stage] [data-pane="0"]', "low:checker");
  await page.selectOption('[data-stage] [data-pane="1"]', "high:parts");
  await page.click("[data-stage] [data-drawer=view] summary");
  for (const toggle of ["grid", "figure"]) await page.click(`[data-stage] [data-toggle=${toggle}]`);
  await page.click("[data-stage] [data-drawer=parts] summary");
  await page.fill("[data-slider=explode]", "0.5");
  await page.keyboard.press("Escape");
  await page.locator("[data-stage] canvas").focus();
  await page.keyboard.press("Home");
  await ready(page);
  await shot("stage");

  await open("convert");
  await page.selectOption('[data-map-viewer] [data-pane="0"]', "pack/louvre_screen_normal.png");
  await page.selectOption('[data-map-viewer] [data-pane="1"]', "convert/louvre_screen_normal.dds");
  await page.waitForTimeout(800);
  await page.evaluate(() => { const { view } = document.querySelector("[data-map-viewer]").map; view.show(1150, 520, 40, 40); });
  await page.click("[data-map-viewer] [data-drawer=view] summary");
  await page.mouse.move(330, 420);
  await page.waitForTimeout(800);
  await shot("map-viewer");

  await page.emulateMedia({ colorScheme: "dark" });
  await open("bake");
  await page.selectOption('[data-map-viewer] [data-pane="0"]', "bake/louvre_screen_faults.png");
  await page.locator(".finding").first().click();
  await page.waitForTimeout(2500);
  await shot("bake-dark");
  if (complaints.length) throw new Error(complaints.join("\n"));
} finally {
  await browser.close();
  await app.stop();
}

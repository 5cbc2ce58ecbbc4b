// Takes the pictures in docs/screenshots from the demo kit: node tests/browser/screenshots.mjs
import { join } from "node:path";
import { root, startApp } from "./app.mjs";
import { fresh, openBrowser, openPage, press, ready } from "./browser.mjs";

const app = await startApp(), browser = await openBrowser(), { page, complaints } = await openPage(browser, app);
const shot = (name) => page.screenshot({ path: join(root, "docs/screenshots", `${name}.png`) });
const asset = `${app.url}/assets/1`;

async function open(station) {
  await page.goto(`${asset}/${station}`);
  if (await page.locator("[data-stage]").count()) await ready(page);
  if (await page.locator("[data-map-viewer]").count()) await page.waitForSelector("[data-map-viewer][data-ready]", { timeout: 120_000 });
  // Tiles come after the map is open.
  await page.waitForTimeout(1500);
}

try {
  await page.goto(`${asset}/intake`);
  await fresh(page, "layout");
  // A few decisions for the history, the last one taken back.
  for (const [station, name, value] of [["bake", "outward", "9"], ["bake", "padding", "24"], ["layout", "size", "2048"], ["bake", "outward", "12"], ["pairs", "trays", "One"]]) {
    await page.goto(`${asset}/${station}`);
    const field = page.locator(`#${name}`);
    if (await field.evaluate((f) => f.tagName === "SELECT")) await field.selectOption(value);
    else await field.fill(value);
    await press(page, "button.button-main");
    await page.goto(`${app.url}/runs`);
    // What runs need not be waited for; a run may end before it is cancelled.
    while (await page.locator("button:has-text('Cancel')").count()) await page.locator("button:has-text('Cancel')").first().click({ timeout: 1000 }).catch(() => {});
  }
  await page.goto(`${asset}/history`);
  await press(page, "li[aria-current] + li button");
  await shot("history");
  await page.goto(`${app.url}/kits/1`);
  await press(page, "button:has-text('Build all')");
  await page.goto(`${asset}/bake`);
  await page.waitForFunction(() => Number(document.querySelector(".run-box progress")?.value) > 0.4, null, { timeout: 240_000 });
  await page.goto(`${app.url}/runs`);
  await page.waitForFunction(() => Number(document.querySelector(".run-card progress")?.value) > 0.4);
  await shot("runs");
  await page.goto(`${asset}/deliver`);
  await fresh(page, "deliver");
  for (const station of ["intake", "pairs", "layout", "bake", "pack", "convert", "bind", "deliver"]) {
    await open(station);
    await shot(station);
  }
  await page.goto(`${app.url}/kits/1`);
  await page.keyboard.press("/");
  await page.keyboard.type("hinge");
  await page.waitForSelector("#found a");
  await shot("find");
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
  await shot("bake-dark");
  if (complaints.length) throw new Error(complaints.join("\n"));
} finally {
  await browser.close();
  await app.stop();
}

// Debian's Chromium, as every browser test and picture uses it.
import { chromium } from "playwright-core";

export function openBrowser() {
  return chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
      "--disable-component-update", "--disable-sync", "--enable-unsafe-swiftshader"],
  });
}

/**
 * A page of the app, and the list of what it complains of: errors on the console, and requests that leave the host.
 * All is drawn in software, so one pixel stands for four unless a test looks closer.
 */
export async function openPage(browser, app, deviceScaleFactor = 0.5) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, deviceScaleFactor }), complaints = [];
  // A page that says what is wrong with what was sent has a status that says so too, which browsers write down.
  page.on("console", (m) => { if (m.type() === "error" && !m.text().includes("status of 422")) complaints.push(m.text()); });
  page.on("pageerror", (e) => complaints.push(e.stack ?? e.message));
  page.on("request", (r) => { if (!r.url().startsWith(app.url) && !/^(blob|data):/.test(r.url())) complaints.push(`a request left the host: ${r.url()}`); });
  return { page, complaints };
}

/** Makes a kit of files and waits until they are read. @returns the asset's address */
export async function dropKit(page, app, files) {
  await page.goto(`${app.url}/kits`);
  await page.fill("#name", "Kit");
  await press(page, 'button:has-text("Make kit")');
  await page.setInputFiles('input[name="files"]', files);
  await page.waitForURL(/\/assets\/\d+\/intake/);
  await fresh(page, "layout");
  return page.url().replace(/\/intake.*/, "");
}

/** Address of an asset's kit. */
export const kitOf = async (page, asset) => {
  await page.goto(`${asset}/intake`);
  return page.locator('nav a[href^="/kits/"]').first().evaluate((a) => a.href);
};

export const fresh = (page, station) => page.waitForSelector(`.stop-fresh[data-station="${station}"]`, { timeout: 240_000 });

/** Presses the main button of a station and waits until it is done. */
export async function work(page, asset, station, settings = {}) {
  await page.goto(`${asset}/${station}`);
  for (const [name, value] of Object.entries(settings)) {
    const field = page.locator(`#${name}`);
    await field.evaluate((f) => { const fold = f.closest("details"); if (fold) fold.open = true; });
    if (await field.evaluate((f) => f.tagName === "SELECT")) await field.selectOption(value);
    else await field.fill(value);
  }
  await press(page, "button.button-main");
  await fresh(page, station);
}

/** Presses what leads to another page, or to this one anew, and waits for it. */
export const press = (page, what) => Promise.all([page.waitForNavigation(), page.click(what)]);

/** Opens a station and waits for its stage. @returns functions that look at the stage */
export async function openStage(page, asset, station) {
  await page.goto(`${asset}/${station}`);
  await ready(page);
}

/** Waits until the stage shows what was chosen, and has drawn it at rest. */
export async function ready(page) {
  await page.waitForSelector("[data-stage][data-ready]", { timeout: 120_000 });
  await page.waitForFunction(() => { const s = document.querySelector("[data-stage]").stage; return !s.isMoving && !s.pending; }, null, { timeout: 60_000 });
}

/** Bytes a page gives as base64: numbers on their own take a thousand times as long to come over. */
export const bytesOf = (text) => [...Buffer.from(text, "base64")];

/** What the stage shows, as 64 × 64 pixels of RGBA. */
export const picture = async (page) => bytesOf(await page.evaluate(() => {
  const canvas = document.querySelector("[data-stage] canvas"), small = new OffscreenCanvas(64, 64).getContext("2d");
  small.drawImage(canvas, 0, 0, 64, 64);
  return btoa(String.fromCharCode(...small.getImageData(0, 0, 64, 64).data));
}));

export const difference = (a, b) => a.reduce((sum, value, i) => sum + Math.abs(value - b[i]), 0) / a.length;

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
  // The very modules of the page, by their paths.
  await page.addInitScript(() => {
    globalThis.clientFile = (path) => import(new URL(`../${path}`, document.querySelector('script[src$="/js/page.js"]').src));
  });
  // A page that says what is wrong with what was sent has a status that says so too, which browsers write down.
  page.on("console", (m) => { if (m.type() === "error" && !m.text().includes("status of 422")) complaints.push(m.text()); });
  page.on("pageerror", (e) => complaints.push(e.stack ?? e.message));
  page.on("request", (r) => { if (!r.url().startsWith(app.url) && !/^(blob|data):/.test(r.url())) complaints.push(`a request left the host: ${r.url()}`); });
  return { page, complaints };
}

const quietPages = new WeakMap();

/** Does something in a page without scripts, where nothing is drawn that no test looks at. */
async function quietly(page, act) {
  if (!quietPages.has(page)) quietPages.set(page, page.context().browser().newContext({ javaScriptEnabled: false }).then((context) => context.newPage()));
  return act(await quietPages.get(page));
}

/** Asks the server until a station is fresh. */
async function untilFresh(address, station) {
  const isFresh = new RegExp(`stop-fresh[^>]*data-station="${station}"`);
  for (const end = Date.now() + 240_000; ; await new Promise((r) => setTimeout(r, 100))) {
    const page = await (await fetch(address)).text();
    if (isFresh.test(page)) return;
    if (Date.now() > end) throw new Error(`${station} is not fresh; the page is:\n${page}`);
  }
}

/**
 * Makes a kit of files and waits until they are read; the page is left where it is.
 * @param settings what the kit says of its assets, as "bake.size": "512" @returns the asset's address
 */
export const dropKit = (page, app, files, settings = {}) => quietly(page, async (quiet) => {
  await quiet.goto(`${app.url}/kits`);
  await quiet.fill("#name", "Kit");
  await press(quiet, 'button:has-text("Make kit")');
  if (Object.keys(settings).length) {
    const form = Object.fromEntries(Object.entries(settings).map(([path, value]) => [`set[${path}]`, value]));
    form.__RequestVerificationToken = await quiet.locator('input[name="__RequestVerificationToken"]').first().inputValue();
    const said = await quiet.request.post(`${quiet.url()}?handler=Settings`, { form });
    if (!said.ok()) throw new Error(`${said.status()}: ${await said.text()}`);
  }
  return drop(quiet, files);
});

/** Adds an asset of files to a kit and waits until they are read. @returns the asset's address */
export const addAsset = (page, kit, files) => quietly(page, async (quiet) => {
  await quiet.goto(kit);
  return drop(quiet, files);
});

async function drop(quiet, files) {
  await quiet.setInputFiles('input[name="files"]', files);
  await Promise.all([quiet.waitForURL(/\/assets\/\d+\/intake/), quiet.locator("form.drop").evaluate((form) => form.submit())]);
  await untilFresh(quiet.url(), "layout");
  return quiet.url().replace(/\/intake.*/, "");
}

/** Address of an asset's kit. */
export const kitOf = async (page, asset) => {
  await page.goto(`${asset}/intake`);
  return page.locator('nav a[href^="/kits/"]').first().evaluate((a) => a.href);
};

export const fresh = (page, station) => page.waitForSelector(`.stop-fresh[data-station="${station}"]`, { timeout: 240_000 });

/** Presses the main button of a station and waits until it is done; the page is left where it is. */
export const work = (page, asset, station, settings = {}) => quietly(page, async (quiet) => {
  await quiet.goto(`${asset}/${station}`);
  for (const [name, value] of Object.entries(settings)) {
    const field = quiet.locator(`#${name}`);
    await field.evaluate((f) => { const fold = f.closest("details"); if (fold) fold.open = true; });
    if (await field.evaluate((f) => f.tagName === "SELECT")) await field.selectOption(value);
    else await field.fill(value);
  }
  await press(quiet, "button.button-main");
  await untilFresh(quiet.url(), station);
});

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

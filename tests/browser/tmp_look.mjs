
import { openBrowser, openPage, work, fresh } from "./browser.mjs";
const app = { url: "http://127.0.0.1:5391" };
const browser = await openBrowser(), { page, complaints } = await openPage(browser, app, 1);
const asset = `${app.url}/assets/1`;
await page.goto(`${asset}/convert?budget=4`);
await page.waitForSelector("[data-map-viewer][data-ready]", { timeout: 120000 });
await page.locator('[data-would-be]').nth(1).click();
await page.waitForFunction(() => / as /.test(document.querySelector(".readout").textContent));
await page.evaluate(() => document.querySelector("#budget-table").scrollIntoView({block:"center"}));
await page.waitForTimeout(2500);
await page.screenshot({ path: "/tmp/w/v5.png" });
await page.goto(`${app.url}/kits/1?budget=8#memory`);
await page.waitForTimeout(1500);
await page.screenshot({ path: "/tmp/w/v6.png" });
console.log(complaints);
await browser.close();

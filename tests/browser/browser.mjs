// Debian's Chromium, as every browser test and picture uses it.
import { chromium } from "playwright-core";

export function openBrowser() {
  return chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
      "--disable-component-update", "--disable-sync", "--enable-unsafe-swiftshader"],
  });
}

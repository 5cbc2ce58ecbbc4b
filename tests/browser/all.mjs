// Runs all browser tests on one application, two files at a time: a page and its server mostly wait for each other. The longest come first.
import { spawn } from "node:child_process";
import { readdirSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { startApp } from "./app.mjs";

const folder = dirname(fileURLToPath(import.meta.url)), { url, folder: data, logFile, stop } = await startApp("--demo", "coarse");
const size = (file) => statSync(join(folder, file)).size, files = readdirSync(folder).filter((f) => f.endsWith(".test.mjs")).sort((a, b) => size(b) - size(a));
const tests = spawn(process.execPath, ["--test", "--test-concurrency=2", "--test-reporter=spec", ...files], {
  cwd: folder, stdio: "inherit", env: { ...process.env, CRUMPET_APP: JSON.stringify({ url, folder: data, logFile }) },
});
const code = await new Promise((ended) => tests.once("exit", ended));
await stop();
process.exit(code ?? 1);

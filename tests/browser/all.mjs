// Runs all browser tests, one file after another, on one application.
import { spawn } from "node:child_process";
import { readdirSync } from "node:fs";
import { dirname } from "node:path";
import { fileURLToPath } from "node:url";
import { startApp } from "./app.mjs";

const folder = dirname(fileURLToPath(import.meta.url)), { url, folder: data, logFile, stop } = await startApp("--demo", "coarse");
const files = readdirSync(folder).filter((f) => f.endsWith(".test.mjs")).sort();
const tests = spawn(process.execPath, ["--test", "--test-concurrency=1", "--test-reporter=spec", ...files], {
  cwd: folder, stdio: "inherit", env: { ...process.env, CRUMPET_APP: JSON.stringify({ url, folder: data, logFile }) },
});
const code = await new Promise((ended) => tests.once("exit", ended));
await stop();
process.exit(code ?? 1);

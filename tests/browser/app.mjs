// Starts the built web application and the command for tests, and ends only what it started.
import { spawn, execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath } from "node:url";

export const root = resolve(dirname(fileURLToPath(import.meta.url)), "../..");
const web = join(root, "src/Crumpet.Web/bin/Release/net10.0/Crumpet.Web.dll");
const cli = join(root, "src/Crumpet.Cli/bin/Release/net10.0/crumpet.dll");

function freePort() {
  return new Promise((done) => {
    const server = createServer();
    server.listen(0, "127.0.0.1", () => { const { port } = server.address(); server.close(() => done(port)); });
  });
}

/** The application all test files share where all.mjs started one, otherwise one of its own; with the coarse demo kit, whose assets are 1 to 3. */
export async function sharedApp() {
  if (!process.env.CRUMPET_APP) return startApp("--demo", "coarse");
  const { url, folder: data, logFile } = JSON.parse(process.env.CRUMPET_APP), folder = mkdtempSync(join(data, "test-"));
  return { url, folder, log: () => readFileSync(logFile, "utf8"), stop: async () => rmSync(folder, { recursive: true, force: true }) };
}

/** An application with a data folder of its own. */
export async function startApp(...more) {
  const folder = mkdtempSync(join(tmpdir(), "crumpet-")), logFile = join(folder, "log");
  const url = `http://127.0.0.1:${await freePort()}`;
  const server = spawn("dotnet", [web, "--data", join(folder, "data"), "--urls", url, ...more], { stdio: ["ignore", "pipe", "pipe"] });
  writeFileSync(logFile, "");
  for (const stream of [server.stdout, server.stderr]) stream.on("data", (text) => writeFileSync(logFile, text, { flag: "a" }));
  const log = () => readFileSync(logFile, "utf8");
  for (let i = 0; ; i++) {
    if (i === 150) throw new Error(`Crumpet did not start:\n${log()}`);
    try { if ((await fetch(url)).ok) break; } catch { /* not yet */ }
    await new Promise((r) => setTimeout(r, 200));
  }
  return {
    url, folder, logFile, log,
    stop: async () => {
      const ended = new Promise((r) => server.once("exit", r));
      server.kill("SIGTERM");
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Runs the command and gives its standard output. Tests ask little of it, so its loops are not compiled in full at once. */
export const crumpet = (...args) => execFileSync("dotnet", [cli, ...args],
  { encoding: "utf8", stdio: ["ignore", "pipe", "ignore"], maxBuffer: 1 << 28, env: { ...process.env, DOTNET_TC_QuickJitForLoops: "1" } });

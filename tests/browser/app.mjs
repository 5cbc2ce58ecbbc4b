// Starts the built web application and the command for a test, and ends only what it started.
import { spawn, execFileSync } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
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

/** An application with a data folder of its own. */
export async function startApp(...more) {
  const folder = mkdtempSync(join(tmpdir(), "crumpet-"));
  const url = `http://127.0.0.1:${await freePort()}`;
  const process = spawn("dotnet", [web, "--data", join(folder, "data"), "--urls", url, ...more], { stdio: ["ignore", "pipe", "pipe"] });
  let log = "";
  for (const stream of [process.stdout, process.stderr]) stream.on("data", (text) => { log += text; });
  for (let i = 0; ; i++) {
    if (i === 150) throw new Error(`Crumpet did not start:\n${log}`);
    try { if ((await fetch(url)).ok) break; } catch { /* not yet */ }
    await new Promise((r) => setTimeout(r, 200));
  }
  return {
    url, folder, log: () => log,
    stop: async () => {
      const ended = new Promise((r) => process.once("exit", r));
      process.kill("SIGTERM");
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Runs the command and gives its standard output. */
export const crumpet = (...args) => execFileSync("dotnet", [cli, ...args], { encoding: "utf8", stdio: ["ignore", "pipe", "ignore"], maxBuffer: 1 << 28 });

// Starts Trevik with a fresh demo world in a folder of its own, and stops it.
import { spawn } from "node:child_process";
import { mkdirSync } from "node:fs";
import path from "node:path";

const root = path.resolve(import.meta.dirname, "..");

export const password = "quay-and-causeway";

export const browser = {
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync"],
};

/** Starts the demo in .trevik/<name>; resolves to its address and a stop function. */
export function start(name, { fresh = true, addr = "127.0.0.1:0" } = {}) {
  const dir = path.join(root, ".trevik", name);
  mkdirSync(dir, { recursive: true });
  const args = ["demo", "--dir", dir, "--addr", addr, ...(fresh ? ["--fresh"] : [])];
  const child = spawn(path.join(root, "bin", "trevik"), args, { cwd: root, stdio: ["ignore", "pipe", "inherit"] });
  const ended = new Promise((resolve) => child.on("exit", resolve));
  return new Promise((resolve, reject) => {
    let out = "";
    child.stdout.on("data", (data) => {
      out += data;
      const url = out.match(/http:\/\/\S+/)?.[0];
      if (url && out.includes("Ctrl-C")) {
        resolve({
          url,
          pid: child.pid,
          stop: () => (child.kill("SIGTERM"), ended),
          kill: () => (child.kill("SIGKILL"), ended),
        });
      }
    });
    ended.then((code) => reject(new Error(`trevik demo ended with ${code}: ${out}`)));
  });
}

export async function signIn(page, login = "teal") {
  await page.goto("/sign-in");
  await page.getByLabel("Name").fill(login);
  await page.getByLabel("Password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("heading", { name: "Today" }).waitFor();
}

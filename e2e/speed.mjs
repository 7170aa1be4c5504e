// How long a film without dots takes in the browser, from the file to the curve: prints what it took, fails on nothing.
import { chromium } from "@playwright/test";
import { mkdirSync, rmSync } from "node:fs";
import path from "node:path";
import { phoneFilm } from "./phone.mjs";
import { browser, signIn, start } from "./trevik.mjs";

const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const server = await start("speed");
const chrome = await chromium.launch(browser);
const page = await chrome.newPage({ baseURL: server.url, viewport: { width: 1280, height: 800 } });
try {
  await signIn(page);
  await pause(30_000); // the demo's own films are read first
  for (const [name, options] of [
    ["480 frames of 640 × 480, 120 a second", { width: 640, height: 480, turned: false, slow: false }],
    ["480 frames of a phone's 1920 × 1080 on its side, in slow motion", { width: 640, height: 480,
      frame: "scale=1440:1080,pad=1920:1080:240:0" }],
  ]) {
    const dir = path.resolve(import.meta.dirname, "..", ".trevik", "speed-film");
    mkdirSync(dir, { recursive: true });
    const film = phoneFilm(dir, { seed: 502, seconds: 4, ...options });
    await page.goto("/fits/5/gait");
    const panel = page.locator("details.panel").filter({ hasText: "A new film" });
    if (!(await panel.evaluate((d) => d.open))) await panel.locator("summary").click();
    await page.getByRole("radiogroup", { name: "May we keep the film?", exact: true }).getByText("yes").click();
    await page.getByLabel("Colour of the dots").selectOption("none");
    const begun = Date.now();
    const after = () => `${((Date.now() - begun) / 1000).toFixed(1)} s`;
    await page.locator("[data-file]").setInputFiles(film);
    await page.locator("[data-cut]").waitFor();
    const opened = after();
    await page.getByRole("button", { name: "Use this film" }).click();
    const looked = page.locator(".glance").first().waitFor({ timeout: 40_000 }).then(after).catch(() => "never");
    await page.waitForURL(/film=/, { timeout: 120_000 });
    const sent = after();
    await page.getByRole("group", { name: "Contacts along the film" }).waitFor({ timeout: 120_000 });
    const curve = after();
    console.log(`${name}: opened ${opened}, all sent ${sent}, first steps ${await looked}, curve ${curve}`);
    rmSync(dir, { recursive: true, force: true });
  }
} finally {
  await chrome.close();
  await server.stop();
}

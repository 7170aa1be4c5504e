// Takes the pictures of docs/screenshots from a fresh demo world.
import { execFileSync } from "node:child_process";
import { mkdirSync, rmSync } from "node:fs";
import path from "node:path";
import { chromium } from "playwright";
import { browser, signIn, start } from "./trevik.mjs";

const out = path.resolve(import.meta.dirname, "..", "docs", "screenshots");
mkdirSync(out, { recursive: true });

const views = [
  ["today", "/"],
  ["new-fit", "/new-fit"],
  ["hello", "/fits/10/hello"],
  ["old-pair", "/fits/4/old-pair"],
  ["feet", "/fits/4/feet"],
  ["print", "/fits/5/print"],
  ["gait", "/fits/4/gait"],
  ["support", "/fits/4/support"],
  ["shoes", "/fits/5/shoes"],
  ["try-on", "/fits/5/try-on"],
  ["rotation", "/fits/5/rotation"],
  ["distance", "/fits/2/distance"],
  ["card", "/fits/2/card"],
  ["catalogue", "/shoes"],
  ["model", "/shoes/models/3"],
  ["shop", "/shop"],
  ["due", "/due?within=year"],
  ["after", "/runners/2/care?place=heel"],
];

const server = await start("screenshots");
const chrome = await chromium.launch(browser);
try {
  const page = await chrome.newPage({ viewport: { width: 1280, height: 800 }, baseURL: server.url });
  await signIn(page, "isolde");
  const scan = path.resolve(import.meta.dirname, "..", ".trevik", "screenshots", "scan");
  execFileSync(path.resolve(import.meta.dirname, "..", "bin", "trevik"), ["simulate", "scanner", "--out", scan, "--seed", "3"]);
  for (const side of ["left", "right"]) {
    await page.goto("/fits/5/print");
    const panel = page.getByRole("region", { name: `${side} foot` });
    await panel.locator('input[type="file"]').setInputFiles(path.join(scan, `${side}.png`));
    await panel.getByText("yes, with the fit").click();
    await panel.getByRole("button", { name: "Read it" }).click();
    await page.getByRole("group", { name: `The ${side} print` }).waitFor();
  }
  rmSync(scan, { recursive: true });
  await page.goto("/fits/4/gait");
  await page.getByRole("radiogroup", { name: "May we keep the film?", exact: true }).getByText("yes").click();
  await page.getByRole("button", { name: "Camera on the bench" }).click();
  await page.getByRole("group", { name: "Contacts along the film" }).waitFor({ timeout: 60_000 });
  await page.goto("/fits/5/rotation");
  await page.getByText("The week on the board").click();
  await page.getByRole("button", { name: "Lay out the week from Hello" }).click();
  for (const [name, address] of views) {
    await page.goto(address);
    await page.evaluate(() => document.fonts.ready);
    if (name === "gait") {
      await page.locator("svg.film .dot").first().waitFor();
      for (let i = 0; i < 10; i++) await page.keyboard.press("ArrowRight");
      await page.waitForTimeout(500); // the frame's picture
    }
    await page.screenshot({ path: path.join(out, `${name}.png`) });
  }
  await page.getByRole("button", { name: "dim room" }).click();
  await page.goto("/fits/1/support");
  await page.evaluate(() => document.fonts.ready);
  await page.screenshot({ path: path.join(out, "dim-room.png") });
} finally {
  await chrome.close();
  await server.stop();
}

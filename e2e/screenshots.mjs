// Takes the pictures of docs/screenshots from a fresh demo world.
import { mkdirSync } from "node:fs";
import path from "node:path";
import { chromium } from "playwright";
import { browser, signIn, start } from "./trevik.mjs";

const out = path.resolve(import.meta.dirname, "..", "docs", "screenshots");
mkdirSync(out, { recursive: true });

const views = [
  ["today", "/"],
  ["runner", "/runners/9"],
  ["season", "/runners/9/season"],
  ["hello", "/fits/10/hello"],
  ["old-pair", "/fits/11/old-pair"],
  ["feet", "/fits/4/feet"],
  ["print", "/fits/22/print"],
  ["gait", "/fits/24/gait"],
  ["support", "/fits/4/support"],
  ["shoes", "/fits/22/shoes"],
  ["try-on", "/fits/16/try-on"],
  ["rotation", "/fits/16/rotation"],
  ["distance", "/fits/16/distance"],
  ["card", "/fits/16/card"],
  ["catalogue", "/shoes"],
  ["model", "/shoes/models/12"],
  ["due", "/due"],
  ["after", "/runners/2/care?place=heel"],
];

const server = await start("screenshots");
const chrome = await chromium.launch(browser);
try {
  const page = await chrome.newPage({ viewport: { width: 1280, height: 800 }, baseURL: server.url });
  await signIn(page, "isolde");
  // The camera's films are read by jobs.
  for (let busy = true; busy; ) {
    await page.goto("/fits/24/gait");
    busy = (await page.locator("svg.film .dot").count()) === 0;
    if (busy) await page.waitForTimeout(2000);
  }
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
  await page.goto("/runners/14");
  await page.getByRole("button", { name: "Make an address" }).click();
  const phone = await chrome.newContext({ viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true });
  const own = await phone.newPage();
  await own.goto(await page.locator("code.address").textContent());
  await own.evaluate(() => document.fonts.ready);
  await own.screenshot({ path: path.join(out, "phone.png") });
  await phone.close();
} finally {
  await chrome.close();
  await server.stop();
}

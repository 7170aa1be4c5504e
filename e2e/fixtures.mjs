// A page on a running demo that fails its test on any error in the console, any
// error of a script, and any request that leaves the machine.
import AxeBuilder from "@axe-core/playwright";
import { test as base, expect } from "@playwright/test";
import { start } from "./trevik.mjs";

export const test = base.extend({
  trevik: [
    // eslint-disable-next-line no-empty-pattern
    async ({}, use, info) => {
      const server = await start(`e2e-${info.workerIndex}`);
      await use(server);
      await server.stop();
    },
    { scope: "worker", timeout: 120_000 },
  ],
  baseURL: async ({ trevik }, use) => use(trevik.url),
  // What a test expects to see in the console: it names it here.
  expected: [[], { option: true }],
  page: async ({ page, expected }, use) => {
    const wrong = [];
    page.on("console", (m) => m.type() === "error" && wrong.push(`console: ${m.text()} at ${m.location().url}`));
    page.on("pageerror", (e) => wrong.push(`script: ${e.message}`));
    page.on("request", (r) => {
      const host = new URL(r.url()).hostname;
      if (host !== "127.0.0.1" && !/^(data|blob):/.test(r.url())) wrong.push(`request: ${r.url()}`);
    });
    await use(page);
    expect(wrong.filter((w) => !expected.some((e) => w.includes(e)))).toEqual([]);
  },
});

/** No accessibility fault that axe can find, WCAG 2.2 AA. */
export async function accessible(page) {
  const { violations } = await new AxeBuilder({ page }).withTags(["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]).analyze();
  expect(violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target} ${n.failureSummary}`).join("; ")}`)).toEqual([]);
}

/** Nothing reaches beyond the window's width. */
export async function fits(page) {
  const beyond = await page.evaluate(() => {
    if (document.documentElement.scrollWidth <= window.innerWidth) return [];
    return [...document.querySelectorAll("body *")].filter((e) => e.getBoundingClientRect().right > window.innerWidth + 1).map((e) =>
      `${e.tagName}.${e.className}`);
  });
  expect(beyond.slice(0, 6), `${page.url()} at ${page.viewportSize().width}`).toEqual([]);
}

/** Opens every pair on Distance. */
export async function whole(page) {
  for (const pair of await page.locator(".pairwear > details:not([open]) > summary").all()) await pair.click();
}

/** Waits until what was changed has been kept. */
export async function saved(page, act) {
  const answer = page.waitForResponse((r) => r.request().method() === "POST");
  await act();
  expect((await answer).status()).toBe(200);
  await expect(page.locator("#saved")).toContainText("saved");
}

export { expect };

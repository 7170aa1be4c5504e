// What every drawing keeps to: words that can be read, nothing cut off, the drawing where it is seen first.
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

// Fits of the demo in which the station has something to show.
const stations = { "old-pair": "/fits/11/old-pair", feet: "/fits/4/feet", print: "/fits/22/print", support: "/fits/4/support",
  shoes: "/fits/5/shoes", "try-on": "/fits/5/try-on", rotation: "/fits/11/rotation", distance: "/fits/2/distance", card: "/fits/11/card" };
const pages = { ...stations, today: "/", season: "/runners/9/season",
  runner: "/runners/2", model: "/shoes/models/10", catalogue: "/shoes", glossary: "/glossary",
  care: "/runners/2/care?place=heel", hello: "/fits/11/hello" };

/** Texts of drawings that are too small, or lie outside their drawing. */
const faults = () =>
  [...document.querySelectorAll("main svg text, .rail svg text")].flatMap((text) => {
    const svg = text.ownerSVGElement;
    if (svg.classList.contains("film") || !text.getClientRects().length || text.closest("clipPath")) return [];
    const m = text.getScreenCTM();
    const size = parseFloat(getComputedStyle(text).fontSize) * Math.hypot(m.a, m.b);
    const own = text.getBoundingClientRect();
    const field = svg.getBoundingClientRect();
    const out = [];
    if (size < 12.9) out.push(`${svg.classList} "${text.textContent}" is ${size.toFixed(1)} px`);
    if (own.left < field.left - 3 || own.right > field.right + 3 || own.top < field.top - 3 || own.bottom > field.bottom + 3) {
      out.push(`${svg.classList} "${text.textContent}" is cut off`);
    }
    return out;
  });

test("words in drawings can be read, and none is cut off", async ({ page }) => {
  test.setTimeout(240_000);
  await signIn(page, "isolde");
  for (const [name, path] of Object.entries(pages)) {
    await page.goto(path);
    await page.evaluate(() => document.fonts.ready);
    expect(await page.evaluate(faults), name).toEqual([]);
  }
});

test("a station opens on its drawing", async ({ page }) => {
  await signIn(page, "isolde");
  for (const [name, path] of Object.entries(stations)) {
    await page.goto(path);
    const seen = await page.evaluate(() => {
      const svg = [...document.querySelectorAll("main svg")].filter((s) => s.getBoundingClientRect().width > 90 &&
        !s.classList.contains("barline")).map((s) => s.getBoundingClientRect());
      return svg.length > 0 && svg[0].top < window.innerHeight - 160;
    });
    expect(seen, name).toBe(true);
  }
});

test("the dim room, larger words and little to load", async ({ page }) => {
  test.setTimeout(240_000);
  await signIn(page, "isolde");
  let bytes = 0;
  const parts = [];
  const note = (r) => /\.(js|css)$/.test(new URL(r.url()).pathname) && parts.push(r.body());
  page.on("response", note);
  await page.goto("/fits/11/distance");
  await page.waitForLoadState("networkidle");
  page.off("response", note);
  for (const part of await Promise.all(parts)) bytes += part.length;
  expect(bytes).toBeLessThan(150_000);
  await page.getByRole("button", { name: "dim room" }).click();
  for (const path of Object.values(pages)) {
    await page.goto(path);
    await accessible(page);
  }
  await page.getByRole("button", { name: "light room" }).click();
  // Words twice as large: nothing reaches beyond the window.
  for (const path of [pages.today, pages.runner, pages.feet, pages.distance, pages.shoes]) {
    await page.goto(path);
    await page.evaluate(() => document.documentElement.style.setProperty("font-size", "32px"));
    await fits(page);
  }
});

/** What a finger has to hit and is lower than 44 px; links within a sentence are as high as their line. */
const small = () =>
  [...document.querySelectorAll("a[href], button, input, select, textarea, summary")].flatMap((e) => {
    const box = (e.closest(".chip, .tick, .press") ?? e).getBoundingClientRect();
    if (!box.height || e.closest("[hidden], .sr, svg, dialog:not([open])") || e.classList.contains("skip")) return [];
    if (e.tagName === "A" && getComputedStyle(e).display === "inline") return [];
    if (box.height >= 43.5) return [];
    return [`${e.tagName}.${e.className} "${(e.textContent || e.name || "").trim().slice(0, 30)}" is ${box.height.toFixed(0)} px high`];
  });

test.describe("by touch", () => {
  test.use({ hasTouch: true });
  test("everything that a finger hits is 44 px high", async ({ page }) => {
    test.setTimeout(240_000);
    await signIn(page, "isolde");
    const more = { due: "/due", runners: "/runners", shop: "/shop", people: "/people", account: "/account", practice: "/practice",
      import: "/shoes/import", count: "/shoes/count", newfit: "/new-fit", gait: "/fits/23/gait", learned: "/learned", audit: "/audit" };
    const low = [];
    await page.goto("/runners/2");
    await page.getByRole("button", { name: "Make an address" }).click();
    more.phone = new URL(await page.locator("code.address").first().textContent()).pathname;
    for (const [name, path] of Object.entries({ ...pages, ...more })) {
      await page.goto(path);
      await page.evaluate(() => document.querySelectorAll("main details").forEach((d) => { d.open = true; }));
      low.push(...(await page.evaluate(small)).map((x) => `${name}: ${x}`));
    }
    expect(low).toEqual([]);
  });
});

// What is told at one station moves every other: a journey for each.
import { accessible, expect, fits, saved, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

const day = (ahead) => new Date(Date.now() + ahead * 86400000).toISOString().slice(0, 10);
const pick = (page, group, value) => saved(page, () => page.getByRole("radiogroup", { name: group, exact: true }).getByText(value,
  { exact: true }).click());
const tick = (page, group, value) => saved(page, () => page.getByRole("group", { name: group, exact: true }).getByText(value,
  { exact: true }).click());
const type = (page, label, value) =>
  saved(page, async () => {
    const field = page.getByLabel(label, { exact: true });
    await field.fill(value);
    await field.press("Tab");
  });

/** A runner in a fit with a week and feet; resolves to the fit's address. */
async function fitOf(page, name, { km = "40", mm = "262" } = {}) {
  await page.goto("/");
  await page.getByRole("link", { name: "New fit" }).click();
  await page.getByLabel("Name", { exact: true }).fill(name);
  await page.getByText("men", { exact: true }).click();
  await page.getByRole("button", { name: "Begin the fit" }).click();
  await tick(page, "Cautions", "none");
  await pick(page, "Any aches, now or in the last year?", "none");
  await type(page, "In a usual week", km);
  const fit = new URL(page.url()).pathname.replace(/\/[^/]*$/, "");
  await page.goto(`${fit}/feet`);
  for (const side of ["left", "right"]) {
    await type(page, `Foot length, ${side}, 1`, mm);
    await type(page, `Ball width, ${side}, 1`, "100");
  }
  return fit;
}

/** The runner's own page, on a phone. */
async function phoneOf(browser, baseURL, page, runner) {
  await page.goto(runner);
  await page.getByRole("button", { name: "Make an address" }).click();
  const phone = await browser.newContext({ baseURL, viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
  const own = await phone.newPage();
  await own.goto(await page.locator("code.address").textContent());
  return own;
}

test("one verdict: a hole sets a pair aside everywhere, and taken back all is as before", async ({ page, browser, baseURL }) => {
  await signIn(page);
  await page.goto("/fits/3/distance");
  const runner = await page.getByRole("link", { name: "Edric Belltower" }).getAttribute("href");
  const own = await phoneOf(browser, baseURL, page, runner);
  const seen = async () => {
    const text = {};
    for (const [where, path] of Object.entries({ distance: "/fits/3/distance", rotation: "/fits/3/rotation", card: "/fits/3/card",
      due: "/due?until=year" })) {
      await page.goto(path);
      text[where] = await page.locator("main").innerText();
    }
    await own.reload();
    text.phone = await own.locator("main").innerText();
    return text;
  };
  const before = await seen();
  expect(before.distance).toContain("Likely distance left");
  expect(before.card).toContain("Worn out around");
  expect(before.phone).toContain("to go");

  await page.goto("/fits/3/distance");
  await page.getByText("Check this pair").first().click();
  await page.getByRole("group", { name: "At once" }).or(page.getByRole("group", { name: /damage/i })).first()
    .getByText(/through/).first().click();
  await page.getByRole("button", { name: "Save check" }).click();
  await expect(page.locator(".pairwear .state").first()).toHaveText("Retire now");
  await accessible(page);
  const after = await seen();
  expect(after.distance).not.toContain("Likely distance left");
  expect(after.card).not.toContain("Worn out around");
  expect(after.rotation).not.toMatch(/takes \d/);
  expect(after.phone).not.toContain("to go");
  expect(after.phone).toContain("Retire it now");
  expect(after.due).not.toBe(before.due);

  await page.goto("/fits/3/distance");
  await page.getByRole("button", { name: "Delete", exact: true }).first().click();
  const back = await seen();
  for (const where of ["distance", "rotation", "card", "phone"]) expect(back[where], where).toBe(before[where]);
  await own.context().close();
});

test("a plan that respects what they own: what it says is sold from it, and then costs nothing", async ({ page }) => {
  await signIn(page);
  const fit = await fitOf(page, "Piers Oxlip");
  await page.goto(`${fit}/rotation`);
  await page.locator("#board > summary").click();
  await page.getByRole("button", { name: "Lay out the week from Hello" }).click();
  await expect(page.getByRole("heading", { name: "Recommended rotation" })).toBeVisible();
  await expect(page.locator("#plan .sum")).toContainText("EUR");
  await accessible(page);
  for (let left = await page.getByRole("button", { name: /^Sell it/ }).count(); left > 0; left--) {
    await page.getByRole("button", { name: /^Sell it/ }).first().click();
    await page.goto(`${fit}/rotation`);
    await expect(page.getByRole("button", { name: /^Sell it/ })).toHaveCount(left - 1);
  }
  await expect(page.locator("#plan .sum")).toContainText("covered a week,");
  await expect(page.locator("#plan .planlines")).not.toContainText("to buy");
  await expect(page.locator("#plan .planlines")).toContainText("owned");
  for (const width of [1280, 1024]) {
    await page.setViewportSize({ width, height: 800 });
    await fits(page);
  }
});

test("a race is told once, and stands in the plan, at Distance, on the card and on the phone", async ({ page, browser, baseURL }) => {
  await signIn(page);
  const fit = await fitOf(page, "Merrin Sallow");
  await page.goto(`${fit}/hello`);
  await tick(page, "Goal", "race");
  await type(page, "Race distance", "21.1");
  await type(page, "Race day", day(70));
  await page.goto(`${fit}/shoes`);
  await page.getByRole("button", { name: /^Choose/ }).first().click();
  await page.locator("#board > summary").click();
  await page.getByRole("button", { name: "Lay out the week from Hello" }).click();
  await expect(page.locator("#plan").getByRole("heading", { name: "Races" })).toBeVisible();
  await expect(page.locator("#plan")).toContainText("21.1 km");
  await accessible(page);
  await page.goto(`${fit}/distance`);
  await expect(page.locator("main")).toContainText("21.1 km");
  await page.goto(`${fit}/card`);
  await expect(page.locator(".card")).toContainText(/race/i);
  const runner = await page.getByRole("link", { name: "Merrin Sallow" }).getAttribute("href");
  const own = await phoneOf(browser, baseURL, page, runner);
  await expect(own.locator("main")).toContainText("21.1 km");
  await own.context().close();
});

test("choosing a model: black ice puts what holds on ice first", async ({ page }) => {
  await signIn(page);
  const fit = await fitOf(page, "Odo Rime");
  await page.goto(`${fit}/shoes`);
  const names = () => page.locator(".offer h3").evaluateAll((list) => list.map((h) => h.textContent.trim()));
  const before = await names();
  await page.goto(`${fit}/hello`);
  await tick(page, "Ground and season", "black ice");
  await page.goto(`${fit}/shoes`);
  const iced = await names();
  expect(iced[0]).not.toBe(before[0]);
  expect(iced[0]).toContain("Icebreak");
  await accessible(page);
  await page.goto(`${fit}/hello`);
  await tick(page, "Ground and season", "black ice");
  await page.goto(`${fit}/shoes`);
  expect(await names()).toEqual(before);
});

test("the try-on decides: short toes move the size, it is tried, too, and the card tells both", async ({ page }) => {
  await signIn(page);
  const fit = await fitOf(page, "Hale Sedge");
  // Which pair stands first hangs on the fit: one is looked for that is there in the next size, too.
  let name, first;
  for (let pair = 1; ; pair++) {
    await page.goto(`${fit}/try-on?pair=${pair}`);
    name = (await page.locator("#h-pair").textContent()).trim();
    first = await page.locator(".trypair .faint").first().textContent();
    await pick(page, "Comfort", "4");
    await pick(page, "Toe room", "short");
    await expect(page.locator("#findings")).toContainText(/UK [\d.]+ is proposed|not offered any more/);
    if (!(await page.locator("#findings").textContent()).includes("not offered")) break;
  }
  await expect(page.locator("#findings")).toContainText(/Toes were short in UK [\d.]+: UK [\d.]+ is proposed/);
  await page.locator("#findings").getByRole("button", { name: /^Try it in/ }).click();
  await expect(page.locator("#h-pair")).toHaveText(name);
  await expect(page.locator(".trypair .faint").first()).not.toHaveText(first);
  await expect(page.locator(".trypager a[aria-current] .faint")).toContainText("not yet");
  await pick(page, "Comfort", "9");
  await pick(page, "Toe room", "right");
  await accessible(page);
  await page.goto(`${fit}/shoes`);
  const offer = page.locator(".offer", { hasText: name.replace(/^\S+ /, "") }).first();
  await expect(offer).toContainText("The try-on moved it: Of the sizes and widths that were tried");
  await page.goto(`${fit}/card`);
  await expect(page.locator(".card")).toContainText("4 of 10");
  await expect(page.locator(".card")).toContainText("9 of 10");
});

test("the old pair speaks: its soles and its bounce give a verdict, and the soles turn over", async ({ page }) => {
  await signIn(page);
  const fit = await fitOf(page, "Bram Teasel");
  await page.goto(`${fit}/old-pair`);
  await expect(page.getByText("Soles up, toes up, as they are held.")).toBeVisible();
  for (let n = 1; n <= 4; n++) {
    await saved(page, () => page.getByRole("button", { name: /^left heel outer: / }).click());
    await saved(page, () => page.getByRole("button", { name: /^right heel outer: / }).click());
  }
  await expect(page.getByRole("button", { name: "left heel outer: 4 of 4 gone" })).toBeVisible();
  await pick(page, "Cushioning lost (press test)", "4");
  await expect(page.locator("main")).toContainText(/Retire it: the bounce is gone/);
  const x = async (name) => (await page.getByRole("button", { name }).boundingBox()).x;
  const below = (await x(/^left heel outer/)) < (await x(/^left heel inner/));
  await page.getByRole("link", { name: "Turn them over" }).click();
  await expect(page.getByText("Seen from above, toes up.")).toBeVisible();
  expect((await x(/^left heel outer/)) < (await x(/^left heel inner/))).toBe(!below);
  await accessible(page);
});

test("honest numbers: measured on waking, the size has more doubt", async ({ page }) => {
  await signIn(page);
  const fit = await fitOf(page, "Idony Fell");
  await page.goto(`${fit}/feet`);
  await pick(page, "Measured", "by day");
  const doubt = async () => {
    await page.goto(`${fit}/shoes`);
    const room = await page.locator(".offer .fit").first().textContent();
    return Number(room.match(/±\s*([\d.]+)/)[1]);
  };
  const byDay = await doubt();
  await page.goto(`${fit}/feet`);
  await pick(page, "Measured", "on waking");
  expect(await doubt()).toBeGreaterThan(byDay);
});

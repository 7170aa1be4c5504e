// The whole fit counted in taps and keys, the card on one page, a new shop's first look.
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

/** Counts what a fitter does: every tap and every key. */
function counted(page) {
  const hand = {
    n: 0,
    async tap(target) {
      hand.n += 1;
      await target.click();
    },
    async keys(text) {
      hand.n += text.length;
      await page.keyboard.type(text);
    },
    async key(name) {
      hand.n += 1;
      await page.keyboard.press(name);
    },
    /** Types into a field that is tapped first, and leaves it by a tap elsewhere. */
    async fill(label, text) {
      await hand.tap(page.getByLabel(label, { exact: true }));
      await hand.keys(text);
    },
    /** Goes to a station by its row in the rail: what was typed is kept all the same. */
    async station(name) {
      await hand.tap(page.locator(".stations a", { hasText: name }));
      await expect(page.getByRole("heading", { name, level: 1 })).toBeVisible();
    },
    async pick(group, value) {
      const kept = page.waitForResponse((r) => r.request().method() === "POST");
      await hand.tap(page.getByRole("radiogroup", { name: group, exact: true }).getByText(value, { exact: true }));
      await kept;
    },
  };
  return hand;
}

async function begin(page, hand, name) {
  await page.goto("/");
  await hand.tap(page.getByRole("link", { name: "New fit" }));
  await hand.tap(page.getByLabel("Name", { exact: true }));
  await hand.keys(name);
  await hand.tap(page.getByText("men", { exact: true }));
  await hand.tap(page.getByRole("button", { name: "Begin the fit" }));
  const kept = page.waitForResponse((r) => r.request().method() === "POST");
  await hand.tap(page.getByRole("group", { name: "Cautions" }).getByText("none", { exact: true }));
  await kept;
  await hand.pick("Any aches, now or in the last year?", "none");
}

async function choose(page, hand) {
  await hand.station("Shoes");
  await hand.tap(page.getByRole("button", { name: /^Choose/ }).first());
  await expect(page.getByRole("heading", { name: "Rotation", level: 1 })).toBeVisible();
  await hand.station("Card");
  await expect(page.locator(".card")).toContainText("Order the next by");
}

test("a whole fit takes under 60 taps and keys, the short path under 25", async ({ page }, info) => {
  test.setTimeout(240_000);
  await signIn(page);
  const short = counted(page);
  await begin(page, short, "Ida");
  await short.fill("In a usual week", "25");
  await short.station("Feet");
  await short.fill("Foot length, left, 1", "262");
  await short.fill("Foot length, right, 1", "261");
  await choose(page, short);
  await expect(page.locator(".card")).toContainText("262"); // each of them was kept
  await expect(page.locator(".card")).toContainText("261");

  const whole = counted(page);
  await begin(page, whole, "Ole");
  await whole.pick("Where most runs are", "road");
  await whole.fill("In a usual week", "38");
  await whole.fill("Body mass", "74");
  await whole.station("Old pair");
  await whole.pick("Support level", "neutral");
  await whole.pick("Felt right for six months", "yes");
  await whole.station("Feet");
  for (const [label, mm] of [["Foot length, left, 1", "262"], ["Foot length, right, 1", "261"], ["Ball width, left, 1", "100"],
    ["Ball width, right, 1", "100"]]) await whole.fill(label, mm);
  await whole.station("Print");
  for (const side of ["left", "right"]) {
    await whole.pick(`Arch, ${side}`, "medium");
    await whole.pick(`How sure, ${side}`, "sure");
  }
  await whole.station("Gait");
  for (const side of ["left", "right"]) {
    await whole.pick(`Pronation, ${side}`, "neutral");
    await whole.pick(`How sure, ${side}`, "sure");
  }
  await whole.pick("Lands on", "heel");
  await whole.station("Try-on");
  await whole.pick("Comfort", "8");
  await whole.tap(page.getByRole("link", { name: "next pair" }));
  await whole.pick("Comfort", "6");
  await choose(page, whole);
  info.annotations.push({ type: "taps and keys", description: `short path ${short.n}, whole fit ${whole.n}` });
  console.log(`taps and keys: short path ${short.n}, whole fit ${whole.n}`);
  expect(short.n).toBeLessThan(25);
  expect(whole.n).toBeLessThan(60);
});

test("the card prints on one A4 page", async ({ page }) => {
  await signIn(page);
  for (const id of [1, 2, 3]) {
    await page.goto(`/fits/${id}/card`);
    await expect(page.locator(".card")).toBeVisible();
    const pdf = (await page.pdf({ preferCSSPageSize: true })).toString("latin1");
    expect(pdf.match(/\/Type\s*\/Page\b/g), `fit ${id}`).toHaveLength(1);
    const [, width, height] = pdf.match(/\/MediaBox\s*\[\s*0 0 ([\d.]+) ([\d.]+)\s*\]/);
    expect([Math.round(Number(width)), Math.round(Number(height))]).toEqual([595, 842]);
  }
});

test("a season prints on one A4 page, lying", async ({ page }) => {
  await signIn(page);
  for (const runner of [9, 14]) {
    await page.goto(`/runners/${runner}/season`);
    await expect(page.locator("svg.season")).toBeVisible();
    const pdf = (await page.pdf({ preferCSSPageSize: true })).toString("latin1");
    expect(pdf.match(/\/Type\s*\/Page\b/g), `runner ${runner}`).toHaveLength(1);
    const [, width, height] = pdf.match(/\/MediaBox\s*\[\s*0 0 ([\d.]+) ([\d.]+)\s*\]/);
    expect([Math.round(Number(width)), Math.round(Number(height))]).toEqual([842, 595]);
  }
});

test("what comes after the sale, the sheets and the words work in every width and both themes", async ({ page }) => {
  await signIn(page);
  for (const theme of ["light", "dim"]) {
    if (theme === "dim") {
      await page.setViewportSize({ width: 1280, height: 800 });
      await page.goto("/");
      await page.getByRole("button", { name: "dim room" }).click();
      await expect(page.locator("html")).toHaveAttribute("data-theme", "dim");
    }
    for (const path of ["/runners/2/care?place=heel", "/runners/2/care?ground=ice", "/sheets/lacing", "/sheets/strength", "/practice",
      "/due", "/learned", "/glossary", "/fits/2/distance", "/fits/2/distance?cupboard=1"]) {
      await page.goto(path);
      await accessible(page);
      for (const width of [1280, 1024]) {
        await page.setViewportSize({ width, height: 800 });
        await fits(page);
      }
    }
  }
});

test("a place that rubs is tapped by keyboard, and what is tried is kept", async ({ page }) => {
  await signIn(page);
  await page.goto("/runners/2/care");
  await page.getByRole("link", { name: "heel", exact: true }).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Heel", exact: true })).toBeVisible();
  await page.getByRole("button", { name: /^This is tried/ }).first().focus();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "What was tried" })).toBeVisible();
  await page.getByRole("button", { name: "it helped" }).first().click();
  await expect(page.getByText("It helped.")).toBeVisible();
});

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
    /** Types into a field that is tapped first, and waits until it is kept. */
    async fill(label, text) {
      await hand.tap(page.getByLabel(label, { exact: true }));
      await hand.keys(text);
      const kept = page.waitForResponse((r) => r.request().method() === "POST");
      await hand.key("Tab");
      await kept;
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

/** Goes to a station by its key, from wherever the focus is not in a field. */
async function station(page, hand, key, name) {
  await page.evaluate(() => document.activeElement?.blur());
  await hand.key(key);
  await expect(page.getByRole("heading", { name, level: 1 })).toBeVisible();
}

async function choose(page, hand) {
  await station(page, hand, "7", "Shoes");
  await hand.tap(page.getByRole("button", { name: /^Choose/ }).first());
  await expect(page.getByRole("heading", { name: "Rotation", level: 1 })).toBeVisible();
  await station(page, hand, "c", "Card");
  await expect(page.locator(".card")).toContainText("Order the next by");
}

test("a whole fit takes under 120 taps and keys, the short path under 50", async ({ page }, info) => {
  test.setTimeout(240_000);
  await signIn(page);
  const short = counted(page);
  await begin(page, short, "Ida");
  await short.fill("In a usual week", "25");
  await station(page, short, "3", "Feet");
  await short.fill("Foot length, left, 1", "262");
  await short.fill("Foot length, right, 1", "261");
  await choose(page, short);

  const whole = counted(page);
  await begin(page, whole, "Ole");
  await whole.pick("Where most runs are", "road");
  await whole.fill("In a usual week", "38");
  await whole.fill("Body mass", "74");
  await station(page, whole, "2", "Old pair");
  await whole.pick("Support level", "neutral");
  await whole.pick("Felt right for six months", "yes");
  await station(page, whole, "3", "Feet");
  for (const [label, mm] of [["Foot length, left, 1", "262"], ["Foot length, right, 1", "261"], ["Ball width, left, 1", "100"],
    ["Ball width, right, 1", "100"]]) await whole.fill(label, mm);
  await station(page, whole, "4", "Print");
  for (const side of ["left", "right"]) {
    await whole.pick(`Arch, ${side}`, "medium");
    await whole.pick(`How sure, ${side}`, "sure");
  }
  await station(page, whole, "5", "Gait");
  for (const side of ["left", "right"]) {
    await whole.pick(`Pronation, ${side}`, "neutral");
    await whole.pick(`How sure, ${side}`, "sure");
  }
  await whole.pick("Lands on", "heel");
  await station(page, whole, "8", "Try-on");
  await whole.pick("Comfort", "8");
  await whole.tap(page.getByRole("link", { name: "next pair" }));
  await whole.pick("Comfort", "6");
  await choose(page, whole);
  info.annotations.push({ type: "taps and keys", description: `short path ${short.n}, whole fit ${whole.n}` });
  console.log(`taps and keys: short path ${short.n}, whole fit ${whole.n}`);
  expect(short.n).toBeLessThan(50);
  expect(whole.n).toBeLessThan(120);
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

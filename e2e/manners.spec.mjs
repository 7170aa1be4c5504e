import { accessible, expect, saved, test } from "./fixtures.mjs";
import { signIn, start } from "./trevik.mjs";

test("by keyboard: stations, slips, keys and a choice", async ({ page }) => {
  await signIn(page);
  await page.goto("/fits/4/hello");
  await page.keyboard.press("3");
  await expect(page.getByRole("heading", { name: "Feet", level: 1 })).toBeVisible();
  await page.keyboard.press("0");
  await expect(page.getByRole("heading", { name: "Distance", level: 1 })).toBeVisible();
  await page.keyboard.press("c");
  await expect(page.getByRole("heading", { name: "Card", level: 1 })).toBeVisible();
  await page.keyboard.press("j");
  await expect(page.locator(".slip summary").first()).toBeFocused();
  await page.keyboard.press("j");
  await page.keyboard.press("k");
  await page.keyboard.press("Enter");
  await expect(page.locator(".slip").first()).toHaveAttribute("open", "");
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog")).toBeVisible();
  await accessible(page);
  await page.keyboard.press("Escape");
  await page.keyboard.press("/");
  await expect(page.getByRole("heading", { name: "Search" })).toBeVisible();
  await page.keyboard.type("Maelle");
  await page.keyboard.press("Enter");
  await expect(page.locator("main a.task")).toHaveCount(1);
  // Digits that are typed into a field stay there.
  await page.goto("/fits/5/hello");
  const mass = page.getByLabel("Body mass");
  await mass.focus();
  await saved(page, async () => {
    await page.keyboard.type("59");
    await page.keyboard.press("Tab");
  });
  await expect(mass).toHaveValue("59");
  // A chip is chosen with the arrows.
  await page.getByRole("radiogroup", { name: "Socks" }).getByLabel("medium").focus();
  await saved(page, () => page.keyboard.press("ArrowRight"));
  await page.reload();
  await expect(page.getByRole("radiogroup", { name: "Socks" }).getByLabel("thick")).toBeChecked();
});

test.describe("what is wrong", () => {
  test.use({ expected: ["status of 422", "Response Status Error Code 422"] });
  test("is still there after the page was left", async ({ page }) => {
    await signIn(page);
    await page.goto("/fits/5/hello");
    const mass = page.getByLabel("Body mass");
    const was = await mass.inputValue();
    await mass.fill("999");
    await mass.press("Tab");
    await expect(mass).toHaveAttribute("aria-invalid", "true");
    await page.reload();
    await expect(mass).toHaveValue("999");
    await expect(mass).toHaveAttribute("aria-invalid", "true"); // sent again, and told again
    await saved(page, async () => {
      await mass.fill(was);
      await mass.press("Tab");
    });
    await page.reload();
    await expect(mass).toHaveValue(was);
  });
  test("stands at its field, keeps what was typed, and is undone", async ({ page }) => {
    await signIn(page);
    await page.goto("/fits/5/feet");
    const length = page.getByLabel("Foot length, right, 1");
    await length.fill("23,7,0");
    await length.press("Tab");
    await expect(page.getByText("Enter a length from 180 to 340 mm; this is not a number.")).toBeVisible();
    await expect(length).toHaveValue("23,7,0");
    await expect(length).toHaveAttribute("aria-invalid", "true");
    await accessible(page);
    await saved(page, async () => {
      await length.fill("238");
      await length.press("Tab");
    });
    await expect(page.getByText("this is not a number")).toBeHidden();
    await expect(length).not.toHaveAttribute("aria-invalid", "true");
    await page.getByRole("button", { name: "undo" }).click();
    await expect(page.getByLabel("Foot length, right, 1")).toHaveValue("237");
  });
});

test.describe("left with what is wrong", () => {
  test.use({ expected: ["status of 422", "Response Status Error Code 422", "net::ERR_FAILED", "htmx:sendError", "htmx:afterRequest"] });
  test("keeps the page and tells at the field; a second press leaves", async ({ page }) => {
    await signIn(page);
    await page.goto("/fits/5/feet");
    await page.getByLabel("Foot length, left, 1").fill("24,1,0");
    await page.locator(".stations a", { hasText: "Shoes" }).click();
    await expect(page.getByText("Enter a length from 180 to 340 mm; this is not a number.")).toBeVisible();
    await expect(page.locator("#saved")).not.toContainText("saving");
    await expect(page.getByRole("heading", { name: "Feet", level: 1 })).toBeVisible();
    await page.locator(".stations a", { hasText: "Shoes" }).click();
    await expect(page.getByRole("heading", { name: "Shoes", level: 1 })).toBeVisible();
    // Nothing can be reached as it is saved: that is told, too, and what was typed stays.
    await page.goto("/fits/5/hello");
    await page.route("**/fits/5/hello", (route) => (route.request().method() === "POST" ? route.abort() : route.continue()));
    await page.getByLabel("Body mass", { exact: true }).fill("60");
    await page.locator(".stations a", { hasText: "Feet" }).click();
    await expect(page.locator("#notice")).toContainText("cannot be reached");
    await expect(page.locator("#saved")).not.toContainText("saving");
    await expect(page.getByRole("heading", { name: "Hello", level: 1 })).toBeVisible();
    await expect(page.getByLabel("Body mass", { exact: true })).toHaveValue("60");
  });
});

test.describe("a lost session", () => {
  test.use({ expected: ["status of 401", "htmx:responseError", "Response Status Error Code 401"] });
  test("in mid-form loses nothing that was typed", async ({ page, context }) => {
    await signIn(page);
    await page.goto("/fits/5/hello");
    await page.getByLabel("Budget", { exact: true }).fill("142");
    await context.clearCookies();
    await page.getByLabel("Budget", { exact: true }).press("Tab");
    await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
    await page.getByLabel("Name").fill("teal");
    await page.getByLabel("Password").fill("quay-and-causeway");
    const kept = page.waitForResponse((r) => r.request().method() === "POST" && r.url().endsWith("/hello"));
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(page.getByRole("heading", { name: "Hello" })).toBeVisible();
    await expect(page.getByLabel("Budget", { exact: true })).toHaveValue("142");
    expect((await kept).status()).toBe(200);
    await page.reload();
    await expect(page.getByLabel("Budget", { exact: true })).toHaveValue("142");
  });
});

test("a choice that is clicked twice is made once", async ({ page }) => {
  await signIn(page);
  await page.goto("/fits/5/shoes");
  await page.getByRole("button", { name: /^Choose/ }).first().dblclick();
  await expect(page.getByRole("heading", { name: "Rotation" })).toBeVisible();
  await expect(page.locator(".pairline")).toHaveCount(1);
  await page.goto("/fits/5/shoes");
  await page.getByRole("button", { name: /^undo/ }).click();
  await expect(page.getByRole("button", { name: /^Choose/ }).first()).toBeEnabled();
});

test("inches and miles by a switch", async ({ page }) => {
  await signIn(page, "corin");
  await page.goto("/fits/1/feet");
  await expect(page.getByLabel("Foot length, left, 1")).toHaveValue("262");
  await page.getByRole("button", { name: /in, mi/ }).click();
  await expect(page.getByLabel("Foot length, left, 1")).toHaveValue("10.31");
  await page.goto("/fits/1/distance");
  await expect(page.locator(".pairwear").first()).toContainText(" mi");
  await page.getByRole("button", { name: /mm, km/ }).click();
});

test("a page that is left at once takes nothing along that was not saved yet", async ({ page, browser, trevik }) => {
  await signIn(page);
  await page.goto("/fits/5/feet");
  let held = 300;
  await page.route("**/fits/5/**", async (route) => {
    if (route.request().method() === "POST") await new Promise((then) => setTimeout(then, held));
    await route.continue();
  });
  // Three are in line, the second tells the first field anew, as the station is left by its link.
  await page.getByLabel("Foot length, left, 1", { exact: true }).fill("241");
  await page.getByLabel("Foot length, right, 1", { exact: true }).fill("242");
  await page.getByLabel("Foot length, left, 1", { exact: true }).fill("243");
  await page.locator(".stations a", { hasText: "Shoes" }).click();
  await expect(page.locator("#saved")).toContainText("saving");
  await expect(page.getByRole("heading", { name: "Shoes", level: 1 })).toBeVisible();
  // Another browser has no drafts: what stands there was saved.
  const other = await browser.newPage({ baseURL: trevik.url });
  await signIn(other);
  await other.goto("/fits/5/feet");
  await expect(other.getByLabel("Foot length, left, 1", { exact: true })).toHaveValue("243");
  await expect(other.getByLabel("Foot length, right, 1", { exact: true })).toHaveValue("242");
  // A form of the same page waits, too, and goes by keys as by taps.
  await page.locator(".stations a", { hasText: "Hello" }).click();
  await page.getByLabel("Body mass", { exact: true }).fill("61");
  await page.getByRole("radiogroup", { name: "Socks" }).getByText("thin", { exact: true }).click();
  await page.locator("main").click({ position: { x: 2, y: 2 } });
  await page.keyboard.press("c");
  await expect(page.getByRole("heading", { name: "Card", level: 1 })).toBeVisible();
  await other.goto("/fits/5/hello");
  await expect(other.getByLabel("Body mass", { exact: true })).toHaveValue("61");
  await expect(other.getByRole("radiogroup", { name: "Socks" }).getByLabel("thin")).toBeChecked();
  // A model is chosen as a weight is still being saved: the answer draws the buttons anew, and the one pressed counts.
  await page.goto("/fits/5/shoes");
  await page.getByText("Priorities and toe room").click();
  held = 800;
  await page.getByLabel("money", { exact: true }).focus();
  await page.keyboard.press("Home"); // the tests of Shoes move it to its end
  const last = page.locator("form.choose").last();
  const model = await last.locator("[name=model]").inputValue();
  const name = await page.locator(`#model-${model} h3 b`).textContent();
  await last.getByRole("button", { name: /^Choose/ }).click();
  await expect(page.locator("#saved")).toContainText("saving");
  await expect(page.getByRole("heading", { name: "Rotation", level: 1 })).toBeVisible();
  await other.goto("/fits/5/card");
  await expect(other.locator(".card")).toContainText(name);
  await other.close();
});

test.describe("by touch", () => {
  test.use({ hasTouch: true, viewport: { width: 1024, height: 768 } });
  test("stations and chips are tapped, and are large enough", async ({ page }) => {
    await signIn(page);
    await page.goto("/fits/5/hello");
    await saved(page, () => page.getByRole("radiogroup", { name: "Firm to soft" }).getByText("5", { exact: true }).tap());
    for (const target of await page.locator(".stations a, .chip, .key, select:visible, .entry input").all()) {
      const box = await target.boundingBox();
      if (box) expect(Math.round(box.height)).toBeGreaterThanOrEqual(44);
    }
    await page.locator(".stations a[data-key='5']").tap();
    await expect(page.getByRole("heading", { name: "Gait" })).toBeVisible();
  });
});

test.describe("without scripts", () => {
  test.use({ javaScriptEnabled: false });
  test("whole pages work", async ({ page }) => {
    await signIn(page);
    await page.goto("/fits/5/gait");
    await page.getByRole("radiogroup", { name: "Pronation, left" }).getByText("mild", { exact: true }).click();
    await page.getByRole("radiogroup", { name: "How sure, left" }).getByText("fairly", { exact: true }).click();
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.locator("#saved")).toContainText("saved");
    await expect(page.locator("#slips")).toContainText("mild, fairly");
  });
});

test.describe("killed between two steps", () => {
  test.use({ expected: ["ERR_CONNECTION_REFUSED", "htmx:sendError", "htmx:afterRequest"] });
  test("loses nothing that was saved", async ({ page }) => {
    let own = await start("e2e-kill");
    try {
      await page.goto(`${own.url}/sign-in`);
      await page.getByLabel("Name").fill("teal");
      await page.getByLabel("Password").fill("quay-and-causeway");
      await page.getByRole("button", { name: "Sign in" }).click();
      await page.goto(`${own.url}/fits/5/old-pair`);
      await saved(page, async () => {
        await page.getByLabel("Present pair").fill("a pair from the mainland");
        await page.getByLabel("Present pair").press("Tab");
      });
      await own.kill();
      await page.getByLabel("Printed size").fill("UK 5.5");
      await page.getByLabel("Printed size").press("Tab");
      await expect(page.getByText("cannot be reached just now")).toBeVisible();

      const addr = new URL(own.url).host;
      own = await start("e2e-kill", { fresh: false, addr });
      expect(new URL(own.url).host).toBe(addr);
      await page.reload();
      await expect(page.getByLabel("Present pair")).toHaveValue("a pair from the mainland");
      await expect(page.getByLabel("Printed size")).toHaveValue("UK 5.5"); // from the draft on the device
      await expect(page.locator("#saved")).toContainText("saved");
    } finally {
      await own.stop();
    }
  });
});

// Distance in the browser: many files with progress, the cupboard, races, what is due, and
// a runner's own page on a phone.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { accessible, expect, fits, test, whole } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

const day = (back) => new Date(Date.now() - back * 86400000).toISOString().slice(0, 10);

/** A watch's files, in a folder that goes when the test is over. */
function watch(...options) {
  const dir = mkdtempSync(join(tmpdir(), "trevik-watch-"));
  execFileSync("bin/trevik", ["simulate", "watch", "--out", dir, "--until", day(1), ...options]);
  return { dir, files: readdirSync(dir).filter((f) => f.endsWith(".gpx")).map((f) => join(dir, f)), csv: join(dir, "runs.csv"), gone: () =>
    rmSync(dir, { recursive: true }) };
}

test("runs come from many files with progress, go to their pair in one go, and a table is known again", async ({ page }) => {
  test.setTimeout(240_000);
  const from = watch("--seed", "12", "--weeks", "3", "--days", "5", "--weekly-km", "40");
  try {
    await signIn(page);
    await page.goto("/fits/3/distance");
    await page.setInputFiles("#runs_file", from.files);
    await page.getByRole("button", { name: "Read", exact: true }).click();
    await expect(page.getByRole("button", { name: `Import ${from.files.length} runs` })).toBeVisible({ timeout: 60_000 });
    await accessible(page);
    await page.getByRole("button", { name: `Import ${from.files.length} runs` }).click();
    // They go to the only pair that there is.
    const loose = page.getByRole("heading", { name: /runs? without a pair/ });
    await expect(page.locator("#saved")).toContainText("saved");
    await expect(loose).toBeHidden();

    // The same runs as the watch's table: all of them are there already.
    await page.setInputFiles("#runs_file", from.csv);
    await page.getByRole("button", { name: "Read", exact: true }).click();
    await expect(page.getByText("say which column holds what")).toBeVisible();
    await accessible(page);
    await page.getByRole("button", { name: "Use these columns" }).click();
    await expect(page.getByText(`0 new runs, ${from.files.length} there already`)).toBeVisible();
    await page.getByRole("button", { name: "Discard file" }).click();
    await expect(page.locator("#runs_file")).toBeVisible();

    // A run is moved out of its pair by keyboard, and back in one go.
    await page.locator("#runs").evaluate((all) => (all.open = true));
    await page.locator("#runs input[name=run]").first().focus();
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: "Move those ticked" }).click();
    await expect(loose).toBeVisible();
    await page.getByRole("button", { name: /^All into Ishkel Whimbrel 7/ }).first().focus();
    await page.keyboard.press("Enter");
    await expect(loose).toBeHidden();

    // One is found, changed, and is as it was again; one is deleted and comes back.
    await page.locator("#runs").evaluate((all) => (all.open = true));
    await page.getByLabel("Up to").fill(day(3));
    await page.getByRole("button", { name: "Find" }).click();
    await expect(page.getByText(/^\d+ of \d+\./)).toBeVisible();
    await page.locator("#runs").getByRole("link", { name: /^change/ }).first().click();
    await page.locator("#mend").getByLabel("Distance").fill("12.75");
    await page.locator("#mend").getByRole("button", { name: "Save" }).click();
    await expect(page.locator("#runs")).toContainText("12.8 km");
    await page.getByRole("button", { name: "Undo" }).click();
    await page.locator("#runs").evaluate((all) => (all.open = true));
    await expect(page.locator("#runs")).not.toContainText("12.8 km");
    const all = await page.getByText(/^All \d+ runs$/).textContent();
    await page.locator("#runs").getByRole("button", { name: /^delete/ }).first().click();
    await expect(page.getByText(/^All \d+ runs$/)).not.toHaveText(all);
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(page.getByText(/^All \d+ runs$/)).toHaveText(all);
    await accessible(page);
    for (const width of [1280, 1024]) {
      await page.setViewportSize({ width, height: 800 });
      await fits(page);
    }
  } finally {
    from.gone();
  }
});

test.describe("what is wrong", () => {
  test.use({ expected: ["status of 422"] });
  test("in one pair's form is come back to, and stands in that one alone", async ({ page }) => {
    await signIn(page);
    await page.goto("/fits/2/distance");
    const pair = page.locator("section.pairwear").nth(1);
    const hours = pair.getByLabel("Hours of lifting in it");
    await hours.evaluate((e) => {
      for (let box = e.closest("details"); box; box = box.parentElement.closest("details")) box.open = true;
    });
    await hours.fill("9999");
    await hours.press("Enter");
    const wrong = page.locator('[aria-invalid="true"]');
    await expect(wrong).toHaveCount(1);
    await expect(wrong).toHaveValue("9999");
    await expect(wrong).toBeFocused();
    await expect(wrong).toBeInViewport();
    await expect(page.getByText("Enter a number from 0.1 to 2000, not 9999.")).toBeInViewport();
    await accessible(page);
  });
});

test("the cupboard is sorted pair after pair, by keyboard", async ({ page }) => {
  await signIn(page);
  await page.goto("/fits/2/distance");
  await page.getByRole("link", { name: "Review all pairs" }).click();
  await expect(page.getByRole("heading", { name: "The cupboard: pair 1 of 2" })).toBeVisible();
  await accessible(page);
  await page.getByRole("radiogroup", { name: "tread, left" }).getByRole("radio", { name: "2" }).focus();
  await page.keyboard.press("Space");
  await page.getByRole("button", { name: "Save check" }).click();
  await expect(page.getByRole("heading", { name: "The cupboard: pair 1 of 2" })).toBeVisible();
  await page.getByRole("link", { name: "Keep it, next pair" }).click();
  await expect(page.getByRole("heading", { name: "The cupboard: pair 2 of 2" })).toBeVisible();
  await page.getByLabel("Why").selectOption("worn_out");
  await page.getByRole("button", { name: "Retire" }).click();
  await expect(page.getByText("counts as their own history")).toBeVisible();
  await page.getByRole("button", { name: /^back into use/ }).click();
  await whole(page);
  await expect(page.getByText("tread 50 %")).toBeVisible();
});

test("what is due is listed, and a runner's own page works on a phone", async ({ page, browser, baseURL }) => {
  const from = watch("--seed", "14", "--weeks", "1", "--days", "2");
  try {
    await signIn(page);
    await page.goto("/due");
    await page.getByLabel("Up to").selectOption("year");
    await page.getByRole("button", { name: "Show" }).click();
    await expect(page.getByRole("heading", { name: "The buying list" })).toBeVisible();
    await accessible(page);
    await page.goto("/runners/1");
    await page.getByRole("button", { name: "Make an address" }).click();
    const address = await page.locator("code.address").textContent();
    await accessible(page);

    const phone = await browser.newContext({ baseURL, viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
    const own = await phone.newPage();
    await own.goto(address);
    await expect(own.getByRole("heading", { name: "Your shoes" })).toBeVisible();
    await accessible(own);
    await fits(own);
    await own.getByLabel("Distance", { exact: true }).first().fill("6.4");
    await own.getByRole("button", { name: "Save run" }).tap();
    await expect(own.getByRole("status")).toContainText("Run saved.");
    await own.setInputFiles("#runs_file", from.files);
    await own.getByRole("button", { name: "Send" }).tap();
    await expect(own.getByRole("status")).toContainText("Your runs are in.");
    // The same again with one tap; changed, and as it was.
    await own.getByRole("button", { name: /^6.5 km/ }).first().tap();
    await expect(own.getByRole("status")).toContainText("Run saved.");
    await own.getByRole("link", { name: /^Change/ }).first().tap();
    await own.locator("#mend").getByLabel("Distance").fill("9.5");
    await accessible(own);
    await own.locator("#mend").getByRole("button", { name: "Save run" }).tap();
    await expect(own.locator(".runlist li").first()).toContainText("9.5 km");
    await own.getByRole("button", { name: "Undo" }).tap();
    await expect(own.locator(".runlist li").first()).toContainText("6.5 km");
    // A place that rubs is told, and what it may be is said.
    await own.getByText("It rubs", { exact: true }).first().tap();
    await own.getByLabel("Where", { exact: true }).first().selectOption("heel");
    await own.getByRole("button", { name: "What may it be?" }).first().tap();
    await expect(own.getByRole("heading", { name: "Heel: what it may be" })).toBeVisible();
    await accessible(own);
    await fits(own);
    await own.getByText("How is it?").first().tap();
    await own.getByLabel("Comfort now, 0 to 10").first().fill("6");
    await own.getByRole("button", { name: "Tell the shop" }).first().tap();
    await expect(own.getByRole("status")).toContainText("The shop sees it.");
    await own.getByText("Check this pair").first().tap();
    await fits(own);
    await accessible(own);
    await phone.close();
    await page.goto("/due");
    await expect(page.getByText(/Anselm Lockyer says: .* rubs, heel/)).toBeVisible();
    await page.goto("/fits/1/distance");
    await whole(page);
    await page.getByRole("button", { name: "answered" }).first().click();
    await page.locator("#runs").evaluate((all) => (all.open = true));
    await expect(page.getByText("by the runner").first()).toBeVisible();
  } finally {
    from.gone();
  }
});

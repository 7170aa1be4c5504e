import { accessible, expect, fits, saved, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

const station = (page, name) => page.getByRole("navigation", { name: "Stations" }).getByRole("link", { name });
const type = (page, label, value) =>
  saved(page, async () => {
    const field = page.getByLabel(label, { exact: true });
    await field.fill(value);
    await field.press("Tab");
  });
const pick = (page, group, value) => saved(page, () => page.getByRole("radiogroup", { name: group, exact: true }).getByText(value,
  { exact: true }).click());
const select = (page, label, value) => saved(page, () => page.getByLabel(label, { exact: true }).selectOption(value));

test("a whole fit, from walking in to the day of replacement", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await accessible(page);
  await signIn(page);
  await expect(page.getByRole("link", { name: "Jorun Stoker", exact: true })).toBeVisible();
  await expect(page.getByText("Pairs nearing their end")).toBeVisible();
  await accessible(page);

  await page.getByRole("link", { name: "New fit" }).click();
  await accessible(page);
  await page.getByLabel("Name", { exact: true }).fill("Sorrel Causeway");
  await page.getByLabel("Contact").fill("the toll hut");
  await page.getByText("men", { exact: true }).click();
  await page.getByRole("button", { name: "Begin the fit" }).click();

  // Hello.
  await expect(page.getByText("Ask these first")).toBeVisible();
  await saved(page, () => page.getByRole("group", { name: "Cautions" }).getByText("none", { exact: true }).click());
  await expect(page.getByText("Ask these first")).toBeHidden();
  await pick(page, "Any aches, now or in the last year?", "none");
  await pick(page, "Where most runs are", "road");
  await page.getByText("The week in detail").click();
  await select(page, "Kind of run, 1", "easy");
  await select(page, "Ground, 1", "road");
  await type(page, "A week, 1", "24");
  await select(page, "Kind of run, 2", "long");
  await select(page, "Ground, 2", "road");
  await type(page, "A week, 2", "14");
  await type(page, "Body mass", "74");
  await type(page, "Budget", "165");
  await pick(page, "Budget limit", "no more than");
  await expect(page.getByText("The week: 38 km")).toBeVisible();
  await accessible(page);

  await station(page, "Old pair").click();
  await pick(page, "Support level", "neutral");
  await pick(page, "Felt right for six months", "yes");
  await type(page, "Drop", "10");
  await expect(page.getByText("felt right for six months or more").first()).toBeVisible();
  await accessible(page);

  // Feet: two readings that disagree ask for a third, and the median counts.
  await station(page, "Feet").click();
  await type(page, "Foot length, left, 1", "262");
  await type(page, "Foot length, left, 2", "266");
  await expect(page.getByText("take a third, and the median counts")).toBeVisible();
  await type(page, "Foot length, left, 3", "262.5");
  await expect(page.getByText("take a third, and the median counts")).toBeHidden();
  await type(page, "Foot length, right, 1", "261");
  await type(page, "Foot length, right, 2", "261");
  for (const side of ["left", "right"]) {
    await type(page, `Ball width, ${side}, 1`, "100");
    await type(page, `Ball width, ${side}, 2`, "100");
  }
  const left = page.locator("#findings tbody tr").first();
  await expect(left).toContainText("262.5 mm");
  await expect(left.locator("td")).toHaveText(["262.5 mm", "9", "8", "42", "265", "D"]);
  await expect(page.locator("svg.feet .foot.left").first()).toBeVisible();
  await accessible(page);

  await station(page, "Print").click();
  for (const side of ["left", "right"]) {
    await pick(page, `Arch, ${side}`, "low");
    await pick(page, `How sure, ${side}`, "fairly");
  }
  await accessible(page);

  await station(page, "Gait").click();
  for (const side of ["left", "right"]) {
    await pick(page, `Pronation, ${side}`, "neutral");
    await pick(page, `How sure, ${side}`, "sure");
  }
  await pick(page, "Lands on", "heel");
  await accessible(page);

  await station(page, "Support").click();
  await expect(page.locator(".schoolcard")).toHaveCount(4);
  await expect(page.locator(".verdict .level")).toHaveText("Neutral");
  await expect(page.locator("#findings .conflict")).toContainText("A low arch, yet a neutral gait");
  await expect(page.locator(".pinned .slip")).toHaveCount(4);
  await page.locator(".slip summary").first().click();
  await expect(page.locator(".slip[open]")).toContainText("Matched to pronation");
  await accessible(page);

  await station(page, "Shoes").click();
  await expect(page.locator(".offer").first()).toContainText("toe room");
  await expect(page.locator(".offer").first().locator("svg.room .foot.left")).toBeVisible();
  await page.locator(".offer summary").first().click();
  await expect(page.locator(".offer").first().locator("tbody tr")).toHaveCount(13);
  await page.getByText(/^Ruled out:/).click();
  await expect(page.locator(".ruled li").first()).toBeVisible();
  await accessible(page);

  await station(page, "Try-on").click();
  const tries = await page.locator(".trypager a").count();
  expect(tries).toBeGreaterThanOrEqual(4);
  await pick(page, "Comfort", "8");
  await pick(page, "Heel lifts", "no");
  await saved(page, () => page.getByLabel("left big toe").check({ force: true }));
  await page.getByRole("link", { name: "next pair" }).click();
  await pick(page, "Comfort", "6");
  await accessible(page);
  await page.getByRole("button", { name: "left is better" }).click();
  await expect(page.locator(".chances li")).toHaveCount(tries);
  await page.getByRole("button", { name: "even" }).click();
  await page.getByText("2 comparisons").click();
  await accessible(page);

  await station(page, "Shoes").click();
  const name = (await page.locator(".offer h3 b").first().textContent()).trim();
  await page.getByRole("button", { name: /^Choose/ }).first().click();
  await expect(page.getByRole("heading", { name: "Rotation" })).toBeVisible();
  await expect(page.locator(".week .takes").first()).toBeVisible();
  await accessible(page);

  await station(page, "Distance").click();
  await page.getByLabel("Distance", { exact: true }).first().fill("12.5");
  await page.getByRole("button", { name: "Save run" }).click();
  await expect(page.locator("#saved")).toContainText("saved");
  await expect(page.locator(".pairwear")).toContainText("12.5 km");
  await expect(page.locator(".pairwear")).toContainText("Order by");
  await expect(page.locator("svg.fan")).toBeVisible();
  await accessible(page);

  await station(page, "Card").click();
  const card = page.locator(".card");
  for (const text of ["Sorrel Causeway", "262.5 mm", "Neutral", name, "Worn out around", "Order the next by",
    "Tried:"]) await expect(card).toContainText(text);
  await accessible(page);
  await page.emulateMedia({ media: "print" });
  await expect(page.locator(".rail")).toBeHidden();
  await expect(card).toBeVisible();
  expect((await page.pdf({ format: "A4", printBackground: true })).toString("latin1").match(/\/Type\s*\/Page[^s]/g)).toHaveLength(1);
  await page.emulateMedia({ media: "screen" });

  await page.getByRole("button", { name: "Close the fit" }).click();
  await expect(page.getByText("This fit was closed")).toBeVisible();
});

test("a caution sends the runner to a clinician first", async ({ page }) => {
  await signIn(page);
  await page.getByRole("link", { name: "Perrin Glazebrook", exact: true }).click();
  await station(page, "Hello").click();
  await expect(page.getByText("For a clinician first")).toBeVisible();
  await station(page, "Shoes").click();
  await expect(page.getByText("No shoes are offered yet")).toBeVisible();
  await station(page, "Card").click();
  await expect(page.locator(".card")).toContainText("For a clinician first");
  await station(page, "Support").click();
  await accessible(page);
  await page.getByLabel("Reason, kept with your name").fill("The clinician saw it on Monday and cleared it");
  await page.getByRole("button", { name: "Go on" }).click();
  await expect(page.getByText("went on in spite of a caution")).toBeVisible();
  await expect(page.locator(".schoolcard")).toHaveCount(4);
  await page.getByRole("button", { name: "undo" }).click();
  await expect(page.getByRole("heading", { name: "No level of support is given" })).toBeVisible();
});

test("every desk page, in both rooms and on smaller windows", async ({ page }) => {
  await signIn(page, "isolde");
  for (const size of [{ width: 1280, height: 800 }, { width: 1024, height: 768 }, { width: 390, height: 844 }]) {
    await page.setViewportSize(size);
    for (const path of ["/", "/runners", "/runners/1", "/new-fit", "/shoes", "/shop", "/fits/2/hello", "/fits/2/feet", "/fits/2/support",
      "/fits/2/shoes", "/fits/2/rotation", "/fits/2/distance", "/fits/2/card"]) {
      await page.goto(path);
      await fits(page);
    }
  }
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.getByRole("button", { name: "dim room" }).click();
  for (const path of ["/", "/runners", "/runners/1", "/shoes", "/shop", "/fits/2/feet", "/fits/2/support", "/fits/2/shoes",
    "/fits/2/distance", "/fits/6/support"]) {
    await page.goto(path);
    await expect(page.locator("html")).toHaveAttribute("data-theme", "dim");
    await accessible(page);
  }
  await page.goto("/");
  await page.getByRole("button", { name: "light room" }).click();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "light");
});

test("the owner chooses which school leads", async ({ page }) => {
  await signIn(page, "isolde");
  await page.goto("/shop");
  await accessible(page);
  await page.getByLabel("School of support that leads").selectOption("pronation_matched");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Chosen by Isolde Quay")).toBeVisible();
  await page.goto("/fits/4/support");
  await expect(page.locator(".schoolcard.lead h3")).toContainText("Matched to pronation");
  await page.goto("/shop");
  await page.getByLabel("School of support that leads").selectOption("comfort_first");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Chosen by Isolde Quay")).toBeVisible();
  await page.goto("/fits/4/support");
  await expect(page.locator(".schoolcard.lead h3")).toContainText("Comfort first");
});

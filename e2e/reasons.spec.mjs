// Hello, old pair and support: the conversation, who comes again, and what a slip moved.
import { accessible, expect, saved, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

// Fits of the demo.
const fits = { again: 10, underWay: 4, closed: 1 };

const group = (page, name) => page.getByRole("radiogroup", { name, exact: true });

test("who comes again: still so, what hurts, what may be kept, and the pair they came in", async ({ page }) => {
  await signIn(page);
  await page.goto(`/fits/${fits.again}/hello`);
  await expect(page.getByText("still so?")).toBeVisible();
  await accessible(page);
  // One answer is not so any more; the others are taken over in one tap, by keyboard.
  await saved(page, async () => {
    await page.getByLabel("Body mass", { exact: true }).fill("81");
    await page.keyboard.press("Tab");
  });
  await page.getByRole("button", { name: "All still so" }).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByText("The week: 32 km")).toBeVisible();
  await expect(page.getByLabel("Body mass", { exact: true })).toHaveValue("81");
  await expect(page.getByText("still so?")).toBeHidden();

  // The rows of a complaint come when something hurts.
  await expect(page.getByLabel("Place, 1")).toBeHidden();
  await saved(page, () => group(page, "Any aches, now or in the last year?").getByText("some", { exact: true }).click());
  await saved(page, () => page.getByLabel("Place, 1").selectOption("calf"));
  await expect(page.getByText("lacks its place or how long ago")).toBeVisible();
  await saved(page, async () => {
    await page.getByLabel("Months ago, 1").fill("2");
    await page.keyboard.press("Tab");
  });
  await expect(page.locator(".slip", { hasText: "calf, 2 months ago" })).toBeVisible();

  // Consent is kept as it is answered, with its day and hand.
  await saved(page, () => group(page, "May we keep the health answers?").getByText("one year").click());
  await expect(page.locator("#consent")).toContainText("one year, to Teal Marsh, until");
  await accessible(page);

  await page.goto(`/fits/${fits.again}/old-pair`);
  await page.getByRole("button", { name: /Norrbeck Skua 4/ }).click();
  await expect(page.getByText("They came in Norrbeck Skua 4")).toBeVisible();
  await expect(page.getByLabel("Drop")).toHaveValue("10");
  await saved(page, () => page.locator("#z-left-heel_outer").click());
  await expect(page.getByText("Handed to the wear of Norrbeck Skua 4")).toBeVisible();
  await page.setInputFiles("#photo-left", { name: "sole.png", mimeType: "image/png", buffer: await page.screenshot() });
  await page.getByRole("button", { name: "Keep it" }).first().click();
  await expect(page.getByAltText("The left old sole, photographed")).toBeVisible();
  await accessible(page);
  await page.goto(`/fits/${fits.again}/distance`);
  await page.getByText("The three schools").first().click();
  await expect(page.getByText(/Checked on .* used/).first()).toBeVisible();
});

test("a reason and a slip under the finger show what they moved; one lifted out is not saved", async ({ page }) => {
  await signIn(page);
  await page.goto(`/fits/${fits.underWay}/support`);
  await expect(page.locator("#ladder .movedto")).toHaveCount(0);
  await page.locator("a.reason").first().hover();
  await expect(page.locator("#ladder")).toContainText("The left gait moved matched to pronation from guidance to stability");
  await expect(page.locator("#ladder .movedto").first()).toBeVisible();
  await accessible(page);
  // By keyboard: a slip that is reached shows what it moved.
  await page.locator(".slip", { hasText: "Felt right" }).locator("summary").focus();
  await expect(page.locator("#ladder")).toContainText("The comfortable level moved");
  await page.keyboard.press("Enter");
  await page.getByRole("link", { name: "the answer without it" }).filter({ visible: true }).click();
  await expect(page.locator(".whatif")).toContainText("without comfortable level");
  await page.getByRole("link", { name: "put it back" }).click();
  await expect(page.locator(".whatif")).toHaveCount(0);
});

test.describe("house values", () => {
test.use({ expected: ["422"] });
test("a fault at its field, nothing lost, and a closed fit that keeps its own", async ({ page }) => {
  await signIn(page, "isolde");
  await page.goto("/shop");
  await accessible(page);
  await page.getByText(/^Gait /).click();
  await page.getByLabel("Pronation is mild from").fill("2");
  await page.getByLabel("Pronation is marked from").fill("13");
  await page.locator(".housegroup[open]").getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Enter more than 3")).toBeVisible();
  await expect(page.getByLabel("Pronation is marked from")).toHaveValue("13");
  await page.getByLabel("Pronation is mild from").fill("8.5");
  await page.locator(".housegroup[open]").getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("2 not as shipped")).toBeVisible();
  await page.goto(`/fits/${fits.closed}/card`);
  await expect(page.locator(".since")).toContainText("Pronation is mild from: 9 ° then, 8.5 now");
});
});

import { expect, test } from "./fixtures.mjs";
import { browser, signIn } from "./trevik.mjs";

// The browser's own test pattern stands in for the device's camera.
test.use({ launchOptions: { ...browser, args: [...browser.args, "--use-fake-device-for-media-stream=fps=30",
  "--use-fake-ui-for-media-stream"] } });

test("the device's camera films, and a film without dots says so and is marked by hand", async ({ page }) => {
  test.setTimeout(300_000); // a slow machine steps through a film slowly
  await signIn(page);
  // The demo's own films are read first, so that the camera has the machine to itself.
  for (let busy = true; busy; ) {
    await page.goto("/fits/24/gait");
    busy = (await page.locator("svg.film .dot").count()) === 0;
    if (busy) await page.waitForTimeout(1000);
  }
  await page.goto("/fits/5/gait");
  await page.getByRole("radiogroup", { name: "May we keep the film?", exact: true }).getByText("no").click();
  await page.getByLabel("for", { exact: true }).selectOption("5");
  await page.getByRole("button", { name: "Film with this device" }).click();
  await expect(page.getByRole("status").filter({ hasText: "filming" })).toBeVisible();
  const unread = page.getByText("This film was not read.");
  await expect(unread.or(page.locator("svg.curves")).first()).toBeVisible({ timeout: 240_000 });
  await expect(unread).toBeVisible({ timeout: 3_000 });
  // What is pressed before the film is there is done once it is.
  await page.route("**/data", async (route) => {
    await new Promise((done) => setTimeout(done, 3000));
    await route.continue();
  });
  await page.reload();
  await page.getByRole("button", { name: "mark by hand" }).click();
  const film = page.locator("svg.film");
  await film.click({ position: { x: 200, y: 120 } });
  await film.click({ position: { x: 200, y: 160 } });
  await expect(page.getByText("2 marked")).toBeVisible();
  // By keyboard: a cross is moved to the place.
  await film.focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Enter");
  await expect(page.getByText("3 marked")).toBeVisible();
  await page.keyboard.press("ArrowRight");
  await expect(page.locator('[data-do="at"]')).toContainText("frame 1");
});

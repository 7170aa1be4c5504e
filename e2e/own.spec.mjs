// The runner's own page on a phone: installed, and without a connection.
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { signIn, start } from "./trevik.mjs";

test.describe("without a connection", () => {
  test.use({ expected: ["ERR_CONNECTION_REFUSED", "Failed to fetch", "net::ERR"] });
  test("a run is kept on the phone and sent once when the connection is back", async ({ browser }) => {
    test.setTimeout(240_000);
    let own = await start("e2e-own");
    const context = await browser.newContext({ baseURL: own.url, viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
    try {
      const desk = await browser.newPage({ baseURL: own.url });
      await signIn(desk);
      await desk.goto("/runners/1");
      await desk.getByRole("button", { name: "Make an address" }).click();
      await expect(desk.locator("svg.qr")).toBeVisible();
      const address = new URL(await desk.locator("code.address").textContent()).pathname;
      await desk.close();

      const phone = await context.newPage();
      await phone.goto(address);
      const manifest = await phone.evaluate(async () => (await fetch(document.querySelector("link[rel=manifest]").href)).json());
      expect(manifest.share_target.action).toBe(`${address}/share`);
      for (const icon of manifest.icons) expect((await phone.request.get(icon.src)).ok(), icon.src).toBe(true);
      await expect.poll(() => phone.evaluate(async () => (await caches.keys()).length), { timeout: 30_000 }).toBe(1);
      const before = await phone.locator(".runlist li").first().textContent();

      await own.stop();
      await phone.goto(address);
      await expect(phone.getByRole("heading", { name: "No connection" })).toBeVisible();
      await accessible(phone);
      await fits(phone);
      await phone.getByLabel("Distance", { exact: true }).fill("31.3");
      await phone.getByRole("button", { name: "Save run" }).tap();
      await expect(phone.getByText("1 run is saved on this phone")).toBeVisible();
      await phone.getByLabel("Distance", { exact: true }).fill("28.9");
      await phone.getByRole("button", { name: "Save run" }).tap();
      await expect(phone.getByText("2 runs are saved on this phone")).toBeVisible();

      own = await start("e2e-own", { fresh: false, addr: new URL(own.url).host });
      await phone.goto(address);
      await expect(phone.getByText("The runs that were saved on this phone are sent.")).toBeVisible({ timeout: 30_000 });
      const runs = await phone.locator(".runlist li b").allTextContents();
      expect(runs.filter((km) => km === "31.3 km")).toHaveLength(1);
      expect(runs.filter((km) => km === "28.9 km")).toHaveLength(1);
      expect(before).not.toContain("31.3 km");
      await phone.reload();
      await expect(phone.getByText("saved on this phone and will be sent")).toBeHidden();
    } finally {
      await context.close();
      await own.stop();
    }
  });
});

test("search finds runners and shoes from anywhere", async ({ page }) => {
  await signIn(page);
  await page.goto("/fits/5/feet");
  await page.keyboard.press("/");
  await expect(page.getByRole("heading", { name: "Search" })).toBeVisible();
  await page.keyboard.type("bris");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("link", { name: /Brisa Holloway-Kern/ })).toBeVisible();
  await accessible(page);
  await page.getByLabel("Name or barcode").fill("skua 4");
  await page.getByRole("button", { name: "Search", exact: true }).click();
  await expect(page.getByRole("link", { name: /Norrbeck Skua 4/ })).toHaveCount(2);
  await page.getByLabel("Name or barcode").fill("nobody of that name");
  await page.getByRole("button", { name: "Search", exact: true }).click();
  await expect(page.getByText("Nothing is called")).toBeVisible();
  await page.goto("/");
  await page.keyboard.press("n");
  await expect(page.getByRole("heading", { name: "New fit" })).toBeVisible();
});

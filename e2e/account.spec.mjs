// Accounts in the browser: a second factor set up and asked for, people added and barred, who did what.
import { createHmac } from "node:crypto";
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { password, signIn } from "./trevik.mjs";

/** The six digits of a secret in the step that begins so many steps from now (RFC 6238). */
function code(secret, ahead = 0) {
  const bits = [...secret].map((c) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".indexOf(c).toString(2).padStart(5, "0")).join("");
  const key = Buffer.from(bits.match(/.{8}/g).map((b) => parseInt(b, 2)));
  const step = Buffer.alloc(8);
  step.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30000) + ahead));
  const mac = createHmac("sha1", key).update(step).digest();
  const at = mac[19] & 15;
  return String((mac.readUInt32BE(at) & 0x7fffffff) % 1_000_000).padStart(6, "0");
}

test.use({ expected: ["401", "422"] });

test("somebody new sets up a second factor, is asked for it, and is barred", async ({ page, browser, trevik }) => {
  await signIn(page, "isolde");
  await page.getByRole("link", { name: "People" }).click();
  await page.getByLabel("Name", { exact: true }).fill("New Hand");
  await page.getByRole("textbox", { name: "Signs in as" }).fill("newhand");
  await page.getByLabel("First password").fill("password123");
  await page.getByRole("button", { name: "Add them" }).click();
  await expect(page.getByText(/guessed first/)).toBeVisible();
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("New Hand");
  await page.getByLabel("First password").fill("six old rowing boats");
  await page.getByRole("button", { name: "Add them" }).click();
  await expect(page.getByRole("heading", { name: /New Hand/ })).toBeVisible();
  await accessible(page);

  const theirs = await browser.newContext({ baseURL: trevik.url, viewport: { width: 1280, height: 800 } });
  const hand = await theirs.newPage();
  const enter = async () => {
    await hand.goto("/sign-in");
    await hand.getByLabel("Name").fill("newhand");
    await hand.getByLabel("Password").fill("six old rowing boats");
    await hand.getByRole("button", { name: "Sign in" }).click();
  };
  await enter();
  await hand.getByRole("link", { name: "New Hand" }).click();
  await expect(hand.getByRole("heading", { name: "Second factor" })).toBeVisible();
  await accessible(hand);
  const secret = await hand.locator("code.address").textContent();
  await hand.getByLabel(/six digits/).fill("000000");
  await hand.getByRole("button", { name: "Turn it on" }).click();
  await expect(hand.getByText(/not the one of this moment/)).toBeVisible();
  await hand.getByLabel(/six digits/).fill(code(secret));
  await hand.getByRole("button", { name: "Turn it on" }).click();
  const paper = await hand.locator("ul.codes code").first().textContent();
  await accessible(hand);
  await hand.getByRole("button", { name: "sign out" }).click();
  await enter();
  await expect(hand.getByRole("heading", { name: "One more thing" })).toBeVisible();
  await accessible(hand);
  await hand.goto("/runners/2"); // nothing is to be seen before it
  await expect(hand.getByRole("heading", { name: "One more thing" })).toBeVisible();
  await hand.getByLabel(/six digits/).fill(code(secret, 1));
  await hand.getByRole("button", { name: "Go on" }).click();
  await expect(hand.getByRole("heading", { name: "Today" })).toBeVisible();
  await hand.getByRole("button", { name: "sign out" }).click();
  await enter();
  await hand.getByLabel(/six digits/).fill(paper);
  await hand.getByRole("button", { name: "Go on" }).click();
  await expect(hand.getByRole("heading", { name: "Today" })).toBeVisible();

  const person = page.locator("section.person", { has: page.getByRole("heading", { name: /New Hand/ }) });
  await page.goto("/people");
  await person.getByText("Change").click();
  await person.getByRole("button", { name: "Bar from signing in" }).click();
  await expect(person.getByText(/barred since/)).toBeVisible();
  await hand.goto("/runners");
  await expect(hand.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await theirs.close();

  await page.goto("/runners/2");
  await page.getByRole("link", { name: "People" }).click();
  await page.getByRole("link", { name: "Who did what" }).click();
  await expect(page.getByRole("row", { name: /Isolde Quay.*saw.*runner 2/i }).first()).toBeVisible();
  await accessible(page);
  for (const width of [390, 768, 1280]) {
    await page.setViewportSize({ width, height: 800 });
    for (const path of ["/account", "/people", "/audit"]) {
      await page.goto(path);
      await fits(page);
    }
  }
  await page.goto("/account");
  await page.getByLabel("The one you have").fill(password);
  await page.getByLabel(/A new one/).fill("short");
  await page.getByRole("button", { name: "Change it" }).click();
  await expect(page.getByText(/Write 10 to 200 letters/)).toBeVisible();
});

// The season in the browser: a week is pulled by mouse and by keys and opened on the board, the runner's own plan takes its place,
// a what-if is kept, and an order goes to Due and to the phone and is sold when it is there.
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

// monday is so many weeks after this week's, as 2006-01-02.
function monday(weeks) {
  const now = new Date();
  const day = (now.getDay() + 6) % 7;
  const at = new Date(now.getFullYear(), now.getMonth(), now.getDate() - day + 7 * weeks, 12);
  return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, "0")}-${String(at.getDate()).padStart(2, "0")}`;
}

test.use({ expected: ["status of 422"] });

const kmOf = async (week) => Number(await week.getAttribute("data-km"));

test("a season is moved, opened, told by their own plan, kept, and what it asks for is sold", async ({ page, browser }) => {
  await signIn(page);
  await page.goto("/runners/14/season");
  await accessible(page);
  await fits(page);
  const week = (n) => page.locator(`.weekstair[data-week="${monday(n)}"]`);

  // By mouse, then by keys.
  const was = await kmOf(week(2));
  const box = await week(2).boundingBox();
  const x = box.x + box.width / 2;
  const y = box.y + box.height - 10;
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x, y + 12, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByText("moved", { exact: true })).toBeVisible();
  expect(await kmOf(week(2))).toBeLessThan(was - 5);
  expect(page.url()).toContain("/runners/14/season");
  const other = await kmOf(week(3));
  await week(3).focus();
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("PageUp");
  await expect(page.locator("#weeks .task")).toHaveCount(2);
  expect(await kmOf(week(3))).toBeCloseTo(Math.round(other) + 6, -1);

  // A tap opens the week; a run that is made longer there is longer here.
  await week(3).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: /Week of/ })).toBeVisible();
  await accessible(page);
  await fits(page);
  const before = Math.round(Number(await page.locator("#f-plan_km-1").inputValue()));
  await page.locator("#f-plan_km-1").fill(String(before + 4));
  const kept = page.waitForResponse((r) => r.request().method() === "POST" && r.url().includes("/season/weeks/"));
  const again = page.waitForEvent("load");
  await page.locator("#f-plan_km-1").press("Tab");
  expect((await kept).status()).toBe(303);
  await again;
  await expect(page.locator("#f-plan_km-1")).toHaveValue(String(before + 4));
  await expect(page.locator(".runbar").first()).toBeVisible();
  // What cannot be is said at its field, and nothing is lost.
  await page.locator("#f-plan_km-1").fill("999");
  await page.getByRole("button", { name: "Save the week" }).click();
  await expect(page.locator("#err-f-plan_km-1")).toBeVisible();
  await expect(page.locator("#f-plan_km-1")).toHaveValue("999");

  // Their own plan.
  await page.goto("/runners/14/season");
  const rows = ["Date,Minutes,Kind,Ground", `${monday(1)},60,easy,road`, `${monday(2)},120,juggling,road`];
  const file = () => ({ name: "own.csv", mimeType: "text/csv", buffer: Buffer.from(rows.join("\n")) });
  await page.setInputFiles("#season_file", file());
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByText(/has the kind "juggling"/)).toBeVisible();
  await accessible(page);
  await page.getByRole("button", { name: "Discard file" }).click();
  rows[2] = rows[2].replace("juggling", "long");
  await page.setInputFiles("#season_file", file());
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await page.getByRole("button", { name: "Put it in the place of these weeks" }).click();
  await expect(page.getByText("their own plan", { exact: true }).first()).toBeVisible();
  expect(await kmOf(week(1))).toBe(10);
  expect(await kmOf(week(2))).toBe(20);

  // A what-if is looked at, kept, and dropped.
  await page.getByRole("link", { name: "Order earlier" }).click();
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await page.getByRole("button", { name: "Order earlier, kept: drop it" }).click();
  await expect(page.getByRole("link", { name: "Order earlier" })).toBeVisible();

  // An order goes to Due and to their phone, and is sold when it is there.
  await page.getByRole("button", { name: "All that are likely on the list" }).click();
  const order = page.locator("#decided .task").first();
  const name = await order.locator("b").textContent();
  await page.goto("/due");
  await expect(page.getByRole("row", { name: new RegExp(`Greta.*${name}.*for the season`) }).first()).toBeVisible();
  await page.goto("/runners/14");
  await page.getByRole("button", { name: "Make an address" }).click();
  const phone = await browser.newContext({ viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true });
  const own = await phone.newPage();
  await own.goto(await page.locator("code.address").textContent());
  await expect(own.locator("section:has(#h-orders)")).toContainText(name);
  await accessible(own);
  await page.goto("/runners/14/season");
  await page.getByRole("button", { name: new RegExp(`sell it.*${name}`) }).first().click();
  await expect(page.getByRole("status").filter({ hasText: name })).toContainText("is theirs now");
  await phone.close();
});

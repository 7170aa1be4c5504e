// Catalogue, matching and try-on in the browser: files, sliders, a choice in another
// size, one on each foot, by keyboard and by touch.
import { accessible, expect, fits, saved, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

const fit = 5;

test.describe("a file of models", () => {
  test.use({ expected: ["422"] });
  test("is looked at row by row, refused whole, and put in whole", async ({ page }) => {
    await signIn(page);
    await page.goto("/shoes");
    const csv = await (await page.request.get("/shoes/export?format=csv")).text();
    await page.getByRole("link", { name: "Import" }).click();
    const send = async (text) => {
      await page.setInputFiles("#f-file", { name: "models.csv", mimeType: "text/csv", buffer: Buffer.from(text) });
      await page.getByRole("button", { name: "Look at it" }).click();
    };
    await send(csv.replace(",neutral,", ",wobbly,"));
    await expect(page.getByRole("alert")).toContainText("Nothing was changed. 1 thing is wrong");
    await expect(page.getByRole("alert")).toContainText(/row \d+, level/);
    await accessible(page);
    await send(csv.replaceAll("Daily miles without fuss", "Daily miles in quiet"));
    await expect(page.getByText("What it would change")).toBeVisible();
    await accessible(page);
    await page.getByRole("button", { name: "Put all of it in" }).click();
    await expect(page.getByRole("heading", { name: "Put in", exact: true })).toBeVisible();
    await page.getByRole("button", { name: "Done" }).click();
    await page.goto("/shoes?q=quiet");
    await expect(page.getByText("Daily miles in quiet").first()).toBeVisible();

    // A model on its page: a fault at its column, nothing lost.
    await page.locator(".modelcard a").first().click();
    await accessible(page);
    await page.getByLabel("Weight g").fill("9");
    await page.getByLabel("Notes").fill("laces bite at first");
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByText("Enter a weight from 50 to 700 g, not 9 g")).toBeVisible();
    await expect(page.getByLabel("Notes")).toHaveValue("laces bite at first");
    await page.getByLabel("Weight g").fill("231");
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByLabel("Weight g")).toHaveValue("231");
    for (const width of [1280, 1024, 390]) {
      await page.setViewportSize({ width, height: 800 });
      for (const path of ["/shoes", "/shoes/import", "/shoes/models/1"]) {
        await page.goto(path);
        await fits(page);
      }
    }
  });
});

test("weights are moved and rank anew, two are compared, one is chosen in another size", async ({ page }) => {
  await signIn(page);
  await page.goto(`/fits/${fit}/shoes`);
  await page.getByText("Priorities and toe room").click();
  await accessible(page);
  const scores = () => page.locator(".score").allTextContents();
  const before = await scores();
  await saved(page, async () => {
    await page.getByLabel("money", { exact: true }).focus();
    await page.keyboard.press("End");
  });
  expect(await scores()).not.toEqual(before);
  await page.goto(`/fits/${fit}/shoes?x=drop&y=weight#picture`);
  await expect(page.locator("svg.spread .totry").first()).toBeVisible();
  await accessible(page);
  await page.getByRole("link", { name: /^compare/ }).nth(0).click();
  await page.getByRole("link", { name: /^compare/ }).nth(1).click();
  await expect(page.locator("table.two tbody tr")).toHaveCount(17);
  await accessible(page);
  await page.getByText("Ruled out:").click();
  await page.locator(".ruled").getByRole("link", { name: /^level/ }).click();
  await expect(page.locator(".ruled li .tag").first()).toHaveText("level");

  await page.getByText("Another size, or another price").first().click();
  const form = page.locator(".offer").first().locator("form", { has: page.getByLabel("Price paid") });
  await form.getByLabel("Size").selectOption({ index: 2 });
  await form.getByLabel("Price paid").fill("101,50");
  await form.getByLabel("Comment").fill("a little more room");
  await form.getByRole("button").click();
  await expect(page.getByRole("heading", { name: "Rotation" })).toBeVisible();
  await page.goto(`/fits/${fit}/card`);
  await expect(page.locator(".card")).toContainText("101.50 EUR");
  await expect(page.locator(".card")).toContainText("a little more room");
});

test("one thumb runs the try-on, and comparisons say who leads", async ({ browser, baseURL }) => {
  const context = await browser.newContext({ baseURL, viewport: { width: 1024, height: 768 }, hasTouch: true });
  const page = await context.newPage();
  await signIn(page);
  await page.goto(`/fits/${fit}/try-on`);
  await accessible(page);
  await saved(page, () => page.getByRole("radiogroup", { name: "Comfort", exact: true }).getByText("7", { exact: true }).tap());
  await saved(page, () => page.locator(".press.p-right_heel").tap());
  await expect(page.getByLabel("right heel")).toBeChecked();
  const [left, right] = [page.locator("#f-on_left"), page.locator("#f-on_right")];
  const favourite = await left.locator("option").first().getAttribute("value");
  let made = 0;
  for (const other of await left.locator("option").evaluateAll((list) => list.slice(1).map((o) => o.value))) {
    for (let n = 0; n < 3; n++) {
      await left.selectOption(favourite);
      await right.selectOption(other);
      await page.getByRole("button", { name: "left is better" }).tap();
      await expect(page.locator("#versus")).toContainText(`${++made} comparisons`);
    }
  }
  await expect(page.locator("#versus")).toContainText("enough to stop");
  await expect(page.locator(".chances li").first()).toContainText(/ in (10|100)|almost certain|hardly/);
  await page.getByText("Lacing, before").tap();
  await expect(page.locator("svg.lacing")).toHaveCount(6);
  await accessible(page);
  await context.close();
});

test("the week is laid out on the board by keyboard, and the best pairs follow", async ({ page }) => {
  await signIn(page);
  await page.goto(`/fits/${fit}/rotation`);
  await page.locator("#board > summary").focus();
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: "Lay out the week from Hello" }).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Recommended rotation" })).toBeVisible();
  await expect(page.locator("svg.weekboard .runbar").first()).toBeVisible();
  await accessible(page);
  await saved(page, () => page.getByLabel("Day, 5").selectOption("tue"));
  await expect(page.getByText("it does not count yet")).toBeVisible();
  await saved(page, () => page.getByLabel("Kind, 5").selectOption("tempo"));
  await saved(page, async () => {
    await page.getByLabel("Distance, 5").fill("7");
    await page.keyboard.press("Tab");
  });
  await expect(page.locator("svg.weekboard")).toContainText("tempo 7 km");
  await page.getByRole("link", { name: "Remove" }).first().click();
  await expect(page.getByText("To look only, not saved.")).toBeVisible();
  await expect(page.getByRole("columnheader", { name: "What if" })).toBeVisible();
  await accessible(page);
  for (const width of [1280, 1024, 390]) {
    await page.setViewportSize({ width, height: 800 });
    await page.goto(`/fits/${fit}/rotation`);
    await fits(page);
  }
});

test("a run is dragged to another day, and the parts of its run go with it", async ({ page }) => {
  await signIn(page);
  await page.goto(`/fits/${fit}/rotation`);
  const board = page.locator("#board > summary");
  const lay = page.getByRole("button", { name: /^Lay (out|the week out)/ });
  if (!(await lay.isVisible())) await board.click();
  await lay.click();
  await expect(page.locator('.runbar[data-row="1"]')).toBeVisible();
  const put = async (label, value) => {
    const field = page.getByLabel(label, { exact: true });
    await saved(page, async () => {
      if (await field.evaluate((f) => f.tagName === "SELECT")) await field.selectOption(value);
      else {
        await field.fill(value);
        await page.keyboard.press("Tab");
      }
    });
  };
  for (const [row, start] of [[1, "18:00"], [2, "18:30"]]) {
    await put(`Day, ${row}`, "tue");
    await put(`At, ${row}`, start);
    await put(`Distance, ${row}`, "3");
    await put(`Part of run, ${row}`, "g");
  }
  const bar = page.locator('.runbar[data-row="1"]');
  await expect(bar).toHaveAttribute("data-run", "run g");
  await bar.scrollIntoViewIfNeeded();
  const box = await bar.boundingBox();
  const day = await page.locator("svg.weekboard").evaluate((svg) => (Number(svg.dataset.width) * svg.getScreenCTM().a) / 7);
  await page.mouse.move(box.x + 3, box.y + 5);
  await page.mouse.down();
  await page.mouse.move(box.x + 3 + day, box.y + 5, { steps: 8 });
  await page.mouse.up();
  await expect(page.getByLabel("Day, 1", { exact: true })).toHaveValue("wed");
  await expect(page.getByLabel("Day, 2", { exact: true })).toHaveValue("wed");
  await expect(page.getByLabel("At, 1", { exact: true })).toHaveValue("18:00");
  await expect(page.locator('.runbar[data-row="2"]')).toHaveAttribute("data-begin", String(2 * 1440 + 18 * 60 + 30));
  await page.reload();
  await expect(page.getByLabel("Day, 1", { exact: true })).toHaveValue("wed");
});

test("a run is made longer and split on the picture, one is added, and weeks differ", async ({ page }) => {
  await signIn(page);
  await page.goto(`/fits/${fit}/rotation`);
  const board = page.locator("#board");
  if (!(await board.evaluate((d) => d.open))) await board.locator("summary").first().click();
  await page.getByText("Or a plain week from a template").click();
  await page.getByLabel("Goal", { exact: true }).selectOption("farther");
  await page.locator("[name=template_km]").fill("30");
  await page.keyboard.press("Enter");
  const row = await page.locator(".runbar", { hasText: "long 11.4 km" }).getAttribute("data-row");
  const km = page.getByLabel(`Distance, ${row}`, { exact: true });
  await expect(km).toHaveValue("11.4");

  // A minute a pixel: sixty to the right make it 129 minutes at its pace; Escape lets it be.
  const end = page.locator(`.runend[data-row="${row}"]`);
  await end.scrollIntoViewIfNeeded();
  const box = await end.boundingBox();
  const pull = async (by) => {
    await page.mouse.move(box.x + 6, box.y + 10);
    await page.mouse.down();
    await page.mouse.move(box.x + 6 + by, box.y + 10, { steps: 6 });
  };
  await pull(40);
  await page.keyboard.press("Escape");
  await page.mouse.up();
  await expect(km).toHaveValue("11.4");
  await pull(60);
  await page.mouse.up();
  await expect(km).toHaveValue("21.7");

  await page.getByRole("button", { name: `split run ${row} into` }).click();
  await expect(km).toHaveValue("2.5");
  await expect(page.locator('.runbar[data-run="run a"]')).toHaveCount(3);
  await page.getByRole("button", { name: "undo" }).click();
  await expect(km).toHaveValue("21.7");
  await page.waitForLoadState(); // the scripts of the new page are there, too

  const free = await page.evaluate(() => {
    const svg = document.querySelector("svg.weekboard");
    svg.scrollIntoView({ block: "center" });
    const at = new DOMPoint(Number(svg.dataset.left) + (Number(svg.dataset.width) * (4 * 24 + 6)) / (7 * 24),
      12).matrixTransform(svg.getScreenCTM());
    return [at.x, at.y];
  });
  await saved(page, () => page.mouse.dblclick(free[0], free[1]));
  const onFriday = page.locator("select[name^='plan_day.']").filter({ has: page.locator("option[value=fri]:checked") });
  await expect(onFriday.last()).toHaveValue("fri");
  await page.keyboard.type("5");
  await saved(page, () => page.keyboard.press("Tab"));
  await expect(page.getByText("it does not count yet")).toBeVisible();

  await page.getByText("A and B in turn").click();
  await expect(page.getByRole("heading", { name: "Week A, this week" })).toBeVisible();
  await expect(page.getByLabel("Day, 15", { exact: true })).toBeVisible();
  await accessible(page);
  await page.getByText("all alike").click();
  await expect(page.getByLabel("Day, 15", { exact: true })).toHaveCount(0);
});

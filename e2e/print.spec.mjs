import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import path from "node:path";
import { accessible, expect, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

const root = path.resolve(import.meta.dirname, "..");

test("a wet print, from the photo to the level of support", async ({ page }) => {
  const dir = mkdtempSync(path.join(root, ".trevik", "scan-"));
  try {
    execFileSync(path.join(root, "bin", "trevik"), ["simulate", "scanner", "--out", dir, "--seed", "3"]);
    await signIn(page);
    await page.goto("/fits/5/print");
    await accessible(page);
    for (const side of ["left", "right"]) {
      const panel = page.getByRole("region", { name: `${side} foot` });
      await panel.locator('input[type="file"]').setInputFiles(path.join(dir, `${side}.png`));
      await panel.getByText("yes, with the fit").click();
      await panel.getByRole("button", { name: "Read it" }).click();
      await expect(page.getByRole("group", { name: `The ${side} print with its outline` })).toBeVisible();
    }
    const left = page.locator(".printside").first();
    const truth = JSON.parse(readFileSync(path.join(dir, "truth.json"), "utf8")).prints.left.arch_index;
    const arch = truth <= 0.21 ? "high arch" : truth < 0.26 ? "medium arch" : "low arch";
    await expect(left).toContainText(arch);
    const index = left.getByRole("row", { name: /Arch index/ }).locator("td").first();
    const before = await index.textContent();
    expect(Math.abs(Number(before) - truth)).toBeLessThan(0.01);
    await accessible(page);

    // Drag the axis' end: the numbers follow.
    const handle = await left.locator('[data-handle="axis"][data-end="2"]').boundingBox();
    await page.mouse.move(handle.x + handle.width / 2, handle.y + handle.height / 2);
    await page.mouse.down();
    await page.mouse.move(handle.x + 40, handle.y + 6, { steps: 4 });
    await page.mouse.up();
    await expect(index).not.toHaveText(before);

    // And by keyboard, as it was read and then moved again.
    await left.getByRole("button", { name: "reset" }).click();
    await expect(index).toHaveText(before);
    const toe = left.getByRole("button", { name: /Tip of the second toe/ });
    await toe.focus();
    const moved = page.waitForResponse((r) => r.url().endsWith("/adjust"));
    for (let i = 0; i < 4; i++) await page.keyboard.press("Shift+ArrowRight");
    expect((await moved).status()).toBe(200);
    await expect(index).not.toHaveText(before);
    await expect(toe).toBeFocused();
    await left.getByRole("button", { name: "reset" }).click();
    await expect(index).toHaveText(before);

    // Erase across the arch: heel and ball lie apart, and back again.
    await left.getByRole("button", { name: "erase" }).click();
    const photo = await left.locator("svg.printphoto").boundingBox();
    const y = photo.y + photo.height * 0.6;
    await page.mouse.move(photo.x + photo.width * 0.15, y);
    await page.mouse.down();
    await page.mouse.move(photo.x + photo.width * 0.75, y, { steps: 16 });
    await page.mouse.up();
    await expect(left).toContainText("broken arch");
    await left.getByRole("button", { name: "reset" }).click();
    await expect(index).toHaveText(before);

    // Corners by hand: the picture is all of the sheet, so its own corners give the scale.
    await left.getByRole("button", { name: "corners", exact: true }).click();
    const size = await left.locator("svg.printphoto").evaluate((s) => [s.viewBox.baseVal.width, s.viewBox.baseVal.height]);
    for (const [i, [x, y]] of [[0, 0], [1, 0], [1, 1], [0, 1]].entries()) {
      const at = await left.locator(`[data-corner="${i}"]`).boundingBox();
      const to = await left.locator("svg.printphoto").evaluate((s, [px, py]) => {
        const p = new DOMPoint(px, py).matrixTransform(s.getScreenCTM());
        return { x: p.x, y: p.y };
      }, [x * size[0], y * size[1]]);
      await page.mouse.move(at.x + at.width / 2, at.y + at.height / 2);
      await page.mouse.down();
      await page.mouse.move(to.x, to.y, { steps: 3 });
      await page.mouse.up();
    }
    await left.getByRole("button", { name: "Use these corners" }).click();
    await expect(left.getByRole("row", { name: /Quality/ })).toContainText("corners");
    await left.getByRole("button", { name: "reset" }).click();
    await expect(index).toHaveText(before);

    await page.goto("/fits/5/support");
    await expect(page.locator("#slips")).toContainText(`${arch}, index`);
    await page.goto("/fits/5/print");
    await page.getByRole("button", { name: "delete the picture" }).first().click();
    await expect(page.getByRole("region", { name: "left foot" }).locator('input[type="file"]')).toBeVisible();
    await expect(index).toHaveText(before);
  } finally {
    rmSync(dir, { recursive: true });
  }
});

test("a traced foot, its line led by hand", async ({ page }) => {
  const dir = mkdtempSync(path.join(root, ".trevik", "traced-"));
  try {
    execFileSync(path.join(root, "bin", "trevik"), ["simulate", "outline", "--out", dir, "--seed", "3", "--feet", "1"]);
    await signIn(page);
    await page.goto("/fits/5/feet");
    const panel = page.locator("#outline");
    await panel.locator('input[type="file"]').setInputFiles(path.join(dir, "foot-01.jpg"));
    await panel.getByRole("button", { name: "Read it", exact: true }).click();
    const drawing = page.getByRole("group", { name: /^The traced / });
    await expect(drawing).toBeVisible();
    const length = panel.getByRole("row", { name: /Length/ }).locator("td").first();
    const before = await length.textContent();

    // The place nearest the toes, led outward: the foot is longer.
    const grips = drawing.locator("circle.grip");
    const axis = await drawing.locator("line.axis").evaluate((l) => ["x1", "y1", "x2", "y2"].map((a) => Number(l.getAttribute(a))));
    const along = await grips.evaluateAll((all, [x1, y1, x2, y2]) =>
      all.map((c) => (Number(c.getAttribute("cx")) - x1) * (x2 - x1) + (Number(c.getAttribute("cy")) - y1) * (y2 - y1)), axis);
    const tip = grips.nth(along.indexOf(Math.max(...along)));
    const box = await tip.boundingBox();
    const scale = await drawing.evaluate((svg) => svg.getScreenCTM().a);
    const far = Math.hypot(axis[2] - axis[0], axis[3] - axis[1]);
    const [ux, uy] = [(axis[2] - axis[0]) / far, (axis[3] - axis[1]) / far];
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + ux * far * scale * 0.05, box.y + box.height / 2 + uy * far * scale * 0.05, { steps: 4 });
    await page.mouse.up();
    await expect(length).not.toHaveText(before);
    await expect(drawing.locator("circle.pin")).toHaveCount(1);
    await panel.getByRole("button", { name: "as it was found" }).click();
    await expect(length).toHaveText(before);

    // By keyboard too.
    await grips.first().focus();
    for (let i = 0; i < 3; i++) await page.keyboard.press("Shift+ArrowLeft");
    await expect(drawing.locator("circle.pin")).toHaveCount(1);
    await accessible(page);
  } finally {
    rmSync(dir, { recursive: true });
  }
});

import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import path from "node:path";
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { signIn } from "./trevik.mjs";

const root = path.resolve(import.meta.dirname, "..");

test.use({ expected: ["net::ERR_FAILED", "status of 422"] });

const keep = (page) => page.getByRole("radiogroup", { name: "May we keep the film?", exact: true }).getByText("yes");
const peak = (page, side) => page.getByRole("row", { name: new RegExp(`^${side}`) }).locator("td").first();

test("a WebM film, from the file to the level of support", async ({ page }) => {
  test.setTimeout(300_000); // a slow machine steps through a film slowly
  const dir = mkdtempSync(path.join(root, ".trevik", "film-"));
  try {
    execFileSync(path.join(root, "bin", "trevik"), ["simulate", "treadmill", "--out", dir, "--seed", "12", "--fps", "60", "--seconds", "3",
      "--width", "480", "--height", "360"]);
    const film = path.join(dir, "film.webm");
    execFileSync("ffmpeg", ["-loglevel", "error", "-framerate", "60", "-i", path.join(dir, "%04d.jpg"), "-c:v", "libvpx", "-b:v", "6M",
      "-deadline", "realtime", film]);
    const truth = JSON.parse(readFileSync(path.join(dir, "truth.json"))).sides;

    await signIn(page);
    await page.goto("/fits/5/gait");
    await accessible(page);

    // Without consent, and without a film, it is said where to look; nothing is lost.
    await page.getByRole("button", { name: "Use this film" }).click();
    await expect(page.getByRole("alert").filter({ hasText: "No film is chosen" })).toBeVisible();
    await page.getByLabel("Speed").fill("10");
    await page.locator("[data-file]").setInputFiles(film);
    await page.getByRole("button", { name: "Use this film" }).click();
    await expect(page.getByRole("alert").filter({ hasText: "keep is missing" })).toBeVisible({ timeout: 20_000 });
    await expect(page.getByLabel("Speed")).toHaveValue("10");

    // One sending is lost on the way: it goes on from there.
    let sent = 0;
    await page.route("**/frames", (route) => (route.request().method() === "POST" && ++sent === 3 ? route.abort() : route.continue()));
    await keep(page).click();
    await page.getByRole("button", { name: "Use this film" }).click();
    const strip = page.getByRole("group", { name: "Contacts along the film" });
    await expect(strip).toBeVisible({ timeout: 240_000 });
    expect(sent).toBeGreaterThan(11);
    await expect(page.getByText(/60 a second/)).toBeVisible();
    for (const side of ["left", "right"]) {
      const got = parseFloat(await peak(page, side).textContent());
      expect(Math.abs(got - truth[side].peak_eversion_deg), `${side} ${got}`).toBeLessThan(1);
    }
    await accessible(page);
    await fits(page);

    // Frame by frame by the arrows, and played.
    const at = page.locator('[data-do="at"]');
    const first = await at.textContent();
    await page.locator("body").press("ArrowRight");
    await expect(at).not.toHaveText(first);
    await page.getByRole("button", { name: "play" }).click();
    await expect(page.getByRole("button", { name: "stop" })).toBeVisible();
    await page.getByRole("button", { name: "stop" }).click();

    // A dot is dragged outward on a frame at the peak: the numbers follow at once.
    const before = await peak(page, "left").textContent();
    const bar = strip.locator("g.contact.left").first();
    await bar.locator("rect").click({ position: { x: 12, y: 3 } }); // between its handles
    const dot = page.locator('svg.film [data-side="left"][data-dot="heel_low"]');
    const box = await dot.boundingBox();
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x - 60, box.y + box.height / 2, { steps: 4 });
    await page.mouse.up();
    await expect(peak(page, "left")).not.toHaveText(before);
    await page.getByRole("button", { name: "undo the last change" }).click();
    await expect(peak(page, "left")).toHaveText(before);

    // A contact's end by keyboard, and a step left out.
    const end = strip.getByRole("slider", { name: "left step 1, touchdown" });
    const was = await end.getAttribute("aria-valuenow");
    await end.focus();
    await end.press("ArrowLeft");
    await end.press("ArrowLeft");
    await expect(page.getByText("Put right by hand")).toBeVisible();
    await expect(strip.getByRole("slider", { name: "left step 1, touchdown" })).toHaveAttribute("aria-valuenow", String(Number(was) - 2));
    await expect(strip.getByRole("slider", { name: "left step 1, touchdown" })).toBeFocused();
    await page.getByRole("button", { name: "exclude this step" }).click();
    await expect(strip.locator("[data-out]")).toHaveCount(1);
    await page.getByRole("button", { name: "reset" }).click();
    await expect(peak(page, "left")).toHaveText(before);

    // Left and right side by side, and a frame on the card.
    await page.getByRole("link", { name: "the right, mirrored" }).click();
    await expect(page.locator("svg.film")).toHaveCount(2);
    await page.getByRole("button", { name: "lay over" }).click();
    await expect(page.locator(".filmtable")).toHaveClass(/over/);
    await page.getByRole("button", { name: "add this frame to the card" }).click();
    await page.goto("/fits/5/card");
    await expect(page.locator(".cardstill svg line").first()).toBeVisible();
    await page.goto("/fits/5/support");
    await expect(page.getByText("Pronation, filmed").first()).toBeVisible();
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
});

test("the camera on the bench films a shoe, and tells what it changes", async ({ page }) => {
  await signIn(page, "corin");
  for (const shod of ["barefoot", "old pair"]) {
    await page.goto("/fits/6/gait");
    const panel = page.locator("details.panel").filter({ hasText: "A new film" });
    if ((await panel.getAttribute("open")) === null) await panel.locator("summary").first().click();
    await page.getByLabel("Footwear", { exact: true }).selectOption(shod);
    await keep(page).click();
    await page.getByRole("button", { name: "Camera on the bench" }).click();
    await expect(page.getByRole("status").filter({ hasText: /films|followed/ })).toBeVisible();
    await expect(page.getByRole("group", { name: "Contacts along the film" })).toBeVisible({ timeout: 120_000 });
  }
  await expect(page.getByText(/in old pair: .*against the runner’s own gait/s).first()).toBeVisible();
  await page.getByRole("link", { name: /^Run from behind, barefoot, / }).click();
  await expect(page.locator("svg.film")).toHaveCount(2);
  await expect(page.locator("svg.curves .curve.second")).toHaveCount(2);
  await accessible(page);
});

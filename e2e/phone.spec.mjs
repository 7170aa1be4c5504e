import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { accessible, expect, fits, test } from "./fixtures.mjs";
import { phoneFilm } from "./phone.mjs";
import { signIn } from "./trevik.mjs";

const root = path.resolve(import.meta.dirname, "..");

test.use({ expected: ["status of 422"] });

const panel = (page) => page.locator("details.panel").filter({ hasText: "A new film" });
const peak = async (page, side) => parseFloat(await page.getByRole("row", { name: new RegExp(`^${side}`) }).locator("td").first()
  .textContent());

async function toFilm(page, fit) {
  await page.goto(`/fits/${fit}/gait`);
  if (!(await panel(page).evaluate((d) => d.open))) await panel(page).locator("summary").click();
  await page.getByRole("radiogroup", { name: "May we keep the film?", exact: true }).getByText("yes").click();
  await page.getByLabel("Colour of the dots").selectOption("none");
}

test("a phone's film without dots, in slow motion and on its side: cut, read while it arrives, its level set by hand", async ({ page }) => {
  test.setTimeout(300_000);
  const dir = mkdtempSync(path.join(root, ".trevik", "phone-"));
  try {
    const film = phoneFilm(dir, { seconds: 5.5 });
    const truth = JSON.parse(readFileSync(path.join(dir, "truth.json"))).sides;
    await signIn(page);
    await toFilm(page, 5);
    await page.locator("[data-file]").setInputFiles(film);
    const says = page.locator("[data-says]");
    await expect(says).toContainText("480 frames, 4.0 s of running");
    await expect(page.getByText("filmed at 120 frames a second and plays in slow motion")).toBeVisible();
    await expect(page.getByLabel("Frames a second, if not the film's own")).toHaveValue("120");

    // The stretch is moved by keyboard, and its length chosen.
    const from = page.getByLabel("From", { exact: true });
    const before = await says.textContent();
    await from.focus();
    for (let i = 0; i < 6; i++) await from.press("ArrowRight");
    for (let i = 0; i < 3; i++) await from.press("ArrowLeft");
    await expect(says).not.toHaveText(before);
    await accessible(page);
    await fits(page);

    await page.getByRole("button", { name: "Use this film" }).click();
    await expect(page.locator(".glance").first()).toContainText("So far", { timeout: 120_000 });
    await expect(page.getByRole("group", { name: "Contacts along the film" })).toBeVisible({ timeout: 120_000 });
    await expect(page.getByText(/120 a second/).first()).toBeVisible(); // the time is right
    const picture = page.locator("svg.film").first();
    // And it stands upright.
    await expect.poll(() => picture.evaluate((s) => s.viewBox.baseVal.width > s.viewBox.baseVal.height)).toBe(true);
    for (const side of ["left", "right"]) {
      expect(Math.abs((await peak(page, side)) - truth[side].peak_eversion_deg), side).toBeLessThan(9); // as far as an outline tells
    }

    // The points of the mean picture: moved by the arrows, then right. What follows moves with it.
    const level = page.locator(".level");
    if (!(await level.evaluate((d) => d.open))) await level.locator("summary").click();
    await accessible(page);
    const was = await peak(page, "left");
    const slip = (error) => page.locator(".slip", { hasText: "Pronation, filmed" }).filter({ hasText: error }).first();
    await expect(slip("± 3.0")).toBeVisible();
    const point = page.getByRole("button", { name: "left heel, upper; arrows move it" });
    await point.focus();
    for (let i = 0; i < 4; i++) await point.press("ArrowRight");
    await page.getByRole("button", { name: "right, as they lie" }).click();
    await expect(level.locator("summary")).toContainText("set by hand, good to about 1.8°");
    await expect.poll(() => peak(page, "left")).not.toBe(was);
    await expect(slip("± 1.8")).toBeVisible();
    await page.getByRole("button", { name: "undo the last change" }).click();
    await expect.poll(() => peak(page, "left")).toBe(was);
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
});

test("what is no film that can be read is said in words, at once", async ({ page }) => {
  const dir = mkdtempSync(path.join(root, ".trevik", "phone-"));
  try {
    await signIn(page);
    await toFilm(page, 6);
    const fault = page.getByRole("alert").filter({ hasText: /./ });
    const files = { empty: Buffer.alloc(0), noise: Buffer.from(Array.from({ length: 5000 }, (_, i) => (i * 131) % 251)) };
    const whole = readFileSync(phoneFilm(dir, { seconds: 1, width: 320, height: 240 }));
    files.half = whole.subarray(0, Math.floor(whole.length / 2));
    for (const [name, data] of Object.entries(files)) {
      const file = path.join(dir, `${name}.mp4`);
      writeFileSync(file, data);
      await page.locator("[data-file]").setInputFiles(file);
      await expect(fault, name).toContainText(/no film that can be read|cannot be played|too few frames|no picture/, { timeout: 20_000 });
      await expect(page.locator("[data-cut]"), name).toBeHidden();
    }
    // A film that plays slowly and does not say so: the fitter is asked.
    await page.locator("[data-file]").setInputFiles(phoneFilm(dir, { seconds: 1.5, width: 320, height: 240, told: false, turned: false }));
    await expect(page.getByRole("group", { name: "Slow motion" })).toContainText("It plays at 30 frames a second");
    await page.getByRole("button", { name: "at 120" }).click();
    await expect(page.locator("[data-says]")).toContainText("1.5 s of running");
    await expect(fault).toBeHidden();
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
});

test("a large film's frames arrive smaller, in their colours and the right way up", async ({ page }) => {
  test.setTimeout(180_000);
  const dir = mkdtempSync(path.join(root, ".trevik", "phone-"));
  try {
    await signIn(page);
    for (const turned of [false, true]) {
      const film = path.join(dir, `large-${turned}.mp4`);
      execFileSync("ffmpeg", ["-y", "-loglevel", "error", "-f", "lavfi", "-i", "testsrc2=size=1920x1080:rate=60:duration=1", "-c:v",
        "libx264", "-preset", "veryfast", "-pix_fmt", "yuv420p", "-crf", "12", path.join(dir, "lying.mp4")]);
      execFileSync("ffmpeg", ["-y", "-loglevel", "error", "-i", path.join(dir, "lying.mp4"), "-c", "copy",
        ...(turned ? ["-metadata:s:v", "rotate=90"] : []), film]);
      await toFilm(page, 6);
      await page.locator("[data-file]").setInputFiles(film);
      await page.getByRole("button", { name: "Use this film" }).click();
      await page.waitForURL(/film=/, { timeout: 60_000 });
      const id = new URL(page.url()).searchParams.get("film");
      // Beside the browser's own drawing of the same frame.
      await page.evaluate(() => document.body.insertAdjacentHTML("beforeend", "<input type=file id=again>"));
      await page.locator("#again").setInputFiles(film);
      const off = await page.evaluate(async ({ at, n }) => {
        const script = [...document.scripts].find((s) => s.src.includes("newfilm")).src;
        const { Input, BlobSource, CanvasSink, MP4 } = await import(new URL("./mediabunny.js", script));
        const sent = await createImageBitmap(await (await fetch(`${at}/frames/${n}`)).blob());
        const { width, height } = sent;
        const pixels = (picture) => {
          const pen = new OffscreenCanvas(width, height).getContext("2d");
          pen.imageSmoothingQuality = "high";
          pen.drawImage(picture, 0, 0, width, height);
          return pen.getImageData(0, 0, width, height).data;
        };
        const track = await new Input({ source: new BlobSource(document.querySelector("#again").files[0]), formats: [MP4] })
          .getPrimaryVideoTrack();
        const own = await new CanvasSink(track).getCanvas(n / 60 + 0.001);
        const [a, b] = [pixels(sent), pixels(own.canvas)];
        const mean = [0, 0, 0];
        for (let i = 0; i < a.length; i += 4) for (const k of [0, 1, 2]) mean[k] += Math.abs(a[i + k] - b[i + k]) / (width * height);
        return { width, height, mean };
      }, { at: `/fits/6/gait/films/${id}`, n: 41 });
      expect([off.width, off.height], `turned ${turned}`).toEqual(turned ? [480, 853] : [853, 480]);
      for (const mean of off.mean) expect(mean, JSON.stringify(off)).toBeLessThan(4);
    }
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
});

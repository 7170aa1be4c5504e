import { defineConfig } from "@playwright/test";
import { browser } from "./trevik.mjs";

export default defineConfig({
  testDir: ".",
  testMatch: "*.spec.mjs",
  outputDir: "results",
  workers: 1,
  fullyParallel: false,
  timeout: 240_000,
  expect: { timeout: 10_000 },
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: browser,
    // A trace of each test takes a third of its time: TRACE=1 asks for it.
    trace: process.env.TRACE ? "retain-on-failure" : "off",
  },
});

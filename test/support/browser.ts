import { readFileSync } from "node:fs";
import { chromium, type Browser, type LaunchOptions } from "playwright-core";

/** Debian's Chromium, which asks nothing of anybody but the pages that a test opens. */
export const openBrowser = (): Promise<Browser> =>
  chromium.launch(JSON.parse(readFileSync("scripts/chromium.json", "utf8")) as LaunchOptions);

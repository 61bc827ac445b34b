import { readFileSync } from "node:fs";
import {
  chromium,
  type Browser,
  type BrowserContext,
  type BrowserContextOptions,
  type LaunchOptions,
} from "playwright-core";

/** Debian's Chromium, which asks nothing of anybody but the pages that a test opens. */
export const openBrowser = (): Promise<Browser> =>
  chromium.launch({
    ...(JSON.parse(readFileSync("scripts/chromium.json", "utf8")) as LaunchOptions),
    timeout: 0,
  });

/** Pages that are waited for as long as a test may take: on a busy machine each is slow. */
export async function openContext(
  browser: Browser,
  options?: BrowserContextOptions,
): Promise<BrowserContext> {
  const context = await browser.newContext(options);
  context.setDefaultTimeout(0);
  return context;
}

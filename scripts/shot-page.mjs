// shot-page.mjs OUT.png URL: a picture of a page in Debian's Chromium, 1280x800, once all it asks for has come.
import { readFileSync } from "node:fs";
import { chromium } from "playwright-core";

const [, , out, url] = process.argv;
const browser = await chromium.launch(
  JSON.parse(readFileSync(new URL("chromium.json", import.meta.url), "utf8")),
);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const failed = [];
page.on(
  "response",
  (response) => response.status() >= 400 && failed.push(`${response.status()} ${response.url()}`),
);
page.on("console", (message) => message.type() === "error" && failed.push(message.text()));
await page.goto(url, { waitUntil: "networkidle" });
await page.screenshot({ path: out });
await browser.close();
if (failed.length > 0) console.error(failed.join("\n"));

// shot-page.mjs OUT.png URL: a picture of a page in Debian's Chromium, 1280x800, once all it asks for has come.
import { chromium } from "playwright-core";

const [, , out, url] = process.argv;
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
  ],
});
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

import { resolve } from "node:path";
import type { Browser, Page } from "playwright-core";
import { openBrowser, openContext } from "../support/browser.ts";
import { AT_ONCE, Project, useSandboxes } from "../support/program.ts";

const BUILDS = resolve("demo/builds");
const startSandbox = useSandboxes("--origin", "website");
let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterAll(() => browser.close());

/** A page with all that it loads, at ten past seven in the morning: it counts the minutes to the next boat. What fails is told. */
async function open(address: string): Promise<{ page: Page; failed: string[] }> {
  const failed: string[] = [];
  const context = await openContext(browser, { viewport: { width: 1280, height: 800 }, timezoneId: "UTC" });
  await context.clock.setFixedTime(new Date("2026-06-01T07:10:00Z"));
  const page = await context.newPage();
  page.on("response", (response) => {
    if (response.status() >= 400) failed.push(`${response.status()} ${response.url()}`);
  });
  page.on("requestfailed", (request) => failed.push(`failed ${request.url()}`));
  page.on("console", (message) => {
    if (message.type() === "error") failed.push(message.text());
  });
  await page.goto(address, { waitUntil: "networkidle" });
  return { page, failed };
}

/** Runs in the page: whether its pictures came, how many fonts are in use, and whether a style sheet counts. */
const LOOK = `(async () => {
  await document.fonts.ready;
  const shown = [...document.images].filter(({ loading }) => loading !== "lazy");
  return {
    pictures: shown.every((image) => image.complete && image.naturalWidth > 0),
    fonts: [...document.fonts].filter(({ status }) => status === "loaded").length,
    isStyled: getComputedStyle(document.body).backgroundColor !== "rgba(0, 0, 0, 0)",
  };
})()`;

const look = (page: Page) =>
  page.evaluate<{ readonly pictures: boolean; readonly fonts: number; readonly isStyled: boolean }>(LOOK);

test("a preview in a browser: styles, chunks, pictures, a deep link, a reload, its service worker; production shows the build before", async () => {
  const sandbox = await startSandbox();
  const { edge, edgeApi, distribution } = sandbox.facts;
  const settings = sandbox.settings(
    `${BUILDS}/2`,
    [
      `    url: ${edge}`,
      `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, ${AT_ONCE} }`,
      `    previews: { address: "${edge.replace("127.0.0.1", "{name}.preview.localhost")}" }`,
    ].join("\n"),
  ).replace('prefix: ""', "serves: website"); // prettier-ignore
  const project = new Project(settings, sandbox.facts);
  await project.result(["deliver", "--build", `${BUILDS}/1`]);
  const { url = "" } = await project.result(["deliver", "--preview", "spring-fares"]);
  const own = await open(`${edge}/crossings/`);
  const { page, failed } = await open(`${url}/`);
  expect(await look(page)).toEqual({ pictures: true, fonts: expect.any(Number) as number, isStyled: true });
  expect((await look(page)).fonts).toBeGreaterThan(0);
  await page.waitForSelector("text=next boat 07:15, in 5 min");

  // A deep link, followed from the front page, then loaded anew.
  await page.goto(`${url}/crossings/cape-wren/`, { waitUntil: "networkidle" });
  expect(await page.title()).toContain("Cape Wren");
  await page.reload({ waitUntil: "networkidle" });
  expect((await look(page)).pictures).toBe(true);
  const worker = await page.evaluate<string>("navigator.serviceWorker.ready.then(({ active }) => active.scriptURL)");
  expect(worker).toBe(`${url}/sw.js`);
  expect(new URL(page.url()).origin).toBe(url);
  expect(failed).toEqual([]);

  // Production, all the while.
  expect(await own.page.content()).not.toContain("cape-wren");
  expect((await fetch(`${edge}/crossings/cape-wren/`)).status).toBe(404);
  expect(own.failed).toEqual([]);
}); // prettier-ignore

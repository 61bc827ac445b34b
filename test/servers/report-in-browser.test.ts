import { writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { pathToFileURL } from "node:url";
import axe, { type AxeResults } from "axe-core";
import type { Browser, Page } from "playwright-core";
import type { PictureFile } from "../../src/core/picture/picture.ts";
import { drawReport } from "../../src/report/draw.ts";
import type { Report } from "../../src/results/report.ts";
import { readOwnFile } from "../../src/system/own-files.ts";
import { openBrowser, openContext } from "../support/browser.ts";
import { temporaryFolder } from "../support/builds.ts";
import { AT_ONCE, Project, useSandboxes } from "../support/program.ts";

const BUILDS = resolve("demo/builds");
const startSandbox = useSandboxes("--origin", "website");
let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterAll(() => browser.close());

const FORMS = [
  { name: "desk", viewport: { width: 1280, height: 800 } },
  { name: "phone", viewport: { width: 390, height: 844 } },
] as const;
const SCHEMES = ["light", "dark"] as const;

interface Opened {
  readonly page: Page;
  /** What it asked for besides itself, and what it complained of. */
  readonly odd: readonly string[];
}

/** @param media `print`: as it comes out of a printer */
async function open(
  file: string,
  viewport: { readonly width: number; readonly height: number } = FORMS[0].viewport,
  colorScheme: (typeof SCHEMES)[number] = "light",
): Promise<Opened> {
  const context = await openContext(browser, { viewport, colorScheme });
  const page = await context.newPage();
  const own = pathToFileURL(file).href;
  const odd: string[] = [];
  page.on("request", (request) => {
    if (!request.url().startsWith("data:") && request.url().split("#")[0] !== own) odd.push(request.url());
  });
  page.on("console", (message) => odd.push(message.text()));
  page.on("pageerror", (error) => odd.push(error.message));
  await page.goto(own, { waitUntil: "load" });
  return { page, odd };
}

/** What a standard audit finds that keeps people out: of impact serious or critical. */
async function audit(page: Page): Promise<string[]> {
  await page.evaluate(axe.source);
  const { violations, passes } = await page.evaluate<AxeResults>("axe.run(document)");
  expect(passes.length).toBeGreaterThan(10);
  return violations
    .filter(({ impact }) => impact === "serious" || impact === "critical")
    .flatMap(({ id, nodes }) => nodes.map(({ html }) => `${id}: ${html.slice(0, 200)}`));
}

const rows = (page: Page): Promise<string[]> =>
  page.locator("#rows tbody tr td:first-child").allTextContents();
const count = async (page: Page): Promise<string> => (await page.locator("#count").textContent()) ?? "";

test("the report of the demo site asks for nothing, keeps nobody out, and follows mouse and keyboard", async () => {
  const sandbox = await startSandbox();
  const { edge, edgeApi, distribution } = sandbox.facts;
  const settings = sandbox
    .settings(`${BUILDS}/2`, `    url: ${edge}\n    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, ${AT_ONCE} }`)
    .replace('prefix: ""', "serves: website"); // prettier-ignore
  const project = new Project(settings, sandbox.facts);
  await project.result(["deliver", "--build", `${BUILDS}/1`]);
  await project.result(["compare", "--report", "planned.html"]);
  await project.result(["deliver", "--report", "delivered.html"]);
  await project.result(["releases", "1", "--report", "first.html"]);
  await fetch(`${edge}/old.html`, { headers: { "user-agent": "Mozilla/5.0", referer: `${edge}/news/` } });
  await project.result(["traffic", join(sandbox.data, "edge-access.log"), "--report", "traffic.html"]);
  for (const name of ["planned", "delivered", "first", "traffic"])
    for (const { name: form, viewport } of FORMS)
      for (const scheme of SCHEMES) {
        // The parts are the same: the others are looked at once each.
        if (!["planned", "traffic"].includes(name) && (form === "desk" || scheme === "light")) continue;
        const { page, odd } = await open(join(project.folder, `${name}.html`), viewport, scheme);
        expect([name, form, scheme, await audit(page), odd]).toEqual([name, form, scheme, [], []]);
        // Nothing but tables, within their own edges, is wider than the window.
        const overhang = await page.evaluate("document.documentElement.scrollWidth - innerWidth");
        expect([name, form, overhang]).toEqual([name, form, 0]);
        await page.context().close();
      }

  const { page, odd } = await open(join(project.folder, "planned.html"));
  // The audit does find what is wrong.
  await page.evaluate("document.body.append(document.createElement('img'))");
  expect(await audit(page)).toEqual([expect.stringContaining("image-alt")]);
  const all = await count(page);
  expect(all).toMatch(/^\d+ files$/);
  await page.getByLabel("Part of the name").fill("ASSETS/dep");
  expect(await count(page)).toBe(`2 of ${all}`);
  expect(await rows(page)).toEqual([expect.stringMatching(/^assets\/dep/), expect.stringMatching(/^assets\/dep/)]);
  await page.getByLabel("Part of the name").fill("");
  await page.getByRole("button", { name: "Stored" }).press("Enter");
  const sizes = await page.locator("#rows tbody tr td:nth-child(4)").allTextContents();
  const bytes = sizes.map((size) => parseFloat(size) * (size.endsWith("kB") ? 1000 : 1));
  expect(bytes).toEqual([...bytes].sort((a, b) => b - a));
  await page.getByRole("combobox", { name: "Role" }).selectOption("worker");
  expect(await rows(page)).toEqual(["sw.js", "site.webmanifest", "timetables/latest.json"]);
  await page.getByRole("combobox", { name: "Role" }).selectOption("");
  const legend = page.getByRole("button", { name: /^new \d+$/ });
  await legend.press("Space");
  expect(await legend.getAttribute("aria-pressed")).toBe("true");
  const isNew = (await page.locator("#rows tbody tr td:nth-child(2)").allTextContents()).every((fate) => fate === "new");
  expect([isNew, (await rows(page)).length > 3]).toEqual([true, true]);
  await legend.press("Space");
  await page.locator("#map").focus();
  await page.keyboard.press("End");
  await page.keyboard.press("Home");
  const said = (await page.locator("#said").textContent()) ?? "";
  expect(said).toMatch(/^.+: [\d.]+ k?B, \w+/);
  await page.keyboard.press("Enter");
  expect((await rows(page)).length).toBeGreaterThan(0);
  expect(await page.getByLabel("Part of the name").inputValue()).toBe(said.split(": ")[0]);
  expect(odd).toEqual([]);
}); // prettier-ignore

const SITE: Omit<Report, "files"> = {
  kind: "planned",
  ...{ site: "Pelican Sound Ferries", destination: "production", release: 2, previous: 1 },
  at: "2026-03-04T14:20:00Z",
  ...{ visits: [], releases: [] },
};

test("twenty thousand files can be filtered and sorted on one page; without scripts the first of them are there", async () => {
  const files = Array.from({ length: 20_000 }, (_, index): PictureFile => ({
    key: `guides/part-${index % 300}/page-${String(index).padStart(5, "0")}/index.html`,
    ...{ fate: index % 11 === 0 ? "replaced" : "unchanged", role: "page", size: 300 + index, headers: {} },
  })).sort((a, b) => (a.key < b.key ? -1 : 1));
  const page = drawReport({ ...SITE, files }, { style: readOwnFile("page-style.css"), script: readOwnFile("page.js") });
  const file = join(temporaryFolder("report"), "large.html");
  writeFileSync(file, page);
  const opened = await open(file);
  expect(await count(opened.page)).toBe("20,000 files");
  await opened.page.getByLabel("Part of the name").fill("page-1234");
  expect(await count(opened.page)).toBe("10 of 20,000 files");
  await opened.page.getByLabel("Part of the name").fill("");
  await opened.page.getByRole("button", { name: "Stored" }).click();
  expect((await rows(opened.page))[0]).toContain("page-19999");
  await opened.page.getByRole("button", { name: "later" }).click();
  expect((await rows(opened.page))[0]).toContain("page-19969");
  expect(opened.odd).toEqual([]);

  const bare = await openContext(browser, { javaScriptEnabled: false });
  const still = await bare.newPage();
  await still.goto(pathToFileURL(file).href);
  expect((await rows(still)).length).toBe(30);
  expect(await count(still)).toBe("the first 30 of 20,000 files");
}); // prettier-ignore

import { cpSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import type { Browser, ConsoleMessage, Page } from "playwright-core";
import { writeFiles } from "../support/builds.ts";
import { openBrowser, openContext } from "../support/browser.ts";
import { ProjectHere } from "../support/called-here.ts";
import { RunningSandbox } from "../support/program.ts";

let [browser, sandbox]: [Browser | undefined, RunningSandbox | undefined] = [undefined, undefined];
afterEach(async () => {
  await browser?.close();
  await sandbox?.stop();
});

/** A page that does in itself what strict policies stop where they do not know it. */
const toPage = (
  said: string,
): string => `<!doctype html><html lang="en"><head><title>Tides</title><link rel="icon" href="/favicon.svg">
<style>p { color: rgb(1, 2, 3) }</style>
<script>document.documentElement.dataset.first = "${said}";\r\nconst tide = '<b>' && 1;</script>
<script type="application/json" id="data">{ "high": 3 }</script></head>
<body><p style="margin: 0">High tide</p><button onclick="document.documentElement.dataset.pressed = &quot;yes&quot;">Next</button>
<img alt="" src="data:image/gif;base64,R0lGODlhAQABAAAAACH5BAEKAAEALAAAAAABAAEAAAICTAEAOw==">
<script type="module">document.documentElement.dataset.second = "${said}"; document.body.append(Object.assign(document.createElement("style"), { textContent: "p { padding: 0 }" }));</script>
</body></html>`;

/** What stands in the way of each page, as the browser says it. */
async function open(page: Page, address: string): Promise<string[]> {
  const said: string[] = [];
  const listen = (message: ConsoleMessage): void => {
    if (message.type() === "error" || /policy/i.test(message.text()))
      said.push(`${message.text()} ${message.location().url}`);
  };
  page.on("console", listen);
  const fail = ({ message }: Error): void => {
    said.push(message);
  };
  page.on("pageerror", fail);
  // What is left under way fails when the page is left, and would count against the next.
  await page.goto(address, { waitUntil: "networkidle" });
  page.off("console", listen);
  page.off("pageerror", fail);
  return said;
}

test("under strict headers that bind, worked out from the build, pages run as before, and no browser has a word to say", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const { endpoint, region, edge, edgeApi } = sandbox.facts;
  const project = new ProjectHere("", sandbox.facts);
  cpSync(resolve("demo/builds/1"), join(project.folder, "dist"), { recursive: true });
  writeFiles(join(project.folder, "dist"), { "tides.html": toPage("one") });
  writeFileSync(
    join(project.folder, "courier.yaml"),
    `site: Pelican Sound Ferries
build: { folder: dist }
destinations:
  production:
    url: ${edge}
    store: { kind: s3, bucket: pelican, region: ${region}, endpoint: "${endpoint}" }
    edge:
      kind: distribution
      endpoint: "${edgeApi}"
      settle: 0s
      longestFetch: 0s
      headers:
        X-Content-Type-Options: nosniff
        Referrer-Policy: strict-origin-when-cross-origin
        Permissions-Policy: camera=(), geolocation=(), microphone=()
        Content-Security-Policy: from-build
`,
  );
  for (const args of [["provision", "--yes"], ["deliver", "--verify"], ["checkup"]]) {
    const { exit, stdout, stderr } = await project.run(args);
    expect([args, exit, exit === 0 ? "" : stdout + stderr]).toEqual([args, 0, ""]);
  }
  const policy = (await fetch(`${edge}/tides.html`)).headers.get("content-security-policy") ?? "";
  expect(policy).toMatch(/^default-src 'self'; .*object-src 'none'; .*script-src 'self' 'sha256-/);
  browser = await openBrowser();
  const page = await (await openContext(browser)).newPage();
  for (const address of ["/", "/fares/", "/crossings/", "/news/", "/timetables/", "/fleet/", "/about.html", "/tides.html"])
    expect([address, await open(page, edge + address)]).toEqual([address, []]);
  await page.click("button");
  const seen = () => page.evaluate<Record<string, string>>("({ ...document.documentElement.dataset })");
  expect(await seen()).toEqual({ first: "one", second: "one", pressed: "yes" });
  expect(await page.evaluate<number>('document.querySelector("img").naturalWidth')).toBe(1);
  // It binds: what the build does not have is stopped.
  await page.evaluate(
    `document.body.append(Object.assign(document.createElement("script"), { textContent: "document.documentElement.dataset.foreign = 1" }))`,
  );
  expect(await seen()).not.toHaveProperty("foreign");

  // While pages of two releases are about, both work: it is loosened before the first, and narrowed at the end.
  writeFiles(join(project.folder, "dist"), { "tides.html": toPage("two") });
  sandbox.takeLedger();
  const { exit } = await project.run(["deliver", "--verify"]);
  const done = sandbox.takeLedger();
  const changes = done.flatMap(({ operation }, at) => (operation === "UpdateResponseHeadersPolicy" ? [at] : []));
  const written = done.findIndex(({ operation, key }) => operation === "PutObject" && key === "tides.html");
  const forgotten = done.findLastIndex(({ operation }) => operation === "CreateInvalidation");
  expect([exit, changes.length]).toEqual([0, 2]);
  expect(changes[0]).toBeLessThan(written);
  expect(changes[1]).toBeGreaterThan(forgotten);
  expect(await open(page, `${edge}/tides.html`)).toEqual([]);
  expect(await seen()).toEqual({ first: "two", second: "two" });
  expect((await project.run(["redeliver", "1"])).exit).toBe(0);
  expect((await fetch(`${edge}/tides.html`)).headers.get("content-security-policy")).toBe(policy);
}); // prettier-ignore

import { readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { NO_KEYS } from "../support/program.ts";

interface Site {
  readonly project: ProjectHere;
  /** What stands at the destination under a key. */
  readonly read: (key: string) => string;
  readonly build: (files: Record<string, string>) => void;
}

/** A site in a folder, and a build that changes. */
function createSite(files: Record<string, string>, { url = "", build = "", more = "" } = {}): Site {
  const shelf = temporaryFolder("shelf");
  const project = new ProjectHere(
    [
      "site: Pelican Sound Ferries",
      `build: { folder: dist${build} }`,
      "destinations:",
      `  live: { store: { kind: folder, folder: "${shelf}" }${url}${more} }`,
      `  trial: { store: { kind: folder, folder: "${temporaryFolder("trial")}" }, files: [{ from: config/trial.json, as: config.json }] }`,
      "",
    ].join("\n"),
    NO_KEYS,
  );
  const write = (next: Record<string, string>): void => {
    rmSync(join(project.folder, "dist"), { recursive: true, force: true });
    writeFiles(join(project.folder, "dist"), next);
  };
  write(files);
  return { project, read: (key) => readFileSync(join(shelf, key), "utf8"), build: write };
}

const deliver = (site: Site, ...args: string[]): ReturnType<ProjectHere["run"]> =>
  site.project.run(["deliver", "--to", "live", "--yes", ...args]);

const APP = {
  "index.html": '<script src="/app/a.js"></script><link rel=stylesheet href="/app/b.css">',
  "a.js": "1",
  "b.css": "p{}",
};

test.each([
  ["/app/", 0],
  ["/other/", 3],
  ["/", 3],
])("a build for /app/ delivered to %s", async (path, exit) => {
  const site = createSite(APP, { url: `, url: "http://localhost:9${path}"` });
  const outcome = await site.project.run(["compare", "--to", "live"]);
  const delivered = await deliver(site);
  expect([outcome.exit, delivered.exit]).toEqual([exit === 0 ? 0 : outcome.exit, exit]);
  if (exit === 0) return;
  expect(delivered.stderr).toContain(
    `the build was made for /app/, but addresses of this destination begin with ${path}: nothing answers at /app/a.js`,
  );
  expect(delivered.stderr).toContain(
    `build it with ${path} as its base path, or let the destination's url end with /app/ (wrong-base)`,
  );
});

const PAGE = '<link rel=manifest href="/site.webmanifest"><link rel=icon href="/no.ico">';

test("icons that are missing warn; a script stops the first delivery, and no later one of the same page", async () => {
  const manifest = { "site.webmanifest": '{"icons":[{"src":"/192.png"}]}' };
  const site = createSite({ "index.html": PAGE, ...manifest });
  expect((await deliver(site)).exit).toBe(0);
  const broken = { "index.html": `${PAGE}<script src="/gone.js"></script>`, ...manifest };
  site.build(broken);
  const refused = await deliver(site);
  expect([
    refused.exit,
    /index\.html:1: needs \/gone\.js, which is not in the build/.test(refused.stderr),
  ]).toEqual([3, true]);
  expect((await deliver(site, "--allow", "missing-asset")).exit).toBe(0);
  site.build({ ...broken, "index.html": `${broken["index.html"]}<p>more</p>` });
  expect((await deliver(site)).exit).toBe(0);
  site.build({ ...broken, "index.html": `${broken["index.html"]}<script src="/other.js"></script>` });
  const worse = await deliver(site);
  expect([worse.exit, worse.stderr.includes("/other.js"), worse.stderr.includes("/gone.js is")]).toEqual([
    3,
    true,
    false,
  ]);
  // The way back to a release that had it all ends that.
  expect((await site.project.run(["redeliver", "1", "--to", "live", "--yes"])).exit).toBe(0);
  site.build(broken);
  expect((await deliver(site)).exit).toBe(3);
});

test("a worker that is gone stops the delivery; with the setting a small one takes it away", async () => {
  const site = createSite({ "index.html": "old", "sw.js": "// old" });
  expect((await deliver(site)).exit).toBe(0);
  site.build({ "index.html": "new" });
  const refused = await deliver(site);
  expect([refused.exit, refused.stderr.includes("build.retireWorkers: true (worker-vanishes)")]).toEqual([3, true]);
  const settings = join(site.project.folder, "courier.yaml");
  const before = readFileSync(settings, "utf8");
  const set = (text: string): void => void writeFiles(site.project.folder, { "courier.yaml": text });
  set(before.replace("folder: dist", "folder: dist, retireWorkers: true"));
  expect((await deliver(site)).exit).toBe(0);
  expect([site.read("index.html"), site.read("sw.js").includes("registration.unregister()")]).toEqual(["new", true]);
  const again = await site.project.result(["deliver", "--to", "live", "--yes"]);
  expect([again.counts.unchanged, again.release]).toEqual([2, 2]);
  set(before);
  expect((await deliver(site)).exit).toBe(0);
  expect(() => site.read("sw.js")).toThrow(/ENOENT/);
}); // prettier-ignore

test("source maps that are left out now go with the delivery, which says so", async () => {
  const files = { "index.html": '<script src="a.js"></script>', "a.js": "1", "a.js.map": "{}" };
  const site = createSite(files);
  expect((await deliver(site)).exit).toBe(0);
  const settings = readFileSync(join(site.project.folder, "courier.yaml"), "utf8");
  writeFiles(site.project.folder, {
    "courier.yaml": settings.replace("folder: dist", 'folder: dist, exclude: ["**/*.map"]'),
  });
  const result = await site.project.result(["deliver", "--to", "live", "--yes"]);
  expect(result.pruned).toEqual(["a.js.map"]);
  expect(result.warnings).toEqual(["left out by build.exclude, and gone with this delivery: a.js.map"]);
  expect([site.read("a.js"), result.kept]).toEqual(["1", []]);
  expect(() => site.read("a.js.map")).toThrow(/ENOENT/);
});

test("a file of one destination alone goes in place of the build's, and is compared like the rest", async () => {
  const site = createSite({ "index.html": "x", "config.json": '{"api":"none"}' });
  const trial = async (...args: string[]) => site.project.run(["deliver", "--to", "trial", "--yes", ...args]);
  const missing = await trial();
  expect([missing.exit, missing.stderr]).toEqual([
    2,
    expect.stringMatching(/trial\.json can't be delivered as config\.json: it is not there/),
  ]);
  writeFiles(site.project.folder, { "config/trial.json": '{"api":"trial"}' });
  expect((await trial()).exit).toBe(0);
  const explained = await site.project.run(["explain", "config.json", "--to", "trial", "--format", "json"]);
  expect(JSON.parse(explained.stdout)).toMatchObject({
    files: [{ path: "config.json", size: 15, delivery: { change: "unchanged" } }],
  });
  writeFiles(site.project.folder, { "config/trial.json": '{"api":"trial-2"}' });
  const result = await site.project.result(["deliver", "--to", "trial", "--yes"]);
  expect(result.changes.map(({ key, change }) => [key, change])).toEqual([["config.json", "replaced"]]);
  expect((await deliver(site)).exit).toBe(0);
  expect(site.read("config.json")).toBe('{"api":"none"}');
});

test("survey and explain need no destination, and answer for addresses of client routes and below a base path", async () => {
  const site = createSite(APP, { build: ", clientRoutes: true", url: ', url: "http://localhost:9/app/"' });
  const surveyed = await site.project.run(["survey"]);
  expect([surveyed.exit, surveyed.stdout.split("\n")[1]]).toEqual([
    0,
    "3 files, 76 B. No error, but 1 note: see below.",
  ]);
  expect((await site.project.run(["survey", "--to", "live"])).stdout).toMatch(/^dist → live\n/);
  const explain = async (...args: string[]) => {
    const { stdout } = await site.project.run(["explain", ...args, "--format", "json"]);
    const { files } = JSON.parse(stdout) as {
      files: { path: string; answersFor?: string; delivery?: object }[];
    };
    return files.map(({ path, answersFor, delivery }) => [path, answersFor, delivery !== undefined]);
  };
  expect(await explain("/", "/tides", "a.js")).toEqual([
    ["index.html", undefined, false],
    ["index.html", "/tides", false],
    ["a.js", undefined, false],
  ]);
  expect(await explain("/app/", "/app/tides/today", "/app/a.js", "/a.js", "--to", "live")).toEqual([
    ["index.html", undefined, true],
    ["index.html", "/app/tides/today", true],
    ["a.js", undefined, true],
    ["a.js", undefined, true],
  ]);
});

test("a comparison says what a delivery changes about the first visit to the entry page", async () => {
  const text = (seed: number, bytes: number): string =>
    Array.from({ length: bytes / 8 }, (_, index) => ((index + 1) * seed).toString(36).padStart(8, "-")).join("");
  const page = (name: string): string => `<script src="/${name}"></script>`;
  const site = createSite({ "index.html": page("a.js"), "a.js": `//${text(7919, 8000)}` });
  const first = await site.project.result(["deliver", "--to", "live", "--yes"]);
  expect(first.firstVisit).toBeUndefined();
  site.build({ "index.html": page("b.js"), "a.js": `//${text(7919, 8000)}`, "b.js": `//${text(104729, 24_000)}` });
  const { firstVisit } = await site.project.result(["compare", "--to", "live"]);
  expect(firstVisit).toMatchObject({ page: "index.html", by: ["b.js", "index.html"] });
  expect(firstVisit && firstVisit.after > 1.5 * firstVisit.before).toBe(true);
  const shown = await site.project.run(["compare", "--to", "live"]);
  expect(shown.stdout).toMatch(/A first visit to index\.html grows from [\d.]+ kB to [\d.]+ kB, because of b\.js, index\.html\./);
  const survey = await site.project.run(["survey"]);
  expect(survey.stdout).toMatch(/a first visit loads, sent as brotli\n +the entry page +[\d.]+ kB +index\.html, 2 files\n/);
}); // prettier-ignore

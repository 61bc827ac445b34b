import { appendFileSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import type { PruneResult } from "../../src/results/history.ts";
import { toContent } from "../../src/perform/record.ts";
import type { PreviewsResult } from "../../src/results/previews.ts";
import { createHttpSite } from "../../src/adapters/public-site/http-site.ts";
import { POINTER_KEY } from "../../src/core/model/names.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, Project, useSandboxes, WRITES, type RunningSandbox } from "../support/program.ts";
import { listKeys, openStore, readSite } from "../support/stored-site.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();
const startSandbox = useSandboxes("--origin", "website");

interface Stage {
  readonly sandbox: RunningSandbox;
  readonly project: ProjectHere;
  /** Where the next build is written. */
  readonly dist: string;
  readonly settings: string;
}

const BY_HOST = (edge: string): string =>
  `address: "${edge.replace("127.0.0.1", "{name}.preview.localhost")}"`;

/** A site whose first build is live, and a copy of it that can be changed. */
async function setUp(previews: (edge: string) => string = BY_HOST, more = ""): Promise<Stage> {
  const sandbox = await startSandbox();
  const { edge, edgeApi, distribution } = sandbox.facts;
  const dist = join(temporaryFolder("previewed"), "dist");
  cpSync(`${BUILDS}/1`, dist, { recursive: true });
  const settings = sandbox.settings(
    dist,
    [
      `    url: ${edge}`,
      `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, minimumFreshness: 0s, ${AT_ONCE} }`,
      `    previews: { ${previews(edge)} }`,
      more,
    ].join("\n"),
  ).replace('prefix: ""', "serves: website"); // prettier-ignore
  const project = new ProjectHere(settings, sandbox.facts);
  await project.result(["deliver"]);
  sandbox.takeLedger();
  return { sandbox, project, dist, settings };
}

const listPreviews = async ({ project }: Stage): Promise<PreviewsResult> =>
  JSON.parse((await project.run(["previews", "--format", "json"])).stdout) as PreviewsResult;

/** Objects of the site itself: production as it stands. */
async function readProduction({ sandbox }: Stage): Promise<unknown> {
  const store = openStore(sandbox, "");
  const all = [...(await readSite(store))].filter(([key]) => !key.startsWith("previews/"));
  const pointer = (await store.head(POINTER_KEY))?.etag;
  store.close();
  return { all, pointer };
}

test("a preview has its own address, takes what production has by copies, and touches nothing of it", async () => {
  const stage = await setUp();
  const { sandbox, project, dist } = stage;
  const before = await readProduction(stage);
  appendFileSync(join(dist, "news/index.html"), "<!-- news -->");
  writeFiles(dist, { "downloads/deck-plan.txt": "deck plan" });
  const result = await project.result(["deliver", "--preview", "Spring/Fares"]);
  expect(result).toMatchObject({ destination: `practice:preview/${result.url?.slice(7).split(".")[0]}`, release: 1, preview: { name: "Spring/Fares" } });
  expect(result.changes.filter(({ by }) => by === "sending").map(({ key }) => key)).toEqual(["downloads/deck-plan.txt", "news/index.html", "robots.txt"]);
  expect(Date.parse(result.preview?.until ?? "") - Date.now()).toBeGreaterThan(6.9 * 86_400_000);
  const ledger = sandbox.takeLedger();
  const prefix = `previews/${result.url?.slice(7).split(".")[0]}/`;
  expect(ledger.filter(({ operation, key }) => WRITES.has(operation) && !key?.startsWith(prefix))).toEqual([]);
  expect(await readProduction(stage)).toEqual(before);
  expect(prefix).toMatch(/^previews\/spring-fares-[0-9a-f]{6}\/$/);

  // As visitors get it: under its own name, never kept, never found.
  const site = createHttpSite(result.url ?? "");
  const [news, robots, own] = [await site.ask("/news/"), await site.ask("/robots.txt"), await createHttpSite(sandbox.facts.edge).ask("/news/")];
  expect(news?.headers).toMatchObject({ "cache-control": "public, max-age=0, must-revalidate", "x-robots-tag": "noindex" });
  expect(news?.hash).not.toBe(own?.hash);
  expect([robots?.size, own?.headers["x-robots-tag"]]).toEqual([26, undefined]);
  expect((await project.run(["verify", "--preview", "Spring/Fares"])).exit).toBe(0);
  // Production has nothing to do with it.
  const idle = await project.result(["compare", "--build", `${BUILDS}/1`]);
  expect([idle.release, idle.counts.foreign, idle.requests.list]).toEqual([1, 0, 1]);
}); // prettier-ignore

test("the link stands alone on the last line, also where nothing was to do; then the time begins anew once half of it is gone", async () => {
  const stage = await setUp(BY_HOST, "");
  const { sandbox, project } = stage;
  const first = await project.run(["deliver", "--preview", "main", "--summary", "summary.md"]);
  const link = first.stdout.trimEnd().split("\n").at(-1) ?? "";
  expect(link).toMatch(/^http:\/\/main\.preview\.localhost:\d+$/);
  expect(readFileSync(join(project.folder, "summary.md"), "utf8")).toContain(`**${link}** until `);
  const again = await project.run(["deliver", "--preview", "main"]);
  expect(again.stdout).toMatch(/nothing was written/);
  expect(again.stdout.trimEnd().split("\n").at(-1)).toBe(link);
  const [before] = (await listPreviews(stage)).previews;
  await setUntil(sandbox, "main", new Date(Date.now() + 60_000));
  const prolonged = await project.result(["deliver", "--preview", "main"]);
  expect([prolonged.release, prolonged.changes]).toEqual([1, []]);
  const [after] = (await listPreviews(stage)).previews;
  expect(Date.parse(after?.until ?? "")).toBeGreaterThanOrEqual(Date.parse(before?.until ?? ""));
  expect(prolonged.preview?.until).toBe(after?.until);
}); // prettier-ignore

/** Writes another end into the pointer of a preview, as if time had passed. */
async function setUntil(sandbox: RunningSandbox, label: string, until: Date): Promise<void> {
  const store = openStore(sandbox, `previews/${label}/`);
  const found = await store.get(POINTER_KEY);
  let text = "";
  for await (const chunk of found?.body ?? []) text += Buffer.from(chunk).toString();
  const body = Buffer.from(text.replace(/"until": "[^"]*"/, `"until": "${until.toISOString()}"`));
  const { createHash } = await import("node:crypto");
  const hash = createHash("sha256").update(body).digest("hex");
  await store.put(POINTER_KEY, { size: body.length, hash, open: () => body }, found?.headers ?? {});
  store.close();
}

test("previews are listed, removed by name, by those that stay and by their end, and nothing else is", async () => {
  const stage = await setUp();
  const { sandbox, project } = stage;
  const before = await readProduction(stage);
  for (const name of ["one", "two", "three/x", "four"]) await project.result(["deliver", "--preview", name, "--build", `${BUILDS}/2`]);
  const store = openStore(sandbox, "previews/");
  const labels = async (): Promise<string[]> => [...new Set((await listKeys(store)).map((key) => key.split("/")[0] as string))].sort();
  const three = (await labels()).find((label) => label.startsWith("three-x-")) ?? "";
  const { previews } = await listPreviews(stage);
  expect(previews.map(({ name, isOver }) => [name, isOver]).sort()).toEqual([["four", false], ["one", false], ["three/x", false], ["two", false]]);
  expect(previews.map(({ objects, bytes }) => objects > 17 && bytes > 15_000)).toEqual([true, true, true, true]);

  expect(await project.run(["previews", "--remove", "nowhere"])).toMatchObject({ exit: 2 });
  expect(await project.run(["previews", "--remove", "one"])).toMatchObject({ exit: 3 });
  expect(await project.run(["previews", "--keep", "", "--yes"])).toMatchObject({ exit: 2 });
  expect(await project.run(["previews", "--remove", "one", "--dry-run"])).toMatchObject({ exit: 0 });
  expect(await labels()).toEqual(["four", "one", three, "two"].sort());
  expect(await project.run(["previews", "--remove", "one", "--yes"])).toMatchObject({ exit: 0, stdout: expect.stringMatching(/1 preview removed\n +one /) as string });
  expect(await labels()).toEqual(["four", three, "two"].sort());
  expect(await project.run(["previews", "--keep", "three/x", "--keep", "two", "--yes"])).toMatchObject({ exit: 0 });
  expect(await labels()).toEqual([three, "two"].sort());

  await setUntil(sandbox, "two", new Date(Date.now() - 1000));
  const planned = JSON.parse((await project.run(["prune", "--dry-run", "--format", "json"])).stdout) as { previews: string[] };
  expect([planned.previews, await labels()]).toEqual([["two"], [three, "two"].sort()]);
  expect((await project.run(["prune"])).stdout).toContain("These previews are past their time and were removed: two.");
  expect(await labels()).toEqual([three]);
  expect(await readProduction(stage)).toEqual(before);
  store.close();
}); // prettier-ignore

test("two previews and a delivery go side by side: none waits for another", async () => {
  const { sandbox, settings } = await setUp();
  const project = new Project(settings, sandbox.facts);
  const calls = [["--preview", "one"], ["--preview", "two"], []].map((more) =>
    project.run(["deliver", "--build", `${BUILDS}/2`, ...more, "--format", "json"]),
  );
  const outcomes = await Promise.all(calls);
  expect(outcomes.map(({ exit, stderr }) => [exit, /waiting for deliver|has the hold/.test(stderr)])).toEqual([[0, false], [0, false], [0, false]]);
}); // prettier-ignore

test("by path: only for a build that was made for it, and said that robots can't be kept out from there", async () => {
  const { project, dist } = await setUp(() => "lasts: 2d");
  const refused = await project.run(["deliver", "--preview", "main"]);
  expect([refused.exit, refused.stderr]).toEqual([3, expect.stringMatching(/build it with \/previews\/main\/ as its base path, or give previews a host name.*wrong-base/s)]);
  const relative = writeFiles(join(dist, "../relative"), { "index.html": '<script src="app.js"></script>', "app.js": "boat();" });
  const { url, warnings } = await project.result(["deliver", "--preview", "main", "--build", relative]);
  expect(url).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/previews\/main\/$/);
  expect(warnings.join()).toContain("search engines can find /previews/main/");
  expect((await createHttpSite(url ?? "").ask("/previews/main/index.html"))?.status).toBe(200);
}); // prettier-ignore

test("what is to be forgotten goes from production, its vault and every preview that has it, and comes back nowhere", async () => {
  const stage = await setUp();
  const { sandbox, project, dist } = stage;
  // A preview that has what production has, one of another branch with a secret of its own, and one with neither.
  await project.result(["deliver", "--preview", "boats"]);
  writeFiles(dist, { "downloads/crew.csv": "names of the crew" });
  await project.result(["deliver", "--preview", "crew"]);
  for (const name of ["downloads/crew.csv", "downloads/fares.csv"]) rmSync(join(dist, name));
  await project.result(["deliver", "--preview", "plain", "--allow", "vanish"]);
  const call = ["prune", "--forget", "/downloads/fares.csv", "--forget", "downloads/crew.csv"];
  const before = await project.run(call);
  expect([before.exit, before.stderr]).toEqual([3, expect.stringMatching(/1 object to remove from the preview boats\n[^]*2 objects to remove from the preview crew\n/)]);
  const whole = openStore(sandbox, "");
  expect(await listKeys(whole)).toContain("previews/crew/downloads/crew.csv");
  const { stdout } = await project.run([...call, "--yes", "--format", "json"]);
  const { removed, inPreviews } = JSON.parse(stdout) as PruneResult;
  expect(removed.map(({ key }) => key)).toEqual(["downloads/fares.csv"]);
  expect(inPreviews?.map(({ preview, removed: gone }) => [preview, gone.map(({ key }) => key)])).toEqual([
    ["boats", ["downloads/fares.csv"]],
    ["crew", ["downloads/crew.csv", "downloads/fares.csv"]],
  ]);
  const keys = await listKeys(whole);
  expect(keys.filter((key) => /(crew|fares)\.csv$/.test(key))).toEqual([]);
  expect(keys.filter((key) => key.startsWith("previews/plain/")).length).toBeGreaterThan(10);
  cpSync(`${BUILDS}/1/downloads/fares.csv`, join(dist, "downloads/fares.csv"));
  for (const preview of ["boats", "new"]) {
    const again = await project.run(["deliver", "--preview", preview]);
    expect([again.exit, again.stderr]).toEqual([3, expect.stringContaining("fares.csv: is a file that was removed for good")]);
  }
  expect((await project.run(["prune", "--forget", "never.txt", "--dry-run"])).exit).toBe(2);
  // A delivery that died before its first record: what it has left may be just that.
  await whole.put("previews/half/.courier/open/run.ndjson.gz", toContent(Buffer.from("{")), {});
  whole.close();
  const unknown = await project.run([...call, "--yes"]);
  expect([unknown.exit, unknown.stderr]).toEqual([1, expect.stringContaining("rcourier previews --remove half")]);
}); // prettier-ignore

test("in CI the branch names a preview, elsewhere somebody must", async () => {
  const { project } = await setUp();
  const ci = { CI: "true", GITHUB_ACTIONS: "true", GITHUB_REF_NAME: "12/merge", GITHUB_HEAD_REF: "boats" };
  const { exit, stdout } = await project.run(["deliver", "--preview", "--quiet"], ci);
  expect([exit, stdout.trimEnd().split("\n").at(-1)]).toEqual([0, expect.stringMatching(/^http:\/\/boats\.preview/)]);
  const unnamed = await project.run(["deliver", "--preview"]);
  expect([unnamed.exit, unnamed.stderr]).toEqual([2, expect.stringContaining("only in CI the branch is known")]);
}); // prettier-ignore

test.each([
  ['prefix: "previews/"', "a folder for all previews with {name} in it"],
  ['prefix: "{name}/"', "a folder for all previews with {name} in it"],
  ['address: "https://preview.example"', "an address with {name} in it, once"],
  ['address: "preview.example/{name}"', "an address that starts with http"],
  ["lasts: 1s", "a preview lasts between 1m and 10y"],
  [
    'prefix: "sites/{name}/"',
    /courier\.yaml:4:.*the destination other stands in the folder of these previews/,
  ],
  ['prefix: "shared/{name}/"', "the destination third stands in the folder of these previews"],
])("settings with %s are refused", async (previews, message) => {
  const store = (prefix: string): string => `{ kind: s3, bucket: b, region: eu-west-1, prefix: "${prefix}" }`;
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations:\n  live: { url: "https://www.pelicansound.example", store: ${store("")}, previews: { ${previews} }, default: true }\n  other: { store: ${store("sites/other/")} }\n  third: { url: "https://third.example", store: ${store("third/")}, previews: { prefix: "shared/{name}/", address: "https://{name}.third.example" } }\n`;
  const project = new ProjectHere(settings, { accessKeyId: "", secretAccessKey: "" });
  writeFiles(project.folder, { "dist/index.html": "boats" });
  const { exit, stderr } = await project.run(["deliver", "--preview", "main"]);
  expect([exit, stderr]).toEqual([
    2,
    typeof message === "string" ? expect.stringContaining(message) : expect.stringMatching(message),
  ]);
});

test("previews of a folder come with their first file and go with their last, and go live as any others", async () => {
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations: { live: { url: "http://live.example", store: { kind: folder, folder: out }, previews: { address: "http://{name}.live.example" } } }\n`;
  const project = new ProjectHere(settings, { accessKeyId: "", secretAccessKey: "" });
  const [dist, out] = [join(project.folder, "dist"), join(project.folder, "out")];
  cpSync(`${BUILDS}/1`, dist, { recursive: true });
  const missing = await project.run(["deliver", "--preview", "spring"]);
  expect([missing.exit, missing.stderr, existsSync(out)]).toEqual([1, expect.stringContaining("there is no folder"), false]);
  mkdirSync(out);
  await project.result(["deliver"]);
  const list = async (): Promise<PreviewsResult> =>
    JSON.parse((await project.run(["previews", "--format", "json"])).stdout) as PreviewsResult;
  expect([(await list()).previews, (await project.run(["compare", "--preview", "spring"])).exit]).toEqual([[], 0]);
  expect(readdirSync(out)).not.toContain("previews");
  appendFileSync(join(dist, "news/index.html"), "<!-- news -->");
  await project.result(["deliver", "--preview", "spring"]);
  await project.result(["deliver", "--preview", "summer"]);
  const read = (folder = out): string => readFileSync(join(folder, "news/index.html"), "utf8");
  expect([read().includes("<!--"), read(join(out, "previews/spring")).includes("<!--")]).toEqual([false, true]);
  expect((await list()).previews.map(({ name }) => name)).toEqual(["spring", "summer"]);
  const live = await project.result(["redeliver", "preview/spring@1"]);
  expect([live.changes.map(({ key }) => key), read()]).toEqual([["news/index.html"], read(dist)]);
  expect((await project.result(["compare"])).changes).toEqual([]);
  expect((await project.run(["previews", "--remove", "spring", "--yes"])).exit).toBe(0);
  expect(readdirSync(join(out, "previews"))).toEqual(["summer"]);
  expect((await project.run(["previews", "--keep", "none", "--yes"])).exit).toBe(0);
  expect([readdirSync(out).includes("previews"), read()]).toEqual([false, read(dist)]);
  // A name that is too long for an address of later is still the name of what was made under it.
  const long = "spring-".repeat(8) + "fares";
  await project.result(["deliver", "--preview", long]);
  writeFiles(project.folder, { "courier.yaml": settings.replace("{name}.live", "to-be-shown-{name}.live") });
  expect((await project.run(["previews", "--keep", long, "--yes"])).exit).toBe(0);
  expect(readdirSync(join(out, "previews"))).toEqual([long]);
  expect((await project.run(["previews", "--remove", long, "--yes"])).exit).toBe(0);
  expect(readdirSync(out)).not.toContain("previews");
  expect(readdirSync(join(out, ".courier/unfinished"))).toEqual([]);
}); // prettier-ignore

test("no other destination's folder stands among the previews of a folder", async () => {
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations:\n  live: { url: "http://live.example", store: { kind: folder, folder: out }, previews: { prefix: "web/{name}/" }, default: true }\n  other: { store: { kind: folder, folder: ./out/web/other } }\n`;
  const project = new ProjectHere(settings, { accessKeyId: "", secretAccessKey: "" });
  writeFiles(project.folder, { "dist/index.html": "boats" });
  const { exit, stderr } = await project.run(["deliver", "--preview", "main"]);
  expect([exit, stderr]).toEqual([2, expect.stringContaining("the destination other stands in the folder")]);
});

test("a destination without previews says how it gets some", async () => {
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations: { live: { store: { kind: folder, folder: out } } }\n`;
  const project = new ProjectHere(settings, { accessKeyId: "", secretAccessKey: "" });
  const { exit, stderr } = await project.run(["deliver", "--preview", "main"]);
  expect([exit, stderr]).toEqual([
    2,
    expect.stringMatching(/live has no previews.*set destinations\.live\.previews/s),
  ]);
});

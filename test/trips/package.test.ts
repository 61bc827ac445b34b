import { execFileSync, spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { createRequire } from "node:module";
import { chownSync, copyFileSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, symlinkSync } from "node:fs"; // prettier-ignore
import { join, resolve } from "node:path";
import * as library from "../../src/library/index.ts";
import type { Settings } from "../../src/library/index.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { listBlocks } from "../support/documents.ts";
import { AT_ONCE, RunningSandbox, type Outcome } from "../support/program.ts";

const LEFT_BEHIND = new Set(["node_modules", "dist", ".git"]);
const IS_WINDOWS = process.platform === "win32";

/** Who installs and runs it has no rights, where this test can choose. */
const USER = process.getuid?.() === 0 ? { uid: 65_534, gid: 65_534 } : {};

const npm = (folder: string, args: readonly string[], user: typeof USER = {}): string =>
  execFileSync("npm", [...args, "--no-audit", "--no-fund", "--offline", "--loglevel=error"], {
    ...user,
    cwd: folder,
    encoding: "utf8",
    shell: IS_WINDOWS,
    env: {
      ...process.env,
      NODE_OPTIONS: "",
      HOME: folder,
      npm_config_cache: join(folder, ".npm"),
      npm_config_update_notifier: "false",
    },
  });

/** The package as `npm pack` makes it of a clean clone. */
function packClone(): string {
  const clone = temporaryFolder("clone");
  for (const name of readdirSync(".").filter((entry) => !LEFT_BEHIND.has(entry)))
    cpSync(name, join(clone, name), { recursive: true });
  // What `npm ci` would put there.
  symlinkSync(resolve("node_modules"), join(clone, "node_modules"), "junction");
  const printed = npm(clone, ["pack", "--ignore-scripts=false", "--silent"]).trim().split("\n");
  return join(clone, printed.at(-1) ?? "");
}

const place = temporaryFolder("installed");
const packed = join(place, "package.tgz");
/** A project with nothing in it. */
const EMPTY = { "package.json": '{ "name": "ferries", "version": "1.0.0" }' };
beforeAll(() => {
  copyFileSync(packClone(), packed);
  writeFiles(place, EMPTY);
  if (USER.uid !== undefined)
    for (const path of [place, packed, join(place, "package.json")]) chownSync(path, USER.uid, USER.gid);
  npm(place, ["install", packed], USER);
});

test("packed from a clean clone, the package works by itself for a user without rights, and installs nothing else", () => {
  const installed = readdirSync(join(place, "node_modules")).filter((name) => !name.startsWith("."));
  expect(installed).toEqual(["restless-courier"]);
  const own = join(place, "node_modules/restless-courier");
  expect(existsSync(join(own, "node_modules"))).toBe(false);
  for (const file of [
    "README.md",
    "LICENSE",
    "docs/settings.md",
    "courier.schema.json",
    "schemas/event.schema.json",
    "dist/LICENSES.txt",
    "dist/rcourier.1",
  ])
    expect([file, existsSync(join(own, file))]).toEqual([file, true]);
  expect(readFileSync(join(own, "dist/LICENSES.txt"), "utf8")).toContain("yargs ");

  const empty = join(place, "empty");
  mkdirSync(empty);
  if (USER.uid !== undefined) chownSync(empty, USER.uid, USER.gid);
  const program = join(place, "node_modules/.bin", IS_WINDOWS ? "rcourier.cmd" : "rcourier");
  const call = (...args: string[]) =>
    spawnSync(program, args, {
      ...USER,
      cwd: empty,
      encoding: "utf8",
      shell: IS_WINDOWS,
      env: { PATH: process.env.PATH, HOME: empty, TMPDIR: empty },
    });
  const demo = call("demo");
  expect([demo.status, demo.stderr, demo.stdout]).toEqual([0, "", expect.stringContaining("release 3 is delivered; it replaces release 2")]); // prettier-ignore
  expect(call("--help")).toMatchObject({ status: 0, stdout: expect.stringContaining("deliver") as string });

  const settings = "site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations: { shelf: { store: { kind: folder, folder: shelf } } }\n"; // prettier-ignore
  writeFiles(empty, { "courier.yaml": settings, "dist/index.html": "<p>ferries", "shelf/.keep": "" });
  if (USER.uid !== undefined) chownSync(join(empty, "shelf"), USER.uid, USER.gid);
  expect(call("deliver")).toMatchObject({ status: 0 });
  const survey = JSON.parse(call("survey", "--format", "json").stdout) as { kind: string; version: number };
  const schema = createRequire(join(place, "package.json")).resolve(`restless-courier/schemas/${survey.kind}.schema.json`); // prettier-ignore
  const { $id } = JSON.parse(readFileSync(schema, "utf8")) as { $id: string };
  expect($id).toBe(`urn:restless-courier:survey:${survey.version}`);
  expect(readFileSync(join(empty, "shelf/index.html"), "utf8")).toBe("<p>ferries");

  const starts = Array.from({ length: 5 }, () => {
    const began = performance.now();
    call("--help");
    return performance.now() - began;
  });
  const kB = (bytes: number): string => `${Math.round(bytes / 1000)} kB`;
  process.stdout.write(`the package: ${kB(statSync(packed).size)}; --help in ${Math.round(Math.min(...starts))} ms\n`); // prettier-ignore
});

/** Settings of all kinds. */
const WHOLE: Settings = {
  site: "Pelican Sound Ferries",
  build: { folder: "dist", exclude: ["**/*.map"], clientRoutes: true },
  addresses: { pages: ["folder"] },
  freshness: [{ files: "timetables/**", browser: "1m", edge: "1h" }],
  headers: [{ files: "downloads/**", set: { "Content-Disposition": "attachment" } }],
  redirects: [{ address: "/latest", leadsTo: "/news/", kind: "permanent" }],
  destinations: {
    web: {
      url: "https://www.pelicansound.example",
      store: { kind: "s3", bucket: "ferries", region: "eu-west-1", readers: "edge-only" },
      edge: { kind: "distribution", id: "EXAMPLE0000001", query: "ignored", headers: { "X-Frame-Options": "DENY" } },
      retain: { releases: 5, for: "14d" },
      guards: { vanish: "25%" },
    },
    staging: {
      store: { kind: "folder", folder: "/srv/www" },
      edge: [{ kind: "purge", nodes: ["http://127.0.0.1:8460"], confirm: "off" }],
      previews: { address: "https://{name}.preview.pelicansound.example" },
    },
  },
}; // prettier-ignore

/** A project with nothing in it but the installed package, and what examples need besides. */
function addLibrary(folder: string): void {
  writeFiles(folder, EMPTY);
  cpSync(join(place, "node_modules"), join(folder, "node_modules"), { recursive: true });
  for (const name of ["esbuild", "@types/node", "undici-types"]) {
    mkdirSync(join(folder, "node_modules", name, ".."), { recursive: true });
    symlinkSync(resolve("node_modules", name), join(folder, "node_modules", name), "junction");
  }
  cpSync(join(folder, "node_modules/restless-courier/examples"), folder, { recursive: true });
}

test("the examples type-check against the packed package in an empty folder, and what it does not take is refused", () => {
  const folder = temporaryFolder("typed");
  addLibrary(folder);
  writeFiles(folder, {
    "wrong.mts": [
      'import { deliver, redeliver, type Settings } from "restless-courier";',
      `const settings: Settings = ${JSON.stringify(WHOLE)};`,
      "const { counts, invalidation } = await deliver({ settings, signal: new AbortController().signal });",
      "export const sums: readonly [number, string[]] = [counts.new, invalidation.owed];",
      "void deliver({ settings: 5 });",
      'void deliver({ alow: ["vanish"] });',
      'void deliver({ allow: ["everything"] });',
      "void redeliver({});",
      'void deliver({ onEvent: (event) => event.event === "step" && event.seconds });',
      'export const other: Settings = { site: "Ferries", destinations: { web: { store: { kind: "ftp" } } } };',
    ].join("\n"),
  });
  const { stdout } = spawnSync(
    process.execPath,
    [resolve("node_modules/typescript/bin/tsc"), "--noEmit", "--checkJs", "--strict", "--exactOptionalPropertyTypes", "--module", "nodenext", "--target", "es2023", "--lib", "es2023", "--types", "node", "after-build.mjs", "preview-branch.mjs", "wrong.mts"],
    { cwd: folder, encoding: "utf8" },
  );
  const wrong = [...stdout.matchAll(/^(\S+)\((\d+),\d+\): error/gm)].map(([, file, line]) => `${file ?? ""}:${line ?? ""}`);
  expect(wrong).toEqual([5, 6, 7, 8, 9, 10].map((line) => `wrong.mts:${line}`));
}); // prettier-ignore

test("the example after a build delivers the demo's site, stops well, and goes on from there; another makes a preview", async () => {
  const sandbox = await RunningSandbox.startApart();
  const { edge, pops, purgeToken, accessKeyId, secretAccessKey } = sandbox.facts;
  const more = `    url: ${edge}\n    previews: { prefix: "previews/{name}/", address: "http://{name}.preview.localhost:${new URL(edge).port}" }\n    edge: { kind: purge, nodes: ${JSON.stringify(pops)}, token: ${purgeToken}, query: ignored, ${AT_ONCE} }`;
  const folder = temporaryFolder("scripted");
  addLibrary(folder);
  const names = execFileSync(process.execPath, ["-p", 'import("restless-courier").then((all) => console.log(Object.keys(all).sort().join(" "))), ""'], { cwd: folder, encoding: "utf8", env: { ...process.env, NODE_OPTIONS: "" } });
  expect(names.trim().split(" ")).toEqual(Object.keys(library).sort());
  cpSync("demo/builds/1", join(folder, "dist"), { recursive: true });
  writeFiles(folder, { "courier.yaml": sandbox.settings("dist", more), "src/app.js": "console.log('all ferries run');" });
  const call = async (script: string, args: readonly string[], stopAt?: RegExp): Promise<Outcome> => {
    const child = spawn(process.execPath, [script, ...args], {
      cwd: folder,
      stdio: ["ignore", "pipe", "pipe"],
      env: { ...process.env, NODE_OPTIONS: "", HOME: folder, AWS_ACCESS_KEY_ID: accessKeyId, AWS_SECRET_ACCESS_KEY: secretAccessKey },
    });
    const said = { stdout: "", stderr: "" };
    child.stdout.setEncoding("utf8").on("data", (text: string) => {
      said.stdout += text;
      if (stopAt?.test(said.stdout)) child.kill("SIGINT");
    });
    child.stderr.setEncoding("utf8").on("data", (text: string) => (said.stderr += text));
    const [exit] = (await once(child, "close")) as [number];
    return { exit, ...said };
  };
  expect(await call("after-build.mjs", ["practice"], /stock: /)).toMatchObject({ exit: 130, stderr: expect.stringContaining("make the same call again to go on from here") as string });
  expect((await fetch(`${edge}/`)).status).toBe(404);
  const done = await call("after-build.mjs", ["practice"]);
  expect(done).toMatchObject({ exit: 0, stderr: "", stdout: expect.stringMatching(/59 files[^]*switch: \d+ steps[^]*release 1 at http/) as string });
  expect(await (await fetch(`${edge}/`)).text()).toBe(readFileSync("demo/builds/1/index.html", "utf8"));
  expect(await call("after-build.mjs", [])).toMatchObject({ exit: 0, stdout: expect.stringContaining("nothing to do after release 1") as string });
  expect(await call("after-build.mjs", ["elsewhere"])).toMatchObject({ exit: 1, stderr: expect.stringContaining("destination-unknown: ") as string });
  const shown = await call("preview-branch.mjs", ["spring/fares"]);
  expect(shown).toMatchObject({ exit: 0, stderr: "", stdout: expect.stringMatching(/^http\S+spring-fares\S* until \d{4}-/) as string });
  await sandbox.stop();
}); // prettier-ignore

test("the script of docs/library.md runs as it stands: it delivers, and says what is wrong", () => {
  const folder = temporaryFolder("script");
  addLibrary(folder);
  const [script] = listBlocks(join("docs", "library.md")).filter(({ language }) => language === "js");
  writeFiles(folder, {
    "script.mjs": script?.text ?? "",
    "dist/index.html": "<p>ferries",
    "shelf/.keep": "",
    "courier.yaml": "site: Pelican Sound Ferries\ndestinations: { staging: { url: 'http://127.0.0.1:1', store: { kind: folder, folder: shelf } } }\n",
  });
  const run = () =>
    spawnSync(process.execPath, ["script.mjs"], {
      ...{ cwd: folder, encoding: "utf8" as const },
      env: { PATH: process.env.PATH, HOME: folder },
    });
  const done = run();
  expect([done.status, done.stdout, done.stderr]).toEqual([0, "release 1 at http://127.0.0.1:1\n", ""]);
  rmSync(join(folder, "dist"), { recursive: true });
  expect(run()).toMatchObject({ status: 1, stderr: expect.stringContaining("there is no build at") as string });
}); // prettier-ignore

import { execFileSync, spawnSync } from "node:child_process";
import { chownSync, copyFileSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, statSync, symlinkSync } from "node:fs"; // prettier-ignore
import { join, resolve } from "node:path";
import { temporaryFolder, writeFiles } from "../support/builds.ts";

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
    env: { ...process.env, NODE_OPTIONS: "", HOME: folder, npm_config_cache: join(folder, ".npm") },
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

test("packed from a clean clone, the package works by itself for a user without rights, and installs nothing else", () => {
  const tarball = packClone();
  const place = temporaryFolder("installed");
  const packed = join(place, "package.tgz");
  copyFileSync(tarball, packed);
  if (USER.uid !== undefined) for (const path of [place, packed]) chownSync(path, USER.uid, USER.gid);
  npm(place, ["init", "--yes"], USER);
  npm(place, ["install", packed], USER);
  const installed = readdirSync(join(place, "node_modules")).filter((name) => !name.startsWith("."));
  expect(installed).toEqual(["restless-courier"]);
  const own = join(place, "node_modules/restless-courier");
  expect(existsSync(join(own, "node_modules"))).toBe(false);
  for (const file of ["README.md", "LICENSE", "docs/settings.md", "courier.schema.json", "dist/LICENSES.txt"])
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
  expect([demo.status, demo.stderr, demo.stdout]).toEqual([0, "", expect.stringContaining("release 3 after 2")]); // prettier-ignore
  expect(call("--help")).toMatchObject({ status: 0, stdout: expect.stringContaining("deliver") as string });

  const settings = "site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations: { shelf: { store: { kind: folder, folder: shelf } } }\n"; // prettier-ignore
  writeFiles(empty, { "courier.yaml": settings, "dist/index.html": "<p>ferries", "shelf/.keep": "" });
  if (USER.uid !== undefined) chownSync(join(empty, "shelf"), USER.uid, USER.gid);
  expect(call("deliver")).toMatchObject({ status: 0 });
  expect(readFileSync(join(empty, "shelf/index.html"), "utf8")).toBe("<p>ferries");

  const starts = Array.from({ length: 5 }, () => {
    const began = performance.now();
    call("--help");
    return performance.now() - began;
  });
  const kB = (bytes: number): string => `${Math.round(bytes / 1000)} kB`;
  process.stdout.write(`the package: ${kB(statSync(packed).size)}; --help in ${Math.round(Math.min(...starts))} ms\n`); // prettier-ignore
});

import { execFileSync, spawnSync } from "node:child_process";
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync } from "node:fs";
import { join, resolve } from "node:path";
import { temporaryFolder } from "../support/builds.ts";

const LEFT_BEHIND = new Set(["node_modules", "dist", ".git"]);
const IS_WINDOWS = process.platform === "win32";

const npm = (folder: string, ...args: readonly string[]): string =>
  execFileSync("npm", [...args, "--no-audit", "--no-fund", "--offline", "--loglevel=error"], {
    cwd: folder,
    encoding: "utf8",
    shell: IS_WINDOWS,
    env: { ...process.env, NODE_OPTIONS: "", npm_config_cache: join(folder, ".npm") },
  });

test("packed from a clean clone, the package works by itself where it is installed, and installs nothing else", () => {
  const clone = temporaryFolder("clone");
  for (const name of readdirSync(".").filter((entry) => !LEFT_BEHIND.has(entry)))
    cpSync(name, join(clone, name), { recursive: true });
  // What `npm ci` would put there.
  symlinkSync(resolve("node_modules"), join(clone, "node_modules"), "junction");
  const tarball = npm(clone, "pack", "--ignore-scripts=false", "--silent").trim().split("\n").at(-1) ?? "";
  const place = temporaryFolder("installed");
  npm(place, "init", "--yes");
  npm(place, "install", join(clone, tarball));
  expect(readdirSync(join(place, "node_modules")).filter((name) => !name.startsWith("."))).toEqual([
    "restless-courier",
  ]);
  const own = join(place, "node_modules/restless-courier");
  expect(existsSync(join(own, "node_modules"))).toBe(false);
  for (const file of ["README.md", "LICENSE", "docs/settings.md", "courier.schema.json", "dist/LICENSES.txt"])
    expect([file, existsSync(join(own, file))]).toEqual([file, true]);
  expect(readFileSync(join(own, "dist/LICENSES.txt"), "utf8")).toContain("yargs ");
  const empty = join(place, "empty");
  mkdirSync(empty);
  const program = join(place, "node_modules/.bin", IS_WINDOWS ? "rcourier.cmd" : "rcourier");
  const { status, stdout, stderr } = spawnSync(program, ["demo"], {
    cwd: empty,
    encoding: "utf8",
    shell: IS_WINDOWS,
    env: { PATH: process.env.PATH, HOME: empty, TMPDIR: empty },
  });
  expect([status, stderr, stdout]).toEqual([0, "", expect.stringContaining("release 3 after 2")]);
}, 180_000);

import { execFileSync, spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { temporaryFolder, writeFiles } from "../support/builds.ts";

const GIT = ["-c", "user.name=somebody", "-c", "user.email=somebody@pelicansound.example"];

/** A repository that has something to release, and a check that ends so. */
function newRepository(exit: number, changelog = "# Changelog\n\n## Unreleased\n\n- Boats sail on Sundays.\n"): string {
  const folder = writeFiles(temporaryFolder("release"), {
    "package.json": JSON.stringify({ name: "ferries", version: "0.1.0" }),
    "CHANGELOG.md": changelog,
    ".ci/run": `exit ${exit}\n`,
  });
  git(folder, "init", "--quiet");
  git(folder, "config", "user.name", "somebody");
  git(folder, "config", "user.email", "somebody@pelicansound.example");
  git(folder, "add", "--all");
  git(folder, "commit", "--quiet", "--message", "all");
  return folder;
} // prettier-ignore

const git = (folder: string, ...args: string[]): string =>
  execFileSync("git", [...GIT, ...args], { cwd: folder, encoding: "utf8" }).trim();

const release = (folder: string, ...args: string[]) =>
  spawnSync(process.execPath, [resolve("scripts/release.mjs"), ...args], {
    cwd: folder,
    encoding: "utf8",
    env: { ...process.env, NODE_OPTIONS: "" },
  });

test("a release is committed and tagged with its part of the changelog, once the check is green", () => {
  const folder = newRepository(0);
  expect(release(folder, "0.2.0")).toMatchObject({ status: 0, stdout: expect.stringContaining("ferries 0.2.0 is committed and tagged") as string }); // prettier-ignore
  expect(readFileSync(join(folder, "CHANGELOG.md"), "utf8")).toMatch(/^# Changelog\n\n## Unreleased\n\n## 0\.2\.0 \(\d{4}-\d\d-\d\d\)\n\n- Boats sail on Sundays\.\n$/); // prettier-ignore
  expect(JSON.parse(readFileSync(join(folder, "package.json"), "utf8"))).toMatchObject({ version: "0.2.0" });
  expect([git(folder, "status", "--porcelain"), git(folder, "tag", "--list")]).toEqual(["", "v0.2.0"]);
  expect(git(folder, "log", "-1", "--format=%B")).toContain("Boats sail on Sundays");
  // Nothing is new since.
  expect(release(folder, "0.3.0")).toMatchObject({ status: 1, stderr: expect.stringContaining("Unreleased") as string }); // prettier-ignore
});

test("nothing is released while the check is red, or anything is missing", () => {
  const red = newRepository(1);
  expect(release(red, "0.2.0")).toMatchObject({ status: 1, stderr: expect.stringContaining("the check is red") as string }); // prettier-ignore
  const folder = newRepository(0);
  for (const [version, why] of [["", "name a version"], ["0.1.0", "does not come after"], ["0.0.9", "does not come after"]] as const) // prettier-ignore
    expect(release(folder, version)).toMatchObject({ status: 1, stderr: expect.stringContaining(why) as string }); // prettier-ignore
  git(folder, "tag", "v0.2.0");
  expect(release(folder, "0.2.0").stderr).toContain("is there already");
  writeFiles(folder, { "CHANGELOG.md": "other" });
  expect(release(folder, "0.3.0").stderr).toContain("not committed");
  for (const one of [red, folder]) expect(git(one, "log", "--format=%s")).toBe("all");
});

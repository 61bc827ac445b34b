// Makes a release: `npm run release -- 0.2.0`. Refuses while anything is missing, and while the whole check of a fresh clone
// is red. Then the changelog's "Unreleased" becomes the version, package.json gets it, and both are committed and tagged.
// With --publish the package goes to the registry, with provenance where the CI service vouches for where it was built.
import { execFileSync, spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parseArgs } from "node:util";
import { runNpm } from "./npm.mjs";

const { positionals, values } = parseArgs({
  allowPositionals: true,
  options: { publish: { type: "boolean", default: false } },
});
const git = (...args) => execFileSync("git", args, { encoding: "utf8" }).trim();
const refuse = (why) => {
  process.stderr.write(`no release: ${why}\n`);
  process.exit(1);
};
const HEADING = "## Unreleased\n";

const [version = ""] = positionals;
const { name, version: before } = JSON.parse(readFileSync("package.json", "utf8"));
const changelog = readFileSync("CHANGELOG.md", "utf8");

if (!/^\d+\.\d+\.\d+$/.test(version)) refuse("name a version of three numbers: npm run release -- 0.2.0");
if (!isLater(version, before)) refuse(`${version} does not come after ${before}`);
if (git("status", "--porcelain") !== "") refuse("there are changes that are not committed");
if (git("tag", "--list", `v${version}`) !== "") refuse(`the tag v${version} is there already`);
const notes = /## Unreleased\n([^]*?)(?=\n## |$)/.exec(changelog)?.[1]?.trim() ?? "";
if (notes === "") refuse('CHANGELOG.md has nothing under "Unreleased"');

const clone = mkdtempSync(join(tmpdir(), "courier-release-"));
try {
  git("clone", "--quiet", ".", clone);
  process.stdout.write("the whole check, in a fresh clone …\n");
  const { status } = spawnSync("bash", [".ci/run"], { cwd: clone, stdio: "inherit" });
  if (status !== 0) refuse("the check is red");
} finally {
  rmSync(clone, { recursive: true, force: true });
}

const day = new Date().toISOString().slice(0, 10);
writeFileSync("CHANGELOG.md", changelog.replace(HEADING, `${HEADING}\n## ${version} (${day})\n`));
npm("version", version, "--no-git-tag-version");
git("commit", "--quiet", "--all", "--message", `Release ${version}`, "--message", notes);
git("tag", "--annotate", `v${version}`, "--message", `${name} ${version}`);
process.stdout.write(`${name} ${version} is committed and tagged. Push it with: git push --follow-tags\n`);

if (values.publish) {
  // Only a CI service that has a token for it can vouch.
  const vouches = ["ACTIONS_ID_TOKEN_REQUEST_URL", "SIGSTORE_ID_TOKEN"].some((key) => process.env[key]);
  npm("publish", ...(vouches ? ["--provenance"] : []));
  if (!vouches) process.stdout.write("published without provenance: no CI service vouches for this build\n");
}

function npm(...args) {
  try {
    runNpm(args, { stdio: "inherit" });
  } catch {
    refuse(`npm ${args[0]} failed`);
  }
}

function isLater(one, other) {
  const [a, b] = [one, other].map((text) => text.split(".").map(Number));
  const at = a.findIndex((number, index) => number !== b[index]);
  return at >= 0 && a[at] > b[at];
}

import { execFileSync } from "node:child_process";
import { chmodSync, existsSync, readdirSync, readFileSync, truncateSync } from "node:fs";
import { join } from "node:path";
import { HostilePlace, makeBuild } from "../support/hostile-place.ts";
import { needing } from "../support/needing.ts";
import { readResult } from "../support/results.ts";

const place = new HostilePlace();

test("where a result can't be written is said before anything is delivered; folders are made", async () => {
  const project = place.projectOf(makeBuild());
  const calls = [
    ["--output", "courier.yaml/result.json"],
    ["--output", "."],
    ["--summary", "courier.yaml/x.md"],
  ];
  place.sandbox.takeLedger();
  for (const call of calls) {
    const { exit, stderr } = await project.run(["deliver", ...call]);
    expect([call, exit, stderr]).toEqual([call, 2, expect.stringContaining("can't be written")]);
  }
  expect(place.sandbox.takeLedger()).toEqual([]);
  const files = ["--output", "out/of/result.json", "--summary", "more/summary.md"];
  expect((await project.run(["deliver", "--format", "json", ...files])).exit).toBe(0);
  expect(JSON.parse(readFileSync(join(project.folder, "out/of/result.json"), "utf8"))).toMatchObject({
    release: 1,
  });
  expect(existsSync(join(project.folder, "more/summary.md"))).toBe(true);
});

test.each([
  [["deliver", "--format", "json", "--nope"]],
  [["deliver", "--format=json", "surplus"]],
  [["sing", "--format", "ndjson"]],
  [["deliver", "--format", "json", "--queue", "soon"]],
])("a wrong call that asks for JSON is told so in JSON: %j", async (call) => {
  const { exit, stdout, stderr } = await place.projectOf(makeBuild()).run(call);
  expect([exit, stderr]).toEqual([2, ""]);
  expect(readResult("error", stdout).error.code).toBe("usage");
});

test("a damaged hash cache is dropped, and said to whoever wants to know", async () => {
  const project = place.projectOf(makeBuild());
  await project.result(["deliver"]);
  const folder = join(project.home, ".cache/restless-courier");
  const caches = readdirSync(folder).filter((name) => name !== "compiled");
  expect(caches.length).toBeGreaterThan(0);
  for (const name of caches) truncateSync(join(folder, name), 100);
  const { exit, stderr } = await project.run(["compare", "--verbose"]);
  expect([exit, stderr]).toEqual([0, expect.stringContaining("is damaged: every file is read anew")]);
});

/** Root may read everything, unless it is bound as everybody else is. */
const BOUND = process.getuid?.() === 0 ? ["setpriv", "--bounding-set", "-dac_override,-dac_read_search"] : [];

needing("a POSIX shell", "modes of files", "setpriv")("a part of the build that this user may not read is named", async () => {
  for (const script of ["mkdir shut; printf x > shut/a.html; chmod 000 shut", "printf x > shut; chmod 000 shut", "head -c 9000000 /dev/zero > shut; chmod 000 shut"]) {
    const build = makeBuild();
    execFileSync("sh", ["-c", script], { cwd: build });
    const project = place.projectOf(build);
    const outcome = await project.run(["deliver"], {}, BOUND);
    expect([script, outcome.exit, outcome.stderr]).toEqual([script, 3, expect.stringMatching(/shut is in the build and can't be read: this user may not read it/)]);
    chmodSync(join(build, "shut"), 0o755);
  }
}); // prettier-ignore

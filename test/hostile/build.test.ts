import { execFileSync } from "node:child_process";
import { symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Survey } from "../../src/results/survey.ts";
import { writeFiles } from "../support/builds.ts";
import { findForeignLines } from "../support/ci-log.ts";
import { HostilePlace, makeBuild } from "../support/hostile-place.ts";
import { needing } from "../support/needing.ts";

const place = new HostilePlace();

async function survey(build: string): Promise<Survey> {
  const { stdout } = await place.projectHereOf(build).run(["survey", "--all", "--format", "json"]);
  return JSON.parse(stdout) as Survey;
}

const pathsOf = ({ problems }: Survey, code: string): (string | undefined)[] =>
  problems.filter((problem) => problem.code === code).map(({ path }) => path);

const shellTest = needing("a POSIX shell");

needing("symbolic links")("what must never be shipped is not shipped under another name, in another case, or through a link", async () => {
  const build = makeBuild();
  writeFiles(build, { ".env": "TOKEN=tide", ".git/config": "[core]", ".ENV.local": "TOKEN=tide", "keys/Harbour.PEM": "-----", "assets/a.txt": "a" });
  for (const [link, target] of [
    ["config.txt", ".env"],
    ["g", ".git"],
    ["assets/deep.txt", "../.git/config"],
  ] as const)
    symlinkSync(target, join(build, link));
  const withheld = [".ENV.local", ".env", ".git", "assets/deep.txt", "config.txt", "g", "keys/Harbour.PEM"];
  const result = await survey(build);
  expect(pathsOf(result, "never-ship")).toEqual(withheld);
  expect(result.files.map(({ path }) => path)).toEqual(["app.css", "assets/a.txt", "index.html"]);
  const refused = await place.projectHereOf(build).run(["deliver"]);
  expect([refused.exit, refused.stderr]).toEqual([3, expect.stringContaining("config.txt")]);
  const lifted = await place.projectHereOf(build).result(["deliver", "--allow", "never-ship"]);
  expect(lifted.changes.map(({ key }) => key)).toEqual(["app.css", "assets/a.txt", "index.html"]);
}); // prettier-ignore

const sh = (folder: string, script: string): void => {
  execFileSync("sh", ["-c", script], { cwd: folder });
};

shellTest("a pipe is never waited for: in the build, as the build, as an archive, as the settings", async () => {
  const build = makeBuild();
  sh(build, "mkfifo pipe; mkfifo pipe.tar.gz");
  expect(pathsOf(await survey(build), "special-file")).toEqual(["pipe", "pipe.tar.gz"]);
  const project = place.projectHereOf(build);
  expect((await project.result(["deliver"])).changes.map(({ key }) => key)).toEqual(["app.css", "index.html"]);
  const pipe = join(build, "pipe");
  const calls: readonly (readonly [readonly string[], number, RegExp])[] = [
    [["deliver", "--build", pipe], 3, /there is no build/],
    [["deliver", "--build", `${pipe}.tar.gz`], 3, /there is no build/],
    [["deliver", "--settings", pipe], 2, /is no file/],
    [["setup", "--settings", pipe, "--bucket", "b", "--yes"], 2, /is no file/],
    [["deliver", "--settings", build], 2, /is no file/],
  ];
  for (const [call, exit, words] of calls) {
    const outcome = await project.run(call);
    expect([call, outcome.exit, outcome.stderr]).toEqual([call, exit, expect.stringMatching(words)]);
  }
}); // prettier-ignore

shellTest.each<[string, string, RegExp]>([
  ["a name that is no UTF-8", `printf x > "$(printf 'b\\351.html')"`, /its name is not UTF-8/],
  ["a folder whose name is no UTF-8", `mkdir "$(printf 'b\\351')"; printf x > "$(printf 'b\\351/a')"`, /its name is not UTF-8/],
  ["a path that is longer than the system allows", `d=$(printf 'x%.0s' $(seq 200)); for i in $(seq 25); do mkdir $d && cd $d || break; done 2>&-; printf x > a.html`, /its path is longer/],
])("%s is named, and nothing is written", async (_, script, words) => {
  const build = makeBuild();
  sh(build, script);
  const { exit, stderr } = await place.projectHereOf(build).run(["deliver"]);
  expect([exit, stderr]).toEqual([3, expect.stringMatching(words)]);
}); // prettier-ignore

const NAMES = [
  "news\nforeign.html",
  "news\n::stop-commands::tide.html",
  "::set-output name=a::b.html",
  "a\r::add-mask::b.html",
  "a\u2028::error::b.html",
  "##[error]a.html",
  "##vso[task.setvariable variable=a]b.html",
  "a##[group]b.html",
  "##teamcity[testFailed]a.html",
  "\u001b[0Ksection_start:1:a\r\u001b[0Kb.html",
];

test("no name of a file, and nothing that a person writes, is read as a command by a CI service", async () => {
  const build = makeBuild();
  for (const name of NAMES) writeFileSync(join(build, name), `<a href="missing\n::error::a">ferry</a>`);
  writeFiles(build, { "b\n::error::c/.env": "x" });
  const project = place.projectHereOf(build);
  const lift = ["--allow", "unfit-name", "--allow", "never-ship", "--allow", "missing-asset"];
  const foul = "spring\n::error::tide ##[error]\nforeign";
  const calls: readonly (readonly string[])[] = [
    ["survey", "--all"],
    ["survey", "--all", "--format", "json"],
    ["survey", "--all", "--format", "sarif"],
    ["deliver"],
    ["deliver", "--format", "json"],
    ["compare", "--all", ...lift],
    ["deliver", "--verbose", "--note", foul, "--commit", foul, ...lift],
    ["deliver", "--format", "ndjson", "--note", foul, ...lift],
    ["deliver", "--to", foul],
    ["explain", ...NAMES],
    ["explain", "missing\nforeign"],
    ["releases"],
    ["releases", "1"],
    ["releases", "--format", "json"],
    ["redeliver", "1", "--verbose"],
    ["prune", "--yes"],
    [foul],
    ["deliver", `--${foul}`],
    ["deliver", "--settings", foul],
    ["deliver", "--build", foul],
    ["deliver", "--sequence", foul],
    ["policy", "workflow", foul],
    ["invalidate", "/a\nforeign"],
    ["verify", "--format", "junit"],
  ];
  const sections = new Set(["survey", "compare", "deliver"]);
  for (const call of calls)
    for (const service of sections.has(call[0] ?? "")
      ? ["GITHUB_ACTIONS", "GITLAB_CI"]
      : ["GITHUB_ACTIONS"]) {
      const outcome = await project.run(call, { [service]: "true", [`COURIER_A\nforeign`]: "x" });
      expect([call, findForeignLines(outcome)]).toEqual([call, []]);
      expect([call, outcome.exit]).not.toEqual([call, 70]);
    }
});

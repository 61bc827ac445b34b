import { execFileSync } from "node:child_process";
import { mkdirSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { request } from "node:http";
import { dirname, join } from "node:path";
import fc from "fast-check";
import { EXITS } from "../../src/words/exits.ts";
import { temporaryFolder } from "../support/builds.ts";
import { foulText, fuzz, mutated, NASTY } from "../support/fuzz.ts";
import { Project, RunningSandbox, type Outcome } from "../support/program.ts";
import { findForeignLines } from "../support/ci-log.ts";
import { runWatched } from "../support/watched.ts";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

/** Megabytes that a call on a handful of files may take. */
const MOST_MEMORY = 400;
/** What every call must do, whatever it is given. */
function assertTold(call: readonly string[], outcome: Outcome & { readonly peak: number }): void {
  const { exit, stdout, stderr, peak } = outcome;
  const said = `${JSON.stringify(call)}: ${stdout.slice(0, 500)}${stderr.slice(0, 500)}`;
  if (exit === null || exit === 70 || !(exit in EXITS)) throw new Error(`exit ${exit} of ${said}`);
  if (peak > MOST_MEMORY) throw new Error(`${peak} MB for ${said}`);
  const [foreign] = findForeignLines(outcome);
  if (foreign !== undefined) throw new Error(`a line of somebody else's, ${JSON.stringify(foreign)}, in ${said}`);
  const isJson = call.some((word, index) => word === "json" && call[index - 1] === "--format");
  if (isJson && stdout !== "") JSON.parse(stdout);
} // prettier-ignore

const names = fc
  .array(fc.oneof(foulText(3), fc.constantFrom("index.html", "a.css", "b.js", "news", "latest")), { minLength: 1, maxLength: 3 })
  .map((parts) => parts.map((part) => part.replace(/[\0/]/g, "") || "x").filter((part) => part !== "." && part !== "..").map((part) => Buffer.from(part).subarray(0, 200).toString("utf8")).join("/"))
  .filter((name) => name !== ""); // prettier-ignore
const entries = fc.record({
  name: names,
  kind: fc.constantFrom("file", "file", "file", "folder", "link", "pipe"),
  text: fc.oneof(foulText(), mutated(["<!doctype html><a href='/x'>x</a><img src=y.png>", "a{background:url(z.png)}", "import './w.js'"])),
}); // prettier-ignore

/** Writes what can be written of it; what a file system refuses is none of our business. */
function writeFoulBuild(
  folder: string,
  files: readonly { name: string; kind: string; text: string }[],
): void {
  writeFileSync(join(folder, "index.html"), "<p>ferry</p>");
  for (const { name, kind, text } of files)
    try {
      const path = join(folder, name);
      mkdirSync(dirname(path), { recursive: true });
      if (kind === "folder") mkdirSync(path);
      else if (kind === "link") symlinkSync(text.replace(/\0/g, "") || ".", path);
      else if (kind === "pipe") execFileSync("mkfifo", [path], { stdio: "ignore" });
      else writeFileSync(path, text);
    } catch {
      // Names of which one is a file and the other a folder, and the like.
    }
}

const LIFTED = ["unfit-name", "never-ship", "missing-asset", "case-clash", "no-entry", "wrong-folder", "bare-breaks-references"].flatMap((code) => ["--allow", code]); // prettier-ignore
const CALLS: readonly (readonly string[])[] = [
  ["survey", "--all"],
  ["survey", "--all", "--format", "json"],
  ["survey", "--format", "sarif"],
  ["compare", "--all", ...LIFTED],
  ["compare", "--format", "json"],
  ["deliver", "--verbose"],
  ["deliver", "--verbose", ...LIFTED],
  ["deliver", "--format", "ndjson", ...LIFTED],
  ["explain", "index.html"],
];

let number = 0;
fuzz("builds, through the program", {
  inputs: fc.tuple(fc.array(entries, { maxLength: 8 }), fc.constantFrom(...CALLS), fc.constantFrom("GITHUB_ACTIONS", "GITLAB_CI", "NONE")),
  isSlow: true,
  check: async ([files, call, service]) => {
    const build = temporaryFolder("build");
    writeFoulBuild(build, files);
    const project = new Project(sandbox.settings(build, "", `fuzz-${++number}`), sandbox.facts);
    assertTold(call, await runWatched(project, call, undefined, { [service]: "true" }));
    rmSync(build, { recursive: true, force: true });
  },
}); // prettier-ignore

const SETTINGS = `site: Ferries\nbuild: { folder: dist }\ndestinations: { practice: { store: { kind: s3, bucket: b, endpoint: "http://127.0.0.1:9" } } }\n`;
const words = fc.oneof(
  fc.constantFrom("deliver", "survey", "compare", "verify", "releases", "redeliver", "explain", "invalidate", "prune", "policy", "setup", "help"),
  fc.constantFrom("--to", "--build", "--settings", "--format", "json", "ndjson", "text", "--output", "--summary", "--note", "--queue", "--sequence", "--allow", "--dry-run", "--yes", "--verbose", "--all", "--help", "--bucket", "--edge", "--", "1", "0"),
  foulText(2),
  fc.constantFrom(...NASTY),
); // prettier-ignore

fuzz("calls and settings, through the program", {
  inputs: fc.tuple(fc.array(words, { maxLength: 7 }), fc.oneof(fc.constant(SETTINGS), mutated([SETTINGS]))),
  isSlow: true,
  check: async ([all, text]) => {
    // An argument can't hold it.
    const call = all.map((word) => word.replace(/\0/g, ""));
    const project = new Project(text, sandbox.facts);
    assertTold([], await runWatched(project, call, undefined, { GITHUB_ACTIONS: "true", COURIER_NOTE: "x\nforeign" }));
    rmSync(project.folder, { recursive: true, force: true });
  },
}); // prettier-ignore

const PATHS = ["/practice/a?list-type=2", "/practice?policy", "/practice?delete", "/practice/a%2Fb", "/2020-05-31/distribution/SANDBOX0000001/invalidation", "/practice/a?uploads", "/practice?website", "//", "/%zz"]; // prettier-ignore
const BODIES = ["<Delete><Object><Key>a</Key></Object></Delete>", '{"Statement":[{"Effect":"Allow"}]}', "<InvalidationBatch><Paths><Quantity>1</Quantity><Items><Path>/a</Path></Items></Paths></InvalidationBatch>", "<WebsiteConfiguration/>", ""]; // prettier-ignore

fuzz("requests to the sandbox", {
  inputs: fc.record({
    method: fc.constantFrom("GET", "HEAD", "PUT", "POST", "DELETE", "PURGE", "OPTIONS"),
    place: fc.constantFrom("endpoint", "edge", "edgeApi"),
    path: mutated(PATHS).map((path) => `/${path.replace(/[^\x21-\x7e]/g, "")}`),
    header: fc.tuple(fc.constantFrom("authorization", "x-amz-date", "x-amz-copy-source", "content-type", "if-match", "range", "x-amz-content-sha256", "x-amz-decoded-content-length"), mutated(["AWS4-HMAC-SHA256 Credential=SANDBOXPRACTICEKEY/20260304/eu-sandbox-1/s3/aws4_request, SignedHeaders=host, Signature=0", "bytes=0-1", "practice/a", "-1"]).map((value) => value.replace(/[^\x20-\x7e]/g, ""))),
    body: mutated(BODIES),
  }),
  isSlow: true,
  check: async ({ method, place, path, header: [name, value], body }) => {
    const url = new URL(sandbox.facts[place as "edge"]);
    const status = await new Promise<number | undefined>((resolve) => {
      const asked = request({ host: url.hostname, port: url.port, method, path, headers: { [name]: value } }, (response) => {
        response.resume().once("end", () => { resolve(response.statusCode); });
      });
      asked.once("error", () => { resolve(undefined); });
      asked.end(body);
    });
    if (status === 500) throw new Error(`500 to ${method} ${path}`);
  },
}); // prettier-ignore

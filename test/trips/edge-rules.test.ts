import { cpSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import {
  CloudFrontClient,
  DescribeFunctionCommand,
  PublishFunctionCommand,
  UpdateFunctionCommand,
} from "@aws-sdk/client-cloudfront";
import { temporaryFolder } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { Project, RunningSandbox, WRITES } from "../support/program.ts";
import { readResult } from "../support/results.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();

const FIRST = [
  '{ address: /latest, leadsTo: "/news/", kind: temporary }',
  '{ address: "/routes/old/*", leadsTo: /crossings/, kind: permanent, keepMethod: true }',
  '{ address: "/routes/*", leadsTo: "/crossings/*", kind: permanent }',
  '{ address: /tickets, leadsTo: "https://tickets.example/buy?from=site#now", kind: temporary, keepMethod: true }',
];
const HEADERS = "X-Frame-Options: DENY, Permissions-Policy: camera=()";

let sandbox: RunningSandbox;
afterEach(() => sandbox.stop());

interface Site {
  readonly redirects?: readonly string[];
  readonly headers?: string;
  /** Of the distribution that is there from the beginning. */
  readonly id?: string;
  readonly build?: string;
}

function settingsOf({ redirects = [], headers = "", id, build = "" }: Site): string {
  const { endpoint, region, edgeApi, edge, bucket } = sandbox.facts;
  return [
    "site: Pelican Sound Ferries",
    `build: { folder: dist${build} }`,
    `redirects: [${redirects.join(", ")}]`,
    "destinations:",
    "  production:",
    `    url: ${edge}`,
    `    store: { kind: s3, bucket: ${id === undefined ? "pelican" : bucket}, region: ${region}, endpoint: "${endpoint}" }`,
    "    edge:",
    "      kind: distribution",
    `      endpoint: "${edgeApi}"`,
    "      settle: 0s",
    "      longestFetch: 0s",
    `      headers: { ${headers} }`,
    ...(id === undefined ? [] : [`      id: ${id}`]),
    "",
  ].join("\n");
}

function projectOf(site: Site, Kind: typeof ProjectHere = ProjectHere): ProjectHere {
  const project = new Kind(settingsOf(site), sandbox.facts);
  cpSync(`${BUILDS}/1`, join(project.folder, "dist"), { recursive: true });
  return project;
}

async function must(project: ProjectHere, ...args: string[]): Promise<string> {
  const { exit, stdout, stderr } = await project.run(args);
  expect([args, exit, exit === 0 ? "" : stdout + stderr]).toEqual([args, 0, ""]);
  return stdout;
}

/** Puts another text into the settings, as a person would; what provision wrote stays. */
function edit(project: ProjectHere, before: string, after: string): void {
  const file = join(project.folder, "courier.yaml");
  const text = readFileSync(file, "utf8");
  expect(text).toContain(before);
  writeFileSync(
    file,
    text.replace(before, () => after),
  );
}

async function ask(address: string): Promise<string> {
  const { status, headers } = await fetch(sandbox.facts.edge + address, { redirect: "manual" });
  return `${status} ${headers.get("location") ?? ""}`.trim();
}

const WHOLE = /all \d+ addresses answer as delivered/;

test("redirects of all kinds and headers are switched with their release, put back with it, and told at each step", async () => {
  sandbox = await RunningSandbox.start(["--empty", "--propagation", "1s"]);
  const project = projectOf({ redirects: FIRST, headers: HEADERS });
  await must(project, "provision", "--yes");
  // A function that passes everything is not yet the site's.
  expect(await ask("/latest")).not.toContain("news");
  expect((await project.run(["compare"])).stdout).toMatch(/rules of the edge to change\n {6}redirect \/latest → \/news\/ \(302\) +new/);
  expect(await must(project, "deliver", "--verify")).toMatch(WHOLE);
  const asked = ["/latest?a=1&b", "/routes/old/x", "/routes/north/?c", "/tickets?d=2"];
  expect(await Promise.all(asked.map(ask))).toEqual(["302 /news/?a=1&b", "308 /crossings/", "301 /crossings/north/?c", "307 https://tickets.example/buy?from=site&d=2#now"]);
  expect((await fetch(`${sandbox.facts.edge}/fares/`)).headers.get("x-frame-options")).toBe("DENY");
  edit(project, FIRST[0] ?? "", '{ address: /latest, leadsTo: "/fares/", kind: permanent, keepMethod: true }');
  edit(project, "X-Frame-Options: DENY", "X-Frame-Options: SAMEORIGIN");
  const { edgeRules } = await project.result(["deliver", "--verify"]);
  expect(edgeRules).toEqual({
    drifted: false,
    changes: [
      { kind: "redirect", name: "/latest", change: "replaced", now: "/fares/ (308)" },
      { kind: "header", name: "X-Frame-Options", change: "replaced", now: "SAMEORIGIN" },
    ],
  });
  expect(await ask("/latest")).toBe("308 /fares/");
  expect((await project.run(["explain", "/latest"])).stderr).toContain("the edge answers it, because of a redirect in the settings: 308 /fares/");
  await must(project, "redeliver", "1");
  await must(project, "verify");
  expect([await ask("/latest"), (await fetch(`${sandbox.facts.edge}/fares/`)).headers.get("x-frame-options")]).toEqual(["302 /news/", "DENY"]);
  expect((await project.run(["releases", "1", "2"])).stdout).toContain("redirect /latest → /fares/ (308)");
  expect((await project.result(["deliver"])).edgeRules?.changes).toHaveLength(2);
  expect((await project.result(["deliver"])).edgeRules).toBeUndefined();
}); // prettier-ignore

/** Asks for addresses over and over until it is told to end. @returns what was not answered as it must be */
function watch(addresses: readonly string[]): () => Promise<string[]> {
  const wrong: string[] = [];
  const watching = new AbortController();
  const rounds = (async () => {
    while (!watching.signal.aborted) {
      for (const address of addresses) {
        const said = await ask(address);
        if (said !== "200") wrong.push(`${address} ${said}`);
      }
      await sleep(5);
    }
  })();
  return async () => {
    watching.abort();
    await rounds;
    return wrong;
  };
}

test("objects that stand for pages give way to the function, and come back, and no address misses an answer meanwhile", async () => {
  sandbox = await RunningSandbox.start(["--propagation", "1s", "--pops", "2"]);
  const { distribution: id } = sandbox.facts;
  const project = projectOf({ id });
  const first = await project.result(["deliver"]);
  expect(first.generated.written).toBeGreaterThan(3);
  edit(project, "redirects: []", `redirects: [${FIRST.join(", ")}]`);
  const lost = await project.run(["survey"]);
  expect(lost.stdout.replace(/\s+/g, " ")).toContain("rcourier provision gives the distribution a function");
  expect(await must(project, "provision", "--yes")).toContain("give it the function courier-practice-production-");
  const end = watch(["/", "/fares/", "/news/", "/crossings/"]);
  sandbox.takeLedger();
  const second = await project.result(["deliver", "--verify"]);
  const there = sandbox.takeLedger().map(({ operation }) => operation);
  // What is held at the edge hides a wrong order from visitors for a while.
  const [published, everywhere, removed] = ["PublishFunction", "GetDistribution", "DeleteObject"].map((name) => there.findIndex((one) => one.startsWith(name)));
  expect([published, everywhere].every((one) => one !== undefined && one > 0 && one < (removed ?? 0))).toBe(true);
  expect([second.generated.removed, second.pruned.length]).toEqual([first.generated.written, first.generated.written]);
  expect(await ask("/routes/x")).toBe("301 /crossings/x");
  sandbox.takeLedger();
  const back = await project.result(["redeliver", "1"]);
  const again = sandbox.takeLedger();
  const written = again.findLastIndex(({ operation, key }) => operation === "CopyObject" && key?.endsWith("/") === true);
  expect(written).toBeGreaterThan(0);
  expect(again.findIndex(({ operation }) => operation === "UpdateFunction")).toBeGreaterThan(written);
  expect(back.generated.written).toBe(first.generated.written);
  expect(await end()).toEqual([]);
  expect(await ask("/routes/x")).toBe("404");
}); // prettier-ignore

test("a run that is killed while it switches the edge is finished by the next, and no release that needs a function is put back without", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const project = projectOf({ redirects: FIRST.slice(0, 1), headers: HEADERS }, Project) as Project;
  await must(project, "provision", "--yes");
  await must(project, "deliver");
  let all = FIRST.slice(0, 1).join(", ");
  for (const [at, moment] of ["UpdateFunction", "PublishFunction", "UpdateResponseHeadersPolicy"].entries()) {
    const next = [`{ address: /try-${at}, leadsTo: /fares/, kind: temporary }`, all].join(", ");
    edit(project, `redirects: [${all}]`, `redirects: [${next}]`);
    edit(project, at === 0 ? "DENY" : at === 1 ? "SAMEORIGIN" : "DENY ", at === 0 ? "SAMEORIGIN" : at === 1 ? "DENY " : "SAMEORIGIN ");
    all = next;
    sandbox.takeLedger();
    const child = project.start(["deliver"]);
    while (child.exitCode === null && !sandbox.takeLedger().some(({ operation }) => operation === moment)) await sleep(2);
    child.kill("SIGKILL");
    await sleep(50);
    expect([await ask("/fares/"), await ask("/latest")]).toEqual(["200", "302 /news/"]);
    expect(await must(project, "deliver", "--verify")).toMatch(WHOLE);
    expect(await ask(`/try-${at}`)).toBe("302 /fares/");
  }
  edit(project, "      function:", "      # function:");
  const refused = await project.run(["redeliver", "1"]);
  expect([refused.exit, refused.stderr]).toEqual([1, expect.stringContaining("release 1 needs a function at the edge")]);
}); // prettier-ignore

test("what somebody changes at the edge is told by checkup and mended by the next delivery", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const project = projectOf({ redirects: FIRST });
  await must(project, "provision", "--yes");
  await must(project, "deliver");
  const [, Name] = /function: (\S+)/.exec(readFileSync(join(project.folder, "courier.yaml"), "utf8")) ?? [];
  const { accessKeyId, secretAccessKey, edgeApi: endpoint } = sandbox.facts;
  const client = new CloudFrontClient({ region: "us-east-1", endpoint, credentials: { accessKeyId, secretAccessKey } });
  const { ETag: IfMatch, FunctionSummary } = await client.send(new DescribeFunctionCommand({ Name }));
  const FunctionCode = Buffer.from("function handler(event){return event.request}");
  const { ETag } = await client.send(new UpdateFunctionCommand({ Name, IfMatch, FunctionCode, FunctionConfig: FunctionSummary?.FunctionConfig }));
  await client.send(new PublishFunctionCommand({ Name, IfMatch: ETag }));
  client.destroy();
  const { exit, stdout } = await project.run(["checkup", "--format", "json"]);
  const { links } = readResult("checkup", stdout);
  expect([exit, links.filter(({ state }) => state === "broken").map(({ cause }) => cause)]).toEqual([1, ["rules-otherwise"]]);
  expect((await project.result(["deliver", "--verify"])).edgeRules).toEqual({ drifted: true, changes: [] });
  expect(await ask("/latest")).toBe("302 /news/");
}); // prettier-ignore

test("what a function can't hold is refused before anything is written", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const many = Array.from({ length: 300 }, (_, at) => `{ address: /old-crossing-${at}, leadsTo: /crossings/, kind: permanent }`);
  const project = projectOf({ redirects: many });
  await must(project, "provision", "--yes");
  sandbox.takeLedger();
  const { exit, stdout, stderr } = await project.run(["deliver"]);
  expect([exit, stdout + stderr]).toEqual([3, expect.stringMatching(/the function at the edge would have \d+ bytes, and may have 10240/)]);
  expect(sandbox.takeLedger().filter(({ operation }) => WRITES.has(operation))).toEqual([]);
}); // prettier-ignore

test("the policy that is printed is all that a delivery needs to switch the edge, and a missing right is named", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const project = projectOf({ redirects: FIRST.slice(0, 1), headers: HEADERS });
  await must(project, "provision", "--yes");
  const policy = await must(project, "policy", "delivery");
  const { data, facts: before } = sandbox;
  await sandbox.stop();
  const narrow = policy.replace(/,\s*"cloudfront:PublishFunction"/, "");
  for (const [text, expected] of [[narrow, 7], [policy, 0]] as const) {
    const file = join(temporaryFolder("policy"), "policy.json");
    writeFileSync(file, text);
    sandbox = await RunningSandbox.start(["--empty", "--policy", file], data);
    const { limited, ...now } = sandbox.facts;
    const settings = readFileSync(join(project.folder, "courier.yaml"), "utf8")
      .replaceAll(before.endpoint, now.endpoint)
      .replaceAll(before.edgeApi, now.edgeApi)
      .replaceAll(before.edge, now.edge);
    const other = new ProjectHere(settings, limited ?? now);
    cpSync(`${BUILDS}/1`, join(other.folder, "dist"), { recursive: true });
    const { exit, stderr } = await other.run(["deliver"]);
    expect([exit, stderr]).toEqual([expected, expected === 0 ? expect.any(String) : expect.stringContaining("do not have the right cloudfront:PublishFunction")]);
    if (expected !== 0) await sandbox.stop();
  }
  expect(await ask("/latest")).toBe("302 /news/");
}); // prettier-ignore

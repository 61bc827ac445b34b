import { join } from "node:path";
import { XMLParser } from "fast-xml-parser";
import type { VerifyResult } from "../../src/results/verification.ts";
import { toContent } from "../contracts/object-store.ts";
import { temporaryFolder, walk, writeFiles } from "../support/builds.ts";
import { showVerify } from "../../src/cli/verify/show.ts";
import { openPaper } from "../support/paper.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox, useSandboxes } from "../support/program.ts";
import { openStore } from "../support/stored-site.ts";
import { readResult } from "../support/results.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();
const [V1, V2] = [`${BUILDS}/1`, `${BUILDS}/2`];

const startSandbox = useSandboxes();

/** As a person reads it, without colours. */
const PAGE = openPaper({ columns: 100 });

interface Stage {
  readonly sandbox: RunningSandbox;
  readonly project: ProjectHere;
}

async function setUp(
  args: readonly string[],
  { prefix = "", serves = "website", more = "" } = {},
): Promise<Stage> {
  const origin = args.includes("--origin") ? [] : ["--origin", serves];
  const sandbox = await startSandbox(...origin, ...args);
  const { edge, distribution, edgeApi } = sandbox.facts;
  const beside = `    url: ${edge}\n    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, ${AT_ONCE} }\n${more}`;
  const settings = sandbox.settings(V1, beside, prefix).replace("prefix:", `serves: ${serves}, prefix:`);
  return { sandbox, project: new ProjectHere(settings, sandbox.facts) };
}

async function verify({ project }: Stage): Promise<VerifyResult> {
  const { exit, stdout, stderr } = await project.run(["verify", "--format", "json"]);
  if (exit !== 0 && exit !== 5) throw new Error(stdout + stderr);
  const result = readResult("verification", stdout);
  expect(exit).toBe(result.findings.length === 0 ? 0 : 5);
  return result;
}

const causesOf = ({ findings }: VerifyResult): string[] => [
  ...new Set(findings.map(({ causeCode }) => causeCode)),
];

async function warm({ sandbox }: Stage, build: string): Promise<void> {
  const addresses = walk(build).flatMap((path) => [
    `/${path}`,
    `/${path.replace(/(^|\/)index\.html$/, "$1")}`,
  ]);
  for (const address of addresses) await (await fetch(sandbox.facts.edge + encodeURI(address))).arrayBuffer();
}

const faults = (rules: string): string[] => [
  "--faults",
  join(writeFiles(temporaryFolder("faults"), { "faults.yaml": `rules: [${rules}]\n` }), "faults.yaml"),
];

test("what was delivered is found as delivered, in every form, with a query, with redirects, and what is missing", async () => {
  const stage = await setUp([], { more: "" });
  const text = `${stage.sandbox.settings(V1, `    url: ${stage.sandbox.facts.edge}`).replace("prefix:", "serves: website, prefix:")}redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }]\n`;
  writeFiles(stage.project.folder, { "courier.yaml": text });
  const delivered = await stage.project.result(["deliver", "--verify"]);
  expect(delivered.verification).toMatchObject({ findings: [] });
  const result = await verify(stage);
  expect(result.findings).toEqual([]);
  // Every file, each folder's address, the redirect, what is missing twice.
  const files = walk(V1);
  const folders = files.filter((path) => path.endsWith("index.html"));
  expect(result.checked).toBeGreaterThanOrEqual(files.length + folders.length + 3);
  expect(result.requests).toBeGreaterThan(result.checked * 2);
});

interface Broken {
  readonly args?: readonly string[];
  readonly options?: { readonly prefix?: string; readonly serves?: string; readonly more?: string };
  /** What goes wrong after the first delivery. */
  readonly then?: (stage: Stage) => Promise<void>;
  readonly cause: string;
  /** What its words must name, so that a person understands it. */
  readonly says: RegExp;
}

const BROKEN: Readonly<Record<string, Broken>> = {
  "a lost invalidation": {
    args: faults("{ fault: lost-invalidation, at: edge-api, operations: [CreateInvalidation], after: 3 }"),
    then: async (stage) => {
      await warm(stage, V1);
      await stage.project.run(["deliver", "--build", V2]);
    },
    cause: "edge-holds-old-copy",
    says: /from release 1.*invalidation was lost.*rcourier invalidate/s,
  },
  "an edge pointed at a wrong prefix": {
    args: ["--trait", "origin-prefix=elsewhere/"],
    options: { prefix: "site/" },
    cause: "edge-reads-elsewhere",
    says: /origin is another bucket, endpoint or\s+path than the destination's prefix/,
  },
  "a missing root document": {
    args: ["--trait", "no-root-document", "--origin", "objects"],
    options: { serves: "objects" },
    cause: "no-root-document",
    says: /no root document/,
  },
  "an origin that does not resolve index documents": {
    args: ["--origin", "objects"],
    cause: "no-index-documents",
    says: /does not look for index pages.*serves: objects/s,
  },
  "a store that denies the edge": {
    args: ["--trait", "origin-denied"],
    cause: "store-denies-edge",
    says: /the store refuses the edge.*policy/s,
  },
  "a header rewritten at the edge": {
    args: ["--trait", "header=Cache-Control: no-store"],
    cause: "header-set-by-edge",
    says: /the edge replaces this header/,
  },
  "a minimum freshness at the edge": {
    args: ["--trait", "minimum-freshness=7200"],
    cause: "edge-holds-longer",
    says: /minimum freshness/,
  },
  "unknown scripts answered with the entry page": {
    args: ["--client-routes"],
    cause: "entry-answers-for-all",
    says: /every unknown address gets the entry page, even a script's/,
  },
  "an object changed by hand": {
    then: async ({ sandbox }) => {
      const store = openStore(sandbox, "");
      await store.put("about.html", toContent("<p>by hand"), { "content-type": "text/html; charset=utf-8" });
    },
    cause: "changed-in-store",
    says: /somebody changed or removed \/about\.html in the store/,
  },
  "compression that is off": {
    args: ["--trait", "no-compression"],
    cause: "compression-off",
    says: /uncompressed/,
  },
  "a missing alias": {
    options: { serves: "objects" },
    then: async ({ sandbox }) => {
      await openStore(sandbox, "").remove(["news/"]);
    },
    cause: "alias-missing",
    says: /the extra copy for \/news\/ is no longer in the store/,
  },
  "a header that nobody sets": {
    options: { more: "    expect: { headers: { Strict-Transport-Security: '*' } }" },
    cause: "header-not-set",
    says: /expect this header/,
  },
};

test.each(Object.entries(BROKEN))("%s is found, named and explained", async (_, broken) => {
  const stage = await setUp(broken.args ?? [], broken.options);
  // It reads back what the edge answers, and says that it has not confirmed where that is wrong.
  expect([0, 5]).toContain((await stage.project.run(["deliver"])).exit);
  await broken.then?.(stage);
  const result = await verify(stage);
  expect(causesOf(result)).toEqual([broken.cause]);
  const shown = showVerify(result, PAGE, { all: false, again: "rcourier verify" });
  expect(shown).toMatch(broken.says);
  expect(shown).toMatch(/mend +\S/);
});

test("JUnit XML holds a case for each address that is wrong; a delivery that is verified and found wrong ends with 5", async () => {
  const stage = await setUp(["--trait", "no-compression"]);
  const delivered = await stage.project.run(["deliver", "--verify"]);
  expect([delivered.exit, delivered.stdout]).toEqual([
    5,
    expect.stringMatching(/Verified: \d+ of \d+ addresses answer as delivered; \d+ do not/),
  ]);
  const { exit, stdout } = await stage.project.run(["verify", "--format", "junit"]);
  expect(exit).toBe(5);
  const { testsuites } = new XMLParser({ ignoreAttributes: false, attributeNamePrefix: "" }).parse(
    stdout,
  ) as {
    testsuites: {
      testsuite: { tests: string; failures: string; testcase: { name: string; failure?: object }[] };
    };
  };
  const { tests, failures, testcase } = testsuites.testsuite;
  expect([Number(tests), Number(failures)]).toEqual([testcase.length, testcase.length - 1]);
  expect(testcase.filter(({ failure }) => failure).map(({ name }) => name)).toContain("/ not-compressed");
});

test("nobody there, no address in the settings, nothing delivered yet", async () => {
  const stage = await setUp([]);
  const codeOf = async (): Promise<unknown> => {
    const { exit, stdout } = await stage.project.run(["verify", "--format", "json"]);
    return [exit, (JSON.parse(stdout) as { error: { code: string } }).error.code];
  };
  expect(await codeOf()).toEqual([2, "nothing-delivered"]);
  await stage.project.result(["deliver"]);
  writeFiles(stage.project.folder, {
    "courier.yaml": stage.sandbox.settings(V1, "    url: http://127.0.0.1:9"),
  });
  expect(causesOf(await verify(stage))).toEqual(["nobody-answers"]);
  writeFiles(stage.project.folder, { "courier.yaml": stage.sandbox.settings(V1) });
  expect(await codeOf()).toEqual([2, "no-url"]);
});

import { once } from "node:events";
import { createHash } from "node:crypto";
import { cpSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { stringify } from "yaml";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { toContent } from "../contracts/object-store.ts";
import { temporaryFolder, walk, writeFiles } from "../support/builds.ts";
import { AT_ONCE, finish, Project, RunningSandbox, type Outcome } from "../support/program.ts";
import { findBroken, listKeys, namesOf, openStore, readSite } from "../support/stored-site.ts";
import { isSoak } from "../support/seeds.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();

function writeFaults(rules: readonly object[], seed = 1): string {
  const file = join(temporaryFolder("faults"), "faults.yaml");
  writeFileSync(file, stringify({ seed, rules }));
  return file;
}

/** What stands of a build: every file, byte for byte. */
async function findDifferences(sandbox: RunningSandbox, prefix: string, build: string): Promise<string[]> {
  const site = await readSite(openStore(sandbox, prefix));
  return walk(build).filter(
    (path) =>
      path !== "courier.yaml" &&
      site.get(path)?.hash !==
        createHash("sha256")
          .update(readFileSync(join(build, path)))
          .digest("hex"),
  );
}

const KINDS = [
  { fault: "latency", ms: 30 },
  { fault: "bandwidth", bytesPerSecond: 2_000_000 },
  { fault: "server-error" },
  { fault: "slow-down" },
  { fault: "slow-down", retryAfter: 1 },
  { fault: "reset-before" },
  { fault: "reset-after" },
  { fault: "truncated" },
] as const;

test("with some of every fault, each delivery ends right or fails cleanly, and nothing is doubled or lost", async () => {
  const rounds = isSoak ? 5 : 1;
  const outcomes: (number | null)[] = [];
  for (let round = 0; round < rounds; round++) {
    const share = 0.05;
    const rules = KINDS.map((kind) => ({ ...kind, share }));
    const atEdge = [
      { fault: "server-error", at: "edge-api", share },
      { fault: "reset-after", at: "edge-api", share },
    ];
    const sandbox = await RunningSandbox.start(["--faults", writeFaults([...rules, ...atEdge], round + 1)]);
    const edgeOf = ({ facts: { distribution, edgeApi, edge } }: RunningSandbox): string =>
      `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", url: "${edge}", ${AT_ONCE} }`;
    const project = new Project(sandbox.settings(`${BUILDS}/1`, edgeOf(sandbox)), sandbox.facts);
    for (const number of [1, 2, 1]) {
      let outcome: Outcome | undefined;
      for (let tries = 0; tries < 8 && outcome?.exit !== 0; tries++) {
        outcome = await project.run(["deliver", "--build", `${BUILDS}/${number}`, "--format", "json"]);
        outcomes.push(outcome.exit);
        expect([round, outcome.exit, outcome.stdout]).toEqual([round, expect.any(Number), expect.stringMatching(/^\{.*\}\n$/s)]);
        // Failing cleanly is 1 (the store), 5 (an edge owes) or 6 (its own hold, should letting go have failed).
        expect([0, 1, 5, 6]).toContain(outcome.exit);
      }
      expect([round, number, outcome?.exit]).toEqual([round, number, 0]);
    }
    await sandbox.stop();
    // Looked at without faults.
    const calm = await RunningSandbox.start([], sandbox.data);
    expect(await findDifferences(calm, "", `${BUILDS}/1`)).toEqual([]);
    expect(findBroken(await readSite(openStore(calm, "")))).toEqual([]);
    const own = (await listKeys(openStore(calm, ""))).filter((key) => key.startsWith(".courier/"));
    expect(own.filter((key) => key.startsWith(".courier/open/"))).toEqual([]);
    const last = await new Project(calm.settings(`${BUILDS}/1`, edgeOf(calm)), calm.facts).result(["compare"]);
    expect([last.changes, last.counts.foreign]).toEqual([[], 0]);
    await calm.stop();
  }
  // Without retries hardly any call would end well: one request in four fails.
  expect(outcomes.filter((exit) => exit === 0).length).toBeGreaterThan(outcomes.length / 4);
}, 1_800_000); // prettier-ignore

test("a connection that breaks after a write took effect, on every write once: nothing fails, nothing is doubled", async () => {
  const every = (keys: string, times: number) => ({
    fault: "reset-after",
    operations: ["PutObject"],
    keys,
    times,
  });
  const rules = [every("**/hold.json", 3), every("**/current.json", 2), every("**/open/**", 1), every("**/releases/**", 1), every("**/*.html", 5), { fault: "reset-after", operations: ["DeleteObject", "DeleteObjects"], times: 1 }, { fault: "reset-after", operations: ["CopyObject"], times: 2 }]; // prettier-ignore
  const sandbox = await RunningSandbox.start(["--faults", writeFaults(rules)]);
  const project = new Project(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  const first = await project.result(["deliver"]);
  const second = await project.result(["deliver", "--build", `${BUILDS}/2`]);
  expect([first.release, second.release]).toEqual([1, 2]);
  expect(first.requests.retried + second.requests.retried).toBeGreaterThanOrEqual(14);
  const keys = await listKeys(openStore(sandbox, ""));
  expect(keys.filter((key) => key.startsWith(".courier/releases/"))).toHaveLength(2);
  expect(await findDifferences(sandbox, "", `${BUILDS}/2`)).toEqual([]);
  await sandbox.stop();
});

test.each([
  ["denied", { fault: "denied", operations: ["PutObject"], keys: "**/*.css" }, 7, "denied"],
  ["a clock that is off", { fault: "skew" }, 1, "clock-skew"],
  ["a store that is overloaded for good", { fault: "slow-down" }, 1, "store-failed"],
])("%s fails at once or in the end, with its own message", async (_, rule, exit, code) => {
  const sandbox = await RunningSandbox.start(["--faults", writeFaults([rule])]);
  const project = new Project(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  const outcome = await project.run(["deliver", "--format", "json"]);
  expect([outcome.exit, (JSON.parse(outcome.stdout) as { error: { code: string } }).error.code]).toEqual([
    exit,
    code,
  ]);
  await sandbox.stop();
});

test("visitors that load pages and all they name through the edge, without a pause, meet no broken reference while deliveries go back and forth under faults", async () => {
  const seconds = isSoak ? 40 : 6;
  const rules = ["latency", "server-error", "slow-down", "reset-before", "reset-after"].map((fault) => ({ fault, share: 0.01, ms: 20 })); // prettier-ignore
  const sandbox = await RunningSandbox.start([
    "--faults",
    writeFaults(rules),
    "--pops",
    "2",
    "--propagation",
    "1s",
  ]);
  const { distribution, edgeApi, edge: url, pops } = sandbox.facts;
  const edge = `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", url: "${url}", ${AT_ONCE} }\n    retain: { releases: 2, for: 1d }`;
  const project = new Project(sandbox.settings(`${BUILDS}/1`, edge), sandbox.facts);
  await project.result(["deliver"]);
  const pages = ["/", "/crossings/", "/news/", "/fares/", "/about.html", "/contact.html"];
  const broken: string[] = [];
  let [loads, isOpen] = [0, true];
  const visit = async (pop: string): Promise<void> => {
    while (isOpen) {
      const page = pages[loads % pages.length] as string;
      const answer = await fetch(pop + page);
      const text = await answer.text();
      loads += 1;
      const queue = answer.ok
        ? namesOf(page === "/" ? "index.html" : page.slice(1), text)
        : [`${page} itself: ${answer.status}`];
      const seen = new Set<string>();
      for (let name = queue.pop(); name !== undefined; name = queue.pop()) {
        if (seen.has(name)) continue;
        seen.add(name);
        const part = await fetch(`${pop}/${name}`);
        const body = await part.text();
        loads += 1;
        if (part.ok) queue.push(...namesOf(name, body));
        else broken.push(`${page} → ${name}: ${part.status}`);
      }
    }
  };
  const visitors = pops.map(visit);
  const until = Date.now() + seconds * 1000;
  const exits: (number | null)[] = [];
  for (let number = 2; Date.now() < until; number = 3 - number)
    exits.push((await project.run(["deliver", "--build", `${BUILDS}/${number}`])).exit);
  isOpen = false;
  await Promise.all(visitors);
  await sandbox.stop();
  process.stdout.write(`visitors made ${loads} loads during ${exits.length} deliveries\n`);
  expect(broken).toEqual([]);
  expect(exits.filter((exit) => exit === 0).length).toBeGreaterThan(exits.length / 2);
  expect(loads).toBeGreaterThan(200);
});

test("two runners that start together: one delivers, the other waits or exits 6; the site is never mixed", async () => {
  const sandbox = await RunningSandbox.start();
  const pairs = isSoak ? 50 : 2;
  const seen = new Set<string>();
  for (let pair = 0; pair < pairs; pair++) {
    const prefix = `pair-${pair}/`;
    const project = new Project(sandbox.settings(`${BUILDS}/1`, "", prefix), sandbox.facts);
    await project.result(["deliver"]);
    const queue = pair % 2 === 0 ? ["--queue", "30s"] : [];
    const call = (number: number): Promise<Outcome> =>
      finish(project.start(["deliver", "--build", `${BUILDS}/${number}`, "--format", "json", ...queue]));
    const other = temporaryFolder("other");
    cpSync(`${BUILDS}/2`, other, { recursive: true });
    writeFiles(other, { "about.html": "<!doctype html><title>About</title><p>the other" });
    const second = finish(project.start(["deliver", "--build", other, "--format", "json", ...queue]));
    const ends = await Promise.all([call(2), second]);
    const exits = ends.map(({ exit }) => exit).sort();
    seen.add(exits.join());
    expect([[0, 0], [0, 6]]).toContainEqual(exits); // prettier-ignore
    const store = openStore(sandbox, prefix);
    expect(findBroken(await readSite(store))).toEqual([]);
    const differences = [await findDifferences(sandbox, prefix, `${BUILDS}/2`), await findDifferences(sandbox, prefix, other)]; // prettier-ignore
    // One of both, whole.
    expect(differences.filter((files) => files.length === 0)).toHaveLength(1);
    const { counts } = await project.result([
      "compare",
      "--build",
      differences[0]?.length === 0 ? `${BUILDS}/2` : other,
    ]);
    expect([counts.drifted, counts.missing, counts.foreign]).toEqual([0, 0, 0]);
  }
  if (isSoak) expect([...seen]).toContain("0,6");
  await sandbox.stop();
});

test("a killed runner's hold blocks the next one no longer than its lease: on its own machine not at all, elsewhere for the lease", async () => {
  const slow = writeFaults([{ fault: "stall", operations: ["PutObject"], keys: "**/*.html", times: 1 }]);
  const sandbox = await RunningSandbox.start(["--faults", slow]);
  const project = new Project(sandbox.settings(`${BUILDS}/1`, "    hold: { lease: 15s }"), sandbox.facts);
  const child = project.start(["deliver"]);
  const ended = once(child, "exit");
  while (!(await listKeys(openStore(sandbox, ""))).some((key) => key.startsWith(".courier/open/")))
    await sleep(20);
  const other = await project.run(["deliver", "--format", "json"]);
  expect([other.exit, other.stdout]).toEqual([6, expect.stringContaining('"held"')]);
  child.kill("SIGKILL");
  await ended;
  // As another machine would have left it.
  const store = openStore(sandbox, "");
  const held = await store.get(".courier/hold.json");
  const chunks: Uint8Array[] = [];
  for await (const chunk of held?.body ?? []) chunks.push(chunk);
  const text = Buffer.concat(chunks)
    .toString()
    .replace(/"host":"[^"]*"/, '"host":"elsewhere"');
  const content = {
    size: text.length,
    hash: createHash("sha256").update(text).digest("hex"),
    open: () => Buffer.from(text),
  };
  await store.put(".courier/hold.json", content, { "content-type": "application/json" });
  // It would give up, and end with 6, if it had to wait for much longer than the lease.
  const waiting = await project.run(["deliver", "--queue", "45s"]);
  expect([waiting.exit, waiting.stderr]).toEqual([0, expect.stringContaining("waiting for deliver, run by")]);
  await sandbox.stop();
});

test("Ctrl-C: once lets what is under way end and says how to go on, twice ends at once", async () => {
  const slow = writeFaults([{ fault: "latency", ms: 400, operations: ["PutObject"], keys: "**/*.html" }]);
  const sandbox = await RunningSandbox.start(["--faults", slow]);
  const project = new Project(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  /** Interrupts a delivery while it switches pages. */
  const interrupt = async (times: number): Promise<Outcome> => {
    const child = project.start(["deliver"]);
    const outcome = finish(child);
    child.stderr?.on("data", (chunk) => {
      if (!String(chunk).startsWith("read the build:")) return;
      setTimeout(() => child.kill("SIGINT"), 300);
      if (times > 1) setTimeout(() => child.kill("SIGINT"), 350);
    });
    return outcome;
  };
  const once1 = await interrupt(1);
  expect([once1.exit, once1.stderr]).toEqual([
    130,
    expect.stringMatching(
      /stopping after the requests under way; .*\n[^]*interrupted[^]*make the same call again to go on from here/,
    ),
  ]);
  const hold = await new Project(sandbox.settings(`${BUILDS}/1`), sandbox.facts).run(["releases", "hold"]);
  expect(hold.stdout).toContain("no run has the hold");
  const twice = await interrupt(2);
  expect(twice.exit).toBe(130);
  expect((await project.result(["deliver"])).release).toBe(1);
  expect(await findDifferences(sandbox, "", `${BUILDS}/1`)).toEqual([]);
  await sandbox.stop();
});

test("a connection on which nothing moves is given up, and the next try gets through", async () => {
  const stalled = writeFaults([{ fault: "stall", operations: ["PutObject"], times: 1 }]);
  const sandbox = await RunningSandbox.start(["--faults", stalled]);
  openStore(sandbox, "");
  const store = createS3Store(
    { ...sandbox.facts, prefix: "", addressing: "path", idleMs: 300 },
    () => undefined,
  );
  await expect(store.put("a", toContent("x"), {})).rejects.toMatchObject({ kind: "unreachable" });
  await store.put("a", toContent("x"), {});
  await sandbox.stop();
});

test("new objects that visitors can't read stop a delivery before the switch; an address that never worked does not", async () => {
  const hidden = writeFaults([{ fault: "server-error", at: "edge", keys: "assets/*LN7MSNHF*" }, { fault: "server-error", at: "edge", keys: "assets/*5GJKRH6D*" }]); // prettier-ignore
  const sandbox = await RunningSandbox.start(["--faults", hidden]);
  const project = (url: string): Project =>
    new Project(sandbox.settings(`${BUILDS}/1`, `    url: ${url}`), sandbox.facts);
  await project(sandbox.facts.edge).result(["deliver"]);
  const stopped = await project(sandbox.facts.edge).run(["deliver", "--build", `${BUILDS}/2`]);
  expect([stopped.exit, stopped.stderr]).toEqual([1, expect.stringMatching(/stopped before any page was written: \/assets\/.* the answer was 500/)]); // prettier-ignore
  expect(await findDifferences(sandbox, "", `${BUILDS}/1`)).toEqual([]);
  // Nor does the same call pass by having everything stocked already.
  expect((await project(sandbox.facts.edge).run(["deliver", "--build", `${BUILDS}/2`])).exit).toBe(1);
  const elsewhere = await project("http://127.0.0.1:9").run(["deliver", "--build", `${BUILDS}/2`]);
  expect([elsewhere.exit, elsewhere.stderr]).toEqual([0, expect.stringContaining("nobody answered")]);
  await sandbox.stop();
});

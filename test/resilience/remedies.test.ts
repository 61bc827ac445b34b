import { spawnSync } from "node:child_process";
import { cpSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { temporaryFolder } from "../support/builds.ts";
import { isSoak } from "../support/seeds.ts";

/**
 * The remedies that the promises rest on. Each is taken out of a copy of the sources, one at a time, and the tests that are
 * there for it must go red: a remedy that nothing notices is one that somebody will take out.
 */
interface Remedy {
  readonly what: string;
  readonly file: string;
  /** Stands there just once. */
  readonly text: string;
  readonly without: string;
  /** The test file that notices, and a part of the test's name. */
  readonly noticedBy: readonly [file: string, name: string];
}

const REMEDIES: readonly Remedy[] = [
  {
    what: "the look at the last renewal before each write",
    file: "src/perform/hold.ts",
    text: "if (this.lost || !this.isSure()) throw",
    without: "if (this.lost) throw",
    noticedBy: ["src/perform/hold.test.ts", "a renewal that was refused is no renewal"],
  },
  {
    what: "a renewal counts only when what stands is what was written",
    file: "src/perform/hold.ts",
    text: "...(isOwn && { hold, renewed })",
    without: "...{ hold, renewed }",
    noticedBy: ["src/perform/hold.test.ts", "a renewal that was refused is no renewal"],
  },
  {
    what: "a renewal of before a sleep is made anew",
    file: "src/perform/hold.ts",
    text: "if (!this.lost && !this.isSure()) await this.renew();",
    without: "",
    noticedBy: ["src/perform/hold.test.ts", "a machine that slept while a renewal was under way"],
  },
  {
    what: "conditions count as checked only when both tries were made",
    file: "src/perform/hold.ts",
    text: "const next = { ...hold, conditions: undefined,",
    without: "const next = { ...hold, conditions: true,",
    noticedBy: ["src/perform/hold.test.ts", "a run that is killed while it tries conditions out"],
  },
  {
    what: "two tries before a hold is taken without conditions",
    file: "src/perform/hold.ts",
    text: "if (tries >= TRIES) return takeUnconditionally",
    without: "if (tries >= 1) return takeUnconditionally",
    noticedBy: ["src/perform/hold.test.ts", "one refusal of a condition that holds"],
  },
  {
    what: "a conflict (409) is tried again",
    file: "src/perform/retry.ts",
    text: '"server", "conflict"]',
    without: '"server"]',
    noticedBy: ["src/perform/hold.test.ts", "a conflict with another write"],
  },
  {
    what: "the pointer look before each batch of clearing",
    file: "src/workflows/write-release.ts",
    text: "assertClearing: (phase) => assertStillCurrent(phase, stay, outlook),",
    without: "",
    noticedBy: ["src/workflows/late.test.ts", "right before anything is cleared"],
  },
  {
    what: "the gate before copies",
    file: "src/ports/map-store.ts",
    text: "call({ writes: true, keys: [to] }",
    without: "call({ writes: false, keys: [to] }",
    noticedBy: ["src/perform/gate.test.ts", "a copy begins only"],
  },
  {
    what: "the gate before removals",
    file: "src/ports/map-store.ts",
    text: "call({ writes: true, keys }",
    without: "call({ writes: false, keys }",
    noticedBy: ["src/perform/gate.test.ts", "a removal begins only"],
  },
  {
    what: "the run's own record written again after a lost hold",
    file: "src/workflows/open-record.ts",
    text: "if (isOvertaken) await recordOpen(store, open).catch(() => undefined);",
    without: "",
    noticedBy: ["src/workflows/late.test.ts", "a run that others have overtaken"],
  },
  {
    what: "the second purge after the settle",
    file: "src/perform/confirm.ts",
    text: "await this.forget(this.asksLast ? request.patterns.filter((one) => !isTree(one)) : request.patterns);",
    without: "",
    noticedBy: ["src/perform/confirm.test.ts", "is still asked for twice"],
  },
  {
    what: "the wait for fetches that began before the last write",
    file: "src/perform/confirm.ts",
    text: "    await this.waitForFetches();\n",
    without: "",
    noticedBy: ["src/perform/confirm.test.ts", "ms that began before the write brings nothing old back"],
  },
  {
    what: "what was read wrong is asked for again",
    file: "src/perform/confirm.ts",
    text: "await this.mend(bad, pass);",
    without: "",
    noticedBy: ["src/perform/confirm.test.ts", "an invalidation that was lost"],
  },
  {
    what: "the late files read again before the switch",
    file: "src/workflows/write-release.ts",
    text: "assertBuildUnchanged(source, plan.phases);",
    without: "",
    noticedBy: ["src/workflows/late.test.ts", "pages are read once more"],
  },
  {
    what: "the state that a copy expects at its target",
    file: "src/perform/copy.ts",
    text: "const condition = conditions.copies ? toCondition(expected) : undefined;",
    without: "const condition = undefined;",
    noticedBy: ["src/workflows/late.test.ts", "of a way back"],
  },
  {
    what: "the state that a removal expects",
    file: "src/perform/carry-out.ts",
    text: "conditions.removals ? expected : undefined",
    without: "undefined",
    noticedBy: ["src/workflows/late.test.ts", "of the clearing of old chunks"],
  },
  {
    what: "the state that a sent file expects",
    file: "src/perform/send.ts",
    text: "conditions.sends ? toCondition(expected) : undefined",
    without: "undefined",
    noticedBy: ["src/workflows/late.test.ts", "of a delivery, while the build before"],
  },
  {
    what: "a new ETag for what a run that has not ended was about to touch",
    file: "src/core/delivery/plan.ts",
    text: "comparison.threatened.map(toFence)",
    without: "[]",
    noticedBy: ["src/workflows/late.test.ts", "of a delivery, while the build before"],
  },
  {
    what: "a new ETag for what is only relabelled",
    file: "src/core/delivery/plan.ts",
    text: "(change.isThreatened === true && !isOfOnePart(listed.etag))",
    without: "false",
    noticedBy: ["src/workflows/late.test.ts", "of a delivery, while another build"],
  },
  {
    what: "a prune's own record",
    file: "src/workflows/prune.ts",
    text: "if (open.removes.length === 0) {",
    without: "if (open.removes.length >= 0) {",
    noticedBy: ["src/workflows/history.test.ts", "what a prune removes of the site"],
  },
  {
    what: "records of runs that failed are taken over",
    file: "src/workflows/open-record.ts",
    text: "if (taken.length > 0) await store.remove",
    without: "if (taken.length > 1e9) await store.remove",
    noticedBy: ["src/workflows/promises.test.ts", "runs that fail again and again"],
  },
];

(isSoak ? test : test.skip).each(REMEDIES)(
  "a test goes red when it is taken out: $what",
  ({ file, text, without, noticedBy: [noticing, name] }) => {
    const source = readFileSync(file, "utf8");
    expect([file, source.split(text).length - 1]).toEqual([file, 1]);
    const copy = temporaryFolder("remedy");
    for (const part of ["src", "test/support", "test/contracts", "package.json", "jest.config.js"])
      cpSync(part, join(copy, part), { recursive: true });
    symlinkSync(resolve("node_modules"), join(copy, "node_modules"));
    const run = (): { readonly status: number | null; readonly output: string } => {
      const { status, stdout, stderr } = spawnSync(
        process.execPath,
        ["node_modules/jest/bin/jest.js", "--forceExit", "--globalSetup=", noticing, "-t", name],
        { cwd: copy, encoding: "utf8", env: { ...process.env, SOAK: undefined } },
      );
      return { status, output: `${stdout}${stderr}` };
    };
    writeFileSync(join(copy, file), source.replace(text, without));
    const { status, output } = run();
    // Red for the remedy, and not since nothing could be run.
    expect([status, output]).toEqual([1, expect.stringMatching(/Tests: +[1-9]\d* failed/)]);
  },
);

test("each remedy is told by what stands in the sources, and noticed by tests that are there", () => {
  expect(REMEDIES.length).toBeGreaterThanOrEqual(18);
  for (const { file, text, noticedBy } of REMEDIES) {
    expect([file, text, readFileSync(file, "utf8").split(text).length - 1]).toEqual([file, text, 1]);
    const [start] = noticedBy[1].split(" begins only");
    expect(readFileSync(noticedBy[0], "utf8")).toContain(start as string);
  }
});

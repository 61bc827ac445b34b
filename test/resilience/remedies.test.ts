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

const REMEDIES = JSON.parse(readFileSync("test/resilience/remedies.json", "utf8")) as readonly Remedy[];

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

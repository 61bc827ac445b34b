import { openPaper } from "../../../test/support/paper.ts";
import type { PlannedPhase } from "../../core/model/plan.ts";
import type { DeliveryEvent } from "../../ports/reporter.ts";
import { toLines, type Look, type Picture } from "./live-progress.ts";
import { createProgress } from "./progress.ts";
import { signsFor } from "./signs.ts";
import { widthOf } from "./width.ts";

const EVENTS: readonly DeliveryEvent[] = [
  { event: "gathered", what: "build", files: 3, bytes: 4000, objects: 0 },
  { event: "phase", phase: "stock", state: "started", steps: 2, bytes: 3000 },
  { event: "step", phase: "stock", do: "send", key: "a.js", bytes: 1000 },
  { event: "retry", action: { do: "write", key: "b.js" }, attempt: 2, waitMs: 200, why: "SlowDown" },
  { event: "phase", phase: "stock", state: "ended", steps: 2, seconds: 0.5 },
];

test("plain lines without control codes anywhere but on a screen, and nothing when quiet", () => {
  const [plain, quiet] = [openPaper(), openPaper()];
  const progress = createProgress(plain, { quiet: false, verbose: true });
  for (const event of EVENTS) progress(event);
  progress.end();
  for (const event of EVENTS) createProgress(quiet, { quiet: true, verbose: false })(event);
  expect(plain.err.join("")).toBe(
    "read the build: 3 files, 4.0 kB; the destination has 0 objects, old versions and records included\n  send a.js\ncould not write b.js (SlowDown); trying again in 0.20 s\nsent new assets: 2 files, 3.0 kB, 0.50 s\n",
  );
  expect(plain.drawn).toEqual([]);
  expect([quiet.err, quiet.out, quiet.drawn]).toEqual([[], [], []]);
});

test("in CI a phase with steps has a fold, one without has none, and no run leaves one open", () => {
  const log = openPaper({
    ci: {
      ...{
        summaryFile: undefined,
        commit: undefined,
        sequence: undefined,
        branch: undefined,
        actor: undefined,
      },
      ...{ annotate: () => "", fold: (title: string) => `[${title}\n`, endFold: () => "]\n" },
    },
  });
  const progress = createProgress(log, { quiet: false, verbose: false });
  for (const event of EVENTS) progress(event);
  progress({ event: "phase", phase: "record", state: "started", steps: 2, bytes: 0 });
  progress({ event: "phase", phase: "record", state: "ended", steps: 2, seconds: 0 });
  const folds = ["[sending new assets, file by file\n", "]\n"];
  const listFolds = (): string[] => log.err.filter((text) => /^[[\]]/.test(text));
  expect(listFolds()).toEqual(folds);
  // It fails within the phase: why must not be hidden.
  for (const event of EVENTS.slice(0, -1)) progress(event);
  progress.end();
  expect(listFolds()).toEqual([...folds, ...folds]);
});

test("on a screen an area is drawn while work goes on, and taken away at its end", () => {
  const screen = openPaper({ isLive: true });
  const progress = createProgress(screen, { quiet: false, verbose: false });
  for (const event of EVENTS) progress(event);
  progress.end();
  expect(screen.drawn.find((lines) => lines.length > 0)?.[0]).toMatch(/now {3}sending new assets/);
  expect(screen.drawn.at(-1)).toEqual([]);
  expect(screen.err).toEqual([]);
});

const planned: readonly PlannedPhase[] = [
  { phase: "stock", steps: 10_122, bytes: 257_000_000 },
  { phase: "switch", steps: 12, bytes: 9000 },
  { phase: "record", steps: 2, bytes: 0 },
  { phase: "invalidate", steps: 3, bytes: 0 },
];
const picture: Picture = {
  ...{ planned, phase: "switch", done: 6, steps: 12, bytes: 4500, total: 9000, retries: 2 },
  ...{ took: new Map([["stock", 12.1]]), waiting: "waiting for it to confirm" },
};
const look: Look = { seconds: 2, columns: 100, rows: 24, signs: signsFor({}), style: (_, text) => text };

test("the area names what is done, what goes on with its numbers, and what comes then", () => {
  expect(toLines(picture, look)).toEqual([
    "  done   sent new assets, 12 s",
    "   now   writing pages",
    "         ━━━━━━━━━━━━━━━───────────────  6 of 12   4.5 kB of 9.0 kB   2.3 kB/s   2 s left",
    "         waiting for it to confirm …",
    "  then   recording the release",
    "  then   asking the edge to forget old copies",
  ]);
  const plain = toLines(picture, { ...look, signs: signsFor({ LANG: "C" }) }).join("\n");
  expect(plain).toMatch(/^[\u0020-\u007e\n]*$/);
  expect(toLines({ ...picture, phase: undefined, waiting: "reading the build" }, look).at(-1)).toBe("         reading the build … 2.00 s");
}); // prettier-ignore

test("a phase that comes a second time, or that nobody has planned, is shown as what goes on", () => {
  const again = { ...picture, phase: "stock", took: new Map([["stock", 1], ["switch", 1], ["record", 0]]), waiting: "" } as Picture;
  expect(toLines(again, look).filter((line) => line.startsWith("   now"))).toEqual(["   now   sending new assets"]);
  expect(toLines({ ...again, phase: "rules" }, look).at(-2)).toBe("   now   giving the edge its rules");
  expect(toLines({ ...again, phase: undefined }, look).join()).not.toContain("now");
}); // prettier-ignore

test.each([21, 40, 60, 80, 140])("at %i columns no line is wider than the screen, nor are there more than rows", (columns) => {
  for (const rows of [3, 5, 24]) {
    const lines = toLines(picture, { ...look, columns, rows });
    expect(Math.max(...lines.map(widthOf))).toBeLessThan(columns);
    expect(lines.length).toBeLessThan(rows);
    expect(lines.join("\n")).toContain("writing pages".slice(0, columns - 12));
  }
}); // prettier-ignore

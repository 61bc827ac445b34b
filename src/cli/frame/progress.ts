import { counted } from "../../words/text.ts";
import type { DeliveryEvent, Reporter } from "../../ports/reporter.ts";
import { toProblemResult } from "../../results/problem.ts";
import { showAction } from "../../words/actions.ts";
import { showEdgeWait } from "../../words/edges.ts";
import { showWarning } from "../../words/warnings.ts";
import { cut } from "./width.ts";
import { clean, type Terminal } from "./terminal.ts";
import { annotateProblems } from "./annotations.ts";
import { showBytes, showSeconds } from "../../words/numbers.ts";

const WORDS: Readonly<Record<string, string>> = {
  keep: "keeping contents",
  stock: "stocking new assets",
  unmask: "clearing the way for new assets",
  switch: "switching pages",
  record: "writing the release down",
  invalidate: "asking edges to forget",
  announce: "announcing workers",
  clear: "clearing",
};

/** How often a live line is drawn anew. */
const REDRAW_MS = 80;

/** Progress for people: one live line on a screen, one plain line a phase anywhere else. */
export function createProgress(
  terminal: Terminal,
  options: { quiet: boolean; verbose: boolean },
): Reporter & { end: () => void } {
  if (options.quiet) return Object.assign(() => undefined, { end: () => undefined });
  return terminal.isLive ? liveProgress(terminal, options) : plainProgress(terminal, options);
}

/** Steps of one phase that a fold lists before the rest is counted. */
const MOST_FOLDED = 500;

function plainProgress(
  terminal: Terminal,
  { verbose }: { verbose: boolean },
): Reporter & { end: () => void } {
  const { ci } = terminal;
  let [bytes, waiting, folded] = [0, "", 0];
  const report = (event: DeliveryEvent): void => {
    if (event.event === "gathered")
      terminal.say(
        `${event.what}: ${counted(event.files, "file")}, ${showBytes(event.bytes)}; destination: ${counted(event.objects, "object")}\n`,
      );
    else if (event.event === "phase" && event.state === "started") {
      ({ bytes } = event);
      folded = 0;
      if (ci)
        terminal.command(ci.fold(`${WORDS[event.phase] ?? event.phase}: ${counted(event.steps, "step")}`));
    } else if (event.event === "phase") {
      if (ci && folded > MOST_FOLDED) terminal.say(`  and ${folded - MOST_FOLDED} more\n`);
      if (ci) terminal.command(ci.endFold());
      terminal.say(
        `${event.phase}: ${counted(event.steps, "step")}${bytes > 0 ? `, ${showBytes(bytes)}` : ""}, ${showSeconds(event.seconds)}\n`,
      );
    } else if (event.event === "step") {
      folded += 1;
      if (verbose || (ci && folded <= MOST_FOLDED)) terminal.say(`  ${event.do} ${clean(event.key)}\n`);
    } else if (event.event === "edge") {
      // Looked at often, said once.
      const why = showEdgeWait(event.wait);
      if (why !== waiting) terminal.say(`edge ${clean(event.edge)}: ${clean(why)}\n`);
      waiting = why;
    } else sayTrouble(event, terminal);
  };
  return Object.assign(report, { end: () => undefined });
}

function sayTrouble(event: DeliveryEvent, terminal: Terminal): void {
  if (event.event === "refused")
    annotateProblems(event.problems.map(toProblemResult), event.folder, terminal);
  if (event.event === "warning") {
    // Where it is shown beside the run, the log has it from there.
    const message = clean(showWarning(event.warning));
    const shown = terminal.ci?.annotate("warning", message) ?? "";
    if (shown === "") terminal.say(`warning: ${message}\n`);
    else terminal.command(shown);
  }
  if (event.event === "retry")
    terminal.say(
      `trying again in ${showSeconds(event.waitMs / 1000)}: ${clean(showAction(event.action))} (${clean(event.why)})\n`,
    );
}

function liveProgress(terminal: Terminal, { verbose }: { verbose: boolean }): Reporter & { end: () => void } {
  let state = { phase: "", done: 0, steps: 0, bytes: 0, total: 0, started: 0, retries: 0, waiting: "" };
  let drawn = 0;
  const erase = (): void => {
    terminal.say("\r\u001b[2K");
  };
  const draw = (): void => {
    const now = performance.now();
    if (now - drawn < REDRAW_MS) return;
    drawn = now;
    erase();
    terminal.say(cut(toLiveLine(state, now), terminal.liveColumns - 1));
  };
  const report = (event: DeliveryEvent): void => {
    if (event.event === "phase" && event.state === "started") {
      state = {
        ...state,
        phase: event.phase,
        done: 0,
        steps: event.steps,
        bytes: 0,
        total: event.bytes,
        started: performance.now(),
        waiting: "",
      };
      drawn = 0;
    } else if (event.event === "step") {
      state = { ...state, done: state.done + 1, bytes: state.bytes + event.bytes };
      if (verbose) {
        erase();
        terminal.say(`  ${event.do} ${clean(event.key)}\n`);
      }
    } else if (event.event === "edge")
      state = {
        ...state,
        waiting: `${event.edge}: ${clean(showEdgeWait(event.wait))}, ${showSeconds(event.seconds)}`,
      };
    else if (event.event === "retry") state = { ...state, retries: state.retries + 1 };
    else if (event.event === "warning") {
      erase();
      sayTrouble(event, terminal);
    }
    if (event.event !== "done" && event.event !== "gathered") draw();
  };
  return Object.assign(report, { end: erase });
}

function toLiveLine(
  state: {
    phase: string;
    done: number;
    steps: number;
    bytes: number;
    total: number;
    started: number;
    retries: number;
    waiting: string;
  },
  now: number,
): string {
  if (state.waiting !== "") return `${WORDS[state.phase] ?? state.phase}: ${state.waiting}`;
  const seconds = (now - state.started) / 1000;
  const rate = seconds > 0.5 && state.bytes > 0 ? state.bytes / seconds : 0;
  const left = rate > 0 ? `, ${showSeconds((state.total - state.bytes) / rate)} left` : "";
  const bytes =
    state.total > 0
      ? `, ${showBytes(state.bytes)} of ${showBytes(state.total)}${rate > 0 ? ` at ${showBytes(rate)}/s` : ""}${left}`
      : "";
  const retries = state.retries > 0 ? `, ${counted(state.retries, "retry", "retries")}` : "";
  return `${WORDS[state.phase] ?? state.phase}: ${state.done} of ${state.steps}${bytes}${retries}`;
}

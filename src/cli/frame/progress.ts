import { counted, grouped } from "../../words/text.ts";
import type { PhaseName } from "../../core/model/plan.ts";
import type { DeliveryEvent, Reporter } from "../../ports/reporter.ts";
import { toProblemResult } from "../../results/problem.ts";
import { showAction } from "../../words/actions.ts";
import { showEdgeWait } from "../../words/edges.ts";
import { showDoing, showDone, showTask } from "../../words/phases.ts";
import { showWarning } from "../../words/warnings.ts";
import { clean, type Terminal } from "./terminal.ts";
import { annotateProblems } from "./annotations.ts";
import { createLiveProgress } from "./live-progress.ts";
import { showBytes, showSeconds } from "../../words/numbers.ts";

export interface ProgressOptions {
  readonly quiet: boolean;
  readonly verbose: boolean;
}

export type Progress = Reporter & { readonly end: () => void };

/** Progress for people: a live area on a screen, one plain line per phase anywhere else. */
export function createProgress(terminal: Terminal, options: ProgressOptions): Progress {
  if (options.quiet) return Object.assign(() => undefined, { end: () => undefined });
  return terminal.isLive
    ? createLiveProgress(terminal, options, sayTrouble)
    : plainProgress(terminal, options);
}

/** Steps of one phase that a fold lists before the rest is counted. */
const MOST_FOLDED = 500;

/** What takes longer than this without a word is named while it goes on. */
const SILENCE_MS = 1000;

function plainProgress(terminal: Terminal, { verbose }: ProgressOptions): Progress {
  const { ci } = terminal;
  let [bytes, waiting, folded] = [0, "", 0];
  let isOpen = false;
  let silence: NodeJS.Timeout | undefined;
  const listStep = (phase: PhaseName, words: string): void => {
    folded += 1;
    // A fold is opened by what stands in it: empty ones are only in the way.
    if (ci && !isOpen) {
      isOpen = true;
      terminal.command(ci.fold(`${showDoing(phase)}, file by file`));
    }
    if (verbose || (ci && folded <= MOST_FOLDED)) terminal.say(`  ${words}\n`);
  };
  const closeFold = (): void => {
    if (ci && isOpen) terminal.command(ci.endFold());
    isOpen = false;
  };
  const report = (event: DeliveryEvent): void => {
    if (event.event === "gathered") terminal.say(showGathered(event));
    else if (event.event === "task") {
      clearTimeout(silence);
      const words = clean(showTask(event.task));
      if (event.state === "started")
        silence = setTimeout(() => {
          terminal.say(`${words} ${terminal.signs.more}\n`);
        }, SILENCE_MS);
    } else if (event.event === "phase" && event.state === "started") {
      ({ bytes } = event);
      [folded, isOpen] = [0, false];
    } else if (event.event === "phase") {
      if (isOpen && folded > MOST_FOLDED) terminal.say(`  and ${grouped(folded - MOST_FOLDED)} more\n`);
      closeFold();
      terminal.say(
        `${showDone(event.phase)}: ${showAmount(event.phase, event.steps, bytes)}, ${showSeconds(event.seconds)}\n`,
      );
    } else if (event.event === "step") {
      if (verbose || ci) listStep(event.phase, `${event.do} ${clean(event.key)}`);
    } else if (event.event === "edge") {
      // Looked at often, said once.
      const why = showEdgeWait(event.wait);
      if (why !== waiting) terminal.say(`the edge "${clean(event.edge)}": ${clean(why)}\n`);
      waiting = why;
    } else sayTrouble(event, terminal);
  };
  return Object.assign(report, {
    end: () => {
      clearTimeout(silence);
      // A run that fails within a phase must not hide in its fold why.
      closeFold();
    },
  });
}

const showGathered = ({ what, files, bytes, objects }: DeliveryEvent & { event: "gathered" }): string =>
  `read ${what === "build" ? "the build" : clean(what)}: ${counted(files, "file")}, ${showBytes(bytes)}; the destination has ${counted(objects, "object")}, old versions and records included\n`;

/** How much a phase does, with its noun. */
function showAmount(phase: PhaseName, steps: number, bytes: number): string {
  if (phase === "record") return counted(steps, "record");
  const isAsked = phase === "unmask" || phase === "invalidate";
  const amount = isAsked
    ? counted(steps, "pattern")
    : phase === "rules"
      ? "1 change"
      : counted(steps, "file");
  return bytes > 0 ? `${amount}, ${showBytes(bytes)}` : amount;
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
      `could not ${clean(showAction(event.action))} (${clean(event.why)}); trying again in ${showSeconds(event.waitMs / 1000)}\n`,
    );
}

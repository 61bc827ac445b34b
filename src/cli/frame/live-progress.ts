import type { PhaseName, PlannedPhase } from "../../core/model/plan.ts";
import type { DeliveryEvent, Reporter } from "../../ports/reporter.ts";
import { showEdgeWait } from "../../words/edges.ts";
import { showBytes, showSeconds } from "../../words/numbers.ts";
import { showDoing, showDone, showTask } from "../../words/phases.ts";
import { counted, grouped } from "../../words/text.ts";
import type { Signs } from "./signs.ts";
import { clean, type Style, type Terminal } from "./terminal.ts";
import { cut } from "./width.ts";

/** How often the area is drawn anew, while something is going on. */
const REDRAW_MS = 100;
/** A rate says something only after a while. */
const RATE_AFTER_SECONDS = 0.5;

/** Where a run is. */
export interface Picture {
  /** Every phase that there will be; those before `phase` are done. */
  readonly planned: readonly PlannedPhase[];
  readonly phase: PhaseName | undefined;
  /** Steps and bytes of this phase that are done, of how many. */
  readonly done: number;
  readonly steps: number;
  readonly bytes: number;
  readonly total: number;
  /** Seconds that each phase has taken. */
  readonly took: ReadonlyMap<PhaseName, number>;
  readonly retries: number;
  /** What is waited for, in words. */
  readonly waiting: string;
}

const NOTHING: Picture = {
  ...{ planned: [], phase: undefined, done: 0, steps: 0, bytes: 0, total: 0 },
  ...{ took: new Map(), retries: 0, waiting: "" },
};

/** What an event changes about the picture. */
function follow(picture: Picture, event: DeliveryEvent): Picture {
  switch (event.event) {
    case "planned":
      return { ...picture, planned: event.phases, waiting: "" };
    case "task":
      return { ...picture, waiting: event.state === "started" ? clean(showTask(event.task)) : "" };
    case "phase":
      if (event.state === "started")
        return {
          ...picture,
          ...{ phase: event.phase, done: 0, steps: event.steps, bytes: 0, total: event.bytes, waiting: "" },
        };
      return {
        ...picture,
        phase: undefined,
        waiting: "",
        took: new Map([...picture.took, [event.phase, (picture.took.get(event.phase) ?? 0) + event.seconds]]),
      };
    case "step":
      return { ...picture, done: picture.done + 1, bytes: picture.bytes + event.bytes };
    case "edge":
      return { ...picture, waiting: clean(showEdgeWait(event.wait)) };
    case "retry":
      return { ...picture, retries: picture.retries + 1 };
    default:
      return picture;
  }
}

/** Progress on a screen: every phase, where the run is, how fast it goes, and what it waits for. */
export function createLiveProgress(
  terminal: Terminal,
  { verbose }: { readonly verbose: boolean },
  sayTrouble: (event: DeliveryEvent, terminal: Terminal) => void,
): Reporter & { readonly end: () => void } {
  let picture = NOTHING;
  let [began, drawn] = [performance.now(), 0];
  let timer: NodeJS.Timeout | undefined;
  const draw = (): void => {
    const now = performance.now();
    const { liveColumns: columns, liveRows: rows, signs, styleSaid: style } = terminal;
    const seconds = (now - began) / 1000;
    drawn = now;
    terminal.live.draw(toLines(picture, { seconds, columns, rows, signs, style }));
  };
  const isBusy = (): boolean => picture.phase !== undefined || picture.waiting !== "";
  const stop = (): void => {
    clearInterval(timer);
    timer = undefined;
    terminal.live.clear();
  };
  const report = (event: DeliveryEvent): void => {
    const { phase, waiting } = picture;
    picture = follow(picture, event);
    if (picture.phase !== phase || (picture.waiting !== waiting && event.event === "task"))
      began = performance.now();
    if (verbose && event.event === "step") terminal.say(`  ${event.do} ${clean(event.key)}\n`);
    if (event.event === "warning" || event.event === "refused") sayTrouble(event, terminal);
    if (!isBusy()) {
      // Somebody may be asked something now.
      if (event.event !== "phase") stop();
      return;
    }
    timer ??= setInterval(draw, REDRAW_MS);
    timer.unref();
    if (performance.now() - drawn >= REDRAW_MS) draw();
  };
  return Object.assign(report, { end: stop });
}

export interface Look {
  /** Since the phase began. */
  readonly seconds: number;
  readonly columns: number;
  readonly rows: number;
  readonly signs: Signs;
  readonly style: Style;
}

/** The lines of the area, none wider than the screen; fewer on a screen that is not high enough for all phases. */
export function toLines(picture: Picture, look: Look): string[] {
  const { planned, phase, took } = picture;
  const { columns, rows, style } = look;
  const fit = (text: string): string => cut(text, columns - 1);
  const at = planned.findLastIndex((one) => one.phase === phase || took.has(one.phase));
  const lines = planned.flatMap((one, index): string[] => {
    if (one.phase === phase && index >= at)
      return [fit(`   now   ${showDoing(one.phase)}`), ...toWork(picture, look)];
    const seconds = took.get(one.phase);
    if (seconds !== undefined || index < at)
      return [style("faint", fit(`  done   ${showDone(one.phase)}, ${showSeconds(seconds ?? 0)}`))];
    return [style("faint", fit(`  then   ${showDoing(one.phase)}`))];
  });
  // One that nobody has planned, or that comes a second time, stands below the others.
  const isListed = at >= 0 && planned.findIndex((one) => one.phase === phase) === at;
  const other =
    phase !== undefined && !isListed ? [fit(`   now   ${showDoing(phase)}`), ...toWork(picture, look)] : [];
  const alone =
    phase === undefined && picture.waiting !== "" ? [fit(`         ${toWaiting(picture, look)}`)] : [];
  const all = [...lines, ...other, ...alone];
  // What is going on counts more than what comes then.
  return all.length < rows
    ? all
    : [...other, ...alone, ...toShort(picture, look)].slice(0, Math.max(1, rows - 1));
}

const toShort = (picture: Picture, look: Look): string[] =>
  picture.phase === undefined
    ? []
    : [cut(showDoing(picture.phase), look.columns - 1), ...toWork(picture, look)];

/** The bar with its numbers, and below what is waited for. */
function toWork(picture: Picture, look: Look): string[] {
  const { done, steps, bytes, total, retries, waiting } = picture;
  const { seconds, columns, signs, style } = look;
  const share = total > 0 ? bytes / total : steps > 0 ? done / steps : 0;
  const rate = seconds >= RATE_AFTER_SECONDS && bytes > 0 ? bytes / seconds : 0;
  const parts = [
    ...(done > 0 || total > 0 ? [`${grouped(done)} of ${grouped(steps)}`] : []),
    ...(total > 0 ? [`${showBytes(bytes)} of ${showBytes(total)}`] : []),
    ...(rate > 0 ? [`${showBytes(rate)}/s`, showLeft((total - bytes) / rate)] : [showSeconds(seconds)]),
    ...(retries > 0 ? [counted(retries, "retry", "retries")] : []),
  ];
  const width = Math.max(8, Math.min(30, columns - 60));
  const full = Math.min(width, Math.floor(share * width));
  const bar = style("good", signs.done.repeat(full)) + style("faint", signs.open.repeat(width - full));
  // On a narrow screen the last of the numbers are left out, never half of one.
  const room = columns - 11 - width;
  let numbers = "";
  for (const part of parts) {
    const next = numbers === "" ? part : `${numbers}   ${part}`;
    if (next.length > room) break;
    numbers = next;
  }
  const waits = waiting === "" ? [] : [cut(`         ${toWaiting(picture, look)}`, columns - 1)];
  return [`         ${bar}  ${numbers}`, ...waits];
}

/** Nobody needs a guess to the hundredth. */
const showLeft = (seconds: number): string =>
  seconds < 60 ? `${Math.ceil(seconds)} s left` : `${showSeconds(seconds)} left`;

const toWaiting = ({ waiting, phase }: Picture, { seconds, signs }: Look): string =>
  `${waiting} ${signs.more}${phase === undefined && seconds >= 1 ? ` ${showSeconds(seconds)}` : ""}`;

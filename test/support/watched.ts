import { readFileSync } from "node:fs";
import { finish, type Outcome, type Project } from "./program.ts";

/** What came of a call that is watched. */
export interface Watched extends Outcome {
  /** The most memory that it took, in megabytes. */
  readonly peak: number;
}

/** How often the memory is looked at. */
const LOOK_MS = 50;

/** Runs a call, watching its memory; one that takes more than two gigabytes is ended. @param interruptWhen a moment to press Ctrl-C */
export async function runWatched(
  project: Project,
  args: readonly string[],
  interruptWhen?: Promise<void>,
  environment: NodeJS.ProcessEnv = {},
): Promise<Watched> {
  const child = project.start(args, environment);
  let peak = 0;
  const clock = setInterval(() => {
    peak = Math.max(peak, readPeak(child.pid ?? 0));
    if (peak > 2000) child.kill("SIGKILL");
  }, LOOK_MS);
  void interruptWhen?.then(() => child.kill("SIGINT"));
  try {
    return { ...(await finish(child)), peak };
  } finally {
    clearInterval(clock);
  }
}

function readPeak(pid: number): number {
  try {
    return Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0) / 1000;
  } catch {
    return 0;
  }
}

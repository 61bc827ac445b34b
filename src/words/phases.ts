import type { PhaseName } from "../core/model/plan.ts";
import type { Task } from "../core/model/task.ts";
import { counted } from "./text.ts";

/** Of each phase of a delivery: what is being done, and what was done. */
const PHASES: Readonly<Record<PhaseName, readonly [doing: string, done: string]>> = {
  keep: ["saving old versions to the vault", "saved old versions to the vault"],
  stock: ["sending new assets", "sent new assets"],
  unmask: [
    "asking the edge to forget 'not found' for new assets",
    "asked the edge to forget 'not found' for new assets",
  ],
  probe: ["reading one new file back", "read one new file back"],
  switch: ["writing pages", "wrote pages"],
  rules: ["giving the edge its rules", "gave the edge its rules"],
  record: ["recording the release", "recorded the release"],
  invalidate: ["asking the edge to forget old copies", "asked the edge to forget old copies"],
  announce: ["writing service workers, now that all pages are out", "wrote service workers"],
  clear: ["removing what no release needs", "removed what no release needs"],
};

/** What a phase is doing. */
export const showDoing = (phase: PhaseName): string => PHASES[phase][0];

/** What it has done. */
export const showDone = (phase: PhaseName): string => PHASES[phase][1];

const READING: Readonly<Record<Extract<Task, { code: "read" }>["what"], string>> = {
  build: "reading the build and its destination",
  destination: "reading the destination",
  "build-alone": "reading the build",
};

/** What is being waited for. */
export function showTask(task: Task): string {
  if (task.code === "read") return READING[task.what];
  return task.addresses === 1
    ? `asking ${task.url} as a visitor does`
    : `asking ${task.url} for ${counted(task.addresses, "address", "addresses")}, as visitors do`;
}

import type { DeliveryEvent } from "../../ports/reporter.ts";
import { toCourierEvent } from "../../library/events.ts";
import { toPrinted } from "../../results/kinds.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { Target } from "../../settings/target.ts";
import type { Call } from "../../wiring/call.ts";
import * as session from "../../wiring/session.ts";
import type { Delivery, Stay } from "../../workflows/run.ts";
import { isSet, list, text, type Arguments } from "./command.ts";
import { abortOnSignals } from "./interruption.ts";
import { createProgress } from "./progress.ts";
import { clean, type Terminal } from "./terminal.ts";

/** Runs something while its progress is shown, and the system's signals stop it. */
export async function whileShown<T>(
  args: Arguments,
  terminal: Terminal,
  run: (call: Call, conduct: session.Conduct) => Promise<T>,
): Promise<T> {
  const show = createProgress(terminal, { quiet: isSet(args, "quiet"), verbose: isSet(args, "verbose") });
  const events = text(args, "format") === "ndjson";
  const report = (event: DeliveryEvent): void => {
    if (events) terminal.print(`${JSON.stringify(toLine(event))}\n`);
    else if (event.event === "done") show.end();
    else show(event);
  };
  const stopping = abortOnSignals(terminal);
  try {
    return await run(toCall(args, terminal), { report, signal: stopping.signal });
  } catch (error) {
    show.end();
    throw error;
  } finally {
    stopping.end();
  }
}

/** An event as it is printed. */
const toLine = (event: DeliveryEvent): object =>
  event.event === "done"
    ? { event: "done", result: toPrinted(event.kind, event.result) }
    : toCourierEvent(event);

/** A run at the destination of a call, with its build. */
export const withDelivery = <T>(
  args: Arguments,
  terminal: Terminal,
  task: session.Task<Delivery, T>,
): Promise<T> => whileShown(args, terminal, (call, conduct) => session.withDelivery(call, conduct, task));

/** The same for commands that need no build. */
export const withDestination = <T>(
  args: Arguments,
  terminal: Terminal,
  task: session.Task<Stay, T>,
): Promise<T> => whileShown(args, terminal, (call, conduct) => session.withDestination(call, conduct, task));

/** The same for a destination that is known already. */
export const withTarget = <T>(
  target: Target,
  args: Arguments,
  terminal: Terminal,
  task: session.Task<Stay, T>,
): Promise<T> =>
  whileShown(args, terminal, (call, conduct) => session.withTarget(target, call, conduct, task));

/** What a call of the command line says. Throws `usage`. */
export function toCall(args: Arguments, terminal: Terminal): Call {
  const { environment, folder, redact, hide, ci, say } = terminal;
  const isVerbose = isSet(args, "verbose");
  return {
    ...{ environment, folder, redact, hide, ownsProcess: true },
    ...{ settings: text(args, "settings"), to: text(args, "to"), build: text(args, "build") },
    preview: previewOf(args, terminal),
    allow: list(args, "allow"),
    ...{ note: text(args, "note"), commit: text(args, "commit"), sequence: text(args, "sequence") },
    ofBuild: {
      commit: ci?.commit || undefined,
      sequence: ci?.sequence || undefined,
      by: ci?.actor || undefined,
    },
    onDamaged: (file) => {
      if (isVerbose) say(`the cache ${clean(file)} is damaged: every file is read anew\n`);
    },
  };
}

/** The preview that a call means; undefined: none. In CI its name need not be said: it is the branch. */
function previewOf(args: Arguments, { ci }: Terminal): string | undefined {
  const name = text(args, "preview");
  if (name !== "") return name;
  const branch = ci?.branch ?? "";
  if (branch !== "") return branch;
  throw new OperatorError("usage", {
    reason: "--preview needs a name: only in CI the branch is known",
    command: "deliver",
  });
}

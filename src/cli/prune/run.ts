import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { PruneDecision } from "../../core/history/prune.ts";
import { toPruneResult, type ForgottenInPreview, type PruneResult } from "../../results/history.ts";
import { listOver } from "../../workflows/previews.ts";
import { prune, type PruneOutcome } from "../../workflows/prune.ts";
import { confirm } from "../frame/ask.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import { callLike, quoted } from "../frame/next-call.ts";
import { printResult } from "../frame/output.ts";
import type { Terminal } from "../frame/terminal.ts";
import { toCall, withDestination } from "../frame/session.ts";
import { removePreviews, withPreviewList } from "../frame/previews.ts";
import { readTarget } from "../../wiring/wiring.ts";
import { forgetIn, lookEverywhere } from "./in-previews.ts";
import { showPrune } from "./show.ts";

/** `prune`. @returns the exit code: 5 while an edge owes a confirmation */
export async function pruneDestination(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const dryRun = isSet(args, "dry-run");
  const forget = list(args, "forget");
  const hasPreviews = readTarget(toCall(args, terminal)).previews !== undefined;
  const previews = hasPreviews ? await pruneOver(args, terminal, dryRun) : undefined;
  const found = hasPreviews && forget.length > 0 ? await lookEverywhere(args, terminal, forget) : undefined;
  const options = { dryRun, forget, named: found?.named, queueSeconds: readQueue(args) };
  return withDestination(args, terminal, async (stay, { destination, safety }) => {
    const view = { all: isSet(args, "all"), callLike: (words: string) => callLike(args, words) };
    const again = callLike(args, toAgain(args, forget));
    const show = (result: PruneResult): string => showPrune(result, terminal, { ...view, again });
    const toResult = (outcome: PruneOutcome, inPreviews: readonly ForgottenInPreview[]): PruneResult => ({
      ...toPruneResult(destination, dryRun, outcome),
      ...(previews && { previews }),
      ...(found && { inPreviews: [...inPreviews] }),
    });
    const confirmed = async (decision: PruneDecision): Promise<void> => {
      const outcome = { decision, owed: [], versions: 0 };
      const planned = { ...toResult(outcome, found?.inPreviews ?? []), dryRun: true };
      if (!isAsked(planned, safety.ask)) return;
      if (!isSet(args, "yes")) terminal.say(showPrune(planned, terminal, view));
      await confirmRemoval({ args, terminal, destination, isForGood: forget.length > 0 });
    };
    const gone: ForgottenInPreview[] = [];
    const inEach = (dryRun ? [] : (found?.inPreviews ?? [])).map(({ preview }) => async () => {
      gone.push(await forgetIn(preview, { args, terminal }, options));
    });
    const own = { ...options, foreign: isSet(args, "foreign"), confirm: confirmed };
    const outcome = await forgetAll(() => prune(stay, own), inEach);
    const result = toResult(outcome, dryRun ? (found?.inPreviews ?? []) : gone);
    stay.run.report({ event: "done", kind: "prune", result });
    printResult(args, terminal, { prune: result }, () => show(result));
    return result.owed.length > 0 && !dryRun ? 5 : 0;
  });
}

/** The same words, without `--dry-run`. */
const toAgain = (args: Arguments, forget: readonly string[]): string =>
  [
    "prune",
    ...forget.map((path) => `--forget ${quoted(path)}`),
    ...(isSet(args, "foreign") ? ["--foreign"] : []),
  ].join(" ");

/** Whether a person is asked first: where the destination wants it so, and before what nothing brings back. */
function isAsked({ removed, inPreviews = [] }: PruneResult, ask: boolean): boolean {
  if (removed.length === 0 && inPreviews.length === 0) return false;
  return ask || inPreviews.length > 0 || removed.some(({ why }) => why === "foreign" || why === "forgotten");
}

async function confirmRemoval({
  args,
  terminal,
  destination,
  isForGood,
}: {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly destination: string;
  readonly isForGood: boolean;
}): Promise<void> {
  await confirm(args, terminal, `${destination} asks before anything is removed`, "Remove these?");
  if (!isForGood) return;
  await confirm(
    args,
    terminal,
    "nothing brings them back",
    "Nothing can bring them back. Remove them for good?",
  );
}

/**
 * Makes one place after the other let go of a content. A place that can't rid itself of versions which the bucket keeps has
 * stopped showing it, and the others are to stop as well: it throws when all have been asked.
 */
async function forgetAll<T>(own: () => Promise<T>, others: readonly (() => Promise<void>)[]): Promise<T> {
  const outcome = await settle(own());
  const denied = [outcome.denied];
  for (const forget of others) denied.push((await settle(forget())).denied);
  const failure = denied.find((error) => error !== undefined);
  if (failure) throw failure;
  return outcome.value as T;
}

const settle = <T>(task: Promise<T>): Promise<{ value?: T; denied?: OperatorError }> =>
  task.then(
    (value) => ({ value }),
    (error: unknown) => {
      if (error instanceof OperatorError && error.code === "versions-denied") return { denied: error };
      throw error;
    },
  );

/** Removes the previews whose time is over. @returns their labels */
async function pruneOver(args: Arguments, terminal: Terminal, dryRun: boolean): Promise<string[]> {
  const over = await withPreviewList(args, terminal, listOver);
  const labels = over.map(({ label }) => label);
  if (!dryRun) await removePreviews(labels, args, terminal);
  return labels;
}

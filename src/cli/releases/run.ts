import type { ExitCode } from "../../words/exits.ts";
import { toHoldResult, toOneRelease, toReleaseList } from "../../results/history.ts";
import { OperatorError } from "../../core/model/failure.ts";
import {
  listReleases,
  readRelease,
  repairReleases,
  showHold,
  takeAwayHold,
} from "../../workflows/releases.ts";
import type { Stay } from "../../workflows/run.ts";
import { pictureRelease } from "../../workflows/report.ts";
import { confirm } from "../frame/ask.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { callLike } from "../frame/next-call.ts";
import { printResult } from "../frame/output.ts";
import { toPicture } from "../frame/report.ts";
import { withDestination } from "../frame/session.ts";
import { printComparison } from "./show-comparison.ts";
import { showHoldResult, showOneRelease, showReleaseList, type ReleasesView } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";

/** `releases`: the list, one in full, what changed between two, the hold, the repair of a lost pointer. */
export async function lookAtReleases(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const names = list(args, "RELEASE");
  const isOne = names.length === 1 && names[0] !== "hold" && !isSet(args, "repair");
  if (text(args, "report") !== undefined && !isOne)
    throw usage("--report draws one release: rcourier releases current --report FILE");
  if (isSet(args, "repair")) return repair(args, terminal);
  if (names[0] === "hold") return lookAtHoldOf(args, terminal);
  if (isSet(args, "take-hold")) throw usage("--take-hold goes with: rcourier releases hold");
  if (names.length > 2) throw usage(`name one release to show, or two to compare; you named ${names.length}`);
  await withDestination(args, terminal, async (stay, { destination }) => {
    const [first, second] = names;
    if (first === undefined) {
      const { pointer, waybills } = await listReleases(stay.place);
      const result = toReleaseList(destination, pointer, waybills);
      printResult(args, terminal, { releases: result }, () =>
        showReleaseList(result, terminal, viewOf(args, stay)),
      );
    } else if (second === undefined) {
      const { pointer } = await listReleases(stay.place);
      const result = toOneRelease(destination, await readRelease(stay.place, first), pointer);
      const options = { ...viewOf(args, stay), all: isSet(args, "all") };
      printResult(args, terminal, { release: result }, () => showOneRelease(result, terminal, options));
      await toPicture(args, terminal)?.(await pictureRelease(stay.place, first));
    } else await printComparison(args, terminal, stay.place, [first, second]);
  });
  return 0;
}

async function lookAtHoldOf(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  await withDestination(args, terminal, async (stay, { destination }) => {
    const seen = await showHold(stay.place);
    const result = toHoldResult(destination, seen);
    const asText = (): string => showHoldResult(result, terminal, stay.run.clock.now());
    if (!isSet(args, "take-hold") || !result.isHeld) {
      printResult(args, terminal, { hold: result }, asText);
      return;
    }
    terminal.say(asText());
    await confirm(
      args,
      terminal,
      `the hold of ${destination} would be ended, even if its run is still alive`,
      "End it?",
    );
    await takeAwayHold(stay.place);
    printResult(
      args,
      terminal,
      { hold: { ...result, isHeld: false } },
      () => `no run has the hold of ${destination} any more\n`,
    );
  });
  return 0;
}

async function repair(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  await withDestination(args, terminal, async (stay, { destination }) => {
    await confirm(
      args,
      terminal,
      `the record of the current release of ${destination} would be written anew`,
      "Write it anew?",
    );
    await repairReleases(stay);
    const { pointer, waybills } = await listReleases(stay.place);
    const result = toReleaseList(destination, pointer, waybills);
    printResult(args, terminal, { releases: result }, () =>
      showReleaseList(result, terminal, viewOf(args, stay)),
    );
  });
  return 0;
}

const viewOf = (args: Arguments, { run }: Stay): ReleasesView => ({
  now: run.clock.now(),
  callLike: (words) => callLike(args, words),
});

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "releases" });

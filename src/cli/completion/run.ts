import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { withDestination } from "../../wiring/session.ts";
import { withPreviewList } from "../../wiring/preview-list.ts";
import { listDestinations } from "../../wiring/wiring.ts";
import { listPreviews } from "../../workflows/previews.ts";
import { listReleases } from "../../workflows/releases.ts";
import { list, type Arguments, type Command } from "../frame/command.ts";
import { toCall } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { findCandidates, readSaid, type Names } from "./candidates.ts";
import { SCRIPTS, SHELLS, type Shell } from "./scripts.ts";

/** Somebody waits for it at every press of a key. */
const MOST_MS = 2000;

/** `completion`. @returns the exit code */
export async function printCompletion(
  args: Arguments,
  terminal: Terminal,
  commands: readonly Command[],
): Promise<ExitCode> {
  const [shell = "", ...words] = list(args, "SHELL");
  if (shell === "candidates") {
    const found = await findCandidates(words, commands, toNames(words, commands, terminal));
    for (const word of found) terminal.print(`${word}\n`);
    return 0;
  }
  if (!(SHELLS as readonly string[]).includes(shell) || words.length > 0)
    throw new OperatorError("usage", {
      reason: `completion needs the name of a shell: ${SHELLS.join(", ")}`,
      command: "completion",
    });
  terminal.print(SCRIPTS[shell as Shell]);
  return 0;
}

/** What nobody answers in time, or can't be read, is no reason to say anything. */
function toNames(words: readonly string[], commands: readonly Command[], terminal: Terminal): Names {
  const { values } = readSaid(words.slice(0, -1), commands);
  const call = toCall({ settings: values.get("settings") ?? "courier.yaml", to: values.get("to") }, terminal);
  const conduct = { report: () => undefined, signal: AbortSignal.timeout(MOST_MS) };
  const orNone = async (find: () => Promise<readonly string[]>): Promise<readonly string[]> => {
    try {
      return await find();
    } catch {
      return [];
    }
  };
  return {
    destinations: () => orNone(() => Promise.resolve().then(() => listDestinations(call))),
    releases: () =>
      orNone(() =>
        withDestination(call, conduct, async ({ place }) => {
          const { pointer } = await listReleases(place);
          return pointer.retained.map(({ release }) => String(release));
        }),
      ),
    previews: () =>
      orNone(() =>
        withDestination(call, conduct, (stay, target, ties) =>
          withPreviewList(stay, target, ties, async (store) =>
            (await listPreviews(store)).map(({ label }) => label),
          ),
        ),
      ),
  };
}

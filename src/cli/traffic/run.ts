import { OperatorError } from "../../core/model/failure.ts";
import { toTrafficResult } from "../../results/traffic.ts";
import { readTraffic } from "../../workflows/traffic.ts";
import type { ExitCode } from "../../words/exits.ts";
import { grouped } from "../../words/text.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import { writeTraffic } from "../frame/report.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withLogs } from "../../wiring/logs.ts";
import { withDestination } from "../frame/session.ts";
import { showTraffic } from "./show.ts";

/** `traffic`: what access logs tell. */
export async function lookAtTraffic(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const wish = { names: list(args, "LOG"), fromStore: text(args, "from-store"), folder: terminal.folder };
  if (wish.names.length === 0 && wish.fromStore === undefined)
    throw new OperatorError("usage", {
      reason: "name the logs: files or folders, - for standard input, or --from-store PREFIX",
      command: "traffic",
    });
  await withDestination(args, terminal, async (stay, target, ties) => {
    const tell = (lines: number): void => {
      if (terminal.isLive && !isSet(args, "quiet")) terminal.say(`\r${grouped(lines)} lines`);
    };
    const read = await withLogs(wish, stay, { target, ties }, (logs) =>
      readTraffic(stay.place, logs, tell),
    ).finally(() => {
      if (terminal.isLive && !isSet(args, "quiet")) terminal.say("\r\u001b[K");
    });
    const { traffic, ...facts } = read;
    const { destination, safety } = target;
    const result = toTrafficResult(traffic, { ...facts, destination, retention: safety.retention });
    printResult(args, terminal, { traffic: result }, () =>
      showTraffic(result, terminal, { all: isSet(args, "all") }),
    );
    await writeTraffic(args, terminal, result, target.site);
  });
  return 0;
}

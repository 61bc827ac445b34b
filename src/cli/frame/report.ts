import { drawPage } from "../../library/page.ts";
import type { Report } from "../../results/report.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { readOwnFile } from "../../system/own-files.ts";
import { text, type Arguments } from "./command.ts";
import { writeOutput } from "./output.ts";
import type { Terminal } from "./terminal.ts";

/** What draws a report; undefined where none is asked for (`--report FILE`). */
export function toPicture(
  args: Arguments,
  terminal: Terminal,
): ((report: Report) => Promise<void>) | undefined {
  const file = text(args, "report");
  if (file === undefined) return undefined;
  return async (report) => {
    writeOutput(file, terminal, await drawPage(report));
  };
}

/** Draws what logs tell, where that is asked for. */
export async function writeTraffic(
  args: Arguments,
  terminal: Terminal,
  result: TrafficResult,
  site: string,
): Promise<void> {
  const file = text(args, "report");
  if (file === undefined) return;
  const { drawTraffic } = await import("../../report/traffic/draw.ts");
  writeOutput(file, terminal, drawTraffic(result, site, readOwnFile("page-style.css")));
}

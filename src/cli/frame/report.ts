import type { Report } from "../../results/report.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { readOwnFile } from "../../system/own-files.ts";
import { text, type Arguments } from "./command.ts";
import { writeOutput } from "./output.ts";
import type { Terminal } from "./terminal.ts";

/** Draws a report where one is asked for (`--report FILE`). */
export async function writeReport(
  args: Arguments,
  terminal: Terminal,
  picture: () => Promise<Report>,
): Promise<void> {
  const file = text(args, "report");
  if (file === undefined) return;
  const { drawReport } = await import("../../report/draw.ts");
  const assets = { style: readOwnFile("page-style.css"), script: readOwnFile("page.js") };
  writeOutput(file, terminal, drawReport(await picture(), assets));
}

/** The same of what logs tell. */
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

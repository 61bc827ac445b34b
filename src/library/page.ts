import type { Report } from "../results/report.ts";
import { readOwnFile } from "../system/own-files.ts";

/** A report as one HTML page that needs nothing else. */
export async function drawPage(report: Report): Promise<string> {
  const { drawReport } = await import("../report/draw.ts");
  return drawReport(report, { style: readOwnFile("page-style.css"), script: readOwnFile("page.js") });
}

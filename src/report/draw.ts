import { h } from "./html.ts";
import { toPage, type PageAssets } from "./page.ts";
import type { Report } from "../results/report.ts";
import { drawEdges } from "./sections/edges.ts";
import { drawHead, titleOf } from "./sections/head.ts";
import { drawHeaders } from "./sections/headers.ts";
import { drawLegend } from "./sections/legend.ts";
import { drawMap } from "./sections/map.ts";
import { drawProblems } from "./sections/problems.ts";
import { drawReleases } from "./sections/releases.ts";
import { drawTable, PAGE_ROWS, RANK, toPackedRows } from "./sections/table.ts";
import { drawVisits } from "./sections/visits.ts";
import { drawWeight } from "./sections/weight.ts";

/** The page of a report: one file that needs no other. */
export function drawReport(report: Report, assets: PageAssets): string {
  const map = h(
    "section",
    { id: "build", ariaLabelledBy: "build-title" },
    h("h2", { id: "build-title" }, "The build"),
    drawLegend(report),
    drawMap(report),
    h(
      "p",
      { id: "said", className: ["about"], role: "status" },
      "Each box is a file, or several small ones, as large as its bytes.",
    ),
  );
  return toPage(
    {
      title: `${titleOf(report)} – ${report.site}`,
      sections: [
        drawHead(report),
        map,
        drawTable(report),
        drawVisits(report),
        drawWeight(report),
        drawEdges(report),
        drawReleases(report),
        drawHeaders(report),
        drawProblems(report),
      ],
      data: { rows: toPackedRows(report), rank: [...RANK], page: PAGE_ROWS },
    },
    assets,
  );
}

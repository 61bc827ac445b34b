import type { Element } from "hast";
import { scaleLinear } from "d3-scale";
import { weighRoles, type RoleWeight } from "../../core/picture/weights.ts";
import type { Report } from "../../results/report.ts";
import { ROLE_MEANINGS } from "../../words/reasons.ts";
import { ROLE_NAMES } from "../../words/picture.ts";
import { showBytes } from "../../words/numbers.ts";
import { grouped } from "../../words/text.ts";
import { drawBars, drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h } from "../html.ts";

const WIDTH = 300;

/** What is known of the weights, besides what is stored. */
interface Known {
  readonly isWeighed: boolean;
  readonly isWritten: boolean;
}

/** Bytes by role: as they are stored, as visitors get them, and what this delivery writes of them. */
export function drawWeight({ files, kind }: Report): Element {
  const roles = weighRoles(files);
  const known: Known = {
    isWeighed: roles.some(({ wire }) => wire !== undefined),
    isWritten: kind !== "release",
  };
  const columns = [
    { name: "Role" },
    { name: "Files", isNumber: true },
    { name: "Stored", isNumber: true },
    ...(known.isWeighed ? [{ name: "As sent with brotli", isNumber: true }] : []),
    ...(known.isWritten
      ? [{ name: kind === "planned" ? "Would be written" : "Written", isNumber: true }]
      : []),
    { name: "Stored and sent, drawn", isDrawn: true },
  ];
  const most = Math.max(...roles.map(({ stored }) => stored), 1);
  const rows = roles.map((role) => drawRole(role, most, known));
  const grid = drawGrid({ columns, rows, foot: drawSum(roles, known) });
  return drawSection("weight", "Weight by role", drawScroll({ by: "weight-title" }, grid));
}

function drawRole({ role, files, stored, wire, written }: RoleWeight, most: number, known: Known): Element {
  const scale = scaleLinear([0, most], [0, WIDTH]);
  return h(
    "tr",
    {},
    h("th", { scope: "row", title: ROLE_MEANINGS[role] }, ROLE_NAMES[role]),
    drawNumber(grouped(files)),
    drawNumber(showBytes(stored)),
    known.isWeighed ? drawNumber(wire === undefined ? "" : showBytes(wire)) : undefined,
    known.isWritten ? drawNumber(written === 0 ? "–" : showBytes(written)) : undefined,
    h(
      "td",
      { className: ["drawn"] },
      drawBars(WIDTH, 14, [
        { className: ["stored"], width: scale(stored), height: 14 },
        ...(wire === undefined ? [] : [{ className: ["wire"], y: 4, width: scale(wire), height: 6 }]),
      ]),
    ),
  );
}

function drawSum(roles: readonly RoleWeight[], known: Known): Element {
  const sum = (pick: (role: RoleWeight) => number): number =>
    roles.reduce((all, role) => all + pick(role), 0);
  return h(
    "tr",
    {},
    h("th", { scope: "row" }, "all"),
    drawNumber(grouped(sum(({ files }) => files))),
    drawNumber(showBytes(sum(({ stored }) => stored))),
    known.isWeighed ? drawNumber(showBytes(sum(({ wire, stored }) => wire ?? stored))) : undefined,
    known.isWritten ? drawNumber(showBytes(sum(({ written }) => written))) : undefined,
    h("td", {}),
  );
}

import type { Element } from "hast";
import { groupHeaders, type HeaderGroup } from "../../core/picture/weights.ts";
import type { Report } from "../../results/report.ts";
import { ROLE_NAMES } from "../../words/picture.ts";
import { counted, grouped, listed } from "../../words/text.ts";
import { drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h } from "../html.ts";

/** Groups of one role that are shown; a rule for each file would make as many groups. */
const MOST_GROUPS = 12;

/** Which headers files carry, role by role. */
export function drawHeaders({ files }: Report): Element | undefined {
  const groups = groupHeaders(files);
  if (groups.length === 0) return undefined;
  const roles = [...new Set(groups.map(({ role }) => role))];
  const shown = roles.flatMap((role) => groups.filter((group) => group.role === role).slice(0, MOST_GROUPS));
  const left = groups.length - shown.length;
  const columns = [{ name: "Role" }, { name: "Files", isNumber: true }, ...["Headers", "Content types", "For example"].map((name) => ({ name }))]; // prettier-ignore
  return drawSection(
    "headers",
    "Headers by role",
    drawScroll({ by: "headers-title" }, drawGrid({ columns, rows: shown.map(drawGroup) })),
    left > 0 ? h("p", { className: ["about"] }, `and ${counted(left, "group")} more`) : undefined,
  );
}

const drawGroup = ({ role, headers, files, types, example }: HeaderGroup): Element =>
  h(
    "tr",
    {},
    h("th", { scope: "row" }, ROLE_NAMES[role]),
    drawNumber(grouped(files)),
    h(
      "td",
      {},
      headers.length === 0
        ? "none besides the type"
        : h(
            "ul",
            { className: ["plain"] },
            ...headers.map(([name, value]) => h("li", {}, h("code", {}, `${name}: ${value}`))),
          ),
    ),
    h("td", {}, listed(types, 4)),
    h("td", {}, h("code", {}, example)),
  );

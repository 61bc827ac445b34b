import type { Element } from "hast";
import { FATES } from "../../core/picture/picture.ts";
import { ROLES } from "../../core/model/role.ts";
import { showBytes } from "../../words/numbers.ts";
import { FATE_NAMES } from "../../words/picture.ts";
import { showChangeReason } from "../../words/reasons.ts";
import { counted } from "../../words/text.ts";
import { h } from "../html.ts";
import { packRows, selectRows, type Column, type PackedRows, type Row } from "../rows.ts";
import type { Report } from "../../results/report.ts";

/** Rows that are shown at a time. */
export const PAGE_ROWS = 30;

const COLUMNS: readonly { readonly column: Column; readonly name: string; readonly isNumber?: true }[] = [
  { column: "key", name: "File" },
  { column: "fate", name: "What happens" },
  { column: "role", name: "Role" },
  { column: "size", name: "Stored", isNumber: true },
  { column: "wire", name: "As sent", isNumber: true },
  { column: "reason", name: "Why" },
];

/** The order in which what happens is told: what changes first. */
export const RANK: ReadonlyMap<string, number> = new Map(
  [...FATES.filter((fate) => fate !== "unchanged"), "unchanged" as const].map((fate, at) => [
    FATE_NAMES[fate],
    at,
  ]),
);

const toRows = ({ files }: Report): Row[] =>
  files.map(({ key, fate, role, size, wire = -1, by, reason }) => ({
    ...{ key, size, wire },
    fate: FATE_NAMES[fate],
    role,
    reason: reason ? showChangeReason(reason) : "",
    by: by === undefined ? 0 : by === "sending" ? 1 : 2,
  }));

/** What the page's script reads. */
export const toPackedRows = (report: Report): PackedRows => packRows(toRows(report));

/** Every file, to be filtered and sorted; without a script, the first of them. */
export function drawTable(report: Report): Element {
  const all = toRows(report);
  const wish = { text: "", fates: new Set<string>(), role: "", by: "fate" as const, isDown: false };
  const first = selectRows(all, wish, RANK).slice(0, PAGE_ROWS);
  const there = ROLES.filter((role) => report.files.some((file) => file.role === role));
  return h(
    "section",
    { id: "files", ariaLabelledBy: "files-title" },
    h("h2", { id: "files-title" }, "Files"),
    h(
      "form",
      { className: ["filter"], role: "search", ariaLabel: "Files" },
      h(
        "label",
        {},
        "Part of the name ",
        h("input", { type: "search", id: "filter", autoComplete: "off", spellCheck: "false" }),
      ),
      h(
        "label",
        {},
        "Role ",
        h(
          "select",
          { id: "role" },
          h("option", { value: "" }, "all"),
          ...there.map((role) => h("option", { value: role }, role)),
        ),
      ),
      h(
        "output",
        { id: "count", ariaLive: "polite" },
        `${first.length < all.length ? `the first ${first.length} of ` : ""}${counted(all.length, "file")}`,
      ),
    ),
    h(
      "div",
      { className: ["scroll"], tabIndex: 0, role: "region", ariaLabelledBy: "files-title" },
      h(
        "table",
        { id: "rows" },
        h("thead", {}, h("tr", {}, ...COLUMNS.map(drawHeading))),
        h("tbody", {}, ...first.map(drawRow)),
      ),
    ),
    h(
      "nav",
      { className: ["pages"], ariaLabel: "Pages of the table", hidden: true },
      h("button", { type: "button", id: "back" }, "earlier"),
      h("span", { id: "place" }),
      h("button", { type: "button", id: "on" }, "later"),
    ),
  );
}

const drawHeading = ({ column, name, isNumber }: (typeof COLUMNS)[number]): Element =>
  h(
    "th",
    {
      scope: "col",
      className: isNumber ? ["number"] : [],
      ariaSort: column === "fate" ? "ascending" : undefined,
    },
    h("button", { type: "button", dataColumn: column }, name),
  );

const drawRow = ({ key, fate, role, size, wire, reason }: Row): Element =>
  h(
    "tr",
    {},
    h("td", {}, h("code", {}, key)),
    h("td", {}, fate),
    h("td", {}, role),
    h("td", { className: ["number"] }, showBytes(size)),
    h("td", { className: ["number"] }, wire < 0 ? "" : showBytes(wire)),
    h("td", {}, reason),
  );

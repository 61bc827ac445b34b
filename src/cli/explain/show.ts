import { largest } from "../../core/model/largest.ts";
import { ROLE_MEANINGS, showRole } from "../../words/reasons.ts";
import type { Explanation } from "../../results/explanation.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { fill, widthOf } from "../frame/width.ts";
import { showBytes } from "../../words/numbers.ts";

const MOST_NAMES = 8;

/** Why a file gets what it gets, one line per fact. */
export function showExplanation(explanation: Explanation, terminal: Terminal): string {
  const {
    path,
    answersFor,
    role,
    aliasOf,
    redirectsTo,
    reason,
    size,
    hash,
    addresses,
    headers,
    namedBy,
    hashIn,
    names,
  } = explanation;
  const { style } = terminal;
  const rows: [string, string[]][] = [
    [
      "role",
      [
        `${showRole(role)}: ${clean(reason)}`,
        style(
          "faint",
          redirectsTo !== undefined
            ? "an empty object of its own; a website endpoint sends visitors on"
            : aliasOf === undefined
              ? ROLE_MEANINGS[role]
              : "an object of its own, so that this address answers too, with the same headers",
        ),
      ],
    ],
    ["content", [`${showBytes(size)}, SHA-256 ${hash.slice(0, 16)}…`]],
    ["answers at", addresses.map(clean)],
    ["headers", toHeaderLines(headers, terminal)],
    [
      "used by",
      cut(
        namedBy.map((mention) => `${clean(mention.path)}:${mention.line}`),
        hashIn === undefined ? "nothing in the build" : `${clean(hashIn)}, by its hash`,
      ),
    ],
    [
      "uses",
      cut(
        names.map((mention) => `${clean(mention.path)} ${style("faint", `(line ${mention.line})`)}`),
        "nothing in the build",
      ),
    ],
    ["a delivery", [toDeliveryWords(explanation)]],
  ];
  const lines = rows.flatMap(([name, facts]) =>
    facts.map((fact, index) => `  ${style("faint", (index === 0 ? name : "").padEnd(12))}${fact}\n`),
  );
  const answers =
    answersFor === undefined
      ? ""
      : style("faint", `, which answers at ${clean(answersFor)} as at every unknown address`);
  return `${style("strong", clean(path))}${answers}\n${lines.join("")}`;
}

function toHeaderLines(headers: Explanation["headers"], { style }: Terminal): string[] {
  const width = largest(headers.map(({ header, value }) => widthOf(`${header}: ${clean(value)}`)));
  return headers.map(({ header, value, rule, counts }) => {
    const said = fill(`${header}: ${clean(value)}`, width + 2);
    return counts
      ? `${said}${style("faint", `by ${rule}`)}`
      : style("faint", `${said}by ${rule}, replaced by the next line`);
  });
}

function toDeliveryWords({ delivery, aliasOf }: Explanation): string {
  if (!delivery) return "not known: this call did not look at a destination";
  const { change, reason } = delivery;
  if (aliasOf !== undefined && change !== "unchanged")
    return `would copy it from ${clean(aliasOf)}, inside the store: ${clean(reason)}`;
  switch (change) {
    case "new":
      return `would send it: ${reason}`;
    case "moved":
      return `would copy it inside the store: ${clean(reason)}`;
    case "replaced":
      return `would send it in the place of the one in the store: ${reason}`;
    case "relabelled":
      return `would give it new headers, a copy inside the store: ${reason}`;
    case "drifted":
    case "missing":
      return `would put it back: ${reason}`;
    case "unchanged":
      return `would leave it alone: ${reason}`;
  }
}

function cut(items: readonly string[], none: string): string[] {
  if (items.length === 0) return [none];
  return items.length > MOST_NAMES
    ? [...items.slice(0, MOST_NAMES), `and ${items.length - MOST_NAMES} more`]
    : [...items];
}

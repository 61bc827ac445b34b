import type { Explanation } from "../../results/explanation.ts";
import { showBytes } from "../../words/numbers.ts";
import { ROLE_MEANINGS, showRole } from "../../words/reasons.ts";
import { grouped } from "../../words/text.ts";
import { toFacts, type Noted } from "../frame/facts.ts";
import { toHead, type Sheet } from "../frame/sheet.ts";

/** Files that use one, or that one uses; the rest is counted. */
const MOST_NAMES = 8;

/** Why a file gets what it gets: what a delivery does with it first, then what is known of it. */
export function showExplanation(file: Explanation, sheet: Sheet, { all }: { readonly all: boolean }): string {
  const { path, answersFor, role, reason, size, hash, addresses, namedBy, hashIn, names } = file;
  const most = all ? Infinity : MOST_NAMES;
  const users = namedBy.map((mention) => ({ text: `${mention.path}:${mention.line}` }));
  const used = names.map((mention) => ({ text: mention.path, note: `line ${mention.line}` }));
  const byHash = hashIn === undefined ? "nothing in the build" : `${hashIn}, by its hash`;
  return [
    toHead(sheet, answersFor === undefined ? [path] : [answersFor, path], toDeliveryWords(file)),
    "\n",
    toFacts(sheet, [
      {
        label: "role",
        lines: [{ text: `${showRole(role)}: ${reason}` }, { text: toMeaning(file), faint: true }],
      },
      { label: "content", lines: [{ text: `${showBytes(size)}, SHA-256 ${hash}` }] },
      { label: "answers at", lines: toAddresses(addresses, answersFor) },
      { label: "headers", lines: file.headers.map(toHeaderLine) },
      { label: "used by", lines: cut(users, byHash, most) },
      { label: "uses", lines: cut(used, "nothing in the build", most) },
    ]),
  ].join("");
}

function toMeaning({ aliasOf, redirectsTo, role }: Explanation): string {
  if (redirectsTo !== undefined) return "an empty object of its own; a website endpoint sends visitors on";
  return aliasOf === undefined
    ? ROLE_MEANINGS[role]
    : "an object of its own, so that this address answers too, with the same headers";
}

const toAddresses = (addresses: readonly string[], answersFor: string | undefined): Noted[] => [
  ...addresses.map((text) => ({ text })),
  ...(answersFor === undefined
    ? []
    : [{ text: `${answersFor}, as at every address that no file of the site has` }]),
];

const toHeaderLine = ({ header, value, rule, counts }: Explanation["headers"][number]): Noted =>
  counts
    ? { text: `${header}: ${value}`, note: `by ${rule}` }
    : { text: `${header}: ${value}`, note: `by ${rule}, replaced by the next line`, faint: true };

/** One sentence. */
function toDeliveryWords({ delivery, aliasOf }: Explanation): string {
  if (!delivery) return "No destination was looked at, so what a delivery would do is not known.";
  const { change, reason } = delivery;
  if (aliasOf !== undefined && change !== "unchanged")
    return `A delivery would copy it from ${aliasOf}, inside the store: ${reason}.`;
  switch (change) {
    case "new":
      return `A delivery would send it: ${reason}.`;
    case "moved":
      return `A delivery would copy it inside the store: ${reason}.`;
    case "replaced":
      return `A delivery would send it in the place of the one in the store: ${reason}.`;
    case "relabelled":
      return `A delivery would give it new headers, by a copy inside the store: ${reason}.`;
    case "drifted":
    case "missing":
      return `A delivery would put it back: ${reason}.`;
    case "unchanged":
      return `A delivery would leave it alone: ${reason}.`;
  }
}

function cut(items: readonly Noted[], none: string, most: number): readonly Noted[] {
  if (items.length === 0) return [{ text: none }];
  const rest = items.length - most;
  return rest > 0
    ? [...items.slice(0, most), { text: `and ${grouped(rest)} more; --all lists them`, faint: true }]
    : items;
}

import type { VerifyResult } from "../../results/verification.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { columnFor, fill } from "../frame/width.ts";
import { counted, listed } from "../../words/text.ts";

type Findings = VerifyResult["findings"];

/** Addresses with the same cause that are named; the rest is counted. */
const MOST_ADDRESSES = 5;

/** `verify`, as a person reads it. */
export function showVerify(result: VerifyResult, terminal: Terminal, options: { all: boolean }): string {
  const { site, destination, release, url, requests, heldBack } = result;
  const heading = terminal.style("strong", `${clean(site)}, ${destination}`);
  const where = `${counted(requests, "request")} to ${clean(url)}, from here only: other points of presence may hold other copies`;
  return `${heading}: release ${release} as visitors get it\n\n${showFindings(result, terminal, options)}${options.all ? showRight(result, terminal) : ""}${showHeldBack(heldBack, terminal)}\n  ${terminal.style("faint", where)}\n`;
}

/** Every address that answers as it should. */
function showRight({ addresses, findings }: VerifyResult, { style }: Terminal): string {
  const wrong = new Set(findings.map(({ address }) => address));
  const right = addresses.filter((address) => !wrong.has(address));
  if (right.length === 0) return "";
  return `\n  ${style("good", "as delivered")}\n${right.map((address) => `    ${clean(address)}\n`).join("")}`;
}

const showHeldBack = (keys: readonly string[], { style }: Terminal): string =>
  keys.length === 0
    ? ""
    : `\n  ${style("warn", "held back")}: ${listed(keys.map(clean))} until the edge has confirmed the pages; the next delivery asks again\n`;

/** What is wrong, by cause, each with what to do. */
export function showFindings(
  { checked, findings }: Pick<VerifyResult, "checked" | "findings">,
  terminal: Terminal,
  options: { all: boolean } = { all: false },
): string {
  const { style } = terminal;
  const addresses = counted(checked, "address", "addresses");
  if (findings.length === 0)
    return `  ${style("good", "verified")}: ${addresses}, all as delivered, in every form that clients ask for\n`;
  const groups = new Map<string, Findings>();
  for (const finding of findings) {
    const key = `${finding.causeCode} ${finding.code}`;
    groups.set(key, [...(groups.get(key) ?? []), finding]);
  }
  const wrong = new Set(findings.map(({ address }) => address)).size;
  const summary = `  ${style("bad", "not as delivered")}: ${wrong} of ${addresses}\n`;
  return summary + [...groups.values()].map((group) => showGroup(group, terminal, options)).join("");
}

function showGroup(group: Findings, { style, columns }: Terminal, { all }: { all: boolean }): string {
  const [first] = group as [Findings[number]];
  const shown = all ? group : group.slice(0, MOST_ADDRESSES);
  const width = columnFor(
    shown.map(({ address }) => clean(address)),
    columns,
  );
  const lines = shown.map(
    ({ address, expected, found }) =>
      `    ${fill(clean(address), width)}  ${clean(found)} ${style("faint", `instead of ${clean(expected)}`)}\n`,
  );
  const rest = group.length - shown.length;
  return [
    `\n  ${style("warn", clean(first.cause))}\n`,
    ...lines,
    rest > 0 ? `    and ${rest} more: --all\n` : "",
    `    ${style("strong", "mend:")} ${clean(toHint(group))}\n`,
  ].join("");
}

/** One call mends all copies of a group. */
function toHint(group: Findings): string {
  const [first] = group as [Findings[number]];
  if (first.causeCode !== "edge-holds-old-copy" || group.length === 1) return first.hint;
  return group.length > MOST_ADDRESSES
    ? "rcourier invalidate --release current"
    : `rcourier invalidate ${group.map(({ address }) => `'${address}'`).join(" ")}`;
}

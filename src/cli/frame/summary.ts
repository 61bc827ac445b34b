import { counted } from "../../words/text.ts";
import type { FailureWords } from "../../words/failures.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import type { VerifyResult } from "../../results/verification.ts";
import { clean } from "./terminal.ts";
import { showBytes, showSeconds } from "../../words/numbers.ts";

/** Changes and findings that are listed before the rest is counted. */
const MOST = 50;

/** A delivery for the page of a CI run, in Markdown. */
export function toDeliverySummary(result: DeliveryResult): string {
  const { site, destination, release, previous, dryRun, url, warnings, invalidation, phases } = result;
  const state =
    release === previous
      ? `nothing to do, release ${release}`
      : `${dryRun ? "would become " : ""}release ${release}`;
  const seconds = phases.reduce((sum, phase) => sum + phase.seconds, 0);
  const { patterns, addresses, owed, confirmed } = invalidation;
  const asked = `${counted(addresses.length, "address", "addresses")} by ${counted(patterns.length, "pattern")}`;
  const edges =
    owed.length > 0
      ? `${asked}; still owed: ${owed.length}`
      : `${asked}, ${confirmed ? "confirmed" : "not confirmed"}`;
  return lines(
    `### ${inline(site)}, ${inline(destination)}: ${state}`,
    "",
    ...toTable(result),
    "",
    ...(addresses.length === 0 ? [] : [`Edges were asked to forget ${edges}.`, ""]),
    ...(result.verification ? [toVerdict(result.verification), ""] : []),
    ...warnings.map((warning) => `- **warning** ${inline(warning)}`),
    ...(warnings.length > 0 ? [""] : []),
    ...toDetails(
      "changes",
      result.changes.map(({ key, change, reason }) => `${change} ${code(key)}: ${inline(reason)}`),
    ),
    ...(result.preview && url !== undefined
      ? [`**${url}** until ${result.preview.until.slice(0, 16).replace("T", " ")} UTC`, ""]
      : []),
    `${url === undefined || result.preview ? "" : `${url} `}in ${showSeconds(seconds)}`,
  );
}

function toTable({ counts, bytes, pruned }: DeliveryResult): string[] {
  const sent = counts.new + counts.replaced + counts.drifted + counts.missing;
  const rows: [string, number, string][] = [
    ["new, replaced or mended", sent, showBytes(bytes.sent)],
    ["moved or relabelled, copied in the store", counts.moved + counts.relabelled, showBytes(bytes.copied)],
    ["unchanged", counts.unchanged, showBytes(bytes.unchanged)],
    ["removed", pruned.length, ""],
  ];
  return [
    "| files | | bytes |",
    "|---|--:|--:|",
    ...rows.map(([name, files, weight]) => `| ${name} | ${files} | ${weight} |`),
  ];
}

/** What is not as delivered, in Markdown. */
export const toVerifySummary = (result: VerifyResult): string =>
  lines(
    `### ${inline(result.site)}, ${inline(result.destination)}: release ${result.release} as visitors get it`,
    "",
    toVerdict(result),
  );

function toVerdict({ checked, findings }: Pick<VerifyResult, "checked" | "findings">): string {
  if (findings.length === 0)
    return `Verified: ${counted(checked, "address", "addresses")}, all as delivered.`;
  const rows = findings.map(
    ({ address, cause, hint }) => `${code(address)}: ${inline(cause)} (${inline(hint)})`,
  );
  return [
    `**Not as delivered:** ${counted(findings.length, "finding")}`,
    "",
    ...toDetails("findings", rows),
  ].join("\n");
}

/** A run that failed, in Markdown. */
export const toFailureSummary = ({ message, hint }: Pick<FailureWords, "message" | "hint">): string =>
  lines(
    `### failed: ${inline(message.split("\n")[0] ?? "")}`,
    "",
    ...message
      .split("\n")
      .slice(1)
      .map((line) => `- ${inline(line.trim())}`),
    "",
    inline(hint),
  );

function toDetails(title: string, rows: readonly string[]): string[] {
  if (rows.length === 0) return [];
  const rest = rows.length > MOST ? [`- and ${rows.length - MOST} more`] : [];
  return [
    `<details><summary>${title}</summary>`,
    "",
    ...rows.slice(0, MOST).map((row) => `- ${row}`),
    ...rest,
    "",
    "</details>",
    "",
  ];
}

const lines = (...all: string[]): string => `${all.join("\n")}\n\n`;

/** Names come from outside: nothing of them is taken for markup. */
const inline = (text: string): string =>
  clean(text)
    .replace(/[\\`*_{}[\]<>#|]/g, "\\$&")
    .replace(/\n/g, " ");
const code = (text: string): string => `\`${clean(text).replace(/[`\n]/g, "'")}\``;

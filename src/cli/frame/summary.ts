import { counted } from "../../words/text.ts";
import type { FailureWords } from "../../words/failures.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import type { VerifyResult } from "../../results/verification.ts";
import { clean } from "./terminal.ts";
import { changesOf, standingOf } from "./standing.ts";
import { showBytes, showMoment, showSeconds } from "../../words/numbers.ts";

/** Changes and findings that are listed before the rest is counted. */
const MOST = 50;

/** A delivery for the page of a CI run, in Markdown. */
export function toDeliverySummary(result: DeliveryResult): string {
  const { site, destination, url, warnings, invalidation, phases, preview } = result;
  const seconds = phases.reduce((sum, phase) => sum + phase.seconds, 0);
  const { patterns, addresses, owed } = invalidation;
  const asked = `${counted(addresses.length, "address", "addresses")}, with ${counted(patterns.length, "pattern")}`;
  const open =
    owed.length > 0 ? ` ${counted(owed.length, "address is", "addresses are")} not confirmed yet.` : "";
  return lines(
    `### ${inline(site)} → ${inline(destination)}`,
    "",
    inline(standingOf(result).words),
    "",
    ...toTable(result),
    "",
    ...(addresses.length === 0 ? [] : [`The edge was asked to forget ${asked}.${open}`, ""]),
    ...(result.verification ? [toVerdict(result.verification), ""] : []),
    ...warnings.map((warning) => `- **warning** ${inline(warning)}`),
    ...(warnings.length > 0 ? [""] : []),
    ...toDetails(
      "changes",
      changesOf(result).map(({ key, change, reason }) => `${change} ${code(key)}: ${inline(reason)}`),
    ),
    ...(preview && url !== undefined ? [`**${url}** until ${showMoment(preview.until)}`, ""] : []),
    `${url === undefined || preview ? "" : `${url} `}in ${showSeconds(seconds)}`,
  );
}

function toTable({ changes, bytes, counts, pruned }: DeliveryResult): string[] {
  const written = (how: "sending" | "copying"): number => changes.filter(({ by }) => by === how).length;
  const rows: [string, number, string][] = [
    ["sent", written("sending"), showBytes(bytes.sent)],
    ["copied inside the store", written("copying"), showBytes(bytes.copied)],
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
    `### ${inline(result.site)} → ${inline(result.destination)}: release ${result.release} as visitors get it`,
    "",
    toVerdict(result),
  );

function toVerdict({ checked, findings }: Pick<VerifyResult, "checked" | "findings">): string {
  if (findings.length === 0)
    return `Verified: all of ${counted(checked, "address", "addresses")} answer as delivered.`;
  const rows = findings.map(
    ({ address, cause, hint }) => `${code(address)}: ${inline(cause)} (${inline(hint)})`,
  );
  return [
    `**Not as delivered:** ${counted(new Set(findings.map(({ address }) => address)).size, "address", "addresses")}`,
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

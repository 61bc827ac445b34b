import type { ProvisionResult } from "../../results/provision.ts";
import { clean, type Style, type Terminal } from "../frame/terminal.ts";

/** `provision`, as a person reads it: before the question, and after. */
export function showProvision(result: ProvisionResult, { style }: Terminal): string {
  const { site, destination, bucket, endpoint, dryRun, steps, byHand, checked } = result;
  const isReady = steps.length === 0 && byHand.length === 0;
  const lines = [
    `${style("strong", clean(`${site}, ${destination}`))}: ${clean(bucket)} at ${clean(endpoint)}`,
    "",
    ...(isReady ? [`  ${style("good", "ready:")} nothing has to be changed`] : []),
    ...(steps.length === 0 ? [] : [`  ${style("strong", dryRun ? "to be changed" : "changed")}`]),
    ...steps.flatMap(({ what, why }) => [`    ${clean(what)}`, `      ${style("faint", clean(why))}`]),
    ...(byHand.length === 0 ? [] : [`  ${style("warn", "left to you")}`]),
    ...byHand.flatMap((one) => toLines(one, style)),
    ...(checked.length === 0 ? [] : [`  ${style("strong", "tried")}`]),
    ...checked.map((what) => `    ${clean(what)}`),
  ];
  return `${lines.join("\n")}\n${steps.length > 0 && dryRun ? "\n" : ""}`;
}

const toLines = ({ what, why, how }: ProvisionResult["byHand"][number], style: Style): string[] => [
  `    ${clean(what)}`,
  `      ${style("faint", clean(why))}`,
  `      ${style("strong", "how:")} ${clean(how)}`,
];

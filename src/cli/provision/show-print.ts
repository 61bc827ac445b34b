import type { PrintedSetupResult } from "../../results/printed-setup.ts";
import { wrap } from "../frame/wrap.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { columnFor, fill } from "../frame/width.ts";

/** What a file begins with, as all of these servers read it. */
const comment = (text: string): string[] => wrap(text, 96).map((line) => `# ${line}`);

/** `provision --print`, as it goes into files, or as a person reads it. */
export function showPrint(result: PrintedSetupResult, terminal: Terminal): string {
  if (result.print === "dns") return showRecords(result, terminal);
  if (result.print === "headers") return showDuties(result, terminal);
  const { site, destination, files, settings, left } = result;
  const lines = [
    ...comment(`${site}, ${destination}: made by rcourier provision --print ${result.print}.`),
    ...comment(
      "Put your token where ${EDGE_TOKEN} stands. Print it anew when redirects or headers of the settings change.",
    ),
    ...(settings.length > 0 ? comment(`In courier.yaml, say of this edge: ${settings.join(", ")}`) : []),
    ...left.flatMap((one) => comment(`Left to you: ${one}.`)),
  ];
  const shown = files.flatMap(({ path, text }) => [
    "",
    ...(files.length > 1 ? [`#### ${path}`] : comment(path)),
    text.trimEnd(),
  ]);
  return `${[...lines, ...shown].map(cleanLines).join("\n")}\n`;
}

const cleanLines = (text: string): string =>
  text
    .split("\n")
    .map((line) => clean(line))
    .join("\n");

function showRecords(
  { site, destination, records, left }: PrintedSetupResult,
  { style, columns }: Terminal,
): string {
  const width = columnFor(
    records.map(({ name }) => clean(name)),
    columns,
  );
  const lines = records.flatMap(({ name, type, value, note }) => [
    `  ${fill(clean(name), width)}  ${style("strong", type.padEnd(5))}  ${clean(value)}`,
    ...(note === undefined ? [] : wrap(note, columns - 6).map((line) => `      ${style("faint", line)}`)),
  ]);
  return `${[style("strong", clean(`${site}, ${destination}`)), "", ...lines, ...showLeft(left, columns)].join("\n")}\n`;
}

function showDuties(
  { site, destination, duties, left }: PrintedSetupResult,
  { style, columns }: Terminal,
): string {
  const width = Math.min(34, Math.max(...duties.map(({ what }) => what.length)));
  const lines = duties.flatMap(({ what, how }) => {
    const own = wrap(clean(how), Math.max(20, columns - width - 4));
    const isLong = what.length > width;
    const head = style("strong", clean(what).padEnd(width));
    const [first = "", ...rest] = own;
    return [
      ...(isLong ? [`  ${head}`, `  ${"".padEnd(width)}  ${first}`] : [`  ${head}  ${first}`]),
      ...rest.map((line) => `  ${"".padEnd(width)}  ${line}`),
    ];
  });
  return `${[style("strong", clean(`${site}, ${destination}`)), "", ...lines, ...showLeft(left, columns)].join("\n")}\n`;
}

const showLeft = (left: readonly string[], columns: number): string[] =>
  left.flatMap((one) => ["", ...wrap(one, columns - 2).map((line) => `  ${line}`)]);

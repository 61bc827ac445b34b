// Writes the table of docs/performance.md from bench/results.json: node bench/page.mjs
import { readFileSync, writeFileSync } from "node:fs";
import { cpus, totalmem } from "node:os";
import { fileURLToPath } from "node:url";
import { readResults } from "./measure.mjs";

const PAGE = fileURLToPath(new URL("../docs/performance.md", import.meta.url));
const [BEGIN, END] = ["<!-- measured -->", "<!-- /measured -->"];

const toTime = (ms) => (ms >= 10_000 ? `${Math.round(ms / 1000)} s` : ms >= 1000 ? `${(ms / 1000).toFixed(1)} s` : `${ms} ms`); // prettier-ignore
const toGoal = ({ goal, ratio }) => (goal === undefined ? "" : `${goal}${ratio <= goal ? "" : " (missed)"}`);

const all = Object.entries(readResults());
const rows = all.filter(([, { ratio }]) => ratio !== undefined);
/** What was seen, with no floor to hold it against. */
const seen = all.filter(([, { ratio, oursMs }]) => ratio === undefined && oursMs !== undefined);
const table = [
  "| work | floor | of the floor | ours | ratio | must be at most | processor time, floor and ours | peak memory |",
  "|---|---|---|---|---|---|---|---|",
  ...rows.map(([name, row]) =>
    [
      ...["", name, row.floor, toTime(row.floorMs), toTime(row.oursMs), row.ratio, toGoal(row)],
      ...[`${toTime(row.floorCpuMs)}, ${toTime(row.cpuMs)}`, `${row.peakMb} MB`, ""],
    ]
      .join(" | ")
      .trim(),
  ),
];
const seenTable = [
  "| seen | time | processor time | peak memory |",
  "|---|---|---|---|",
  ...seen.map(
    ([name, row]) => `| ${name} | ${toTime(row.oursMs)} | ${toTime(row.cpuMs)} | ${row.peakMb} MB |`,
  ),
];
const memory = Math.round(totalmem() / 2 ** 30);
const machine = `Node.js ${process.version}, ${cpus().length} cores of ${cpus()[0].model.trim()}, ${memory} GiB of memory, Linux.`;

const page = readFileSync(PAGE, "utf8");
const [before, rest] = page.split(BEGIN);
const [, after] = rest.split(END);
writeFileSync(
  PAGE,
  `${before}${BEGIN}\n${machine}\n\n${table.join("\n")}\n\n${seenTable.join("\n")}\n${END}${after}`,
);

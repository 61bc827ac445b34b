import { relative } from "node:path";
import { ROLES } from "../../core/model/role.ts";
import { counted, placeOf } from "../../words/text.ts";
import type { Survey } from "../../results/survey.ts";
import { clean, type Mark, type Terminal } from "../frame/terminal.ts";
import { columnFor, fill } from "../frame/width.ts";
import { showBytes } from "../../words/numbers.ts";

const MOST_FILES = 8;
const MOST_PROBLEMS = 15;
const MARKS: Readonly<Record<Survey["problems"][number]["severity"], Mark>> = {
  error: "bad",
  warning: "warn",
  note: "faint",
};

/** The picture of a build: roles, weights, the largest files, the same bytes twice, problems. */
export function showSurvey(survey: Survey, terminal: Terminal, { all }: { readonly all: boolean }): string {
  const { totals, folder, destination, problems } = survey;
  const { style } = terminal;
  const worst = ["error", "warning", "note"].map(
    (severity) => [severity, problems.filter((problem) => problem.severity === severity).length] as const,
  );
  const summary = worst.filter(([, count]) => count > 0).map(([severity, count]) => counted(count, severity));
  return [
    `${style("strong", clean(showFolder(folder, terminal.folder)))}: ${counted(totals.files, "file")}, ${showBytes(totals.bytes)}; ${summary.length === 0 ? style("good", "no problem found") : summary.join(", ")}\n${style("faint", `by the rules ${destination === undefined ? "that hold for every destination" : `of ${clean(destination)}`}`)}\n`,
    showRoles(survey, terminal),
    showFirstVisits(survey, terminal),
    showLargest(survey, terminal, all),
    showDuplicates(survey, terminal, all),
    showProblems(survey, terminal, all),
  ]
    .filter((block) => block !== "")
    .join("\n");
}

function showRoles({ files, totals }: Survey, { style }: Terminal): string {
  const rows = ROLES.map((role) => ({ role, members: files.filter((file) => file.role === role) })).filter(
    ({ members }) => members.length > 0,
  );
  const sum = (members: Survey["files"], pick: (file: Survey["files"][number]) => number): string =>
    showBytes(members.reduce((total, file) => total + pick(file), 0));
  const row = (name: string, count: string, ...weights: readonly string[]): string =>
    `  ${name.padEnd(15)}${count.padStart(6)}${weights.map((weight) => weight.padStart(10)).join("")}\n`;
  return [
    style("faint", row("role", "files", "stored", "gzip", "brotli")),
    ...rows.map(({ role, members }) =>
      row(
        role,
        String(members.length),
        sum(members, ({ size }) => size),
        sum(members, ({ gzip }) => gzip),
        sum(members, ({ wire }) => wire),
      ),
    ),
    row("all", String(totals.files), showBytes(totals.bytes), showBytes(totals.gzip), showBytes(totals.wire)),
  ].join("");
}

function showFirstVisits({ firstVisits }: Survey, { style }: Terminal): string {
  if (!firstVisits) return "";
  const { pages, entry, heaviest, median } = firstVisits;
  const rows = [
    ["the entry page", entry],
    ["the heaviest page", heaviest],
    ["the page in the middle", median],
  ] as const;
  const lines = rows.map(([name, visit]) =>
    visit && (pages > 1 || name === "the entry page")
      ? `  ${showBytes(visit.wire).padStart(9)}  ${name.padEnd(22)}  ${style("faint", `${clean(visit.path)}, ${counted(visit.files, "file")}`)}\n`
      : "",
  );
  return `${style("strong", "what a first visit loads, as sent with brotli")}\n${lines.join("")}`;
}

function showLargest({ files }: Survey, { style, columns }: Terminal, all: boolean): string {
  const sorted = files.toSorted((a, b) => b.size - a.size);
  const shown = all ? sorted : sorted.slice(0, MOST_FILES);
  if (shown.length === 0) return "";
  const width = columnFor(
    shown.map(({ path }) => clean(path)),
    columns,
  );
  const lines = shown.map(
    ({ path, size, role, cacheControl }) =>
      `  ${showBytes(size).padStart(9)}  ${fill(clean(path), width)}  ${style("faint", `${role}; ${cacheControl}`)}\n`,
  );
  return `${style("strong", all ? "files, the largest first" : "the largest files")}\n${lines.join("")}${rest(sorted.length - shown.length)}`;
}

function showDuplicates({ duplicates }: Survey, { style }: Terminal, all: boolean): string {
  if (duplicates.length === 0) return "";
  const shown = all ? duplicates : duplicates.slice(0, 3);
  const lines = shown.map(
    ({ size, paths }) => `  ${showBytes(size).padStart(9)}  ${paths.map(clean).join(" = ")}\n`,
  );
  return `${style("strong", "the same bytes more than once")}\n${lines.join("")}${rest(duplicates.length - shown.length)}`;
}

function showProblems({ problems }: Survey, { style }: Terminal, all: boolean): string {
  if (problems.length === 0) return "";
  const shown = all ? problems : problems.slice(0, MOST_PROBLEMS);
  const lines = shown.map((problem, index) => {
    const { severity, code, message, hint } = problem;
    const place = clean(placeOf(problem));
    const isLast = shown[index + 1]?.code !== code;
    const mend =
      isLast && hint !== undefined && hint !== ""
        ? style("faint", `           ${clean(hint)} (${code})\n`)
        : "";
    return `  ${style(MARKS[severity], severity.padEnd(8))} ${place}${clean(message)}\n${mend}`;
  });
  return `${style("strong", "problems")}\n${lines.join("")}${rest(problems.length - shown.length)}`;
}

const rest = (count: number): string => (count > 0 ? `  and ${count} more: --all\n` : "");

/** The shorter of the two ways to say where a folder is. */
function showFolder(folder: string, from: string): string {
  const near = relative(from, folder);
  return near === "" ? "." : near.startsWith("..") ? folder : near;
}

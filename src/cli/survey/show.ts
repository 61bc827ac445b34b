import { relative } from "node:path";
import { ROLES } from "../../core/model/role.ts";
import { counted, grouped, placeOf } from "../../words/text.ts";
import type { Survey } from "../../results/survey.ts";
import { toHead, toMargin, toNames, toNext, toText, type Sheet } from "../frame/sheet.ts";
import { toTable } from "../frame/table.ts";
import { clean, type Mark } from "../frame/terminal.ts";
import { showBytes } from "../../words/numbers.ts";
import { showRole } from "../../words/reasons.ts";

const MOST_FILES = 8;
const MOST_PROBLEMS = 15;
const MARKS: Readonly<Record<Survey["problems"][number]["severity"], Mark>> = {
  error: "bad",
  warning: "warn",
  note: "faint",
};

export interface SurveyView {
  readonly all: boolean;
  /** Where the reader stands: folders near it are shown by their way from there. */
  readonly from: string;
  /** The call that comes next. */
  readonly next: string;
}

/** The picture of a build: roles, weights, the largest files, the same bytes twice, problems. */
export function showSurvey(survey: Survey, sheet: Sheet, view: SurveyView): string {
  const { folder, destination } = survey;
  const blocks = [
    showRoles(survey, sheet),
    showFirstVisits(survey, sheet),
    showLargest(survey, sheet, view.all),
    showDuplicates(survey, sheet, view.all),
    showProblems(survey, sheet, view.all),
  ];
  const route = [showFolder(folder, view.from), ...(destination === undefined ? [] : [destination])];
  return [
    toHead(sheet, route, ...showVerdict(survey)),
    "\n",
    blocks.filter((block) => block !== "").join("\n"),
    showNext(survey, sheet, view.next),
  ].join("");
}

function showVerdict({ totals, problems }: Survey): readonly [words: string, mark?: Mark] {
  const of = (severity: string): number => problems.filter((problem) => problem.severity === severity).length;
  const [errors, warnings, notes] = [of("error"), of("warning"), of("note")];
  const size = `${counted(totals.files, "file")}, ${showBytes(totals.bytes)}.`;
  const others = [
    ...(warnings > 0 ? [counted(warnings, "warning")] : []),
    ...(notes > 0 ? [counted(notes, "note")] : []),
  ].join(" and ");
  if (errors > 0)
    return [
      `${size} A delivery would refuse this build: ${counted(errors, "error")}.${others === "" ? "" : ` Also ${others}.`}`,
      "bad",
    ];
  return others === "" ? [`${size} No problem was found.`] : [`${size} No error, but ${others}: see below.`];
}

function showRoles({ files, totals }: Survey, sheet: Sheet): string {
  const rows = ROLES.map((role) => ({ role, members: files.filter((file) => file.role === role) })).filter(
    ({ members }) => members.length > 0,
  );
  const sum = (members: Survey["files"], pick: (file: Survey["files"][number]) => number): string =>
    showBytes(members.reduce((total, file) => total + pick(file), 0));
  const cells = [
    ...rows.map(({ role, members }) => [
      grouped(members.length),
      showRole(role),
      sum(members, ({ size }) => size),
      sum(members, ({ wire }) => wire),
      sum(members, ({ gzip }) => gzip),
    ]),
    [grouped(totals.files), "all", showBytes(totals.bytes), showBytes(totals.wire), showBytes(totals.gzip)],
  ];
  const head = ["files", "role", "size", "sent as brotli", "as gzip"];
  return toTable(sheet, cells, { head, left: [1], least: 4 });
}

function showFirstVisits({ firstVisits }: Survey, sheet: Sheet): string {
  if (!firstVisits) return "";
  const { pages, entry, heaviest, median } = firstVisits;
  const rows = [
    ["the entry page", entry],
    ["the heaviest page", heaviest],
    ["the median page", median],
  ] as const;
  const names = rows.flatMap(([name, visit]) =>
    visit && (pages > 1 || name === "the entry page")
      ? [{ name, bytes: visit.wire, note: `${visit.path}, ${counted(visit.files, "file")}` }]
      : [],
  );
  return `   ${sheet.style("strong", "a first visit loads, sent as brotli")}\n${toNames(sheet, names, { most: 3, all: true })}`;
}

function showLargest({ files }: Survey, sheet: Sheet, all: boolean): string {
  if (files.length === 0) return "";
  const sorted = files.toSorted((a, b) => b.size - a.size);
  const names = sorted.map(({ path, size, role, cacheControl }) => ({
    ...{ name: path, bytes: size },
    note: `${showRole(role)}; ${cacheControl}`,
  }));
  const title = sheet.style(
    "strong",
    all ? "files, the largest first" : "the largest files, and how caches keep them",
  );
  return `   ${title}\n${toNames(sheet, names, { most: MOST_FILES, all })}`;
}

function showDuplicates({ duplicates }: Survey, sheet: Sheet, all: boolean): string {
  if (duplicates.length === 0) return "";
  const shown = all ? duplicates : duplicates.slice(0, 3);
  const lines = shown.map(({ size, paths }) =>
    toText(sheet, `${paths.map(clean).join(" = ")}   ${showBytes(size)} each`),
  );
  const rest = duplicates.length - shown.length;
  const more = rest > 0 ? toText(sheet, `and ${grouped(rest)} more; --all lists them`) : "";
  return `   ${sheet.style("strong", "same bytes twice or more")}\n${lines.join("")}${more}`;
}

function showProblems({ problems }: Survey, sheet: Sheet, all: boolean): string {
  if (problems.length === 0) return "";
  const shown = all ? problems : problems.slice(0, MOST_PROBLEMS);
  const lines = shown.map((problem, index) => {
    const { severity, code, message, hint } = problem;
    const words = clean(placeOf(problem)) + clean(message);
    const said = toMargin(sheet, { label: severity, words, mark: MARKS[severity], at: 3, wordsAt: 13 });
    // The mend of several alike is told once, below the last of them.
    if (shown[index + 1]?.code === code || hint === undefined || hint === "") return said;
    return said + toMargin(sheet, { label: "mend", words: `${clean(hint)} (${code})`, at: 6, wordsAt: 13 });
  });
  const rest = problems.length - shown.length;
  return `${lines.join("")}${rest > 0 ? `   and ${grouped(rest)} more; --all lists them\n` : ""}`;
}

function showNext({ problems }: Survey, sheet: Sheet, next: string): string {
  const errors = problems.filter(({ severity }) => severity === "error").length;
  return toNext(
    sheet,
    next,
    errors === 0 ? "" : `once the ${errors === 1 ? "error is" : "errors are"} mended`,
  );
}

/** The shorter of the two ways to say where a folder is. */
function showFolder(folder: string, from: string): string {
  const near = relative(from, folder);
  return near === "" ? "." : near.startsWith("..") ? folder : near;
}

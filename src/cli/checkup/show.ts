import { largest } from "../../core/model/largest.ts";
import { counted } from "../../words/text.ts";
import type { CheckupResult } from "../../results/checkup.ts";
import { toHead, toMargin, toNext, type Sheet } from "../frame/sheet.ts";
import { clean, type Mark } from "../frame/terminal.ts";

type LinkResult = CheckupResult["links"][number];

const WORDS: Readonly<Record<LinkResult["state"], readonly [word: string, mark: Mark]>> = {
  good: ["passed", "good"],
  note: ["note", "warn"],
  broken: ["FAILED", "bad"],
  "not-tried": ["not run", "faint"],
};

/** The way from this machine to a visitor, and the tests that tell whether one can go on after each station. */
const WAY: readonly (readonly [station: string, tests: readonly LinkResult["link"][]])[] = [
  ["this machine", ["build", "proxy", "credentials", "store", "clock"]],
  ["store", ["bucket", "rights", "conditions", "records", "website"]],
  ["bucket", ["distribution", "reading", "folders", "missing pages", "root document"]],
  ["edge", ["name", "certificate", "edge"]],
  ["visitor", []],
];

export interface CheckupView {
  /** Another call about the same destination. */
  readonly callLike: (words: string) => string;
}

/** `checkup`, as a person reads it: a line per test, and below what is not as it should be, why, and what to do. */
export function showCheckup(result: CheckupResult, sheet: Sheet, { callLike }: CheckupView): string {
  const { site, destination, links } = result;
  const failed = links.filter(({ state }) => state === "broken").length;
  const width = largest(links.map(({ link }) => link.length)) + 3;
  return [
    toHead(sheet, [site, destination], showVerdict(links), failed > 0 ? "bad" : "good"),
    `${toWay(links, sheet)}\n\n`,
    ...links.map((link) => showLink(link, width, sheet)),
    failed > 0 ? toNext(sheet, callLike("checkup"), "once it is mended") : toNext(sheet, callLike("deliver")),
  ].join("");
}

function showVerdict(links: CheckupResult["links"]): string {
  const count = (wanted: LinkResult["state"]): number => links.filter(({ state }) => state === wanted).length;
  const [failed, noted, run] = [count("broken"), count("note"), links.length - count("not-tried")];
  const notes = noted === 0 ? "" : `, ${noted} with a note`;
  const tests =
    run === links.length
      ? `all ${counted(run, "test")}`
      : `${run} of ${links.length} tests could run, and all`;
  if (failed === 0) return `${tests} passed${notes}.`;
  const first = failed > 1 ? " Mend the first failure first: it may be the cause of the others." : "";
  return `${counted(failed, "test")} failed${noted === 0 ? "" : `, ${noted} ${noted === 1 ? "has" : "have"} a note`}.${first}`;
}

/** The way, cut after the station where the first test failed. */
function toWay(links: CheckupResult["links"], { signs, style }: Sheet): string {
  const broken = links.find(({ state }) => state === "broken")?.link;
  const cutAt = WAY.findIndex(([, tests]) => broken !== undefined && tests.includes(broken));
  return WAY.map(([station], index) => {
    if (index === WAY.length - 1) return station;
    return `${station} ${index === cutAt ? style("bad", signs.cut) : signs.way} `;
  }).join("");
}

function showLink(link: LinkResult, width: number, sheet: Sheet): string {
  const [word, mark] = WORDS[link.state];
  // On a narrow screen what was found goes below the test's name.
  const isNarrow = sheet.columns < 70;
  const wordsAt = isNarrow ? 13 : 13 + width;
  // The clock is told by whatever answer comes first.
  const isPlain = link.asked === "" || link.link === "clock";
  const words = clean(isPlain ? link.found : `${link.asked}: ${link.found}`);
  const label = word.padEnd(10) + link.link;
  const head = isNarrow
    ? `   ${sheet.style(mark, word.padEnd(10))}${link.link}\n${toMargin(sheet, { label: "", words, wordsAt })}`
    : toMargin(sheet, { label, words, mark, at: 3, wordsAt });
  const parts = [
    ["why", link.why, "warn"],
    ["mend", link.mend, "strong"],
  ] as const;
  return (
    head +
    parts
      .map(([name, said, of]) =>
        said === undefined
          ? ""
          : toMargin(sheet, { label: name, words: clean(said), mark: of, at: isNarrow ? 6 : 13, wordsAt }),
      )
      .join("")
  );
}

import { counted } from "../../words/text.ts";
import type { CheckupResult } from "../../results/checkup.ts";
import { wrap } from "../frame/wrap.ts";
import { clean, type Mark, type Terminal } from "../frame/terminal.ts";

type LinkResult = CheckupResult["links"][number];

const WORDS: Readonly<Record<LinkResult["state"], readonly [word: string, mark: Mark]>> = {
  good: ["good", "good"],
  note: ["note", "warn"],
  broken: ["broken", "bad"],
  "not-tried": ["not tried", "faint"],
};

/** `checkup`, as a person reads it: a line a link, and below what is not right, why and what to do. */
export function showCheckup({ site, destination, links }: CheckupResult, terminal: Terminal): string {
  const { style } = terminal;
  const names = Math.max(...links.map(({ link }) => link.length));
  const lines = links.flatMap((link) => toLines(link, names, terminal));
  const broken = links.filter(({ state }) => state === "broken").length;
  const notes = links.filter(({ state }) => state === "note").length;
  const noted = notes === 0 ? "" : `, ${counted(notes, "note")}`;
  const end =
    broken === 0
      ? `${style("good", "whole:")} every link that was tried holds${noted}`
      : `${style("bad", counted(broken, "broken link"))}${noted}${broken > 1 ? "; mend the first one first, it may be why others broke" : ""}`;
  return `${style("strong", clean(`${site}, ${destination}`))}: from the settings to what a visitor gets\n\n${lines.join("\n")}\n\n  ${end}\n`;
}

function toLines(link: LinkResult, width: number, { style, columns }: Terminal): string[] {
  const [word, mark] = WORDS[link.state];
  // On a narrow screen what was found goes below the link's name.
  const isNarrow = columns < width + 45;
  const indent = " ".repeat(isNarrow ? 6 : width + 15);
  const asked = link.asked === "" ? "" : `${clean(link.asked)}: `;
  const head = `  ${style(mark, word.padEnd(9))}  ${link.link.padEnd(width)}  `;
  const lines = wrap(asked + clean(link.found), columns - indent.length);
  const rows = isNarrow
    ? [head.trimEnd(), ...lines.map((line) => indent + line)]
    : [`${head}${lines[0] ?? ""}`, ...lines.slice(1).map((line) => indent + line)];
  for (const [name, words] of [
    ["why", link.why],
    ["mend", link.mend],
  ] as const) {
    if (words === undefined) continue;
    const [first = "", ...rest] = wrap(clean(words), columns - indent.length - 6);
    rows.push(`${indent}${style(name === "why" ? "warn" : "strong", `${name}:`.padEnd(6))}${first}`);
    rows.push(...rest.map((line) => `${indent}      ${line}`));
  }
  return rows;
}

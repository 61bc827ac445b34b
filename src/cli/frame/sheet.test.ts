import { openPaper } from "../../../test/support/paper.ts";
import { toFacts, toNoted } from "./facts.ts";
import { toHead, toMargin, toNames, toNext, toRows, toText } from "./sheet.ts";
import { toTable } from "./table.ts";
import { cutMiddle, widthOf } from "./width.ts";

const LONG = "assets/very/deep/folders/of/the/timetable/section-that-never-ends-5GJKRH6D.js";
const names = [
  { name: LONG, bytes: 1200, note: "fingerprinted" },
  { name: "渡船/時刻表.html", bytes: 900, note: "page" },
];
const rows = [
  { count: 1234, what: "files sent", bytes: 9_000_000, note: "7 new, 1,227 replaced" },
  { count: 0, what: "files removed" },
  {
    count: 3,
    what: "files kept",
    note: "for open tabs: removed with release 6, not before 2026-12-15 14:26 UTC",
  },
];

test.each([60, 80, 140])("on a screen of %i columns every part stays within it, and columns stand below each other", (columns) => {
  const sheet = openPaper({ columns, isScreen: true });
  const text = [
    toHead(sheet, ["Pelican Sound Ferries", "practice"], "release 2 is delivered; it replaces release 1. The edge has confirmed."),
    toRows(sheet, rows),
    toNames(sheet, names, { most: 5, all: false }),
    toMargin(sheet, { label: "mend", words: "rcourier provision creates it; or correct store.bucket, or use others", at: 6, wordsAt: 13 }),
    toTable(sheet, [[LONG, "1,234", "9.0 MB", "97.6 %", "1,234", "2 ms"], ["/", "5", "3 B"]], {
      ...{ head: ["", "requests", "sent", "hits", "to the origin", "mean time"], left: [0], names: 0, least: 3 },
    }),
    toFacts(sheet, [{ label: "headers", lines: [{ text: "content-type: text/html; charset=utf-8", note: "by the file's name or first bytes" }] }]),
    toNext(sheet, "rcourier verify"),
  ].join("");
  expect(Math.max(...text.split("\n").map(widthOf))).toBeLessThanOrEqual(columns);
  expect(text).not.toContain("files removed");
  const ends = text.split("\n").flatMap((line) => /^ {6}(assets|渡船).*B(?= {3})/.exec(line)?.[0] ?? []).map(widthOf);
  expect([ends.length, new Set(ends).size]).toEqual([2, 1]);
}); // prettier-ignore

test("in a file names stay whole, so that they can be searched", () => {
  expect(toNames(openPaper({ columns: 60 }), names, { most: 5, all: false })).toContain(LONG);
  expect(toNames(openPaper({ columns: 60 }), names, { most: 1, all: false })).toContain(
    "and 1 more; --all lists them",
  );
});

test("of a table a narrow screen first takes the middle of names, then the last columns; a file takes nothing", () => {
  const rows = [[LONG, "12", "4 kB"], ["/a", "1,234", "9.0 MB"]];
  const draw = (columns: number, isScreen = true): string[] =>
    toTable(openPaper({ columns, isScreen }), rows, { head: ["", "hits", "size"], left: [0], names: 0, least: 2 }).split("\n");
  expect(draw(50)).toEqual([
    "                                     hits     size",
    "   assets/ve…ver-ends-5GJKRH6D.js      12     4 kB",
    "   /a                               1,234   9.0 MB",
    "",
  ]);
  expect(draw(40).join("\n")).not.toContain("size");
  expect(draw(40, false).join("\n")).toContain("size");
  expect(draw(40, false).join("\n")).toContain(LONG);
}); // prettier-ignore

test("remarks stand beside their texts where all of them fit, else below; what is there to be copied is never cut", () => {
  const items = [{ text: LONG, note: "by role page" }, { text: "/", note: "by a rule" }, { text: "alone", faint: true }];
  expect(toNoted(openPaper({ columns: 110, isScreen: true }), items, 3)).toBe(
    `   ${LONG}   by role page\n   /${" ".repeat(LONG.length - 1)}   by a rule\n   alone\n`,
  );
  expect(toNoted(openPaper({ columns: 80, isScreen: true }), items, 3)).toBe(
    `   ${LONG}\n      by role page\n   /\n      by a rule\n   alone\n`,
  );
  expect(toFacts(openPaper(), [{ label: "uses", lines: [] }, { label: "role", lines: [{ text: "page" }, { text: "HTML" }] }])).toBe("role   page\n       HTML\n");
}); // prettier-ignore

test("a long path is cut in its middle, and never within a letter", () => {
  expect(cutMiddle(LONG, 40, "…")).toBe("assets/very/d…hat-never-ends-5GJKRH6D.js");
  for (let width = 1; width < 30; width++) expect(widthOf(cutMiddle("渡船渡船渡船/時刻表時刻表.html", width, "…"))).toBeLessThanOrEqual(width);
  expect(cutMiddle("short", 5, "…")).toBe("short");
}); // prettier-ignore

test("control characters of names reach no screen", () => {
  expect(toNames(openPaper(), [{ name: "a\u001b[31mb" }], { most: 5, all: true })).toBe("      ab\n");
  expect(toHead(openPaper(), ["a\nb"], "it stays.")).toBe("a\\nb\nit stays.\n");
  const foul = "x\u001b[0K\ny";
  const all = [
    toRows(openPaper(), [{ count: 1, what: foul, note: foul }]),
    toNames(openPaper(), [{ name: "a", note: foul }], { most: 1, all: false }),
    toMargin(openPaper(), { label: "why", words: foul }),
    toText(openPaper(), foul),
    toTable(openPaper(), [[foul]], { left: [0], least: 1 }),
    toFacts(openPaper(), [{ label: "why", lines: [{ text: foul, note: foul }] }]),
    toNext(openPaper(), foul, foul),
  ].join("");
  expect(all.match(/x\\ny/g)).toHaveLength(10);
  expect(all).not.toContain("\u001b");
});

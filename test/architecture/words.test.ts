import { existsSync, readFileSync } from "node:fs";
import ts from "typescript";
import { FAILURES } from "../../src/words/failures.ts";
import { COMMANDS } from "../../src/cli/run.ts";
import { listOptions } from "../../src/cli/frame/parse.ts";
import { exportsOf, importsOf, listFiles, nodesOf, parse, parseText, SOURCES } from "./sources.ts";

const PAGES = [...listFiles("docs", ".md"), "README.md", "CONTRIBUTING.md"];
const ALL_FILES = new Set(
  ["src", "test", "scripts", "docs", "demo"].flatMap((folder) => listFiles(folder, "")),
);

/** The texts of a file; what is filled in stands as a dot. */
function* literalsOf(source: ts.SourceFile): Generator<string> {
  for (const node of nodesOf(source)) {
    if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) yield node.text;
    if (ts.isTemplateExpression(node))
      yield [node.head.text, ...node.templateSpans.map(({ literal }) => literal.text)].join(".");
  }
}

/** Three words in a row are no name and no code. */
const isSentence = (text: string): boolean => /[A-Za-z']{2,} [A-Za-z']+ [A-Za-z']{2,}/.test(text);

const findSentences = (source: ts.SourceFile): string[] => [...literalsOf(source)].filter(isSentence);

test("there is no sentence in core: rules give facts", () => {
  const core = SOURCES.filter((path) => path.startsWith("src/core/"));
  expect(core.length).toBeGreaterThan(80);
  for (const path of core) expect([path, findSentences(parse(path))]).toEqual([path, []]);
  expect(
    findSentences(parseText('const a = `${b} is not there yet`; const c = "an answer of nobody";')),
  ).toHaveLength(2);
});

test("every failure that is documented can be thrown", () => {
  const rest = SOURCES.filter((path) => !/^src\/(words\/|core\/model\/failure\.ts)/.test(path));
  const said = new Set(
    rest.flatMap((path) => [...withoutComparisons(path).matchAll(/"([a-z-]+)"/g)].map(([, code]) => code)),
  );
  expect(Object.keys(FAILURES).filter((code) => !said.has(code))).toEqual([]);
});

/** Who compares with a code does not throw it. */
const withoutComparisons = (path: string): string =>
  readFileSync(path, "utf8").replace(/[!=]==? "[a-z-]+"/g, "");

test("pages and comments name files and options that there are", () => {
  const options = new Set([...listOptions(COMMANDS).keys(), "help", "version", "no-color"]);
  const lost = [...PAGES, ...SOURCES].flatMap((path) => {
    const text = path.endsWith(".md") ? readFileSync(path, "utf8") : commentsOf(path);
    const named = [...text.matchAll(/rcourier [^\n`]*?--([a-z-]+)/g)].map(([, option = ""]) => option);
    const unknown = path.endsWith(".md") ? named.filter((option) => !options.has(option)) : [];
    return [...findLostFiles(text), ...unknown].map((name) => `${path}: ${name}`);
  });
  expect(lost).toEqual([]);
});

const commentsOf = (path: string): string =>
  (readFileSync(path, "utf8").match(/\/\*\*[\s\S]*?\*\/|(?<=^|\s)\/\/ .*$/gm) ?? []).join("\n");

/** Names of files of this project that lead nowhere; a bare name may stand in any folder. */
function findLostFiles(text: string): string[] {
  const named = [...text.matchAll(/(?<![\w./-])((?:[a-z-]+\/)*[a-z-]+(?:\.test)?\.(?:ts|mjs|md))\b/g)];
  const names = named.map(([, name = ""]) => name);
  return names.filter(
    (name) => !existsSync(name) && ![...ALL_FILES].some((file) => file === name || file.endsWith(`/${name}`)),
  );
}

test("docstrings name parameters that there are, and failures that there are", () => {
  let params = 0;
  const lost: string[] = [];
  for (const path of SOURCES)
    for (const node of nodesOf(parse(path))) {
      if (!ts.isFunctionLike(node)) continue;
      const own = node.parameters.map((parameter) => parameter.getText()).join();
      for (const tag of ts.getJSDocTags(node).filter(ts.isJSDocParameterTag)) {
        params += 1;
        const name = tag.name.getText();
        if (!new RegExp(`\\b${name}\\b`).test(own)) lost.push(`${path}: ${name}`);
      }
    }
  expect(lost).toEqual([]);
  expect(params).toBeGreaterThan(20);
  const known = new Set([...Object.keys(FAILURES), "StoreError", "EdgeError"]);
  const thrown = SOURCES.filter((path) => !path.startsWith("src/sandbox/")).flatMap((path) =>
    [...commentsOf(path).matchAll(/[Tt]hrows ((?:`[A-Za-z-]+`(?:, | and )?)+)/g)].flatMap(([, list = ""]) =>
      [...list.matchAll(/`([A-Za-z-]+)`/g)].map(([, code = ""]) => [path, code] as const),
    ),
  );
  expect(thrown.length).toBeGreaterThan(20);
  expect(thrown.filter(([, code]) => !known.has(code))).toEqual([]);
});

test("what the engine exports has a docstring, and what core exports has a test", () => {
  const engine = SOURCES.filter((path) => !/^src\/(cli|sandbox|main)/.test(path));
  const bare = engine.flatMap((path) =>
    exportsOf(parse(path))
      .filter((statement) => ts.getJSDocCommentsAndTags(statement).length === 0)
      .map((statement) => `${path}: ${statement.getText().split("\n", 1)[0] ?? ""}`),
  );
  expect(bare).toEqual([]);
  const tests = [...listFiles("src", ".test.ts"), ...listFiles("test", ".ts")];
  const tested = new Set(tests.flatMap((path) => importsOf(path)));
  const rules = SOURCES.filter((path) => path.startsWith("src/core/") && exportsOf(parse(path)).length > 0);
  expect(rules.length).toBeGreaterThan(60);
  expect(rules.filter((path) => !tested.has(path))).toEqual([]);
});

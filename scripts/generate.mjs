// Writes what is made from the sources: docs/errors.md from the table of failures, the recipes of docs/ci.md from those of
// `policy workflow`, the objects of docs/results.md and schemas/ from the results' schemas, courier.schema.json from the
// settings' schema. With --check it writes nothing and fails when a file is out of step.
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { build } from "esbuild";
import { describe, readComments, toResultsPage } from "./results-page.mjs";

const bundle = await build({
  entryPoints: ["scripts/generate-from.ts"],
  bundle: true,
  format: "esm",
  platform: "node",
  write: false,
  banner: { js: "import{createRequire as r}from'node:module';const require=r(import.meta.url);" },
});
mkdirSync("dist", { recursive: true });
writeFileSync("dist/.generate.mjs", bundle.outputFiles[0].contents);
const { EVENT, EXITS, FAILURES, GLOSSARY, PRINTED, RECIPES, RESULTS, toJsonSchema } =
  await import("../dist/.generate.mjs");

function toErrorPage() {
  const lines = [
    "# Errors",
    "",
    "Made from `src/words/failures.ts` by `npm run generate`. Words in braces are filled in.",
    "",
  ];
  for (const [exit, meaning] of Object.entries(EXITS)) {
    const failures = Object.entries(FAILURES).filter(([, failure]) => String(failure.exit) === exit);
    const rows = failures.map(
      ([code, { message, hint }]) => `| \`${code}\` | ${message.replace(/\n/g, " ")} | ${hint} |`,
    );
    lines.push(`## Exit ${exit}: ${meaning}`, "");
    if (rows.length > 0) lines.push("| code | what is said | what to do |", "|---|---|---|", ...rows, "");
    else lines.push("No error: the result tells all.", "");
  }
  return lines.join("\n");
}

/** The page with the words for users made anew. */
function withWords(page) {
  const rows = GLOSSARY.map(([word, meaning]) => `| ${word} | ${meaning} |`);
  const table = ["| word | meaning |", "|---|---|", ...rows, ""].join("\n");
  return page.replace(/(<!-- made from src\/words[^\n]*\n)[\s\S]*?(<!-- end of words -->)/, `$1${table}$2`);
}

/** The page with the table of exit codes made anew. */
function withExits(page) {
  const rows = Object.entries(EXITS).map(([exit, meaning]) => `| ${exit} | ${meaning} |`);
  const table = ["| exit | meaning |", "|---|---|", ...rows, ""].join("\n");
  return page.replace(/(<!-- exits:[^\n]*\n)[\s\S]*?(<!-- end of exits -->)/, `$1${table}$2`);
}

/** The page with the recipes for CI made anew. */
const withRecipes = (page) =>
  Object.entries(RECIPES).reduce(
    (text, [name, [language, recipe]]) =>
      text.replace(
        new RegExp(`(<!-- ${name}:[^\\n]*\\n)[\\s\\S]*?(<!-- end of ${name} -->)`),
        (_, head, end) => `${head}\`\`\`${language}\n${recipe}\`\`\`\n${end}`,
      ),
    page,
  );

/** The schemas of results and events, each in a file of its own, with the meanings of its fields. */
function toSchemas() {
  const comments = readComments();
  const results = Object.entries(PRINTED).map(([name, schema]) => describe(schema, comments.get(name).tree));
  return [...results, EVENT].map((schema) => [
    `schemas/${schema.kind}.schema.json`,
    // What it is of and its version its name says.
    toText({ ...schema, kind: undefined, version: undefined }),
  ]);
}

const toText = (schema) => `${JSON.stringify(schema, null, 2)}\n`;

/** A checkout on Windows may end its lines in another way. */
const read = (file) => readFileSync(file, "utf8").replaceAll("\r\n", "\n");

const files = {
  "docs/errors.md": toErrorPage(),
  "docs/ci.md": withRecipes(read("docs/ci.md")),
  "docs/glossary.md": withWords(read("docs/glossary.md")),
  "docs/results.md": toResultsPage(withExits(read("docs/results.md")), {
    ...{ results: RESULTS, printed: PRINTED, event: EVENT },
  }),
  "courier.schema.json": toText(toJsonSchema()),
  ...Object.fromEntries(toSchemas()),
};
let differs = false;
for (const [file, text] of Object.entries(files)) {
  if (!process.argv.includes("--check")) writeFileSync(file, text);
  else if (read(file) !== text) {
    process.stderr.write(`${file} is out of step: npm run generate\n`);
    differs = true;
  }
}
if (differs) process.exit(1);

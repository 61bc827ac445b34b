// Writes dist/library.d.ts: the types of the package in one file that needs no other package. What comes out of schemas is
// spelled out from their JSON form, and the compiler says whether that is what the steps take and give.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { pathToFileURL } from "node:url";
import { generateDtsBundle } from "dts-bundle-generator";
import { build } from "esbuild";
import { compile } from "json-schema-to-typescript";
import ts from "typescript";
import { describe, readComments } from "./results-page.mjs";

const SCHEMA_TYPES = resolve("src/library/schema-types.ts");

const folder = mkdtempSync("dist/.types-");
try {
  emitDeclarations(await spellOut());
  writeFileSync(
    join(folder, "tsconfig.json"),
    JSON.stringify({ compilerOptions: toOptions({ types: ["node"] }), include: ["."] }),
  );
  const [text] = generateDtsBundle(
    [
      {
        filePath: join(folder, "library/index.d.ts"),
        output: { noBanner: true, exportReferencedTypes: false },
      },
    ],
    { preferredConfigPath: join(folder, "tsconfig.json") },
  );
  writeFileSync(
    "dist/library.d.ts",
    text.replace(/^\t+/gm, (tabs) => "  ".repeat(tabs.length)),
  );
} finally {
  rmSync(folder, { recursive: true });
}

/** The types of the schemas, without the schemas. */
async function spellOut() {
  const file = join(folder, "schemas.mjs");
  await build({
    entryPoints: ["scripts/generate-from.ts"],
    outfile: file,
    bundle: true,
    format: "esm",
    platform: "node",
    logLevel: "warning",
    banner: { js: "import{createRequire as r}from'node:module';const require=r(import.meta.url);" },
  });
  const { RESULTS, toJsonSchema } = await import(pathToFileURL(resolve(file)).href);
  const comments = readComments();
  const toResult = (name) => describe(RESULTS[name], comments.get(name).tree);
  const schemas = {
    Settings: toJsonSchema(),
    Survey: toResult("surveySchema"),
    DeliveryResult: toResult("deliveryResultSchema"),
    VerifyResult: toResult("verifyResultSchema"),
    ProblemResult: toResult("problemSchema"),
  };
  const options = {
    bannerComment: "",
    additionalProperties: false,
    format: false,
    ignoreMinAndMaxItems: true,
  };
  const texts = Object.entries(schemas).map(([title, schema]) =>
    compile({ ...schema, title }, title, options),
  );
  return (await Promise.all(texts)).join("\n");
}

function toOptions(own) {
  // What is undefined does not come through JSON: fields are there, or they are not.
  return {
    strict: true,
    skipLibCheck: true,
    declaration: true,
    stripInternal: true,
    exactOptionalPropertyTypes: false,
    ...own,
  };
}

/** Declarations of the library's sources, with `schemaTypes` in the place of what refers to schemas. */
function emitDeclarations(schemaTypes) {
  const { config } = ts.readConfigFile("tsconfig.json", ts.sys.readFile);
  const { options } = ts.convertCompilerOptionsFromJson(
    {
      ...config.compilerOptions,
      ...toOptions({ noEmit: false, emitDeclarationOnly: true, outDir: folder, rootDir: "src" }),
    },
    ".",
  );
  const host = ts.createCompilerHost(options);
  const { readFile } = host;
  host.readFile = (file) => (resolve(file) === SCHEMA_TYPES ? schemaTypes : readFile(file));
  const { getSourceFile } = host;
  host.getSourceFile = (file, target, ...rest) =>
    resolve(file) === SCHEMA_TYPES
      ? ts.createSourceFile(file, schemaTypes, target, true)
      : getSourceFile(file, target, ...rest);
  const program = ts.createProgram(["src/library/index.ts"], options, host);
  const own = program
    .getSourceFiles()
    .filter(({ fileName }) => /^src\/library\//.test(relative(".", fileName)));
  const wrong = own.flatMap((file) => program.getSemanticDiagnostics(file));
  if (wrong.length > 0) {
    process.stderr.write(ts.formatDiagnostics(wrong, { ...host, getNewLine: () => "\n" }));
    throw new Error("the types that are spelled out are not those of the schemas");
  }
  // Only what the declarations refer to: most of the sources are none of the types' business.
  const asked = new Set(["src/library/index.ts"]);
  for (const file of asked)
    program.emit(program.getSourceFile(file), (path, text) => {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, text);
      for (const { fileName } of ts.preProcessFile(text).importedFiles)
        if (fileName.startsWith(".")) asked.add(join(dirname(file), fileName));
    });
}

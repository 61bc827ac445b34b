import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { Ajv2020 } from "ajv/dist/2020.js";
import { printedSchemaOf, RESULT_SCHEMAS } from "../../src/results/catalogue.ts";
import type { ResultKind } from "../../src/results/kinds.ts";
import type * as z from "zod";

export type ResultOf<Kind extends ResultKind> = z.output<(typeof RESULT_SCHEMAS)[Kind]>;

/** What a command printed as JSON: it says that it is of this kind, and has no field but those of its schema. */
export const readResult = <Kind extends ResultKind>(kind: Kind, stdout: string): ResultOf<Kind> => {
  const { kind: _, version: __, ...result } = printedSchemaOf(kind).parse(JSON.parse(stdout));
  return result as ResultOf<Kind>;
};

/** The same of a call that mostly delivers or compares: what else it prints is checked by the kind that it says. */
export function readDelivery(stdout: string): ResultOf<"delivery"> {
  const { kind } = JSON.parse(stdout) as { kind: ResultKind };
  return readResult(kind, stdout) as ResultOf<"delivery">;
}

const SCHEMAS = "schemas";

/** The schemas that the package ships, by their `$id`. */
export const readSchemas = (): Map<string, object> =>
  new Map(
    readdirSync(SCHEMAS).map((file) => {
      const schema = JSON.parse(readFileSync(join(SCHEMAS, file), "utf8")) as { $id: string };
      return [schema.$id, schema];
    }),
  );

/** Says how something printed breaks the schema that it names by its kind and version; nothing where it fits. */
export function createMisfits(): (printed: unknown) => string[] {
  const checker = new Ajv2020({
    allErrors: true,
    strict: true,
    strictTypes: false,
    strictRequired: false,
    validateFormats: false,
  });
  for (const schema of readSchemas().values()) checker.addSchema(schema);
  return (printed) => {
    const { kind, version } = printed as { kind: string; version: number };
    const check = checker.getSchema(`urn:restless-courier:${kind}:${version}`);
    if (!check) return [`no schema for ${JSON.stringify(printed).slice(0, 80)}`];
    void check(printed);
    return (check.errors ?? []).map(
      ({ instancePath, message }) => `${kind}${instancePath}: ${message ?? ""}`,
    );
  };
}

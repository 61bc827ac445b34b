import * as z from "zod";
import { toGithub, toGitlab, toShell, type Recipe } from "../src/cli/policy/recipe.ts";
import { printedSchemaOf, RESULT_SCHEMAS } from "../src/results/catalogue.ts";
import { checkupResultSchema } from "../src/results/checkup.ts";
import { deliveryResultSchema, errorResultSchema, invalidationSchema } from "../src/results/delivery.ts";
import { eventSchema } from "../src/results/events.ts";
import { explanationResultSchema } from "../src/results/explanation.ts";
import * as history from "../src/results/history.ts";
import { RESULT_VERSIONS, schemaIdOf, type ResultKind } from "../src/results/kinds.ts";
import { previewsResultSchema } from "../src/results/previews.ts";
import { printedSetupSchema } from "../src/results/printed-setup.ts";
import { problemSchema } from "../src/results/problem.ts";
import { provisionResultSchema } from "../src/results/provision.ts";
import { sandboxResultSchema } from "../src/results/sandbox.ts";
import { surveySchema } from "../src/results/survey.ts";
import { trafficResultSchema } from "../src/results/traffic.ts";
import { verifyResultSchema } from "../src/results/verification.ts";

/** What `generate.mjs` makes pages and schemas from. */
export { toJsonSchema } from "../src/settings/load.ts";
export { GLOSSARY } from "../src/words/glossary.ts";
export { EXITS } from "../src/words/exits.ts";
export { FAILURES } from "../src/words/failures.ts";

const { invalidateResultSchema, releaseListSchema, oneReleaseSchema, releaseComparisonSchema } = history;
const { holdSchema, pruneResultSchema } = history;

const named = {
  ...{ deliveryResultSchema, invalidationSchema, surveySchema, problemSchema, explanationResultSchema },
  ...{ verifyResultSchema, checkupResultSchema, provisionResultSchema, printedSetupSchema },
  ...{ invalidateResultSchema, releaseListSchema, oneReleaseSchema, releaseComparisonSchema, holdSchema },
  ...{ previewsResultSchema, trafficResultSchema, pruneResultSchema, sandboxResultSchema, errorResultSchema },
};
const kinds = Object.keys(RESULT_VERSIONS) as ResultKind[];

/** What is printed, as others read it. */
const toJson = (schema: z.ZodType): object => z.toJSONSchema(schema, { io: "output" });

/** JSON Schemas of the results and of parts of them, by the name of their constant, in the order of the page. */
export const RESULTS = Object.fromEntries(
  Object.entries(named).map(([name, schema]) => [name, toJson(schema)]),
);

/** The schemas that the package ships, by the name of their constant: of whole results, as they are printed. */
export const PRINTED = Object.fromEntries(
  Object.entries(named).flatMap(([name, schema]) => {
    const kind = kinds.find((one) => RESULT_SCHEMAS[one] === schema);
    return kind === undefined ? [] : [[name, toShipped(kind, RESULT_VERSIONS[kind], printedSchemaOf(kind))]];
  }),
);

/** That of one line of `--format ndjson`. */
export const EVENT = toShipped("event", 1, eventSchema);

/** As others are to read it: fields may be added without a new version. */
function toShipped(kind: string, version: number, schema: z.ZodType): object {
  const { $schema, ...rest } = toJson(schema) as { $schema?: string };
  const open = JSON.parse(JSON.stringify(rest), (name, value: unknown) =>
    name === "additionalProperties" && value === false ? undefined : value,
  ) as object;
  return {
    $schema,
    $id: schemaIdOf(kind, version),
    title: `Restless Courier: ${kind}`,
    kind,
    version,
    ...open,
  };
}

/** The recipes of docs/ci.md. */
const recipe: Recipe = {
  project: {
    ...{ folder: ".", inRepository: "", branch: "main", hasBuild: true, nodeFile: undefined },
    manager: { name: "npm", lock: "package-lock.json", isClassic: false },
  },
  ...{ destination: "production", options: "--to production", branch: "main", role: undefined },
};
export const RECIPES = {
  github: ["yaml", toGithub(recipe)],
  gitlab: ["yaml", toGitlab(recipe)],
  shell: ["sh", toShell(recipe)],
  role: ["yaml", toGithub({ ...recipe, role: "arn:aws:iam::123456789012:role/deliver" })],
};

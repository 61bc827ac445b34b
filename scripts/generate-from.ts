import * as z from "zod";
import { checkupResultSchema } from "../src/results/checkup.ts";
import { deliveryResultSchema, errorResultSchema, invalidationSchema } from "../src/results/delivery.ts";
import { explanationSchema } from "../src/results/explanation.ts";
import * as history from "../src/results/history.ts";
import { previewsResultSchema } from "../src/results/previews.ts";
import { printedSetupSchema } from "../src/results/printed-setup.ts";
import { problemSchema } from "../src/results/problem.ts";
import { provisionResultSchema } from "../src/results/provision.ts";
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

/** JSON Schemas of the results, by the name of their constant, in the order of the page. */
export const RESULTS = Object.fromEntries(
  Object.entries({
    ...{ deliveryResultSchema, invalidationSchema, surveySchema, problemSchema, explanationSchema },
    ...{ verifyResultSchema, checkupResultSchema, provisionResultSchema, printedSetupSchema },
    ...{
      invalidateResultSchema,
      releaseListSchema,
      oneReleaseSchema,
      releaseComparisonSchema,
      holdSchema,
      previewsResultSchema,
      trafficResultSchema,
    },
    ...{ pruneResultSchema, errorResultSchema },
  }).map(([name, schema]) => [name, z.toJSONSchema(schema, { io: "output" })]),
);

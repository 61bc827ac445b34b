import * as z from "zod";
import { checkupResultSchema } from "./checkup.ts";
import { deliveryResultSchema, errorResultSchema } from "./delivery.ts";
import { explanationResultSchema } from "./explanation.ts";
import * as history from "./history.ts";
import { RESULT_VERSIONS, type ResultKind } from "./kinds.ts";
import { previewsResultSchema } from "./previews.ts";
import { printedSetupSchema } from "./printed-setup.ts";
import { provisionResultSchema } from "./provision.ts";
import { sandboxResultSchema } from "./sandbox.ts";
import { surveySchema } from "./survey.ts";
import { trafficResultSchema } from "./traffic.ts";
import { verifyResultSchema } from "./verification.ts";

/** The schema of each result, without what it is. The program itself prints results unchecked: tests check them with this. */
export const RESULT_SCHEMAS = {
  delivery: deliveryResultSchema,
  survey: surveySchema,
  explanation: explanationResultSchema,
  verification: verifyResultSchema,
  checkup: checkupResultSchema,
  provision: provisionResultSchema,
  "printed-setup": printedSetupSchema,
  invalidation: history.invalidateResultSchema,
  releases: history.releaseListSchema,
  release: history.oneReleaseSchema,
  comparison: history.releaseComparisonSchema,
  hold: history.holdSchema,
  previews: previewsResultSchema,
  traffic: trafficResultSchema,
  prune: history.pruneResultSchema,
  sandbox: sandboxResultSchema,
  error: errorResultSchema,
} satisfies Record<ResultKind, z.ZodObject>;

/** The same with what it is and its version: as it is printed. */
export const printedSchemaOf = (kind: ResultKind): z.ZodObject =>
  z.strictObject({
    kind: z.literal(kind),
    version: z.literal(RESULT_VERSIONS[kind]),
    ...RESULT_SCHEMAS[kind].shape,
  });

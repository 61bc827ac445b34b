/** Types that come out of schemas. The package's own declarations spell them out (scripts/library-types.mjs). */
export type { DeliveryResult } from "../results/delivery.ts";
export type { ProblemResult } from "../results/problem.ts";
export type { Survey } from "../results/survey.ts";
export type { VerifyResult } from "../results/verification.ts";
export type { SettingsInput as Settings } from "../settings/schema.ts";

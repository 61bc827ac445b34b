import * as z from "zod";
import { GUARD_CODES } from "../core/delivery/guards.ts";
import { OperatorError } from "../core/model/failure.ts";
import type {
  CompareOptions,
  DeliverOptions,
  RedeliverOptions,
  SurveyOptions,
  VerifyOptions,
} from "./step-options.ts";

const text = z.string().min(1).optional();
const yesOrNo = z.boolean().optional();
const calledBack = z.custom<never>((value) => typeof value === "function", "should be a function").optional();

const step = {
  settings: z
    .union([z.string().min(1), z.looseObject({})], "should be the name of a file, or settings")
    .optional(),
  folder: text,
  to: text,
  signal: z
    .custom<AbortSignal>((value) => value instanceof AbortSignal, "should be an AbortSignal")
    .optional(),
};
const listening = { onEvent: calledBack };
const guards = { allow: z.array(z.enum(GUARD_CODES)).optional() };
const release = {
  ...{ ...step, ...listening, ...guards, dryRun: yesOrNo, all: yesOrNo, confirm: calledBack },
  queueSeconds: z
    .number()
    .min(0)
    .max(86_400 * 365)
    .optional(),
  note: z.string().optional(),
};

/** What steps take, by their names. */
const SCHEMAS = {
  survey: z.strictObject({ ...step, build: text }),
  compare: z.strictObject({
    ...{ ...step, ...listening, ...guards, build: text, preview: text, onReport: calledBack, all: yesOrNo },
  }),
  deliver: z.strictObject({
    ...{ ...release, build: text, preview: text, onReport: calledBack, verify: yesOrNo },
    sequence: z.int().min(0).max(999_999_999_999_999).optional(),
    commit: text,
  }),
  verify: z.strictObject({
    ...step,
    ...listening,
    preview: text,
    sample: z.int().min(0).max(9_999_999).optional(),
  }),
  redeliver: z.strictObject({ ...release, release: z.string().min(1), throughHere: yesOrNo }),
};

/** The options of steps, by their names. */
export interface OptionsOf {
  readonly survey: SurveyOptions;
  readonly compare: CompareOptions;
  readonly deliver: DeliverOptions;
  readonly verify: VerifyOptions;
  readonly redeliver: RedeliverOptions;
}
export type StepName = keyof OptionsOf;

/** Throws `options-invalid` with everything that a step can't take. */
export function assertOptions(name: StepName, options: unknown): void {
  const { error } = SCHEMAS[name].safeParse(options);
  if (!error) return;
  const problems = error.issues.map(({ path, message }) =>
    [path.join("."), message].filter((part) => part !== "").join(": "),
  );
  throw new OperatorError("options-invalid", { step: name, problems: problems.join("; ") });
}

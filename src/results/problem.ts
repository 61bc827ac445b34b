import * as z from "zod";
import { SEVERITIES, type Problem } from "../core/model/problem.ts";
import { wordsOfProblem } from "../words/problems.ts";

/** a problem of a build, in `problems` */
export const problemSchema = z.strictObject({
  /** Stable; of a guard it is what `--allow` takes. */
  code: z.string(),
  severity: z.enum(SEVERITIES),
  path: z.string().optional(),
  /** From 1. */
  line: z.int().optional(),
  message: z.string(),
  hint: z.string().optional(),
});
export type ProblemResult = z.infer<typeof problemSchema>;

/** A problem with its words. */
export const toProblemResult = (problem: Problem): ProblemResult => {
  const { code, severity, path, line } = problem;
  return {
    ...{ code, severity },
    ...(path !== undefined && { path }),
    ...(line !== undefined && { line }),
    ...wordsOfProblem(problem),
  };
};

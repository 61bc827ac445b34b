import * as z from "zod";
import { PHASES } from "../core/model/plan.ts";
import { problemSchema } from "./problem.ts";

const count = z.int().min(0);
const phase = z.enum(PHASES);

/** The events of `--format ndjson`, one schema each, in the order in which they are met. */
const EVENTS = [
  z
    .strictObject({ event: z.literal("task"), task: z.string(), state: z.enum(["started", "ended"]) })
    .describe("Something that may take a while begins or has ended: reading, or asking the site."),
  z
    .strictObject({
      event: z.literal("gathered"),
      what: z.string(),
      files: count,
      bytes: count,
      objects: count,
    })
    .describe("The build and the destination are read."),
  z
    .strictObject({
      event: z.literal("planned"),
      phases: z.array(z.strictObject({ phase, steps: count, bytes: count })),
    })
    .describe(
      "Told before the first write: the phases that will be gone through, with their steps and the bytes to send.",
    ),
  z
    .strictObject({
      event: z.literal("phase"),
      phase,
      state: z.literal("started"),
      steps: count,
      bytes: count,
    })
    .describe("A phase begins."),
  z
    .strictObject({
      event: z.literal("phase"),
      phase,
      state: z.literal("ended"),
      steps: count,
      seconds: z.number().min(0),
    })
    .describe("A phase has ended."),
  z
    .strictObject({ event: z.literal("step"), phase, do: z.string(), key: z.string(), bytes: count })
    .describe("One step is done: `do` says what, `key` is the object's."),
  z
    .strictObject({ event: z.literal("edge"), edge: z.string(), seconds: z.number().min(0), why: z.string() })
    .describe("An edge is waited for."),
  z
    .strictObject({
      event: z.literal("retry"),
      action: z.string(),
      attempt: count,
      waitMs: z.number().min(0),
      why: z.string(),
    })
    .describe("The store failed for a moment, and is asked again."),
  z
    .strictObject({ event: z.literal("warning"), code: z.string(), message: z.string() })
    .describe("Something is not as it should be, and the run goes on."),
  z
    .strictObject({ event: z.literal("refused"), folder: z.string(), problems: z.array(problemSchema) })
    .describe(
      "Guards have stopped the delivery; paths and lines are those of the build `folder`. An error follows.",
    ),
  z
    .strictObject({ event: z.literal("done"), result: z.looseObject({ kind: z.string(), version: z.int() }) })
    .describe("All is done; the result has `kind` and `version`."),
] as const;

/** One line of `--format ndjson` that is no error. */
export const eventSchema = z.union(EVENTS);

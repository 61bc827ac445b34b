import { appendFileSync } from "node:fs";
import fc from "fast-check";

/** Other cases than those of every day: a number, so that what was found can be played again. */
const OTHER = process.env.COURIER_SEED;
/** Where in its search for small cases a property stood when it failed. */
const PATH = process.env.COURIER_PATH;
/** What a night found is written there, a line for each find. */
const FOUND = process.env.COURIER_FOUND ?? "found.ndjson";

export const isSoak = process.env.SOAK !== undefined;

type Cases<T> = Omit<fc.Parameters<T>, "seed" | "path"> & {
  /** The cases of every day come from these. */
  readonly seeds: readonly number[];
};

/**
 * A property holds for the cases of a list of seeds, or of the one that `COURIER_SEED` names. Says which they are. What
 * fails is written down with all that is needed to play it again.
 */
export async function holds<T>(
  property: fc.IRawProperty<T>,
  { seeds, numRuns = 100, ...parameters }: Cases<T>,
): Promise<void> {
  const name = expect.getState().currentTestName ?? "";
  for (const seed of OTHER === undefined ? seeds : [Number(OTHER)]) {
    process.stdout.write(`seed ${seed}: ${name}\n`);
    const path = PATH === undefined ? {} : { path: PATH };
    const seen = await fc.check(property, {
      ...parameters,
      ...path,
      seed,
      numRuns: isSoak ? Math.min(20 * numRuns, Number.MAX_SAFE_INTEGER) : numRuns,
    } as fc.Parameters<T>);
    if (!seen.failed) continue;
    if (OTHER !== undefined) {
      const find = {
        test: name,
        seed,
        path: seen.counterexamplePath,
        case: fc.stringify(seen.counterexample),
      };
      appendFileSync(FOUND, `${JSON.stringify(find)}\n`);
    }
    throw new Error(
      `play it again with COURIER_SEED=${seed} COURIER_PATH=${seen.counterexamplePath ?? ""}\n${fc.defaultReportMessage(seen) ?? ""}`,
    );
  }
}

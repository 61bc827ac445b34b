import type { PhaseName } from "../core/model/plan.ts";
import type { Clock } from "../ports/clock.ts";

export interface Lap {
  readonly name: PhaseName | "gather" | "hold";
  readonly seconds: number;
}

/** Measures the phases of a run. */
export interface Stopwatch {
  readonly laps: Lap[];
  /** Ends a lap; laps of the same name are one. */
  lap(name: Lap["name"]): void;
  /** Leaves out what has passed: the time that a person took to answer. */
  skip(): void;
}

/** Measures the phases of a run, one after the other. */
export function createStopwatch(clock: Clock): Stopwatch {
  const laps: Lap[] = [];
  let last = clock.monotonicMs();
  return {
    laps,
    skip: () => {
      last = clock.monotonicMs();
    },
    lap: (name) => {
      const now = clock.monotonicMs();
      const known = laps.findIndex((lap) => lap.name === name);
      const seconds = (now - last) / 1000 + (laps[known]?.seconds ?? 0);
      laps.splice(known < 0 ? laps.length : known, known < 0 ? 0 : 1, { name, seconds });
      last = now;
    },
  };
}

/** Time, handed in so that nothing below the wiring reads it by itself. */
export interface Clock {
  now(): Date;
  /** Milliseconds from some fixed point; never goes back. */
  monotonicMs(): number;
  sleep(ms: number): Promise<void>;
  /** Does something again and again; does not keep the program alive. @returns what ends it */
  every(ms: number, task: () => void): () => void;
  /** From 0 to below 1. */
  random(): number;
}

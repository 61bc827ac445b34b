import type { Clock } from "../../ports/clock.ts";

/** The clock of this machine. */
export const systemClock: Clock = {
  now: () => new Date(),
  monotonicMs: () => performance.now(),
  sleep: (ms) => new Promise((done) => setTimeout(done, ms)),
  every: (ms, task) => {
    const timer = setInterval(task, ms).unref();
    return () => {
      clearInterval(timer);
    };
  },
  random: () => Math.random(),
};

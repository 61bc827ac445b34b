/** How many requests go side by side. */
export interface PaceLimits {
  readonly start: number;
  readonly least: number;
  readonly most: number;
}

const DEFAULT_PACE: PaceLimits = { start: 12, least: 1, most: 64 };

/** More side by side must bring this much more, or it is not worth it. */
const WORTH = 1.05;
/** Refusals within this time belong to one overload and halve only once. */
const OVERLOAD_MS = 1000;
/** After so many windows at its best the pace tries a step up again: a network may have become better. */
const PATIENCE = 8;

/**
 * Concurrency that starts moderate, grows while it pays and halves when a server asks for less (additive increase,
 * multiplicative decrease). Holds no clock: each note says when it was.
 */
export class Pace {
  private current: number;
  private done = 0;
  private windowStartMs: number | undefined;
  private best = { rate: 0, width: 0 };
  private waited = 0;
  private halvedMs = -Infinity;

  constructor(private readonly limits: PaceLimits = DEFAULT_PACE) {
    this.current = limits.start;
  }

  get width(): number {
    return this.current;
  }

  /** A request has ended well. */
  noteDone(nowMs: number): void {
    this.windowStartMs ??= nowMs;
    this.done += 1;
    const elapsed = nowMs - this.windowStartMs;
    if (this.done < this.current * 2 || elapsed <= 0) return;
    this.decide(this.done / elapsed);
    this.done = 0;
    this.windowStartMs = nowMs;
  }

  /** A server has refused for being overloaded. */
  noteThrottled(nowMs: number): void {
    if (nowMs - this.halvedMs < OVERLOAD_MS) return;
    this.halvedMs = nowMs;
    this.current = Math.max(this.limits.least, Math.floor(this.current / 2));
    this.best = { rate: 0, width: 0 };
    this.done = 0;
    this.windowStartMs = undefined;
    this.waited = 0;
  }

  private decide(rate: number): void {
    if (rate > this.best.rate * WORTH) {
      this.best = { rate, width: this.current };
      this.grow();
    } else if (this.current > this.best.width) {
      // The last step up did not pay.
      this.current = this.best.width;
      this.waited = 0;
    } else if (++this.waited >= PATIENCE) {
      this.best = { rate, width: this.current };
      this.grow();
    }
  }

  private grow(): void {
    this.waited = 0;
    this.current = Math.min(this.limits.most, this.current + Math.max(1, Math.floor(this.current / 4)));
  }
}

/** What an answer may cost before it is given up. */
export interface AnswerBounds {
  /** Bytes of the body. */
  readonly mostBytes: number;
  /** Milliseconds for all of it, were it empty; each byte more gets `PACE` more. */
  readonly mostMs: number;
  /** Gives up whatever is under way when somebody stops the run. */
  readonly stop?: AbortSignal | undefined;
}

/** Nobody is on a line that is slower than ten kilobytes a second: milliseconds for each byte. */
export const PACE = 0.1;

/** An answer that does not end, or is larger than it can be. */
export class EndlessAnswer extends Error {
  override readonly name: "TimeoutError" | "AnswerTooLarge";

  constructor(why: "slow" | "large") {
    super(why === "slow" ? "the answer did not end in time" : "the answer is larger than it can be");
    this.name = why === "slow" ? "TimeoutError" : "AnswerTooLarge";
  }
}

/** What somebody asked to stop. */
const toStopped = (): Error => Object.assign(new Error("stopped"), { name: "AbortError" });

interface Body extends AsyncIterable<Uint8Array> {
  destroy(): unknown;
}

/**
 * A body that ends: at its own end, or with a failure at the bounds. Whoever never sends the next piece is ended by the
 * clock, too.
 */
export async function* boundBody(
  body: Body,
  { mostBytes, mostMs, stop }: AnswerBounds,
): AsyncGenerator<Uint8Array> {
  const started = performance.now();
  let bytes = 0;
  let reason: Error | undefined;
  const giveUp = (error: Error): void => {
    reason ??= error;
    // Without the error: it would come out at the connection as well, where nobody may listen any more.
    body.destroy();
  };
  const onStop = (): void => {
    giveUp(toStopped());
  };
  const clock = setInterval(() => {
    if (performance.now() - started > mostMs + bytes * PACE) giveUp(new EndlessAnswer("slow"));
  }, CLOCK_MS);
  stop?.addEventListener("abort", onStop, { once: true });
  try {
    if (stop?.aborted === true) throw toStopped();
    for await (const chunk of body) {
      bytes += chunk.length;
      if (bytes > mostBytes) throw new EndlessAnswer("large");
      yield chunk;
    }
  } catch (error) {
    throw reason ?? error;
  } finally {
    clearInterval(clock);
    stop?.removeEventListener("abort", onStop);
  }
  if (reason) throw reason;
}

/** How often the clock is looked at. */
const CLOCK_MS = 200;

/**
 * The signal that gives up what is read, as it is now: after a stop there is a new one, so that a run can still let go of
 * what it holds.
 */
export type StopSignal = () => AbortSignal | undefined;

/** How whoever asks the world is bound to the run that it asks for. */
export interface AskingBounds {
  /** Gives up what is under way. */
  readonly stop: StopSignal;
  /** Bytes of the largest object that the run knows of. */
  readonly largest: () => number;
}

/** Nobody stops it, and nothing is known of what it asks for. */
export const NO_BOUNDS: AskingBounds = { stop: () => undefined, largest: () => 0 };

/** Pages of errors, and what edges put into pages on the way. */
const ALWAYS_ALLOWED = 4_000_000;
/** Where nobody has seen yet what the site holds. */
const ALLOWED_UNSEEN = 32_000_000;

/** The most bytes of an answer that may be an object of the site; an edge may change it on the way. */
export const mostOf = (largest: number): number =>
  largest === 0 ? ALLOWED_UNSEEN : Math.max(ALWAYS_ALLOWED, 2 * largest);

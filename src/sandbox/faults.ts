import type { IncomingMessage, ServerResponse } from "node:http";
import picomatch from "picomatch";
import * as z from "zod";
import { ProtocolError } from "./store/failure.ts";

/** Parts of the sandbox that can be made to fail: the store, what answers visitors, what it asks of the store, invalidations. */
const PARTS = ["store", "edge", "origin", "edge-api"] as const;
type FaultPart = (typeof PARTS)[number];

/** What can go wrong. */
const KINDS = [
  "latency",
  "bandwidth",
  "server-error",
  "slow-down",
  "denied",
  "unsupported",
  "taken",
  "conflict",
  "skew",
  "reset-before",
  "reset-after",
  "truncated",
  "stall",
  "lost-invalidation",
] as const;

const ruleSchema = z.strictObject({
  fault: z.enum(KINDS),
  at: z.enum(PARTS).default("store"),
  /** Of the requests that fit, 0 to 1. */
  share: z.number().min(0).max(1).default(1),
  /** The protocol's names of operations; absent: all. */
  operations: z.array(z.string()).optional(),
  /** A glob over keys, or over paths at the edge; absent: all. */
  keys: z.string().optional(),
  /** Lets so many requests that fit pass first. */
  after: z.int().min(0).default(0),
  /** Strikes so often at most. */
  times: z.int().min(1).optional(),
  /** Of latency, stalls and skew, in milliseconds. */
  ms: z.int().optional(),
  bytesPerSecond: z.int().min(1).optional(),
  /** Seconds that a refusal asks to wait. */
  retryAfter: z.int().min(0).optional(),
});

/** The file that `--faults` names: rules in order; of those that fit a request, the first that strikes counts. */
export const faultsSchema = z.strictObject({ seed: z.int().default(1), rules: z.array(ruleSchema) });
export type FaultSettings = z.output<typeof faultsSchema>;
export type Fault = FaultSettings["rules"][number];

export interface FaultSubject {
  readonly part: FaultPart;
  readonly operation: string;
  readonly key: string;
}

/** Chooses who is struck: by rule and by a seed, so that the same requests in the same order meet the same faults. */
export class Faults {
  private readonly rules: {
    readonly rule: Fault;
    readonly fits: (key: string) => boolean;
    met: number;
    struck: number;
  }[];
  private state: number;

  constructor({ seed, rules }: FaultSettings = { seed: 1, rules: [] }) {
    this.state = seed;
    this.rules = rules.map((rule) => ({
      rule,
      fits: rule.keys === undefined ? () => true : picomatch(rule.keys, { dot: true }),
      met: 0,
      struck: 0,
    }));
  }

  choose({ part, operation, key }: FaultSubject): Fault | undefined {
    for (const entry of this.rules) {
      const { rule, fits } = entry;
      if (rule.at !== part || !fits(key) || rule.operations?.includes(operation) === false) continue;
      entry.met += 1;
      if (entry.met <= rule.after || entry.struck >= (rule.times ?? Infinity) || this.random() >= rule.share)
        continue;
      entry.struck += 1;
      return rule;
    }
    return undefined;
  }

  /** From 0 to below 1: a linear congruential generator is chance enough here. */
  private random(): number {
    this.state = (Math.imul(this.state, 1_664_525) + 1_013_904_223) >>> 0;
    return this.state / 2 ** 32;
  }
}

const DEFAULT_MS: Readonly<Partial<Record<Fault["fault"], number>>> = {
  latency: 200,
  skew: 20 * 60_000,
  stall: 3_600_000,
};

export const millisecondsOf = ({ ms, fault }: Fault): number => ms ?? DEFAULT_MS[fault] ?? 0;

/**
 * Lets a fault happen to a request. Throws where it is a refusal, in the protocol's form.
 * @returns whether the request is still to be answered
 */
export async function strike(
  fault: Fault | undefined,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<boolean> {
  switch (fault?.fault) {
    case "latency":
      await sleep(millisecondsOf(fault));
      return true;
    case "bandwidth": {
      const bytesPerMs = (fault.bytesPerSecond ?? 100_000) / 1000;
      // As long as the content takes to come in, and the answer to go out.
      await sleep(Number(request.headers["content-length"] ?? 0) / bytesPerMs);
      holdBack(response, bytesPerMs);
      return true;
    }
    case "server-error":
      throw new ProtocolError(500, "InternalError", "We encountered an internal error. Please try again.");
    case "slow-down":
      if (fault.retryAfter !== undefined) response.setHeader("retry-after", String(fault.retryAfter));
      throw new ProtocolError(503, "SlowDown", "Please reduce your request rate.");
    case "denied":
      throw new ProtocolError(403, "AccessDenied", "Access Denied");
    case "taken":
      throw new ProtocolError(409, "BucketAlreadyExists", "The requested bucket name is not available.");
    case "conflict":
      throw new ProtocolError(
        409,
        "ConditionalRequestConflict",
        "The conditional request cannot succeed due to a conflicting operation against this resource.",
      );
    case "unsupported":
      throw new ProtocolError(501, "NotImplemented", "A header or query you provided is not implemented.");
    case "reset-before":
      request.socket.destroy();
      return false;
    case "stall":
      setTimeout(() => request.socket.destroy(), millisecondsOf(fault)).unref();
      return false;
    case "reset-after":
      cutOff(response, 0);
      return true;
    case "truncated":
      cutOff(response, 0.5);
      return true;
    default:
      return true;
  }
}

const sleep = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

/** The end of an answer waits for as long as its content would take. */
function holdBack(response: ServerResponse, bytesPerMs: number): void {
  const end = response.end.bind(response) as (chunk?: unknown) => ServerResponse;
  response.end = ((chunk?: unknown) => {
    const bytes = Number(response.getHeader("content-length") ?? Buffer.byteLength((chunk ?? "") as string));
    setTimeout(() => end(chunk), bytes / bytesPerMs);
    return response;
  }) as typeof response.end;
}

/** Breaks the connection once this share of the answer's body is out; with none of it, not even the answer's head is. */
function cutOff(response: ServerResponse, share: number): void {
  const writeHead = response.writeHead.bind(response) as (...args: unknown[]) => ServerResponse;
  const write = response.write.bind(response) as (chunk: Buffer) => boolean;
  let left = Infinity;
  const breakOff = (): void => {
    response.socket?.destroy();
  };
  response.writeHead = ((status: number, headers: Record<string, string | number> = {}) => {
    // Whoever notes answers has noted this one by now: it took effect.
    if (share > 0) {
      left = Math.floor(Number(headers["content-length"] ?? 0) * share);
      return writeHead(status, headers);
    }
    setImmediate(breakOff);
    return response;
  }) as typeof response.writeHead;
  const pass = (chunk: unknown): void => {
    if (share === 0 || chunk === undefined || chunk === null || typeof chunk === "function") return;
    const bytes = Buffer.from(chunk as Buffer | string).subarray(0, Math.max(0, left));
    left -= bytes.length;
    if (bytes.length > 0) write(bytes);
  };
  response.write = ((chunk: unknown) => {
    pass(chunk);
    if (left <= 0) setImmediate(breakOff);
    return true;
  }) as typeof response.write;
  response.end = ((chunk?: unknown) => {
    pass(chunk);
    setImmediate(breakOff);
    return response;
  }) as typeof response.end;
}

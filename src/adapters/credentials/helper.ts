import { spawn } from "node:child_process";
import { FAILURE_KEPT_MS, toRenewalMs } from "./renewal.ts";

/** A helper that asks a person to log in may take a while; one that hangs must not keep a delivery in CI for good. */
const MOST_MS = 60_000;
const MOST_BYTES = 1_000_000;

/** What a helper printed, or a failure in words. */
type Outcome = { readonly stdout: string } | { readonly failure: string };

interface Asked {
  readonly outcome: Promise<Outcome>;
  untilMs: number;
}

/** By the command: a store and an edge ask the same one. */
const asked = new Map<string, Asked>();

export interface HelperBounds {
  readonly mostMs?: number;
  /** Ends it when somebody stops the run. */
  readonly stop?: AbortSignal | undefined;
}

/**
 * Runs a profile's `credential_process` through the system's shell, once for all that ask for it. Never rejects: a failure is
 * told in words, those of the helper itself among them, without anything in them that looks like a secret.
 */
export function runHelper(command: string, bounds: HelperBounds = {}): Promise<Outcome> {
  const before = asked.get(command);
  if (before && Date.now() < before.untilMs) return before.outcome;
  const one: Asked = { outcome: ask(command, bounds), untilMs: Infinity };
  asked.set(command, one);
  void one.outcome.then((outcome) => {
    const now = Date.now();
    one.untilMs = "failure" in outcome ? now + FAILURE_KEPT_MS : toRenewalMs(readEnd(outcome.stdout), now);
  });
  return one.outcome;
}

function ask(command: string, { mostMs = MOST_MS, stop }: HelperBounds): Promise<Outcome> {
  return new Promise((resolve) => {
    const child = spawn(command, { shell: true, stdio: ["ignore", "pipe", "pipe"], windowsHide: true });
    const said = { stdout: "", stderr: "" };
    for (const name of ["stdout", "stderr"] as const)
      child[name].on("data", (chunk: Buffer) => {
        if (said[name].length < MOST_BYTES) said[name] += chunk.toString();
      });
    const end = (outcome: Outcome): void => {
      clearTimeout(clock);
      stop?.removeEventListener("abort", onStop);
      resolve(outcome);
    };
    const giveUp = (failure: string): void => {
      child.kill();
      // Its own children may keep the pipes open, and with them this program.
      for (const pipe of [child.stdout, child.stderr]) pipe.destroy();
      child.unref();
      end({ failure });
    };
    const onStop = (): void => {
      giveUp("was stopped");
    };
    const clock = setTimeout(() => {
      giveUp(`did not end within ${mostMs / 1000} s${quote(said.stderr)}`);
    }, mostMs);
    stop?.addEventListener("abort", onStop, { once: true });
    child.once("error", ({ message }) => {
      end({ failure: `can't be run: ${message}` });
    });
    child.once("close", (code, signal) => {
      const failure = code === 0 ? findFault(said.stdout) : `ended with ${code ?? signal}`;
      end(failure === undefined ? { stdout: said.stdout } : { failure: failure + quote(said.stderr) });
    });
  });
}

interface Printed {
  readonly Version?: unknown;
  readonly AccessKeyId?: unknown;
  readonly SecretAccessKey?: unknown;
  readonly Expiration?: unknown;
}

function findFault(stdout: string): string | undefined {
  const { Version: version, AccessKeyId: id, SecretAccessKey: secret, Expiration: end } = parse(stdout) ?? {};
  if (version !== 1 || typeof id !== "string" || typeof secret !== "string")
    return "printed no credentials (JSON with Version 1, AccessKeyId and SecretAccessKey)";
  if (typeof end !== "string") return undefined;
  const endMs = Date.parse(end);
  if (Number.isNaN(endMs)) return `printed an Expiration that is no time (${end})`;
  return endMs < Date.now() ? `printed credentials that have expired (${end})` : undefined;
}

function parse(stdout: string): Printed | undefined {
  try {
    return JSON.parse(stdout) as Printed;
  } catch {
    return undefined;
  }
}

/** When what was printed ends, milliseconds since 1970. */
function readEnd(stdout: string): number {
  const end = parse(stdout)?.Expiration;
  return typeof end === "string" ? Date.parse(end) : Infinity;
}

/** The last lines of what it said; nothing is quoted that may be a key or a token. */
function quote(stderr: string): string {
  const words = stderr.trim().split(/\s*\n\s*/).slice(-3).join("; ").slice(-300); // prettier-ignore
  return words === "" ? "" : `, and said “${words.replace(SECRET_LIKE, "[hidden]")}”`;
}

/** Letters and digits mixed, as long as keys and tokens are. */
const SECRET_LIKE = /(?=[\w+/=-]*\d)(?=[\w+/=-]*[A-Za-z])[\w+/=-]{16,}/g;

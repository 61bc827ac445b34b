import { spawn, type ChildProcess } from "node:child_process";
import { once } from "node:events";
import { closeSync, fstatSync, openSync, readFileSync, readSync } from "node:fs";
import { join, resolve } from "node:path";
import { createInterface } from "node:readline";
import type { Arguments } from "../../src/cli/frame/command.ts";
import { openSandbox, sandboxCommand } from "../../src/cli/sandbox/command.ts";
import type { SandboxFacts } from "../../src/sandbox/sandbox.ts";
import type { DeliveryResult } from "../../src/results/delivery.ts";
import { temporaryFolder, writeFiles } from "./builds.ts";
import { readDelivery } from "./results.ts";
import { isSoak } from "./seeds.ts";

/** The sandbox's store answers at once: nothing of before is still under way when an edge is asked. */
export const AT_ONCE = "settle: 0s, longestFetch: 0s";

const PROGRAM = resolve("dist/main.js");

/** Shared by what a test file calls: what the program compiled for one of its projects serves the others. */
const HOME = temporaryFolder("home");

/** A test that failed has stopped nothing: what it left would keep the whole test run from ending. */
const started = new Set<ChildProcess>();
afterAll(() => {
  for (const child of started) child.kill("SIGKILL");
});

const note = (child: ChildProcess): ChildProcess => {
  started.add(child);
  child.once("exit", () => started.delete(child));
  return child;
};

export const NO_KEYS = { accessKeyId: "", secretAccessKey: "" };

export interface Outcome {
  readonly exit: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** A folder with settings, in which the built program is called as a user would. */
export class Project {
  readonly folder = temporaryFolder("project");
  readonly home = HOME;
  readonly environment: NodeJS.ProcessEnv;

  constructor(settings: string, credentials: { accessKeyId: string; secretAccessKey: string }) {
    writeFiles(this.folder, { "courier.yaml": settings });
    this.environment = {
      PATH: process.env.PATH,
      HOME,
      AWS_ACCESS_KEY_ID: credentials.accessKeyId,
      AWS_SECRET_ACCESS_KEY: credentials.secretAccessKey,
      AWS_EC2_METADATA_DISABLED: "true",
      AWS_CONFIG_FILE: join(this.folder, "no-config"),
      AWS_SHARED_CREDENTIALS_FILE: join(this.folder, "no-credentials"),
    };
  }

  run(
    args: readonly string[],
    environment: NodeJS.ProcessEnv = {},
    launcher: readonly string[] = [],
  ): Promise<Outcome> {
    return finish(this.start(args, environment, launcher));
  }

  /** The program under way: to be killed, interrupted, watched. @param launcher a program that starts it, with its arguments */
  start(
    args: readonly string[],
    environment: NodeJS.ProcessEnv = {},
    launcher: readonly string[] = [],
  ): ChildProcess {
    const [program = "", ...rest] = [...launcher, process.execPath, PROGRAM, ...args];
    return note(
      spawn(program, rest, {
        cwd: this.folder,
        env: { ...this.environment, ...environment },
        stdio: ["ignore", "pipe", "pipe"],
      }),
    );
  }

  /** Runs a delivery or comparison that must succeed, for its result. */
  async result(args: readonly string[]): Promise<DeliveryResult> {
    const { exit, stdout, stderr } = await this.run([...args, "--format", "json"]);
    if (exit !== 0) throw new Error(`exit ${exit}: ${stdout}${stderr}`);
    return readDelivery(stdout);
  }
}

/** What the sandbox and the tests keep secret: nothing that the program says, in any test, may hold one of them. */
export const SECRETS = [
  "sandbox-practice-secret-guards-nothing",
  "sandbox-limited-secret-guards-nothing",
  "sandbox-lent-secret-guards-nothing",
  "sandbox-session-token-guards-nothing",
  "sandbox-purge-token",
  "secret-of-a-test",
];

export async function finish(child: ChildProcess): Promise<Outcome> {
  let [stdout, stderr] = ["", ""];
  child.stdout?.on("data", (chunk) => (stdout += String(chunk)));
  child.stderr?.on("data", (chunk) => (stderr += String(chunk)));
  const [exit] = (await once(child, "close")) as [number | null];
  return toOutcome(exit, stdout, stderr);
}

/** What the program says of a step that takes more than a second: on a busy machine that is any of them. */
const SAID_OF_SLOW = /^reading the (build|destination|build and its destination) (…|\.{3})\n/gm;

/** What a call came to. Throws where it said what is kept secret. */
export function toOutcome(exit: number | null, stdout: string, stderr: string): Outcome {
  assertNoSecret(`${stdout}${stderr}`);
  return { exit, stdout: stdout.replace(SAID_OF_SLOW, ""), stderr: stderr.replace(SAID_OF_SLOW, "") };
}

/** Throws where a text holds what is kept secret. */
function assertNoSecret(said: string): void {
  for (const secret of SECRETS) if (said.includes(secret)) throw new Error(`a secret was printed: ${said}`);
}

export interface LedgerLine {
  readonly operation: string;
  readonly method: string;
  readonly bucket?: string;
  readonly key?: string;
  readonly status: number;
  readonly received: number;
  /** The key that signed it. */
  readonly identity?: string;
}

/** A call of `sandbox` as it is read from a command line. */
function readCall(args: readonly string[]): Arguments {
  const read: Record<string, string | boolean | string[]> = {};
  for (let at = 0; at < args.length; at++) {
    const name = (args[at] ?? "").slice("--".length);
    const option = sandboxCommand.options[name];
    if (option === undefined) throw new Error(`the sandbox has no option ${name}`);
    if (option.kind === "switch") read[name] = true;
    else if (option.kind === "text") read[name] = args[++at] ?? "";
    else read[name] = [...((read[name] ?? []) as string[]), args[++at] ?? ""];
  }
  return read;
}

/** The sandbox on free ports: by day in the process of the test, at night as the program that people start. */
export class RunningSandbox {
  private constructor(
    private readonly end: () => Promise<void>,
    readonly facts: SandboxFacts,
    readonly data: string,
  ) {}

  static start(args: readonly string[] = [], data = temporaryFolder("sandbox")): Promise<RunningSandbox> {
    return isSoak ? RunningSandbox.startApart(args, data) : RunningSandbox.startHere(args, data);
  }

  private static async startHere(args: readonly string[], data: string): Promise<RunningSandbox> {
    const sandbox = await openSandbox(readCall(args), data, process.cwd());
    return new RunningSandbox(() => sandbox.close(), sandbox.facts, data);
  }

  /** In a process of its own: for tests that wait without letting their own go on. */
  static async startApart(
    args: readonly string[] = [],
    data = temporaryFolder("sandbox"),
  ): Promise<RunningSandbox> {
    const call = ["sandbox", "--data", data, "--store-port", "0", "--edge-port", "0", "--format", "json"];
    const child = spawn(process.execPath, [PROGRAM, ...call, ...args], {
      stdio: ["ignore", "pipe", "inherit"],
      env: { PATH: process.env.PATH },
    });
    note(child);
    const lines = createInterface({ input: child.stdout as NodeJS.ReadableStream });
    const died = once(child, "exit").then(() => Promise.reject(new Error("the sandbox did not start")));
    const [line] = (await Promise.race([once(lines, "line"), died])) as [string];
    died.catch(() => undefined);
    const end = async (): Promise<void> => {
      child.kill("SIGTERM");
      if (child.exitCode === null && child.signalCode === null) await once(child, "exit");
    };
    return new RunningSandbox(end, JSON.parse(line) as SandboxFacts, data);
  }

  /** Requests since the last call. */
  takeLedger(): LedgerLine[] {
    const lines = readFileSync(join(this.data, "ledger.ndjson"), "utf8")
      .split("\n")
      .filter((line) => line !== "");
    const fresh = lines.slice(this.taken);
    this.taken = lines.length;
    return fresh.map((line) => JSON.parse(line) as LedgerLine);
  }
  private taken = 0;

  /** How many requests the sandbox has answered so far. */
  countRequests(): number {
    // Read at its end only: this is asked a thousand times a second.
    const file = openSync(join(this.data, "ledger.ndjson"), "r");
    try {
      const { size } = fstatSync(file);
      const bytes = Buffer.alloc(Math.min(size, 2000));
      readSync(file, bytes, 0, bytes.length, size - bytes.length);
      const last = [...bytes.toString("utf8").matchAll(/\{"number":(\d+),[^\n]*\n/g)].at(-1)?.[1];
      return Number(last ?? 0);
    } finally {
      closeSync(file);
    }
  }

  stop(): Promise<void> {
    return this.end();
  }

  /** A destination of the settings for this store; `more` goes beside it. */
  settings(build: string, more = "", prefix = ""): string {
    const { endpoint, bucket, region } = this.facts;
    return [
      "site: Pelican Sound Ferries",
      `build: { folder: ${JSON.stringify(build)} }`,
      "destinations:",
      "  practice:",
      `    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region}, prefix: "${prefix}" }`,
      more,
      "",
    ].join("\n");
  }
}

/**
 * Starts sandboxes for the tests of one file; each stops when its test has ended.
 * @param always arguments that each of them is started with
 */
export function useSandboxes(...always: string[]): (...args: string[]) => Promise<RunningSandbox> {
  const running: RunningSandbox[] = [];
  afterEach(async () => {
    for (const sandbox of running.splice(0)) await sandbox.stop();
  });
  return async (...args) => {
    const sandbox = await RunningSandbox.start([...always, ...args]);
    running.push(sandbox);
    return sandbox;
  };
}

export const WRITES = new Set([
  "PutObject",
  "CopyObject",
  "DeleteObject",
  "DeleteObjects",
  "CreateMultipartUpload",
  "UploadPart",
  "CompleteMultipartUpload",
]);

import { spawn, type ChildProcess } from "node:child_process";
import { once } from "node:events";
import { readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { createInterface } from "node:readline";
import type { SandboxFacts } from "../../src/sandbox/sandbox.ts";
import type { DeliveryResult } from "../../src/core/results.ts";
import { temporaryFolder, writeFiles } from "./builds.ts";

const PROGRAM = resolve("dist/main.js");

export interface Outcome {
  readonly exit: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** A folder with settings, in which the built program is called as a user would. */
export class Project {
  readonly folder = temporaryFolder("project");
  private readonly environment: NodeJS.ProcessEnv;

  constructor(settings: string, credentials: { accessKeyId: string; secretAccessKey: string }) {
    writeFiles(this.folder, { "courier.yaml": settings });
    this.environment = {
      PATH: process.env.PATH,
      HOME: this.folder,
      AWS_ACCESS_KEY_ID: credentials.accessKeyId,
      AWS_SECRET_ACCESS_KEY: credentials.secretAccessKey,
      AWS_EC2_METADATA_DISABLED: "true",
      AWS_CONFIG_FILE: join(this.folder, "no-config"),
      AWS_SHARED_CREDENTIALS_FILE: join(this.folder, "no-credentials"),
    };
  }

  run(args: readonly string[], environment: NodeJS.ProcessEnv = {}): Promise<Outcome> {
    return finish(
      spawn(process.execPath, [PROGRAM, ...args], {
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
    return JSON.parse(stdout) as DeliveryResult;
  }
}

async function finish(child: ChildProcess): Promise<Outcome> {
  let [stdout, stderr] = ["", ""];
  child.stdout?.on("data", (chunk) => (stdout += String(chunk)));
  child.stderr?.on("data", (chunk) => (stderr += String(chunk)));
  const [exit] = (await once(child, "close")) as [number | null];
  return { exit, stdout, stderr };
}

export interface LedgerLine {
  readonly operation: string;
  readonly method: string;
  readonly bucket?: string;
  readonly key?: string;
  readonly status: number;
  readonly received: number;
}

/** The sandbox as its own process, on free ports. */
export class RunningSandbox {
  private constructor(
    private readonly child: ChildProcess,
    readonly facts: SandboxFacts,
    private readonly data: string,
  ) {}

  static async start(
    args: readonly string[] = [],
    data = temporaryFolder("sandbox"),
  ): Promise<RunningSandbox> {
    const child = spawn(
      process.execPath,
      [
        PROGRAM,
        "sandbox",
        "--data",
        data,
        "--store-port",
        "0",
        "--edge-port",
        "0",
        "--format",
        "json",
        ...args,
      ],
      { stdio: ["ignore", "pipe", "inherit"], env: { PATH: process.env.PATH } },
    );
    const [line] = (await once(
      createInterface({ input: child.stdout as NodeJS.ReadableStream }),
      "line",
    )) as [string];
    return new RunningSandbox(child, JSON.parse(line) as SandboxFacts, data);
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

  async stop(): Promise<void> {
    this.child.kill("SIGTERM");
    if (this.child.exitCode === null && this.child.signalCode === null) await once(this.child, "exit");
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

export const WRITES = new Set([
  "PutObject",
  "CopyObject",
  "DeleteObject",
  "DeleteObjects",
  "CreateMultipartUpload",
  "UploadPart",
  "CompleteMultipartUpload",
]);

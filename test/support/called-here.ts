import { readFileSync } from "node:fs";
import { run } from "../../src/cli/run.ts";
import { temporaryFolder, writeFiles } from "./builds.ts";
import type { DeliveryResult } from "../../src/results/delivery.ts";
import { Project, toOutcome, type Outcome } from "./program.ts";
import { isSoak } from "./seeds.ts";
import { readDelivery } from "./results.ts";

const { version } = JSON.parse(readFileSync("package.json", "utf8")) as { version: string };

// The bundler puts it into the program.
Object.assign(globalThis, { __VERSION__: version });
const { stdout, stderr } = process;
const really = { out: stdout.write.bind(stdout), err: stderr.write.bind(stderr) };
/** Whoever reads what the program says is one more listener each time. */
for (const stream of [stdout, stderr]) stream.setMaxListeners(0);

let isUnderWay = false;

/** What a call says, made in this very process: the sources as they are, without a build and without a start. One at a time. */
export async function callHere(
  args: readonly string[],
  folder: string,
  environment: NodeJS.ProcessEnv,
): Promise<Outcome> {
  if (isUnderWay) throw new Error("two calls at once need the program");
  isUnderWay = true;
  const { env } = process;
  const before = process.cwd();
  const said = { stdout: "", stderr: "" };
  stdout.write = (chunk: string | Uint8Array) => Boolean((said.stdout += String(chunk)));
  stderr.write = (chunk: string | Uint8Array) => Boolean((said.stderr += String(chunk)));
  process.env = { PATH: env.PATH, ...environment };
  process.chdir(folder);
  try {
    const exit = await run(args, version);
    return toOutcome(exit, said.stdout, said.stderr);
  } finally {
    isUnderWay = false;
    process.chdir(before);
    process.env = env;
    stdout.write = really.out;
    stderr.write = really.err;
  }
}

/** A folder with settings, in which commands are called as the program calls them, one at a time. */
class CalledHere {
  readonly folder = temporaryFolder("called-here");
  readonly home = this.folder;
  private readonly environment: NodeJS.ProcessEnv;

  constructor(settings: string, credentials: { accessKeyId: string; secretAccessKey: string }) {
    writeFiles(this.folder, { "courier.yaml": settings });
    this.environment = {
      HOME: this.home,
      AWS_ACCESS_KEY_ID: credentials.accessKeyId,
      AWS_SECRET_ACCESS_KEY: credentials.secretAccessKey,
      AWS_EC2_METADATA_DISABLED: "true",
      AWS_CONFIG_FILE: "/dev/null",
      AWS_SHARED_CREDENTIALS_FILE: "/dev/null",
    };
  }

  run(args: readonly string[], environment: NodeJS.ProcessEnv = {}): Promise<Outcome> {
    return callHere(args, this.folder, { ...this.environment, ...environment });
  }

  /** Runs a delivery or comparison that must succeed, for its result. */
  async result(args: readonly string[]): Promise<DeliveryResult> {
    const { exit, stdout, stderr } = await this.run([...args, "--format", "json"]);
    if (exit !== 0) throw new Error(`exit ${exit}: ${stdout}${stderr}`);
    return readDelivery(stdout);
  }
}

/** By day the commands as they are called here, at night the built program: both must say and do the same. */
export const ProjectHere = isSoak ? Project : CalledHere;
export type ProjectHere = Pick<Project, "run" | "result" | "folder">;

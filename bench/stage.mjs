// Where the built program is measured: a folder of its own with a build, settings, a hash cache and the sandbox.
import { execFileSync, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { createInterface } from "node:readline";
import { fileURLToPath } from "node:url";
import { median, report } from "./measure.mjs";

const PROGRAM = resolve("dist/main.js");
const USAGE = fileURLToPath(new URL("usage.mjs", import.meta.url));
const LARGE_SITE = fileURLToPath(new URL("large-site.mjs", import.meta.url));

/** A folder that goes at the end, with the environment of a program that asks nobody outside. */
export function createStage() {
  const work = mkdtempSync(join(tmpdir(), "courier-bench-"));
  const environment = {
    PATH: process.env.PATH,
    HOME: work,
    AWS_EC2_METADATA_DISABLED: "true",
    AWS_CONFIG_FILE: join(work, "none"),
    AWS_SHARED_CREDENTIALS_FILE: join(work, "none"),
  };
  const running = [];
  return {
    work,
    environment,
    /** Where the hash cache is, so that it can be lost as on a fresh machine. */
    cache: join(work, ".cache"),
    makeSite: (name, ...options) => {
      const folder = join(work, name);
      execFileSync(process.execPath, [LARGE_SITE, "--out", folder, ...options.map(String)]);
      return folder;
    },
    writeSettings: (folder, destination) => {
      mkdirSync(work, { recursive: true });
      writeFileSync(
        join(work, "courier.yaml"),
        `site: Pelican Sound Ferries\nbuild: { folder: "${folder}" }\ndestinations:\n  bench:\n${destination}`,
      );
    },
    startSandbox: async () => {
      const options = ["--data", join(work, "sandbox"), "--store-port", "0", "--edge-port", "0"];
      const child = spawn(process.execPath, [PROGRAM, "sandbox", ...options, "--format", "json"], {
        stdio: ["ignore", "pipe", "inherit"],
        env: environment,
      });
      running.push(child);
      const line = await new Promise((done) => createInterface({ input: child.stdout }).once("line", done));
      const facts = JSON.parse(line);
      environment.AWS_ACCESS_KEY_ID = facts.accessKeyId;
      environment.AWS_SECRET_ACCESS_KEY = facts.secretAccessKey;
      return facts;
    },
    run: (...words) => run(PROGRAM, words, work, environment),
    runScript: (script, ...words) => run(resolve(script), words, work, environment),
    end: () => {
      for (const child of running) child.kill("SIGKILL");
      rmSync(work, { recursive: true, force: true, maxRetries: 5 });
    },
  };
}

/** The settings of a destination on the sandbox. */
export const sandboxDestination = ({ endpoint, bucket, region, edge }, prefix) =>
  `    url: ${edge}\n    store: { kind: s3, endpoint: "${endpoint}", bucket: ${bucket}, prefix: ${prefix}, region: ${region} }\n`;

/** Runs the floor and each of ours in turn. @returns all runs, by row */
export async function compareRuns(rounds, floor, ours) {
  const rows = {};
  for (let round = 0; round < rounds; round++)
    for (const [row, run] of Object.entries(ours)) {
      const { floors, runs } = (rows[row] ??= { floors: [], runs: [] });
      floors.push(await floor());
      runs.push(await run());
    }
  return rows;
}

/** A row of medians. @param about what the floor is, in words, and the ratio that must be reached */
export function reportRuns(row, { floors, runs }, about) {
  const of = (all, fact) => median(all.map((run) => run[fact]));
  report(row, {
    ...about,
    floorMs: Math.round(of(floors, "wallMs")),
    oursMs: Math.round(of(runs, "wallMs")),
    ratio: Number((of(runs, "wallMs") / of(floors, "wallMs")).toFixed(2)),
    floorCpuMs: Math.round(of(floors, "cpuMs")),
    cpuMs: Math.round(of(runs, "cpuMs")),
    peakMb: of(runs, "peakMb"),
  });
}

/** @returns wall and CPU milliseconds, peak memory in MB, and what it printed; throws where it fails */
function run(program, words, cwd, environment) {
  const usage = join(cwd, "usage.json");
  const started = performance.now();
  return new Promise((done, fail) => {
    const child = spawn(process.execPath, ["--import", USAGE, program, ...words.map(String)], {
      cwd,
      env: { ...environment, COURIER_BENCH_USAGE: usage },
      stdio: ["ignore", "pipe", "pipe"],
    });
    let [out, err] = ["", ""];
    child.stdout.on("data", (chunk) => (out += chunk));
    child.stderr.on("data", (chunk) => (err += chunk));
    child.once("close", (exit) => {
      const wallMs = performance.now() - started;
      // 5: an edge has not confirmed, which is a result.
      if (exit !== 0 && exit !== 5)
        fail(new Error(`${words.join(" ")}: exit ${exit}: ${err.slice(-2000)}${out.slice(-2000)}`));
      else done({ exit, wallMs, ...JSON.parse(readFileSync(usage, "utf8")), out });
    });
  });
}

// What every benchmark shares: interleaved runs of a floor and of ours, medians, CPU and memory, and bench/results.json.
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { cpus, tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import { build } from "esbuild";

export const median = (values) => values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)];

const RESULTS = fileURLToPath(new URL("results.json", import.meta.url));

/** Runs each of the named functions in turn, `rounds` times. @returns wall and CPU milliseconds by name, medians */
export async function interleave(functions, rounds = 5) {
  const times = Object.fromEntries(Object.keys(functions).map((name) => [name, { wall: [], cpu: [] }]));
  for (let round = 0; round <= rounds; round++) {
    for (const [name, run] of Object.entries(functions)) {
      const [started, before] = [performance.now(), process.cpuUsage()];
      await run();
      const { user, system } = process.cpuUsage(before);
      // The first round warms up.
      if (round === 0) continue;
      times[name].wall.push(performance.now() - started);
      times[name].cpu.push((user + system) / 1000);
    }
  }
  return Object.fromEntries(
    Object.entries(times).map(([name, { wall, cpu }]) => [
      name,
      { wallMs: median(wall), cpuMs: median(cpu) },
    ]),
  );
}

/** Prints a row and keeps it in bench/results.json under its name. */
export function report(name, row) {
  const peakMb = Math.round(process.resourceUsage().maxRSS / 1024);
  const full = { peakMb, ...row, node: process.version, cores: cpus().length };
  process.stdout.write(`${name}\n${JSON.stringify(full, null, 1).replace(/[{}"]/g, "")}\n`);
  writeFileSync(RESULTS, `${JSON.stringify({ ...readResults(), [name]: full }, null, 2)}\n`);
}

export function readResults() {
  try {
    return JSON.parse(readFileSync(RESULTS, "utf8"));
  } catch {
    return {};
  }
}

/** Modules of the core, bundled. @param contents what they export, as a module */
export async function loadCore(contents) {
  const folder = mkdtempSync(join(tmpdir(), "courier-bench-"));
  const outfile = join(folder, "core.mjs");
  const stdin = { contents, resolveDir: new URL("..", import.meta.url).pathname };
  const banner = {
    js: `import{createRequire}from"node:module";const require=createRequire(${JSON.stringify(import.meta.url)});`,
  };
  await build({ stdin, outfile, bundle: true, format: "esm", platform: "node", logLevel: "error", banner });
  const core = await import(pathToFileURL(outfile).href);
  rmSync(folder, { recursive: true });
  return core;
}

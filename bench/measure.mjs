// What every benchmark shares: interleaved runs of a floor and of ours, medians, CPU and memory, and bench/results.json.
import { readFileSync, writeFileSync } from "node:fs";
import { cpus } from "node:os";
import { fileURLToPath } from "node:url";

const RESULTS = fileURLToPath(new URL("results.json", import.meta.url));

import { median } from "./stage.mjs";

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

function readResults() {
  try {
    return JSON.parse(readFileSync(RESULTS, "utf8"));
  } catch {
    return {};
  }
}

// Loaded before a program that is measured: at its end it writes CPU milliseconds and peak memory in MB.
import { writeFileSync } from "node:fs";

process.on("exit", () => {
  const { user, system } = process.cpuUsage();
  const peakMb = Math.round(process.resourceUsage().maxRSS / 1024);
  writeFileSync(process.env.COURIER_BENCH_USAGE, JSON.stringify({ cpuMs: (user + system) / 1000, peakMb }));
});

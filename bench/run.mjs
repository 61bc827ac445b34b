// All benchmarks, one after the other, and the table of docs/performance.md: npm run bench
import { execFileSync } from "node:child_process";
import { fileURLToPath } from "node:url";

const SCRIPTS = [
  ["start"],
  ["deliveries"],
  ["hashing"],
  ["comparison"],
  ["cover"],
  ["history"],
  ["scale"],
  ["previews"],
  ["traffic"],
  ["page"],
];
for (const [name, ...words] of SCRIPTS)
  execFileSync(process.execPath, [fileURLToPath(new URL(`${name}.mjs`, import.meta.url)), ...words], {
    stdio: "inherit",
  });

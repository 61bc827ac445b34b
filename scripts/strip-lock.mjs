// Takes the registry's addresses out of the lock file after an `npm install`: names, versions and integrity hashes say
// all that is needed, whichever registry an install asks. (npm's own setting for this drops the packages of other platforms.)
import { readFileSync, writeFileSync } from "node:fs";

const lock = JSON.parse(readFileSync("package-lock.json", "utf8"));
for (const entry of Object.values(lock.packages)) {
  delete entry.resolved;
  delete entry.funding;
}
writeFileSync("package-lock.json", `${JSON.stringify(lock, null, 2)}\n`);

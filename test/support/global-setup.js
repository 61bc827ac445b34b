import { execFileSync } from "node:child_process";

/** The tests drive the built program: build it when Jest is started by hand. */
export default function buildFirst() {
  execFileSync(process.execPath, ["scripts/ready.mjs"], { stdio: "inherit" });
}

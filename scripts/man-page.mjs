// Writes dist/rcourier.1: the manual page of the package, which the program prints.
import { spawnSync } from "node:child_process";
import { writeFileSync } from "node:fs";

const { status, stdout, stderr } = spawnSync(process.execPath, ["dist/main.js", "help", "man"], {
  encoding: "utf8",
});
if (status !== 0) throw new Error(stderr);
writeFileSync("dist/rcourier.1", stdout);

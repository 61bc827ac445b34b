// @ts-check
// Delivers the build to a preview that has the name of the branch, and prints its address.
//
//   node preview-branch.mjs [BRANCH]
import { execFileSync } from "node:child_process";
import { CourierError, deliver } from "restless-courier";

const [, , branch = execFileSync("git", ["branch", "--show-current"], { encoding: "utf8" }).trim()] =
  process.argv;

try {
  const { preview, url } = await deliver({ preview: branch, note: `branch ${branch}`, verify: true });
  console.log(`${url} until ${preview?.until}`);
} catch (error) {
  if (!(error instanceof CourierError)) throw error;
  console.error(`${error.message}\n${error.hint}`);
  process.exitCode = 1;
}

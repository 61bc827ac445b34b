import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox } from "../support/program.ts";
import { makeSmallSite } from "../support/small-site.ts";

const BUILDS = makeSmallSite();
let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

/** Text of a page as a person reads it. */
const readPage = (project: ProjectHere, name: string): string =>
  readFileSync(join(project.folder, name), "utf8")
    .replace(/<(script|style)[^>]*>[^]*?<\/\1>/g, "")
    .replace(/<[^>]*>/g, " ")
    .replace(/\s+/g, " ");

test("a delivery is drawn before it, after it and later, and what can't be drawn is said before anything is done", async () => {
  const edge = `    edge: { kind: purge, url: "${sandbox.facts.edge}", token: ${sandbox.facts.purgeToken}, patterns: path, ${AT_ONCE}, confirm: off }`;
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, edge), sandbox.facts);
  const requests = async (args: readonly string[]): Promise<number> => {
    sandbox.takeLedger();
    await project.run(args);
    return sandbox.takeLedger().length;
  };
  expect(await project.run(["deliver", "--report", "courier.yaml/page.html"])).toMatchObject({ exit: 2, stderr: expect.stringContaining("can't be written") as string });
  expect((await project.run(["releases"])).stderr).toContain("nothing has been delivered");
  expect(await project.run(["deliver", "--report", "first/page.html"])).toMatchObject({ exit: 0 });
  expect(readPage(project, "first/page.html")).toMatch(/practice: release 1 is delivered .* 17 of 17 files changed/);

  const second = ["--build", `${BUILDS}/2`];
  const plain = await requests(["compare", ...second]);
  // The record that the picture of sizes needs is read once more, and nothing else is asked.
  expect((await requests(["compare", ...second, "--report", "planned.html"])) - plain).toBeLessThanOrEqual(3);
  const planned = readPage(project, "planned.html");
  expect(planned).toMatch(/practice: what release 2 would change .* 11 of 17 files would change, 1 would go/);
  expect(planned).toMatch(/First visits .* index\.html .* as before|before [\d.]+ kB/);
  expect(planned).toMatch(/Invalidation .*may be held wrongly/);
  expect(planned).toMatch(/Headers by role .*cache-control: public, max-age=31536000, immutable/);
  const result = await project.result(["deliver", ...second, "--report", "second.html"]);
  expect(result.release).toBe(2);
  expect(readPage(project, "second.html")).toMatch(/release 2 is delivered .*Sizes over the releases/);

  expect((await project.run(["releases", "current", "--report", "later.html"])).exit).toBe(0);
  const later = readPage(project, "later.html");
  expect(later).toMatch(/practice: release 2 .* 11 of 17 files changed, 1 went .*assets\/app-HADE2WGP\.js 123 B no more/);
  expect(later).not.toContain("Invalidation");
  for (const names of [[], ["1", "2"], ["hold"]]) {
    const { exit, stderr } = await project.run(["releases", ...names, "--report", "none.html"]);
    expect([names, exit, stderr, existsSync(join(project.folder, "none.html"))]).toEqual([names, 2, expect.stringContaining("--report draws one release"), false]);
  }
  expect(await project.run(["compare", "1", "2", "--report", "none.html"])).toMatchObject({ exit: 2, stderr: expect.stringContaining("--report") as string });
}); // prettier-ignore

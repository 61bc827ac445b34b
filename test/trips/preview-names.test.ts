import { cpSync } from "node:fs";
import { join } from "node:path";
import { ProjectHere } from "../support/called-here.ts";
import { RunningSandbox } from "../support/program.ts";
import { visitNode } from "../support/web-root.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();
let sandbox: RunningSandbox;
afterEach(() => sandbox.stop());

function projectOf(more = ""): ProjectHere {
  const { endpoint, region, edgeApi, edge } = sandbox.facts;
  const { port } = new URL(edge);
  const settings = [
    "site: Pelican Sound Ferries",
    `build: { folder: dist${more} }`,
    "redirects: [{ address: /latest, leadsTo: /crossings/, kind: temporary }]",
    "destinations:",
    "  production:",
    `    url: http://www.pelican.localhost:${port}`,
    `    store: { kind: s3, bucket: pelican, region: ${region}, endpoint: "${endpoint}" }`,
    `    edge: { kind: distribution, endpoint: "${edgeApi}", settle: 0s, longestFetch: 0s }`,
    `    previews: { address: "http://{name}.review.pelican.localhost:${port}" }`,
    "",
  ].join("\n");
  const project = new ProjectHere(settings, sandbox.facts);
  cpSync(join(BUILDS, "1"), join(project.folder, "dist"), { recursive: true });
  return project;
}

async function must(project: ProjectHere, ...args: string[]): Promise<string> {
  const { exit, stdout, stderr } = await project.run(args);
  expect([args, exit, exit === 0 ? "" : stdout + stderr]).toEqual([args, 0, ""]);
  return stdout;
}

const at = async (name: string, address: string) => {
  const { status, headers, content } = await visitNode(sandbox.facts.edge, address, { host: `${name}.pelican.localhost` });
  return `${status} ${headers.location ?? (content.includes("Cape Wren") ? "new" : "old")}`;
}; // prettier-ignore

test("provision gives a distribution the names of previews; each leads to its own folder, and production to its own", async () => {
  sandbox = await RunningSandbox.start(["--empty", "--certificate", "www.pelican.localhost,*.review.pelican.localhost"]);
  const project = projectOf();
  expect(await must(project, "provision", "--yes")).toContain("*.review.pelican.localhost");
  expect((await project.run(["provision", "--dry-run"])).stdout).toContain("nothing has to be changed");
  await must(project, "deliver", "--verify");
  expect((await project.result(["deliver"])).edgeRules).toBeUndefined();
  const { url } = await project.result(["deliver", "--preview", "spring", "--build", `${BUILDS}/2`]);
  expect(url).toContain("//spring.review.pelican.localhost");
  await must(project, "verify", "--preview", "spring");
  await must(project, "checkup");
  const asked = ["/", "/crossings/", "/crossings/index.html", "/latest?a=1", "/nowhere.html"];
  expect(await Promise.all(asked.map((one) => at("spring.review", one)))).toEqual(["200 new", "200 new", "200 new", "302 /crossings/?a=1", "404 old"]);
  expect(await Promise.all(asked.map((one) => at("www", one)))).toEqual(["200 old", "200 old", "200 old", "302 /crossings/?a=1", "404 old"]);
  expect(await at("autumn.review", "/")).toMatch(/^40[34] /);
  // The edge knows of previews whatever release stands.
  await must(project, "deliver", "--build", `${BUILDS}/2`);
  await must(project, "redeliver", "1");
  expect([await at("spring.review", "/"), await at("www", "/")]).toEqual(["200 new", "200 old"]);
}); // prettier-ignore

test("a certificate that does not have the previews' names is told, and the site gets its own name all the same", async () => {
  sandbox = await RunningSandbox.start(["--empty", "--certificate", "www.pelican.localhost"]);
  const project = projectOf();
  expect(await must(project, "provision", "--yes")).toMatch(/left to you[\s\S]*the name \*\.review\.pelican\.localhost/);
  await must(project, "deliver", "--verify");
  expect(await at("www", "/")).toBe("200 old");
  // It is told again, and nothing else is.
  const again = await must(project, "provision", "--dry-run");
  expect(again).toMatch(/left to you[\s\S]*give the distribution the name \*\.review/);
  expect(again).not.toContain("to be changed");
}); // prettier-ignore

test("an app's routes lead to the entry page of the preview", async () => {
  sandbox = await RunningSandbox.start([
    "--empty",
    "--certificate",
    "*.pelican.localhost,*.review.pelican.localhost",
  ]);
  const project = projectOf(", clientRoutes: true");
  await must(project, "provision", "--yes");
  await must(project, "deliver");
  await must(project, "deliver", "--preview", "spring", "--build", `${BUILDS}/2`);
  expect([await at("spring.review", "/trips/7"), await at("www", "/trips/7")]).toEqual([
    "200 new",
    "200 old",
  ]);
  expect(await at("spring.review", "/trips/7.js")).toMatch(/^404/);
});

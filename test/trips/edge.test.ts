import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox, useSandboxes } from "../support/program.ts";

const startSandbox = useSandboxes();

interface Seen {
  readonly status: number;
  readonly body: Buffer;
  readonly type: string | null;
  readonly cache: string | null;
  readonly state: string;
}

async function visit(url: string): Promise<Seen> {
  const response = await fetch(url, { redirect: "manual" });
  const { headers, status } = response;
  return {
    status,
    body: Buffer.from(await response.arrayBuffer()),
    type: headers.get("content-type"),
    cache: headers.get("cache-control"),
    state: headers.get("cache-status") ?? "",
  };
}

const edgeSettings = (sandbox: RunningSandbox, kind: "distribution" | "purge"): string => {
  const { edge, edgeApi, distribution, purgeToken, pops } = sandbox.facts;
  const settings =
    kind === "distribution"
      ? `{ kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", ${AT_ONCE} }`
      : `{ kind: purge, nodes: ${JSON.stringify(pops)}, token: ${purgeToken}, query: ignored, ${AT_ONCE} }`;
  return `    url: ${edge}\n    edge: ${settings}`;
};

test("an edge that fails leaves the release delivered and the addresses owed; the next run pays, an unchanged one too", async () => {
  const sandbox = await startSandbox("--origin", "website");
  const page = (text: string): Record<string, string> => ({ "index.html": `<p>${text}</p>`, "sw.js": `// ${text}` });
  const [one, two] = [writeFiles(temporaryFolder("owed"), page("one")), writeFiles(temporaryFolder("owed"), page("two"))];
  const settings = sandbox.settings(one, edgeSettings(sandbox, "purge"));
  const project = new ProjectHere(settings, sandbox.facts);
  await project.result(["deliver"]);
  await visit(`${sandbox.facts.edge}/`);
  writeFiles(project.folder, { "courier.yaml": settings.replace(/token: [\w-]+/, "token: wrong") });
  const failed = await project.run(["deliver", "--build", two, "--format", "json"]);
  expect(failed.exit).toBe(5);
  expect(JSON.parse(failed.stdout)).toMatchObject({ release: 2, invalidation: { confirmed: false, owed: ["/", "/index.html", "/sw.js"] } });
  expect(failed.stderr).toMatch(/the edge "purge" has not confirmed: it refused the purge: correct the token or its header/);
  expect((await visit(`${sandbox.facts.edge}/`)).body.toString()).toBe("<p>one</p>");
  expect((await visit(`${sandbox.facts.edge}/sw.js`)).body.toString()).toBe("// one");
  expect((await project.run(["deliver", "--build", two])).exit).toBe(5);

  writeFiles(project.folder, { "courier.yaml": settings });
  expect(await project.result(["deliver", "--build", two])).toMatchObject({ release: 2, previous: 2, invalidation: { confirmed: true, owed: [] } });
  expect((await visit(`${sandbox.facts.edge}/`)).body.toString()).toBe("<p>two</p>");
  expect((await visit(`${sandbox.facts.edge}/sw.js`)).body.toString()).toBe("// two");
  expect(await project.result(["deliver", "--build", two])).toMatchObject({ release: 2, requests: { put: 0 }, invalidation: { addresses: [] } });
}); // prettier-ignore

test("every promised form of a page's address answers behind an endpoint that knows exact keys only, with the page's own headers", async () => {
  const sandbox = await startSandbox("--origin", "objects");
  const page = (text: string): string => `<p>${text}</p><script src="/app-1f2e3d4c.js"></script>`;
  const folder = writeFiles(temporaryFolder("forms"), {
    "index.html": page("home"), "news/index.html": page("news"), "about.html": page("about"), "a/b.html": page("flat"), "a/b/index.html": page("deep"),
    "café & co/index.html": page("café"), "app-1f2e3d4c.js": "1",
  }); // prettier-ignore
  const settings = `${sandbox.settings(folder, edgeSettings(sandbox, "distribution"))}addresses: { pages: [file, folder, bare] }\n`;
  const project = new ProjectHere(settings, sandbox.facts);
  const result = await project.result(["deliver"]);
  expect(result).toMatchObject({ counts: { new: 7 }, generated: { written: 7, unchanged: 0, removed: 0 } });
  const forms = [
    "/",
    "/index.html",
    "/news/",
    "/news",
    "/news/index.html",
    "/about",
    "/about.html",
    "/a/b",
    "/a/b.html",
    "/a/b/",
    "/caf%C3%A9%20&%20co/",
    "/caf%C3%A9%20&%20co",
  ];
  for (const address of forms) {
    const { status, type, cache } = await visit(sandbox.facts.edge + address);
    expect([address, status, type, cache]).toEqual([
      address,
      200,
      "text/html; charset=utf-8",
      "public, max-age=0, s-maxage=86400, must-revalidate",
    ]);
  }
  expect((await visit(`${sandbox.facts.edge}/a/b`)).body.toString()).toContain("flat");
  expect(await project.result(["deliver"])).toMatchObject({
    release: 1,
    counts: { unchanged: 7 },
    generated: { unchanged: 7 },
  });

  writeFiles(folder, { "news/index.html": page("newer") });
  expect(await project.result(["deliver"])).toMatchObject({
    counts: { replaced: 1 },
    generated: { written: 2, unchanged: 5 },
  });
  for (const address of ["/news/", "/news", "/news/index.html"])
    expect((await visit(sandbox.facts.edge + address)).body.toString()).toContain("newer");
  writeFiles(folder, { "news/index.html": '<p>x</p><img src="boat.png">', "news/boat.png": "x" });
  expect(await project.run(["deliver"])).toMatchObject({
    exit: 3,
    stderr: expect.stringMatching(/can't also answer at \/news: .*\n.*\(bare-breaks-references\)/) as string,
  });
});

test("redirects answer through the edge, follow a change at once, and are gone with their rule; explain tells what they are", async () => {
  const sandbox = await startSandbox("--origin", "website");
  const folder = writeFiles(temporaryFolder("redirects"), { "index.html": '<a href="/latest">x</a>', "news/index.html": "<p>news</p>", "about.html": "<p>a</p>" });
  const base = sandbox.settings(folder, edgeSettings(sandbox, "distribution")).replace("prefix:", "serves: website, prefix:");
  const project = new ProjectHere(`${base}redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }]\n`, sandbox.facts);
  expect(await project.result(["deliver"])).toMatchObject({ counts: { new: 3 }, generated: { written: 1 }, warnings: [] });
  const follow = async (address: string): Promise<string> => {
    const { status, headers } = await fetch(sandbox.facts.edge + address, { redirect: "manual" });
    return `${status} ${headers.get("location")} ${headers.get("cache-control")}`;
  };
  expect([await follow("/latest"), await follow("/latest")]).toEqual(Array.from({ length: 2 }, () => "301 /news/ public, max-age=0, s-maxage=3600, must-revalidate"));
  expect((await project.run(["explain", "/latest"])).stdout).toMatch(/^latest\n[^]*a redirect of the settings, to \/news\/\n.*website endpoint sends visitors on/);
  expect(await project.result(["deliver"])).toMatchObject({ release: 1, generated: { unchanged: 1 } });

  writeFiles(project.folder, { "courier.yaml": `${base}redirects: [{ address: /latest, leadsTo: /about.html, kind: permanent }]\n` });
  expect(await project.result(["deliver"])).toMatchObject({ release: 2, generated: { written: 1 }, bytes: { sent: 0 } });
  expect(await follow("/latest")).toContain("301 /about.html");
  writeFiles(project.folder, { "courier.yaml": base });
  expect(await project.result(["deliver"])).toMatchObject({ release: 3, generated: { removed: 1 }, pruned: ["latest"] });
  expect(await follow("/latest")).toMatch(/^404/);
}); // prettier-ignore

test("with stored compression visitors get the same content, from fewer bytes, and an unchanged build is not sent again", async () => {
  const sandbox = await startSandbox("--origin", "website");
  const text = `<p>${"ferry ".repeat(2000)}</p>`;
  const folder = writeFiles(temporaryFolder("gzip"), {
    "index.html": text,
    "small.html": "<p>s</p>",
    "noise.json": JSON.stringify(Array.from({ length: 400 }, (_, i) => (i * 2654435761) % 4294967296)),
  });
  const project = new ProjectHere(`${sandbox.settings(folder, edgeSettings(sandbox, "distribution"))}compression: gzip\n`, sandbox.facts);
  const { bytes } = await project.result(["deliver"]);
  expect(bytes.sent).toBeLessThan(text.length / 2);
  const answer = await fetch(`${sandbox.facts.edge}/`);
  expect([answer.headers.get("content-encoding"), await answer.text()]).toEqual(["gzip", text]);
  expect((await fetch(`${sandbox.facts.edge}/small.html`)).headers.get("content-encoding")).toBeNull();
  expect(await project.result(["deliver"])).toMatchObject({ release: 1, previous: 1, requests: { put: 0 } });
  const plain = new ProjectHere(sandbox.settings(folder, edgeSettings(sandbox, "distribution")), sandbox.facts);
  expect((await plain.result(["deliver"])).counts.replaced).toBeGreaterThanOrEqual(1);
  expect((await fetch(`${sandbox.facts.edge}/`)).headers.get("content-length")).not.toBeNull();
  expect((await visit(`${sandbox.facts.edge}/`)).body.toString()).toBe(text);
}); // prettier-ignore

test("redirects of a prefix and temporary ones are routing rules of a website that is ours; prior settings are kept, and the rules go with the settings", async () => {
  const sandbox = await startSandbox("--origin", "website");
  const folder = writeFiles(temporaryFolder("routing"), { "index.html": "<p>home</p>", "crossings/a/index.html": "<p>a</p>" });
  const base = sandbox.settings(folder, edgeSettings(sandbox, "distribution")).replace("prefix:", "serves: website, ownsWebsite: true, prefix:");
  const rules = `redirects:\n  - { address: "/routes/*", leadsTo: "/crossings/*", kind: temporary }\n  - { address: /today, leadsTo: /crossings/a/, kind: temporary, keepMethod: true }\n`;
  const project = new ProjectHere(base, sandbox.facts);
  const follow = async (address: string): Promise<string> => {
    const { status, headers } = await fetch(sandbox.facts.edge + address, { redirect: "manual" });
    return `${status} ${headers.get("location")}`;
  };
  await project.result(["deliver"]);
  expect(await follow("/routes/a/")).toBe("404 null");
  writeFiles(project.folder, { "courier.yaml": base + rules });
  const result = await project.result(["deliver"]);
  expect(result).toMatchObject({ release: 2, counts: { unchanged: 2 }, invalidation: { addresses: ["/routes/*", "/today*"] } });
  expect([await follow("/routes/a/"), await follow("/today"), await follow("/crossings/a/")]).toEqual([
    "302 /crossings/a/",
    "307 /crossings/a/",
    "200 null",
  ]);
  expect(await project.result(["deliver"])).toMatchObject({ release: 2, previous: 2, requests: { put: 0, get: 2 } });
  writeFiles(project.folder, { "courier.yaml": base });
  await project.result(["deliver"]);
  expect(await follow("/routes/a/")).toBe("404 null");
}); // prettier-ignore

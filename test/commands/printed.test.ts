import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { ProjectHere } from "../support/called-here.ts";
import { NO_KEYS, useSandboxes } from "../support/program.ts";
import { readResult } from "../support/results.ts";

const startSandbox = useSandboxes();
const TOKEN = "ferry-token-of-the-edge";

interface Parts {
  readonly url?: string;
  readonly store?: string;
  readonly edge?: string;
  readonly more?: string;
}

const FOLDER = "{ kind: folder, folder: /srv/pelican }";
const BUCKET = "{ kind: s3, bucket: pelican, region: eu-west-1 }";
const toSettings = ({
  url = "https://www.pelican.test",
  store = FOLDER,
  edge = "kind: purge",
  more = "",
}: Parts): string =>
  `site: Pelican Sound Ferries\ndestinations:\n  web:\n    url: ${url}\n    store: ${store}\n    edge: { ${edge}${edge.includes("token") || !edge.includes("purge") ? "" : ', token: "${EDGE_TOKEN}"'} }\n${more}`;
const project = (parts: Parts = {}) => new ProjectHere(toSettings(parts), NO_KEYS);
const print = (parts: Parts, ...args: string[]) => project(parts).run(["provision", "--print", ...args], { EDGE_TOKEN: TOKEN }); // prettier-ignore
const ORIGIN = ["--origin", "http://10.0.0.9:8080"];

test.each<[string, Parts, readonly string[], RegExp]>([
  ["nobody says what it reads from", {}, ["nginx"], /what does the cache of web read from\? Say --origin/],
  ["an origin that is no address", {}, ["nginx", "--origin", "ftp://x"], /--origin must be an address such as \S+, not ftp:\/\/x/],
  ["a network that is none", {}, ["nginx", ...ORIGIN, "--purge-from", "10.0.0.0/33"], /--purge-from must be a network such as \S+, not 10.0.0.0\/33/],
  ["no cache in the settings", { edge: "kind: none" }, ["squid", ...ORIGIN], /no edge of kind purge/],
  ["a token that a set-up can't hold", { edge: "kind: purge, token: 'a b c d e f g'" }, ["squid", ...ORIGIN], /letters, digits, - and _/],
  ["wildcards where there are none", { edge: "kind: purge, patterns: path" }, ["nginx", ...ORIGIN], /nginx takes no wildcards/],
  ["https where only plain http is spoken", { store: BUCKET }, ["varnish"], /varnish asks its origin by plain http only/],
  ["a bucket that only a distribution reads", { store: BUCKET.replace(" }", ", readers: edge-only }") }, ["nginx"], /can't sign/],
  ["records of an address", { url: "http://127.0.0.1:8080" }, ["dns"], /is no name/],
  ["records of a distribution that is not made", { edge: "kind: distribution", store: BUCKET }, ["dns"], /provision/],
  ["files of records", {}, ["dns", "--into", "x"], /dns has no files/],
  ["a kind that there is not", {}, ["apache"], /must be one of varnish, nginx/],
])("%s: refused, and nothing is printed", async (_, parts, args, words) => {
  expect(await print(parts, ...args)).toMatchObject({ exit: 2, stdout: "", stderr: expect.stringMatching(words) as string });
}); // prettier-ignore

test.each(["--origin=http://10.0.0.9", "--purge-from=10.0.0.0/24", "--into=edge"])("%s without --print is no order to change anything", async (option) => {
  const outcome = await project({ store: BUCKET }).run(["provision", "--yes", option], { EDGE_TOKEN: TOKEN });
  expect(outcome).toMatchObject({ exit: 2, stderr: expect.stringContaining("needs --print WHAT") as string });
}); // prettier-ignore

test("no token in the settings: a cache that anybody may have forgotten is not set up", async () => {
  const text = toSettings({}).replace(/, token: "[^"]*"/, "");
  const outcome = await new ProjectHere(text, NO_KEYS).run(["provision", "--print", "nginx", ...ORIGIN]);
  expect(outcome).toMatchObject({ exit: 2, stderr: expect.stringContaining("has no token") as string });
});

test.each(["varnish", "nginx", "squid", "trafficserver", "headers", "dns"])("%s: text and JSON say the same, and no secret", async (kind) => {
  const parts = { edge: 'kind: purge, nodes: ["http://203.0.113.7:6081"], query: ignored, negative: 0s', more: "    expect: { headers: { X-Port: alder, X-Any: '*' } }\nredirects: [{ address: /old, leadsTo: /new/, kind: permanent }]\n" };
  const json = await print(parts, kind, ...ORIGIN, "--format", "json");
  const result = readResult("printed-setup", json.stdout);
  const text = await print(parts, kind, ...ORIGIN);
  expect([json.exit, text.exit, json.stderr + text.stderr]).toEqual([0, 0, ""]);
  for (const { text: content } of result.files) expect(text.stdout).toContain(content.trimEnd());
  expect(json.stdout + text.stdout).not.toContain(TOKEN);
  if (kind === "dns") expect(result.records).toEqual([{ name: "www.pelican.test", type: "A", value: "203.0.113.7" }]);
  else expect(text.stdout).toMatch(/alder/);
  expect(text.stdout).not.toContain("X-Any");
  expect(result.settings).toEqual(result.files.length > 0 ? ["minimumFreshness: 0s"] : []);
}); // prettier-ignore

test("files go into a folder; one that somebody has changed is not overwritten unasked", async () => {
  const one = project();
  const call = (...more: string[]) => one.run(["provision", "--print", "squid", ...ORIGIN, "--into", "edge", ...more], { EDGE_TOKEN: TOKEN }); // prettier-ignore
  expect((await call()).exit).toBe(0);
  const file = join(one.folder, "edge/squid.conf");
  const made = readFileSync(file, "utf8");
  expect(made).toContain("http_port 80 accel");
  writeFileSync(file, `${made}# mine\n`);
  expect(await call()).toMatchObject({
    exit: 2,
    stderr: expect.stringContaining("says something else") as string,
  });
  expect(readFileSync(file, "utf8")).toContain("# mine");
  expect((await call("--yes")).exit).toBe(0);
  expect(readFileSync(file, "utf8")).toBe(made);
});

test("a distribution's name is asked for, and previews with names of their own get a record", async () => {
  const { facts } = await startSandbox();
  const settings = `site: Pelican Sound Ferries\ndestinations:\n  web:\n    url: https://www.pelican.test\n    store: { kind: s3, bucket: ${facts.bucket}, region: ${facts.region}, endpoint: "${facts.endpoint}" }\n    edge: { kind: distribution, id: ${facts.distribution}, endpoint: "${facts.edgeApi}" }\n    previews: { address: "https://{name}.preview.pelican.test" }\n`;
  const { exit, stdout } = await new ProjectHere(settings, facts).run(["provision", "--print", "dns", "--format", "json"]);
  const { records } = readResult("printed-setup", stdout);
  expect([exit, records.map(({ name, type }) => `${name} ${type}`)]).toEqual([0, ["www.pelican.test CNAME", "*.preview.pelican.test CNAME"]]);
  expect(records[0]?.value).toMatch(/\./);
  const other = settings.replace(facts.distribution, "EXAMPLE0000001");
  const lost = await new ProjectHere(other, facts).run(["provision", "--print", "dns"]);
  expect(lost).toMatchObject({ exit: 1, stdout: "", stderr: expect.stringContaining("EXAMPLE0000001") as string });
  const unknown = await new ProjectHere(settings, NO_KEYS).run(["provision", "--print", "dns"]);
  expect(unknown).toMatchObject({ exit: 7, stdout: "", stderr: expect.stringMatching(/could not read the distribution.*no credentials were found[^;]*\. Nothing was written/s) as string });
}); // prettier-ignore

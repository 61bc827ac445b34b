import { wordsOfFailure } from "../words/failures.ts";
import { OperatorError } from "../core/model/failure.ts";
import { parseSettings } from "./load.ts";

const WHOLE = `site: Pelican Sound Ferries
build: { folder: dist, exclude: ["**/*.map"] }
addresses: { pages: [file, folder] }
freshness: [{ files: "timetables/**/*.json", browser: 1m, edge: 1h }]
headers: [{ files: "downloads/**", set: { Content-Disposition: attachment } }]
types: [{ files: ".well-known/boat-times", type: application/json }]
redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }]
destinations:
  production:
    url: https://www.pelicansound.example
    store: { kind: s3, bucket: pelican-sound-web, region: eu-west-1, serves: website }
    edge: { kind: distribution, id: EXAMPLE0000001, minimumFreshness: 0s, query: ignored }
    ask: true
    retain: { releases: 5, for: 14d }
    expect: { headers: { Strict-Transport-Security: "*" } }
  staging:
    store: { kind: s3, bucket: staging, endpoint: http://127.0.0.1:8450, prefix: site }
    edge: [{ kind: purge, url: http://127.0.0.1:8460, token: "\${EDGE_TOKEN}" }]
    previews: { prefix: "previews/{name}/", address: "http://{name}.preview.localhost:8460", lasts: 7d }
`;

const problemsOf = (text: string, environment: NodeJS.ProcessEnv = {}): string => {
  try {
    parseSettings(text, "courier.yaml", environment);
  } catch (error) {
    if (error instanceof OperatorError) return String(wordsOfFailure(error).data.problems);
    throw error;
  }
  return "";
};

test("the settings of the design are read whole, with units, defaults and variables", () => {
  const { settings, locate } = parseSettings(WHOLE, "courier.yaml", { EDGE_TOKEN: "t" });
  const { destinations, freshness } = settings;
  // What is not there has the place of what it would stand in.
  expect(locate(["destinations", "production", "retain", "for"])).toEqual({
    file: "courier.yaml",
    line: 14,
    column: 33,
  });
  expect(locate(["destinations", "staging", "retain", "for"])).toMatchObject({ line: 16 });
  expect(freshness).toEqual([{ files: "timetables/**/*.json", browser: 60, edge: 3600 }]);
  expect(destinations.production).toMatchObject({
    ask: true,
    retain: { releases: 5, for: 1_209_600 },
    guards: { vanish: 0.25 },
    store: { prefix: "", addressing: "host" },
  });
  expect(destinations.staging).toMatchObject({
    store: { prefix: "site/", addressing: "path" },
    edge: [{ token: "t", header: "X-Purge-Token", settle: 2 }],
  });
});

test.each<[string, string, string]>([
  [
    "a misspelt key",
    WHOLE.replace("browser: 1m", "browsr: 1m"),
    "  courier.yaml:4:46: freshness[0]: unknown key browsr; did you mean browser?",
  ],
  [
    "a wrong unit",
    WHOLE.replace("edge: 1h", "edge: 1hour"),
    '  courier.yaml:4:65: freshness[0].edge: "1hour" should be a duration such as 90s, 10m, 2h or 1d',
  ],
  [
    "a wrong kind",
    WHOLE.replace("kind: purge", "kind: purj"),
    '  courier.yaml:18:20: destinations.staging.edge[0].kind: "purj" is not a kind that is known here',
  ],
  [
    "a missing bucket",
    WHOLE.replace("bucket: staging, ", ""),
    "  courier.yaml:17:5: destinations.staging.store.bucket: bucket is missing (text)",
  ],
  [
    "a key of another kind",
    WHOLE.replace("id: EXAMPLE0000001", "id: E, nodes: [http://x]"),
    "  courier.yaml:12:40: destinations.production.edge: unknown key nodes; allowed: kind, id, url, endpoint, region, profile, patterns, wildcards, wildcard, worth, confirmWithin, name, minimumFreshness, holdsFor, query, negative, settle, longestFetch, confirm",
  ],
])("%s is named with its place", (_, text, problem) => {
  const found = problemsOf(text, { EDGE_TOKEN: "t" });
  expect(found.split("\n")).toContain(problem);
});

test("every mistake is told at once, broken YAML with its place, and a variable that is not set", () => {
  expect(
    problemsOf(WHOLE.replace("site:", "sight:").replace("ask: true", "ask: maybe")).split("\n").length,
  ).toBe(4);
  expect(problemsOf("site: [")).toMatch(/^ {2}courier\.yaml:1:\d+: /);
  expect(problemsOf("")).toContain("site: site is missing");
  expect(problemsOf(WHOLE)).toBe("  courier.yaml:18:62: the environment variable EDGE_TOKEN is not set");
});

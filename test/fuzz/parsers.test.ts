import fc from "fast-check";
import { parseImmutableNames } from "../../src/core/history/immutable-names.ts";
import {
  parseOpen,
  parsePointer,
  toOpenLines,
  toPointerText,
  toWaybillLines,
} from "../../src/core/history/waybill.ts";
import { parseWaybill } from "../support/waybill-lines.ts";
import { parseWays } from "../../src/core/edges/known-ways.ts";
import { parseHold, toHoldText } from "../../src/core/delivery/hold.ts";
import { findFingerprintNames } from "../../src/core/build/fingerprints/find.ts";
import { createWordReader } from "../../src/core/build/fingerprints/mentions.ts";
import { findReferences } from "../../src/core/build/references/find.ts";
import { findSecrets } from "../../src/core/build/secrets.ts";
import { parseAddress } from "../../src/core/addresses/addresses.ts";
import { OperatorError } from "../../src/core/model/failure.ts";
import { isSiteKey } from "../../src/core/model/names.ts";
import { chooseTarget } from "../../src/settings/destination.ts";
import { parseSettings } from "../../src/settings/load.ts";
import { wordsOfFailure } from "../../src/words/failures.ts";
import { parseXml } from "../../src/sandbox/store/xml.ts";
import { readPolicy } from "../../src/sandbox/store/permissions.ts";
import { findRefusal } from "../../src/adapters/public-site/refusal.ts";
import { foulText, fuzz, mutated } from "../support/fuzz.ts";

/** Throws unless it ends with a result, or with an error that a user can act on, which says something of one or more lines. */
function endsWell<T>(task: () => T): T | undefined {
  try {
    return task();
  } catch (error) {
    if (!(error instanceof OperatorError)) throw error;
    const { message, hint } = wordsOfFailure(error);
    if (/\n(?! {2}| {4})/.test(message) || hint.includes("\n"))
      throw new Error(`a line of its own: ${message}`, { cause: error });
    return undefined;
  }
}

const HTML = `<!doctype html><base href="/x/"><link rel="stylesheet preload" href="a.css"><script>import("./b.js")</script><style>@import url(c.css)</style><img srcset="a.png 1x, b.png 2x" style="background:url('d.png')"><a href="?x#y">z</a><meta property="og:image" content="/e.png">`;
const CSS = `@import "a.css" layer(x); a::before { content: "\\41"; background: url(b.png), url( "c d.png" ) } @media (min-width: 1px) { b { c: d } }`;
const JS = `import a from "./a.js"; export * from "./b.js"; new URL("./c.png", import.meta.url); navigator.serviceWorker.register(new URL("./sw.js", import.meta.url)); const t = \`\${1}./d.js\`; /a[/]b/g.test("x.png"); importScripts("e.js")`;
const MANIFEST = `{"icons":[{"src":"/i.png"}],"screenshots":[{"src":"s.png"}],"start_url":"/?a=1"}`;
const TEXTS: readonly (readonly [string, string])[] = [["a.html", HTML], ["a.css", CSS], ["a.js", JS], ["a.webmanifest", MANIFEST]]; // prettier-ignore
const readWords = createWordReader({ ends: [8], plain: [8] });

fuzz("texts of a build", {
  inputs: fc.constantFrom(...TEXTS).chain(([path, text]) => mutated([text, HTML, JS]).map((found) => [path, found] as const)),
  check: ([path, text]) => {
    for (const { line, url } of findReferences(path, text))
      if (!Number.isInteger(line) || line < 1 || typeof url !== "string") throw new Error(`${line} ${url}`);
    findSecrets(text);
    readWords(Buffer.from(text));
  },
}); // prettier-ignore

fuzz("names of files and addresses", {
  inputs: fc.array(foulText(6), { maxLength: 8 }),
  check: (names) => {
    findFingerprintNames(names);
    for (const name of names) parseAddress(name, "/");
  },
});

const SETTINGS = `site: Pelican Sound Ferries
build: { folder: dist, exclude: ["**/*.map"], clientRoutes: true }
addresses: { pages: [file, folder] }
freshness: [{ files: "timetables/**/*.json", browser: 1m, edge: 1h }]
headers: [{ files: "downloads/**", set: { Content-Disposition: attachment } }]
types: [{ files: ".well-known/boat-times", type: application/json }]
redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }, { address: "/a/*", leadsTo: "https://elsewhere.example/*", kind: temporary, keepMethod: true }]
destinations:
  production: &base
    url: https://www.pelicansound.example/
    store: { kind: s3, bucket: pelican-sound-web, region: eu-west-1, serves: website, prefix: site/en, ownsWebsite: true }
    edge: [{ kind: distribution, id: EXAMPLE0000001, minimumFreshness: 0s, query: ignored }, { kind: purge, nodes: ["http://127.0.0.1:1"], token: "\${EDGE_TOKEN}", patterns: ban }]
    default: true
    retain: { releases: 5, for: 14d }
    hold: { lease: 30s }
    expect: { headers: { Strict-Transport-Security: "*" } }
  staging: { <<: *base, store: { kind: folder, folder: out }, edge: { kind: none } }
`;

fuzz("settings", {
  inputs: fc.oneof(
    mutated([SETTINGS]),
    fc.tuple(foulText(), foulText()).map(([from, to]) => SETTINGS.replace(/(?<=: )[\w.]+/g, (word) => (word.length % 3 === from.length % 3 ? JSON.stringify(to) : word))),
  ),
  check: (text) => {
    const loaded = endsWell(() => parseSettings(text, "courier.yaml", { environment: { EDGE_TOKEN: "tide" } }));
    for (const to of Object.keys(loaded?.settings.destinations ?? {}))
      endsWell(() => chooseTarget({ ...(loaded as NonNullable<typeof loaded>), folder: "/tmp" }, { to }, "/tmp"));
  },
}); // prettier-ignore

const sum = "a".repeat(64);
const parcel = {
  key: "news/index.html",
  hash: sum,
  storedHash: sum,
  size: 3,
  role: "page" as const,
  headers: { "cache-control": "no-cache" },
  etag: "e",
};
const facts = { site: "s", release: 2, run: "r", at: "2026-03-04T14:20:00.000Z", by: "harbour" };
const WAYBILL = [
  ...toWaybillLines({
    ...facts,
    previous: 1,
    note: "n",
    parcels: [parcel],
    standing: [{ ...parcel, lastIn: 1 }],
  }),
].join("\n");
const OPEN = [
  ...toOpenLines({
    ...facts,
    parcels: [parcel],
    originals: [parcel],
    removes: ["a.html"],
    owed: [{ edge: "e", addresses: ["/a"] }],
    website: { rules: [{ prefix: "a", replaceKey: "b", status: 301 }], kept: [sum] },
  }),
].join("\n");
const POINTER = toPointerText({
  ...facts,
  retained: [{ release: 2, run: "r", waybillHash: sum, at: facts.at, pageFreshnessSeconds: 1 }],
  owed: [{ edge: "e", addresses: ["/a"] }],
  announced: { "sw.js": "e" },
});
const OTHERS = [
  `{"format":"restless-courier/immutable-names/1","names":{"a.js":["${sum}",1]}}`,
  toHoldText({
    ...facts,
    host: "h",
    process: 1,
    processStart: "",
    work: "deliver",
    leaseSeconds: 30,
    renewal: 1,
    isReleased: false,
  }),
];

fuzz("records", {
  inputs: mutated([WAYBILL, OPEN, POINTER, ...OTHERS]),
  check: (text) => {
    const lines = text.split("\n");
    const waybill = endsWell(() => parseWaybill(lines, "k"));
    const open = endsWell(() => parseOpen(lines, "k"));
    const pointer = endsWell(() => parsePointer(text));
    endsWell(() => parseImmutableNames(text));
    endsWell(() => parseHold(text));
    parseWays(text);
    const parcels = [...(waybill?.parcels ?? []), ...(waybill?.standing ?? []), ...(open?.parcels ?? []), ...(open?.originals ?? [])];
    const keys = [...parcels.map(({ key }) => key), ...(open?.removes ?? []), ...Object.keys(pointer?.announced ?? {})];
    const wrong = keys.find((key) => !isSiteKey(key));
    if (wrong !== undefined) throw new Error(`believed: ${wrong}`);
  },
}); // prettier-ignore

const LIST = `<?xml version="1.0"?><ListBucketResult><EncodingType>url</EncodingType><Contents><Key>a%20b</Key><Size>1</Size></Contents></ListBucketResult>`;
const POLICY = `{"Version":"2012-10-17","Statement":[{"Effect":"Allow","Principal":{"AWS":["*"]},"Action":"s3:*","Resource":["arn:aws:s3:::a/*"],"Condition":{"StringEquals":{"AWS:SourceArn":"x"}}}]}`;

fuzz("documents of the protocol", {
  inputs: mutated([LIST, POLICY, "<Error><Code>NoSuchKey</Code><Key>a</Key></Error>", "<ul><li>Code: NoSuchKey</li><li>Key: a</li></ul>"]),
  check: (text) => {
    findRefusal(Buffer.from(text));
    for (const read of [() => parseXml(text, "ListBucketResult"), () => readPolicy(text)])
      try {
        read();
      } catch (error) {
        if (!(error instanceof Error) || error instanceof RangeError) throw error;
      }
  },
}); // prettier-ignore

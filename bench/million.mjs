// Deliveries of a very large site in memory: the build is made up as it is asked for, the store keeps what a list tells of
// an object and the tool's own records, nothing else. So what is measured is what the tool itself takes.
// node --max-old-space-size=8192 --heap-growing-percent=30 bench/million.mjs [FILES] (the flags that the tool sets for itself, or
// that its user sets; about eight minutes, so it is no part of npm run bench)
import { createHash, hash } from "node:crypto";
import { loadCore, report } from "./measure.mjs";

const FILES = Number(process.argv[2] ?? 1_000_000);
const { deliver, memoryDelivery, byUtf8, findFingerprintNames } = await loadCore(`
  export { deliver } from "./src/workflows/deliver.ts";
  export { memoryDelivery } from "./test/support/memory-build.ts";
  export { byUtf8 } from "./src/core/model/names.ts";
  export { findFingerprintNames } from "./src/core/build/fingerprints/find.ts";
`);

/** A page in 97 sections names the style sheet and its neighbour; every hundredth changes from version to version. */
const pathOf = (index) => (index === 0 ? "index.html" : `section-${index % 97}/page-${index}/index.html`);
const textOf = (index, version) => `<p>${index} ${index % 100 === 0 ? version : 0}`;

function makeSource(version) {
  const indexes = new Map();
  const nothing = Object.freeze([]);
  const head = new Uint8Array();
  const read = () => {
    const files = Array.from({ length: FILES }, (_, index) => {
      const [path, text] = [pathOf(index), textOf(index, version)];
      indexes.set(path, index);
      const references = [{ kind: "link", url: `/${pathOf((index + 1) % FILES)}`, line: 1 }];
      return { path, size: text.length, hash: hash("sha256", text), head, references, secrets: nothing };
    }).sort((a, b) => byUtf8(a.path, b.path));
    const names = findFingerprintNames(files.map(({ path }) => path));
    return { folder: "memory", files, names, namedTokens: new Map(), withheld: [], special: [] };
  };
  const open = ({ key, aliasOf, size, storedHash }) => ({
    ...{ size, hash: storedHash },
    open: () => Buffer.from(textOf(indexes.get(aliasOf ?? key), version)),
  });
  return { read, open, findChanged: () => undefined, close: () => undefined };
}

class LeanStore {
  location = { endpoint: "memory", bucket: "memory", prefix: "", region: "" };
  carriesHeaders = true;
  listsFromAnywhere = false;
  objects = new Map();
  records = new Map();
  now = 0;

  async *list(below = "") {
    const keys = [...this.objects.keys()].filter((key) => key.startsWith(below)).sort(byUtf8);
    for (let start = 0; start < keys.length; start += 1000)
      yield {
        objects: keys.slice(start, start + 1000).map((key) => ({ key, ...this.objects.get(key) })),
        storeTimeMs: this.now,
      };
  }
  factsOf = (key) => this.objects.get(key) && { ...this.objects.get(key), headers: {} };
  head = (key) => Promise.resolve(this.factsOf(key));
  get = (key) => {
    const facts = this.factsOf(key);
    return Promise.resolve(facts && { ...facts, body: [this.records.get(key)] });
  };
  put = (key, content) => {
    const bytes = content.open();
    if (key.startsWith(".courier/")) this.records.set(key, bytes);
    return this.write(key, bytes.length, createHash("md5").update(bytes).digest("hex"));
  };
  copy = (from, to) => {
    const { size, etag } = this.objects.get(from.key);
    return this.write(to, size, etag);
  };
  write = (key, size, etag) => {
    this.objects.set(key, { size, etag, modifiedMs: (this.now += 1) });
    return Promise.resolve({ etag });
  };
  remove = (keys) => {
    for (const key of keys) this.objects.delete(key);
    return Promise.resolve([]);
  };
  abandonUploads = () => Promise.resolve(0);
  isPublic = () => Promise.resolve(false);
  readWebsite = () => Promise.resolve(undefined);
  close = () => undefined;
}

const store = new LeanStore();
const work = [["first delivery", 1], ["unchanged delivery", 1], ["delivery of 1 % changed", 2]]; // prettier-ignore
for (const [name, version] of work) {
  const [started, before] = [performance.now(), process.cpuUsage()];
  const delivery = { ...memoryDelivery({ files: {}, store }), source: makeSource(version) };
  const { counts } = await deliver(delivery, { dryRun: false, all: false });
  const { user, system } = process.cpuUsage(before);
  process.stderr.write(`${JSON.stringify(counts)}\n`);
  report(`${name} of ${FILES.toLocaleString("en")} small files, in memory`, {
    oursMs: Math.round(performance.now() - started),
    cpuMs: Math.round((user + system) / 1000),
    heapMb: Math.round(process.memoryUsage().heapUsed / 1e6),
  });
}

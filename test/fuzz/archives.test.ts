import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { pack } from "tar-stream";
import fc from "fast-check";
import { OperatorError } from "../../src/core/model/failure.ts";
import { unpackArchive } from "../../src/gather/unpack-archive.ts";
import { foulText, fuzz, mutatedBytes } from "../support/fuzz.ts";
import { toZip } from "../support/zip.ts";

const folder = mkdtempSync(join(tmpdir(), "courier-test-fuzz-"));
/** What is unpacked goes where nobody else unpacks anything. */
const before = process.env.TMPDIR;
beforeAll(() => {
  process.env.TMPDIR = folder;
});
afterAll(() => {
  if (before === undefined) delete process.env.TMPDIR;
  else process.env.TMPDIR = before;
  rmSync(folder, { recursive: true, force: true });
});

type Entries = readonly { readonly name: string; readonly text: string }[];

const PLAIN: Entries = [
  { name: "index.html", text: "<p>ferry</p>" },
  { name: "news/index.html", text: "<p>news</p>".repeat(100) },
  { name: `a/${"long-".repeat(40)}name.txt`, text: "x" },
];

async function toTar(entries: Entries): Promise<Buffer> {
  const archive = pack();
  for (const { name, text } of entries) archive.entry({ name }, text);
  archive.finalize();
  const chunks: Buffer[] = [];
  for await (const chunk of archive) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}

function listFiles(root: string): Map<string, Buffer> {
  const files = readdirSync(root, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());
  return new Map(
    files.map(({ parentPath, name }) => {
      const path = join(parentPath, name);
      return [path.slice(root.length + 1), readFileSync(path)];
    }),
  );
}

/** What an archive unpacks to; undefined: it is refused, and nothing is left of it. */
async function unpack(name: string, bytes: Buffer): Promise<Map<string, Buffer> | undefined> {
  const file = join(folder, name);
  writeFileSync(file, bytes);
  const files = await unpackArchive(file).then(
    (unpacked) => {
      const found = listFiles(unpacked.folder);
      unpacked.dispose();
      return found;
    },
    (error: unknown) => {
      if (!(error instanceof OperatorError)) throw error;
      return undefined;
    },
  );
  if (readdirSync(folder).length > 1) throw new Error("something is left behind");
  rmSync(file);
  return files;
}

/** A whole archive is never half of one: each content is that of the name in the original, or its name is another. */
function assertWhole(files: ReadonlyMap<string, Buffer>, entries: Entries, isSummed: boolean): void {
  for (const { name, text } of entries) {
    const found = files.get(name);
    if (isSummed && found && found.toString("utf8") !== text) throw new Error(`${name} has other bytes`);
  }
}

const originals = { tar: await toTar(PLAIN), zip: toZip(PLAIN) };

fuzz("damaged archives", {
  inputs: fc.oneof(
    mutatedBytes([originals.tar]).map((bytes) => ["site.tar", bytes] as const),
    mutatedBytes([gzipSync(originals.tar)]).map((bytes) => ["site.tar.gz", bytes] as const),
    mutatedBytes([originals.tar]).map((bytes) => ["site.tgz", gzipSync(bytes)] as const),
    mutatedBytes([originals.zip]).map((bytes) => ["site.zip", bytes] as const),
  ),
  isSlow: true,
  check: async ([name, bytes]) => {
    const files = await unpack(name, bytes);
    if (files) assertWhole(files, PLAIN, name === "site.zip" || name === "site.tar.gz");
  },
});

fuzz("archives that are cut off", {
  inputs: fc.tuple(fc.constantFrom("site.tar", "site.tar.gz", "site.zip"), fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true })),
  isSlow: true,
  check: async ([name, share]) => {
    const whole = { "site.tar": originals.tar, "site.tar.gz": gzipSync(originals.tar), "site.zip": originals.zip }[name] as Buffer;
    const files = await unpack(name, whole.subarray(0, Math.floor(share * whole.length)));
    if (files) throw new Error(`${files.size} files of half an archive`);
  },
}); // prettier-ignore

fuzz("names in archives", {
  inputs: fc.tuple(fc.constantFrom("site.tar", "site.zip"), fc.array(fc.record({ name: foulText(), text: foulText(1) }), { minLength: 1, maxLength: 4 })),
  isSlow: true,
  check: async ([name, entries]) => {
    const named = entries.filter((entry) => entry.name !== "");
    await unpack(name, name === "site.zip" ? toZip(named) : await toTar(named));
  },
}); // prettier-ignore

import { gunzipSync } from "node:zlib";
import { analyseBuild } from "../core/build/analysis.ts";
import { applyEncodedForms } from "../core/build/stored-encoding.ts";
import { memoryBuild, memoryRules } from "../../test/support/memory-build.ts";
import { encode, encodeParcels } from "./encode.ts";

const NOTHING = { listing: [], storeTimeMs: 0 };
const text = (length: number): string => "ferry ".repeat(length / 6);

/** What each file would be stored as; files below a folder's address are its page again. */
function storedOf(files: Readonly<Record<string, string>>) {
  const source = memoryBuild(files);
  const rules = memoryRules({ endpoint: { serves: "objects" } });
  const { parcels } = analyseBuild(source.read([]), rules, NOTHING).wanted;
  const forms = encodeParcels(source, parcels);
  const stored = applyEncodedForms(parcels, forms, NOTHING);
  return {
    source,
    forms,
    encodingOf: (key: string) => stored.find((parcel) => parcel.key === key)?.encoding,
  };
}

test("pages are stored encoded, under their aliases too; pictures, what is small and what is over 8 MB are not", () => {
  const most = 8 * 1024 * 1024;
  const { forms, encodingOf } = storedOf({
    "index.html": text(6000),
    "news/index.html": text(6000),
    "small.html": "<p>",
    "pier.png": text(6000),
    "data.json": `"${text(most - 2)}"`.padEnd(most),
    "more.json": `"${text(most - 2)}"`.padEnd(most + 1),
  });
  expect([...forms.keys()].sort()).toEqual(["data.json", "index.html", "news/index.html"]);
  const keys = ["index.html", "news/index.html", "news/", "small.html", "pier.png", "data.json", "more.json"];
  expect(keys.map(encodingOf)).toEqual(["gzip", "gzip", "gzip", undefined, undefined, "gzip", undefined]);
});

test("an encoded form is the same on every machine, tells no time and no system, and is read back", () => {
  const bytes = Buffer.from(text(6000));
  const encoded = encode(bytes);
  expect([encoded.subarray(4, 8), encoded[9], gunzipSync(encoded).equals(bytes)]).toEqual([Buffer.alloc(4), 255, true]); // prettier-ignore
});

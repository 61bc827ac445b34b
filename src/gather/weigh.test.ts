import { hash } from "node:crypto";
import type { Weight } from "../core/model/weight.ts";
import type { Parcel } from "../core/model/parcel.ts";
import { mkdtempSync, readdirSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { BuildSource, WeightMemory } from "../ports/build-source.ts";
import { weighParcels } from "./weigh.ts";
import { openWeightMemory } from "./weight-memory.ts";

const TEXT = "the ferry leaves at eight. ".repeat(100);

const parcel = (key: string, text: string, type = "text/html", aliasOf?: string): Parcel =>
  ({
    ...{ key, aliasOf, size: text.length, hash: hash("sha256", text), storedHash: hash("sha256", text) },
    headers: { "content-type": type },
  }) as unknown as Parcel;

/** A source that says what was opened. */
function makeSource(texts: Readonly<Record<string, string>>, weights?: WeightMemory) {
  const opened: string[] = [];
  const open = ({ key, size, hash: sum }: Parcel): ReturnType<BuildSource["open"]> => {
    opened.push(key);
    return { size, hash: sum, open: () => Buffer.from(texts[key] ?? "") };
  };
  return { source: { open, weights } as BuildSource, opened };
}

test("each content is compressed once, an alias weighs as its file, and only what edges compress is weighed", async () => {
  const texts = { "index.html": TEXT, "short.html": "short", "photo.jpg": TEXT, "random.js": randomText() };
  const { source, opened } = makeSource(texts);
  const weights = await weighParcels(source, [
    parcel("index.html", TEXT),
    parcel("", TEXT, "text/html", "index.html"),
    parcel("short.html", "short"),
    parcel("photo.jpg", TEXT, "image/jpeg"),
    parcel("random.js", texts["random.js"], "text/javascript"),
  ]);
  expect(opened).toEqual(["index.html", "random.js"]);
  expect([...weights.keys()]).toEqual(["index.html", "", "random.js"]);
  expect(weights.get("")).toBe(weights.get("index.html"));
  const { gzip, brotli } = weights.get("index.html") as Weight;
  expect([brotli < gzip, gzip < TEXT.length / 20]).toEqual([true, true]);
}); // prettier-ignore

const randomText = (): string =>
  Array.from({ length: 90 }, (_, at) => hash("sha256", `${at}`, "base64")).join("");

test("what was weighed is not compressed again, and a memory that is damaged costs only time", async () => {
  const folder = mkdtempSync(join(tmpdir(), "courier-test-weights-"));
  const damaged: string[] = [];
  const place = { folder, nowMs: 0, onDamaged: (file: string) => damaged.push(file) };
  const memory = openWeightMemory(place, "/build");
  const parcels = [parcel("index.html", TEXT)];
  const first = await weighParcels(makeSource({ "index.html": TEXT }, memory).source, parcels);
  const again = makeSource({}, memory);
  expect(await weighParcels(again.source, parcels)).toEqual(first);
  expect(again.opened).toEqual([]);
  const [file = ""] = readdirSync(folder);
  writeFileSync(join(folder, file), "damaged");
  const anew = makeSource({ "index.html": TEXT }, memory);
  expect(await weighParcels(anew.source, parcels)).toEqual(first);
  expect([anew.opened, damaged]).toEqual([["index.html"], [join(folder, file)]]);
  // Those of another build are its own.
  expect(openWeightMemory(place, "/other").read().size).toBe(0);
});

import { createHash } from "node:crypto";
import { Readable } from "node:stream";
import {
  type Condition,
  type Content,
  type ListRange,
  type ObjectStore,
  StoreError,
} from "../../src/ports/object-store.ts";

/** What an adapter or the server behind it can do beyond the least that every store must. */
export interface StoreAbilities {
  /** Checks `ifAbsent` and `ifEtag`: of every write, of puts only, or not at all. */
  readonly conditions: "all" | "puts" | "none";
  /** Carries redirects and settings of a website endpoint. */
  readonly website: boolean;
  /** Keeps the headers that objects are given. */
  readonly headers: boolean;
  /** Its copies keep the ETag of their source. */
  readonly copiesKeepEtags: boolean;
  /** Names that end in a slash or have two in a row. */
  readonly anyName: boolean;
  /** How many files are listed: more than 1,000 where that takes a second page. */
  readonly listed: number;
}

const AWKWARD = [
  "a b+c%d&e#f?g=h;i'j",
  "café.html",
  "cafe\u0301.html",
  "指南.txt",
  "emoji-🛳️.svg",
  "folder/",
  "x//y",
  "[id]/page.js",
  "~t/a'b(c)!*.js",
];

/** The contract of the object store port: every adapter passes it, on every server. */
export function describeObjectStore(
  name: string,
  abilities: StoreAbilities,
  open: () => Promise<ObjectStore>,
): void {
  describe(`object store: ${name}`, () => {
    let store: ObjectStore;
    beforeAll(async () => {
      store = await open();
    });
    afterAll(() => {
      store.close();
    });
    const put = (
      key: string,
      text: string,
      headers = { "content-type": "text/plain" },
      condition?: Condition,
    ): Promise<{ etag: string }> => store.put(key, toContent(text), headers, condition);

    test("what was put is read back, bytes and headers", async () => {
      const headers = {
        "content-type": "text/html; charset=utf-8",
        "cache-control": "public, max-age=0, s-maxage=60",
        "content-language": "en",
        "x-amz-meta-ferry": "north",
      };
      const { etag } = await put("one/page.html", "<p>one</p>", headers);
      const read = await store.get("one/page.html");
      expect(await readText(read)).toBe("<p>one</p>");
      const kept = abilities.headers ? headers : {};
      expect(read).toMatchObject({ size: 10, etag, headers: kept });
      expect(await store.head("one/page.html")).toMatchObject({ size: 10, etag, headers: kept });
      expect(store.carriesHeaders).toBe(abilities.headers);
    });

    test("what is not there is nothing, not an error", async () => {
      expect(await store.get("never")).toBeUndefined();
      expect(await store.head("never")).toBeUndefined();
      await store.remove(["never"]);
      expect(await store.abandonUploads(new Set(["never"]))).toBe(0);
    });

    const names = AWKWARD.filter((name) => abilities.anyName || !/\/\/|\/$/.test(name));
    test.each(names)("the name %j survives put, list, copy and removal", async (key) => {
      await put(`names/${key}`, key);
      expect((await keysBelow(store, "names/")).includes(`names/${key}`)).toBe(true);
      await store.copy({ key: `names/${key}` }, `copies/${key}`);
      expect(await readText(await store.get(`copies/${key}`))).toBe(key);
      await store.remove([`names/${key}`, `copies/${key}`]);
      expect(await store.head(`names/${key}`)).toBeUndefined();
    });

    test("a list is whole, in order, with sizes, ETags and the store's time, over more than one page", async () => {
      const keys = Array.from({ length: abilities.listed }, (_, i) => `many/${String(i).padStart(4, "0")}`);
      for (let start = 0; start < keys.length; start += 50)
        await Promise.all(keys.slice(start, start + 50).map((key) => put(key, key)));
      const pages = [];
      for await (const page of store.list("many/")) pages.push(page);
      const objects = pages.flatMap((page) => page.objects);
      expect(objects.map(({ key }) => key)).toEqual(keys);
      expect(objects.every(({ size, etag }) => size === 9 && etag !== "")).toBe(true);
      expect(pages[0]?.storeTimeMs).toBeGreaterThan(0);
      await store.remove(keys);
      expect(await keysBelow(store, "many/")).toEqual([]);
    });

    test("content that is not what its hash says is refused", async () => {
      const wrong = { ...toContent("right"), hash: sha256("wrong") };
      await expect(store.put("integrity", wrong, {})).rejects.toMatchObject({ kind: "integrity" });
      expect(await store.head("integrity")).toBeUndefined();
    });

    test("empty content is content", async () => {
      await put("empty", "");
      expect(await store.head("empty")).toMatchObject({ size: 0 });
    });

    test("a copy has the bytes of its source, which can be pinned", async () => {
      const { etag } = await put("copied/from", "bytes");
      await store.copy({ key: "copied/from", etag }, "copied/to");
      expect(await readText(await store.get("copied/to"))).toBe("bytes");
      await expect(store.copy({ key: "copied/never" }, "copied/to")).rejects.toMatchObject({
        kind: "precondition",
      });
      await store.remove(["copied/from", "copied/to"]);
    });

    (abilities.headers ? test : test.skip)(
      "a copy keeps headers or takes new ones, also onto itself, and its source can be pinned",
      async () => {
        const { etag } = await put("copy/from", "bytes", { "content-type": "text/css" });
        const copied = await store.copy({ key: "copy/from", etag }, "copy/to");
        if (abilities.copiesKeepEtags) expect(copied).toEqual({ etag });
        else expect(copied.etag).not.toBe(etag);
        expect(await store.head("copy/to")).toMatchObject({ headers: { "content-type": "text/css" } });
        await store.copy({ key: "copy/from", etag }, "copy/from", {
          "content-type": "text/plain",
          "cache-control": "no-cache",
        });
        expect((await store.head("copy/from"))?.headers).toEqual({
          "content-type": "text/plain",
          "cache-control": "no-cache",
        });
      },
    );

    (abilities.website ? test : test.skip)("redirects and the website's settings are kept", async () => {
      const headers = {
        "content-type": "text/plain",
        "cache-control": "no-cache",
        "x-amz-website-redirect-location": "/news/",
      };
      await put("latest", "", headers);
      expect((await store.head("latest"))?.headers).toEqual(headers);
      const rules = [
        { prefix: "routes/", replacePrefix: "crossings/", status: 302 },
        {
          prefix: "away/",
          replaceKey: "x",
          host: "elsewhere.example",
          protocol: "https" as const,
          status: 308,
        },
      ];
      await store.writeWebsite({ index: "index.html", error: "404.html", rules });
      expect(await store.readWebsite()).toEqual({ index: "index.html", error: "404.html", rules });
      await store.writeWebsite({ index: "index.html", rules: [] });
      expect(await store.readWebsite()).toMatchObject({ index: "index.html", rules: [] });
    });

    test("a list begins behind a key and ends with the page of another, where it can begin anywhere", async () => {
      const keys = ["range/a b", "range/b", "range/\uffee", "range/😀"];
      for (const key of keys) await put(key, key, {} as never);
      const list = async (range: ListRange): Promise<string[]> => {
        const found: string[] = [];
        for await (const { objects } of store.list("range/", range))
          found.push(...objects.map((object) => object.key));
        return found;
      };
      expect(await list({ until: () => "range/b" })).toEqual(keys);
      if (store.listsFromAnywhere) expect(await list({ after: "range/b" })).toEqual(keys.slice(2));
      await store.remove(keys);
    });

    test("hundreds of looks and reads let go of what they were made by", async () => {
      await put("looked-at", "x", {} as never);
      const many = Array.from({ length: 150 }, (_, index) => (index % 3 === 0 ? "not-there" : "looked-at"));
      const sizes = await Promise.all(many.map(async (key) => (await store.head(key))?.size ?? 0));
      expect(sizes.reduce((sum, size) => sum + size, 0)).toBe(100);
      for (const key of many) await store.isPublic(key);
      const texts = await Promise.all(many.map(async (key) => readText(await store.get(key))));
      expect(texts.join("").length).toBe(100);
      await store.remove(["looked-at"]);
    });

    test("content that is streamed is checked as well", async () => {
      const bytes = Buffer.alloc(200_000, "ferry ");
      const open = () => Readable.from([bytes.subarray(0, 70_000), bytes.subarray(70_000)]);
      const right = { size: bytes.length, hash: createHash("sha256").update(bytes).digest("hex"), open };
      await store.put("streamed", right, {});
      expect(await store.head("streamed")).toMatchObject({ size: bytes.length });
      await expect(store.put("streamed-wrong", { ...right, hash: sha256("else") }, {})).rejects.toMatchObject(
        { kind: "integrity" },
      );
      expect(await store.head("streamed-wrong")).toBeUndefined();
    });

    const hasConditions = abilities.conditions !== "none";
    (hasConditions ? test : test.skip)("conditions hold or the write does not happen", async () => {
      const { etag } = await put("condition", "first", {} as never, { ifAbsent: true });
      await expect(put("condition", "second", {} as never, { ifAbsent: true })).rejects.toMatchObject({
        kind: "precondition",
      });
      const { etag: next } = await put("condition", "third", {} as never, { ifEtag: etag });
      await expect(put("condition", "fourth", {} as never, { ifEtag: etag })).rejects.toMatchObject({
        kind: "precondition",
      });
      expect(await store.head("condition")).toMatchObject({ etag: next, size: 5 });
      await store.remove(["condition"]);
      // What is gone is another state as well.
      await expect(put("condition", "fifth", {} as never, { ifEtag: next })).rejects.toMatchObject({ kind: "precondition" }); // prettier-ignore
    });

    (hasConditions ? test : test.skip)(
      "copies and removals have conditions, too, where the store checks them",
      async () => {
        const isChecked = abilities.conditions === "all";
        const { etag: source } = await put("target/from", "source");
        const { etag: standing } = await put("target/to", "stands");
        const from = { key: "target/from", etag: source };
        for (const condition of [{ ifAbsent: true }, { ifEtag: source }] as const) {
          const copied = await store
            .copy(from, "target/to", undefined, condition)
            .then(() => "copied", kindOf);
          expect([condition, copied]).toEqual([condition, isChecked ? "precondition" : "copied"]);
        }
        if (isChecked) expect(await readText(await store.get("target/to"))).toBe("stands");
        const now = isChecked ? standing : ((await store.head("target/to"))?.etag ?? "");
        const { etag } = await store.copy(from, "target/to", undefined, { ifEtag: now });
        await store.copy(from, "target/new", undefined, { ifAbsent: true });
        // One by one, and many at once.
        const wrong = new Map([["target/to", "0123456789abcdef0123456789abcdef"], ["target/never", source]]); // prettier-ignore
        for (const keys of [["target/to"], ["target/to", "target/never", "target/new"]])
          expect(await store.remove(keys, wrong)).toEqual(isChecked ? ["target/to"] : []);
        expect((await store.head("target/to")) !== undefined).toBe(isChecked);
        expect(await store.head("target/new")).toBeUndefined();
        expect(await store.remove(["target/to"], new Map([["target/to", etag]]))).toEqual([]);
        expect(await store.remove(["target/from", "target/gone"], new Map([["target/from", source], ["target/gone", "x"]]))).toEqual([]); // prettier-ignore
        expect(await keysBelow(store, "target/")).toEqual([]);
      },
    );

    (hasConditions ? test : test.skip)("of many that write under one condition, one does", async () => {
      const { etag } = await put("race", "before");
      const race = async (condition: Condition): Promise<number> => {
        const tries = Array.from({ length: 8 }, (_, number) =>
          put("race", `by ${number}`, undefined, condition),
        );
        return (await Promise.allSettled(tries)).filter(({ status }) => status === "fulfilled").length;
      };
      expect(await race({ ifEtag: etag })).toBe(1);
      await store.remove(["race"]);
      expect(await race({ ifAbsent: true })).toBe(1);
      await store.remove(["race"]);
    });
  });
}

const sha256 = (text: string): string => createHash("sha256").update(text).digest("hex");

export const toContent = (text: string): Content => ({
  size: Buffer.byteLength(text),
  hash: sha256(text),
  open: () => Buffer.from(text),
});

export async function readText(read: Awaited<ReturnType<ObjectStore["get"]>>): Promise<string | undefined> {
  if (!read) return undefined;
  const chunks: Uint8Array[] = [];
  for await (const chunk of read.body) chunks.push(chunk);
  return Buffer.concat(chunks).toString("utf8");
}

async function keysBelow(store: ObjectStore, below: string): Promise<string[]> {
  const keys: string[] = [];
  for await (const page of store.list(below)) keys.push(...page.objects.map(({ key }) => key));
  return keys;
}

/** The kind of a store's failure. */
export const kindOf = (error: unknown): string => (error as StoreError).kind;

import { Readable } from "node:stream";
import type { RoutingRule, WebsiteSettings } from "../../../core/model/website.ts";
import { decodeName, guardBody, PageWatch, toConditions, toHash, toListed, toOwnKey } from "./answers.ts";
import { fromParameters, toParameters, unquoted } from "./headers.ts";
import { fromWebsite, toWebsite } from "./website.ts";

test("a list ends that comes back to where it was, or that goes on without a name", () => {
  const pass = (pages: number, names: number, next: (page: number) => string = String): (() => void) => {
    const watch = new PageWatch();
    return () => {
      for (let page = 0; page < pages; page++) watch.watch(next(page), names);
    };
  };
  expect(pass(3000, 1)).not.toThrow();
  expect(pass(1000, 0)).not.toThrow();
  expect(pass(1001, 0)).toThrow("comes back");
  expect(pass(2, 1000, () => "same")).toThrow("comes back");
  new PageWatch().watch(undefined, 0);
});

test("names below the prefix are ours, and no others; a plus is a space where names are encoded", () => {
  expect([toOwnKey("p/a b", "p/", false), toOwnKey("p/a+b%2Bc%C3%A9", "p/", true)]).toEqual(["a b", "a b+cé"]);
  for (const [listed, encoded] of [["q/a", false], ["p", false], [undefined, false], ["p/%E0%A4%A", true]] as const)
    expect(() => toOwnKey(listed, "p/", encoded)).toThrow(expect.objectContaining({ kind: "other" }) as Error);
  expect(decodeName(undefined)).toBeUndefined();
  expect(toListed({ Key: "p/a", Size: 3, ETag: '"e"', LastModified: new Date(7) }, "p/", false)).toEqual({ key: "a", size: 3, etag: "e", modifiedMs: 7 });
  expect(toListed({ Key: "p/a" }, "p/", false)).toMatchObject({ size: 0, modifiedMs: 0 });
}); // prettier-ignore

test("a sum is believed where it is of the whole object, and a condition is written without quotes", () => {
  const sum = Buffer.from("ab".repeat(32), "hex").toString("base64");
  const of = (answer: object) => toHash(answer as never);
  expect([of({ ChecksumSHA256: sum }), of({ ChecksumSHA256: sum, ChecksumType: "FULL_OBJECT" })]).toEqual(["ab".repeat(32), "ab".repeat(32)]); // prettier-ignore
  expect([of({}), of({ ChecksumSHA256: `${sum}-3` }), of({ ChecksumSHA256: sum, ChecksumType: "COMPOSITE" })]).toEqual([undefined, undefined, undefined]); // prettier-ignore
  expect([toConditions(undefined), toConditions({ ifAbsent: true }), toConditions({ ifEtag: "e" })]).toEqual([{}, { IfNoneMatch: "*" }, { IfMatch: "e" }]); // prettier-ignore
});

test("a body that breaks off fails as every other call does", async () => {
  const body = Readable.from(
    (async function* () {
      yield await Promise.resolve(Buffer.from("a"));
      throw Object.assign(new Error("reset"), { code: "ECONNRESET" });
    })(),
  );
  const read: Uint8Array[] = [];
  const all = async (): Promise<void> => {
    for await (const chunk of guardBody(body, { do: "read", key: "a" } as never, {} as never)) read.push(chunk);
  };
  await expect(all()).rejects.toMatchObject({ kind: "unreachable", facts: { action: { key: "a" }, code: "ECONNRESET" } });
  expect(read).toHaveLength(1);
}); // prettier-ignore

test("headers go to the store and come back, metadata included", () => {
  const headers = { "content-type": "text/html", "cache-control": "no-cache", "content-encoding": "gzip", "content-disposition": "inline", "content-language": "en", "x-amz-website-redirect-location": "/b", "x-amz-meta-note": "ferry" };
  const parameters = toParameters(headers);
  expect(parameters).toMatchObject({ ContentType: "text/html", ContentDisposition: "inline", Metadata: { note: "ferry" } });
  expect(fromParameters(parameters)).toEqual(headers);
  const expires = "Thu, 01 Jan 2026 00:00:00 GMT";
  expect([toParameters({ expires }).Expires, fromParameters({ ExpiresString: expires, ContentType: "" })]).toEqual([new Date(expires), { expires }]);
  expect(["W/\"a\"", '"a"', "a", undefined].map(unquoted)).toEqual(["a", "a", "a", ""]);
}); // prettier-ignore

test("settings of a website are read back as they were written, and what is not said is not there", () => {
  const rules: RoutingRule[] = [
    { prefix: "old/", replacePrefix: "new/", status: 301 },
    { prefix: "", replaceKey: "index.html", host: "www.pelicansound.example", protocol: "https", status: 302 },
  ];
  const all: WebsiteSettings[] = [{ index: "home.html", error: "404.html", rules }, { index: "index.html", rules: [] }];
  for (const settings of all) expect(toWebsite(fromWebsite(settings) as never)).toEqual(settings);
  expect(fromWebsite({ rules: [] })).toEqual({ IndexDocument: { Suffix: "index.html" } });
  expect(toWebsite({} as never)).toEqual({ rules: [] });
  expect(toWebsite({ RoutingRules: [{ Redirect: {} }] } as never)).toEqual({ rules: [{ prefix: "", status: 301 }] });
}); // prettier-ignore

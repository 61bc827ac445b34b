import { Readable } from "node:stream";
import type { RoutingRule, WebsiteSettings } from "../../../core/model/website.ts";
import { decodeName, guardBody, PageWatch, readListPage, toConditionFields, toConditions, toHash, toOwnKey } from "./answers.ts"; // prettier-ignore
import { fromFields, fromParameters, toFields, toParameters, unquoted } from "./headers.ts";
import { fromWebsite, toWebsite } from "./website.ts";
import { parseXml } from "./xml.ts";

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
}); // prettier-ignore

const listOf = (inner: string): ReturnType<typeof readListPage> =>
  readListPage(parseXml(`<?xml version="1.0"?>\n<s3:ListBucketResult>${inner}</s3:ListBucketResult>`), "p/");

test("a page of a list is read as it is written, and an answer that is none is no empty list", () => {
  const whole = `<Key>p/a&amp;b&#39;</Key><Size>3</Size><ETag>&quot;e&quot;</ETag><LastModified>1970-01-01T00:00:00.007Z</LastModified>`;
  expect(listOf(`<Contents>${whole}</Contents><Contents><Key>p/c</Key><LastModified>once</LastModified></Contents>`)).toEqual({
    objects: [{ key: "a&b'", size: 3, etag: "e", modifiedMs: 7 }, { key: "c", size: 0, etag: "", modifiedMs: 0 }],
    next: undefined,
  });
  const more = "<IsTruncated>true</IsTruncated><NextContinuationToken>t</NextContinuationToken>";
  expect(listOf(more + "<EncodingType>url</EncodingType><Contents><Key>p/a+b</Key></Contents>")).toMatchObject({ objects: [{ key: "a b" }], next: "t" });
  expect(listOf("<IsTruncated>false</IsTruncated><NextContinuationToken>t</NextContinuationToken>").next).toBeUndefined();
  for (const other of ["", "<html><body>Sign in<br></body></html>", "<ListBucketResult><Contents>", "<ListBucketResult/><ListBucketResult/>", "words", "<a>".repeat(40) + "</a>".repeat(40)])
    expect(() => readListPage(parseXml(other), "p/")).toThrow(expect.objectContaining({ kind: "other" }) as Error);
}); // prettier-ignore

test("a sum is believed where it is of the whole object, and a condition is written without quotes", () => {
  const sum = Buffer.from("ab".repeat(32), "hex").toString("base64");
  const of = (value?: string, type?: string) =>
    toHash({
      ...(value && { "x-amz-checksum-sha256": value }),
      ...(type && { "x-amz-checksum-type": type }),
    });
  expect([of(sum), of(sum, "FULL_OBJECT")]).toEqual(["ab".repeat(32), "ab".repeat(32)]);
  expect([of(), of(`${sum}-3`), of(sum, "COMPOSITE")]).toEqual([undefined, undefined, undefined]);
  expect([toConditionFields(undefined), toConditionFields({ ifAbsent: true }), toConditionFields({ ifEtag: "e" })]).toEqual([{}, { "if-none-match": "*" }, { "if-match": "e" }]); // prettier-ignore
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
  expect([toFields(headers), fromFields(headers)]).toEqual([headers, headers]);
  expect(fromFields({ ...headers, server: "s", date: "d", etag: "e", "content-language": "" })).toEqual({ ...headers, "content-language": undefined });
  expect(toFields({ etag: "e", expires: "2026-01-01" })).toEqual({ expires: "Thu, 01 Jan 2026 00:00:00 GMT" });
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

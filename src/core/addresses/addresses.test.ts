import fc from "fast-check";
import { encodeKey, listAddresses, parseAddress, toBasePath, type AddressRules } from "./addresses.ts";
import { holds } from "../../../test/support/seeds.ts";

const RULES: AddressRules = { forms: ["file", "folder"], basePath: "/", indexName: "index.html" };

test("address → key → address returns the same for any name, normal forms kept apart", async () => {
  await holds(
    fc.property(
      fc.string({ unit: "grapheme", minLength: 1 }),
      fc.constantFrom("/", "/shop/"),
      (key, basePath) => {
        const address = basePath + encodeKey(key);
        expect(parseAddress(address, basePath)).toBe(key);
        expect(address).toMatch(/^[!$&'()*+,\-./0-9:;=@A-Z_a-z~%]+$/);
        expect(address.replace(/%[0-9A-F]{2}/g, "")).not.toContain("%");
      },
    ),
    { seeds: [2] },
  );
  expect(encodeKey("café")).not.toBe(encodeKey("cafe\u0301"));
});

test.each([
  ["a b+c.html", "a%20b+c.html"],
  ["50%.txt", "50%25.txt"],
  ["what?#.js", "what%3F%23.js"],
  ["[id]/page.js", "%5Bid%5D/page.js"],
  ["a&b=c,d;e@f:g$h", "a&b=c,d;e@f:g$h"],
  ["指南.html", "%E6%8C%87%E5%8D%97.html"],
])("%s is %s in a path (RFC 3986 §3.3)", (key, encoded) => {
  expect(encodeKey(key)).toBe(encoded);
});

test.each<[string, AddressRules["forms"], string[]]>([
  ["index.html", ["file", "folder"], ["/index.html", "/"]],
  ["news/index.html", ["file", "folder"], ["/news/index.html", "/news/"]],
  ["news/index.html", ["file", "folder", "bare"], ["/news/index.html", "/news/", "/news"]],
  ["about.html", ["file"], ["/about.html"]],
  ["about.html", ["file", "bare"], ["/about.html", "/about"]],
  ["app.js", ["file", "folder", "bare"], ["/app.js"]],
  ["myindex.html", ["file", "folder"], ["/myindex.html"]],
])("%s with the forms %j answers at %j", (key, forms, addresses) => {
  expect(listAddresses(key, { ...RULES, forms })).toEqual(addresses);
});

test("addresses are taken below the path of the destination's URL, and what lies outside names nothing", () => {
  const basePath = toBasePath("https://www.pelicansound.example/tickets");
  expect(basePath).toBe("/tickets/");
  expect(toBasePath(undefined)).toBe("/");
  expect(listAddresses("a/index.html", { ...RULES, basePath })).toEqual([
    "/tickets/a/index.html",
    "/tickets/a/",
  ]);
  expect(parseAddress("/elsewhere/a", basePath)).toBeUndefined();
  expect(parseAddress("/tickets/%E0%A4%A", basePath)).toBeUndefined();
  expect(parseAddress("/tickets/a?x=1#y", basePath)).toBe("a");
});

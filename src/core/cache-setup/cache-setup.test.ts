import type { RedirectRule } from "../addresses/redirects.ts";
import { toLedAddresses, toMissingPages } from "./cache-setup.ts";

const rule = (address: string, leadsTo: string, keepMethod = false): RedirectRule => ({ address, leadsTo, kind: "permanent", keepMethod }); // prettier-ignore

test("rules are below the base path, in the spelling that browsers send; those that never count are left out", () => {
  const rules = [
    rule("/f%c3%a4hre/*", "/ferry/*"),
    rule("/f%C3%A4hre/now", "/never"),
    rule("/a", "https://x.test/?b=1#c", true),
    rule("/a", "/again"),
    rule("/b/*", "/c#d"),
  ];
  expect(toLedAddresses(rules, "/shop/")).toEqual([
    { address: "/shop/f%C3%A4hre/", isTree: true, status: 301, before: "/shop/ferry/", carriesRest: true, join: "?", after: "" },
    { address: "/shop/a", isTree: false, status: 308, before: "https://x.test/?b=1", carriesRest: false, join: "&", after: "#c" },
    { address: "/shop/b/", isTree: true, status: 301, before: "/shop/c", carriesRest: false, join: "?", after: "#d" },
  ]);
}); // prettier-ignore

test("an unknown address that ends like a file is a missing file, with client routes too", () => {
  const { endings, ...pages } = toMissingPages("/404.html", "/index.html");
  expect(pages).toEqual({ page: "/404.html", entry: "/index.html" });
  expect(endings).toEqual(expect.arrayContaining(["js", "css", "html", "png"]));
});

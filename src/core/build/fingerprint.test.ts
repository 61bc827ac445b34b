import { createTokenFinder, findFingerprintNames, parseFingerprint } from "./fingerprint.ts";

const HASHED = [
  ["assets/index-BfL3s-aQ.js", "BfL3s-aQ"],
  ["assets/app.2f0d3e8a.css", "2f0d3e8a"],
  ["chunks/main-BG45UYJD.js", "BG45UYJD"],
  ["media/9f2c41d07be35a18.woff2", "9f2c41d07be35a18"],
  ["_app/docs-getting-started--U-2y-_uCG.js", "-U-2y-_uCG"],
  ["assets/pricing-NkrHgpF3V-.js", "NkrHgpF3V-"],
  ["js/main.d1a4201b.js.LICENSE.txt", "d1a4201b"],
  ["js/vendor.1f2e3d4c.chunk.js", "1f2e3d4c"],
  ["images/1VO0PSJD-photo.webp", undefined],
  ["_next/static/8SQWBgmbR4TB37GCUxwTh/_ssgManifest.js", "8SQWBgmbR4TB37GCUxwTh"],
] as const;

const PLAIN = [
  "service-worker.js", "safety-worker.js", "worker-basic.min.js", "asset-manifest.json", "_payload.json", "icon-192x192.png",
  "apple-touch-icon.png", "inter-latin-400-normal.woff2", "IMG_20240131_142233.jpg", "photo-1633332755192-727a05c4013d.jpg",
  "product-A1B2C3D4.jpg", "report-20240131.txt", "messages.pt-BR.json", "calendar.deadbeef.ics", "module-download.js", "jquery-3.7.1.min.js",
  "123e4567-e89b-12d3-a456-426614174000.png", "assets/app.2f0d3e8a.js.map", "HomePage.js", "lib/MyButton.js", "terms-and-conditions.pdf", "v2.10.4/app.js",
]; // prettier-ignore

test.each(HASHED)("%s carries a hash", (path, token) => {
  expect(parseFingerprint(path)?.token).toBe(token);
});

test.each(PLAIN)("%s is a plain name", (path) => {
  expect(findFingerprintNames([path]).has(path)).toBe(false);
});

test("a name of letters or digits alone counts where its folder vouches for it, and a date never does", () => {
  const vouching = ["c/chunk-A7LMHORT.js", "c/chunk-B2LMHORT.js"];
  expect([
    ...findFingerprintNames([...vouching, "c/chunk-CALMHORT.js", "d/chunk-CALMHORT.js"]).keys(),
  ]).toEqual([...vouching, "c/chunk-CALMHORT.js"]);
  const hex = ["i/a-1137154f.jpg", "i/b-2f371546.jpg", "i/hero-11371546.jpg", "i/log-20240131.jpg"];
  expect([...findFingerprintNames(hex).keys()]).toEqual(hex.slice(0, 3));
});

test("tokens are found in names, in chunk maps and after a transform's hash", () => {
  const tokens = new Set(["2f0d3e8a", "BfL3s-aQ", "BfL3s9aQ", "zzzzzzzz"]);
  const text = `import("./index-BfL3s-aQ.js"); m={7:"2f0d3e8a"}; src="/a/photo.BfL3s9aQ_Z1kXy2.webp"`;
  expect(createTokenFinder(tokens)(text)).toEqual(["2f0d3e8a", "BfL3s-aQ", "BfL3s9aQ"]);
});

import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { analyseBuild } from "./analysis.ts";
import { decideKeepOut, KEEP_OUT } from "./keep-out.ts";

const build = memoryBuild({ "index.html": "boats", "404.html": "Not here", "robots.txt": "Allow: /" }).read(
  [],
);

test("what keeps search engines out stands in the place of what the build has for them, at the root of a host", () => {
  const of = (rules: Parameters<typeof memoryRules>[0]) => {
    const { wanted, findings } = analyseBuild(build, memoryRules(rules), undefined);
    const robots = wanted.parcels.filter(({ key }) => key === KEEP_OUT.key);
    return [robots.map(({ hash }) => hash === KEEP_OUT.hash), findings.problems.map(({ code }) => code)];
  };
  const below = { ...memoryRules().addressRules, basePath: "/previews/main/" };
  expect(of({})).toEqual([[false], []]);
  expect(of({ noIndex: true })).toEqual([[true], []]);
  expect(of({ noIndex: true, addressRules: below })).toEqual([[false], ["robots-out-of-reach"]]);
});

test("it is text, and as fresh as any document", () => {
  const { parcels } = decideKeepOut(memoryRules({ noIndex: true }));
  expect(parcels.map(({ headers, roleReason }) => [headers["content-type"], roleReason.code])).toEqual([
    ["text/plain; charset=utf-8", "keep-out"],
  ]);
});

test("in a preview nothing may be kept, whatever rules say, and each header says why", () => {
  const headers = {
    keepsNothing: true,
    edgeCanForget: false,
    freshness: [{ files: "**", browser: 900, edge: 900 }],
    headers: [{ files: "**", set: { "Cache-Control": "max-age=9", Expires: "0", "Content-Language": "en" } }],
  };
  const { wanted } = analyseBuild(build, memoryRules({ headers }), undefined);
  for (const { headers: own, trace } of wanted.parcels) {
    expect(own).toMatchObject({
      "cache-control": "public, max-age=0, must-revalidate",
      "content-language": "en",
    });
    expect(own).not.toHaveProperty("expires");
    expect(trace.find(({ header }) => header === "cache-control")?.rule).toMatchObject({
      anew: { code: "preview" },
    });
  }
});

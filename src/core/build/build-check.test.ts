import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { analyseBuild } from "./analysis.ts";
import type { SiteRules } from "./site-rules.ts";

const PAGES = { "index.html": "boats", "sorry.html": "Not here" };

test.each<[string, Partial<SiteRules>, Record<string, string>, unknown]>([
  ["nothing is said, and there is a 404.html", {}, { "404.html": "Not here" }, []],
  ["nothing is said", {}, {}, [["404.html", "note"]]],
  ["scripts answer for all addresses", { clientRoutes: true }, {}, []],
  ["the page has another name", { notFound: "sorry.html" }, {}, []],
  ["the named page is not there", { notFound: "sorry.htm" }, { "404.html": "Not here" }, [["sorry.htm", "warning"]]],
  ["that, beside scripts that answer", { notFound: "sorry.htm", clientRoutes: true }, {}, [["sorry.htm", "warning"]]],
])("the page for what is missing, where %s", (_, rules, files, expected) => {
  const { findings } = analyseBuild(memoryBuild({ ...PAGES, ...files }).read([]), memoryRules(rules), undefined);
  const found = findings.problems.flatMap((problem) =>
    problem.code === "no-not-found-page" ? [[problem.facts.page, problem.severity]] : [],
  );
  expect(found).toEqual(expected);
}); // prettier-ignore

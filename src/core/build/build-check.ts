import type { Parcel } from "../model/parcel.ts";
import type { ProblemCode, ProblemFacts, ProblemOf } from "../model/problem.ts";
import type { SiteRules } from "./site-rules.ts";

type BuildProblem = ProblemOf<"empty-build"> | ProblemOf<"wrong-folder"> | ProblemOf<"no-entry">;

/** Whether this can be the build at all: something in it, an entry page, and not the sources. */
export function findBuildProblems(folder: string, entry: string, paths: readonly string[]): BuildProblem[] {
  if (paths.length === 0) return [error("empty-build", { folder })];
  if (paths.includes("package.json") || paths.includes("tsconfig.json")) {
    const built = ["dist", "build", "out", "public", "_site"].find((name) =>
      paths.includes(`${name}/${entry}`),
    );
    return [error("wrong-folder", { looks: "sources", folder, built })];
  }
  if (paths.includes(entry)) return [];
  const below = paths.find((path) => path.split("/").length === 2 && path.endsWith(`/${entry}`));
  if (below === undefined) return [error("no-entry", { entry })];
  return [error("wrong-folder", { looks: "one-down", folder, inner: below.slice(0, -entry.length - 1) })];
}

/** The name under which a page for what is missing is looked for, where the settings name none. */
const USUAL_PAGE = "404.html";

/** A site without a page for what is missing shows visitors what its store says. */
export function findErrorPageProblem(
  parcels: readonly Parcel[],
  { notFound, clientRoutes }: Pick<SiteRules, "notFound" | "clientRoutes">,
): ProblemOf<"no-not-found-page">[] {
  const hasPage = parcels.some(({ role }) => role === "notFound");
  if (hasPage || (clientRoutes && notFound === undefined)) return [];
  const facts = { page: notFound ?? USUAL_PAGE, isNamed: notFound !== undefined };
  return [{ code: "no-not-found-page", severity: notFound === undefined ? "note" : "warning", facts }];
}

const error = <Code extends ProblemCode>(code: Code, facts: ProblemFacts[Code]): ProblemOf<Code> => ({
  code,
  severity: "error",
  facts,
});

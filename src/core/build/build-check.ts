import type { ProblemCode, ProblemFacts, ProblemOf } from "../model/problem.ts";

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

const error = <Code extends ProblemCode>(code: Code, facts: ProblemFacts[Code]): ProblemOf<Code> => ({
  code,
  severity: "error",
  facts,
});

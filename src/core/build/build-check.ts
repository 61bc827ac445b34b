import type { Problem } from "../model/problems.ts";

/** Whether this can be the build at all: something in it, an entry page, and not the sources. */
export function findBuildProblems(folder: string, entry: string, paths: readonly string[]): Problem[] {
  const error = (code: string, message: string, hint: string): Problem[] => [
    { code, severity: "error", message, hint },
  ];
  if (paths.length === 0)
    return error("empty-build", `${folder} holds no file to deliver`, "did the build write somewhere else?");
  if (paths.includes("package.json") || paths.includes("tsconfig.json")) {
    const built = ["dist", "build", "out", "public", "_site"].find((name) =>
      paths.includes(`${name}/${entry}`),
    );
    const mend =
      built === undefined ? "name the folder that the build writes" : `say --build ${folder}/${built}`;
    return error("wrong-folder", `${folder} looks like the sources of a site, not like its build`, mend);
  }
  if (paths.includes(entry)) return [];
  const below = paths.find((path) => path.split("/").length === 2 && path.endsWith(`/${entry}`));
  if (below === undefined)
    return error(
      "no-entry",
      `the build has no entry page ${entry}`,
      "name the build's first page in build.entry",
    );
  const inner = below.slice(0, -entry.length - 1);
  return error(
    "wrong-folder",
    `the site stands one level down, in ${folder}/${inner}`,
    `say --build ${folder}/${inner}`,
  );
}

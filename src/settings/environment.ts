import { findNearest } from "../core/model/nearest.ts";

/**
 * Options out of the environment: `COURIER_DRY_RUN=1` says `--dry-run`. Read before the arguments, which override it.
 * @param options the names of the command's own options and whether they take a value
 */
export function readEnvironmentOptions(
  environment: NodeJS.ProcessEnv,
  options: Readonly<Record<string, "text" | "switch" | "list">>,
  known: readonly string[],
): { readonly values: Record<string, string | boolean | string[]>; readonly warnings: string[] } {
  const values: Record<string, string | boolean | string[]> = {};
  const warnings: string[] = [];
  for (const [variable, value] of Object.entries(environment)) {
    if (!variable.startsWith("COURIER_") || value === undefined || value === "") continue;
    const option = variable.slice("COURIER_".length).toLowerCase().replaceAll("_", "-");
    const kind = options[option];
    if (kind === "switch") values[option] = !/^(0|false|no|off)$/i.test(value);
    else if (kind === "list") values[option] = value.split(",");
    else if (kind === "text") values[option] = value;
    else if (!known.includes(option)) warnings.push(unknown(variable, known));
  }
  return { values, warnings };
}

function unknown(variable: string, known: readonly string[]): string {
  const names = known.map((option) => `COURIER_${option.toUpperCase().replaceAll("-", "_")}`);
  const nearest = findNearest(variable, names);
  return `there is no option for the environment variable ${variable}${nearest === undefined ? "" : `; did you mean ${nearest}?`}`;
}

import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

interface PackageData {
  readonly scripts?: Readonly<Record<string, unknown>>;
}

const COMMAND = "rcourier deliver";

/** The text of a `package.json` that has no script `deliver` yet; undefined: there is none such. */
export function findPackage(folder: string): string | undefined {
  try {
    const text = readFileSync(join(folder, "package.json"), "utf8");
    const { scripts } = JSON.parse(text) as PackageData;
    return scripts?.deliver === undefined ? text : undefined;
  } catch {
    return undefined;
  }
}

/** Adds the script to it, everything else as it stands. @returns whether it could be done */
export function addScript(folder: string, before: string): boolean {
  const after = withScript(before);
  if (after === undefined) return false;
  try {
    writeFileSync(join(folder, "package.json"), after);
    return true;
  } catch {
    return false;
  }
}

/** Written into the text, so that its layout stays; undefined where that does not say what was meant. */
export function withScript(text: string): string | undefined {
  const data = JSON.parse(text) as PackageData;
  const indent = /^[^\n]*\{[^\S\n]*\r?\n([\t ]+)/.exec(text)?.[1] ?? "  ";
  const eol = text.includes("\r\n") ? "\r\n" : "\n";
  const line = `"deliver": ${JSON.stringify(COMMAND)}`;
  const scripts = /"scripts"\s*:\s*\{(\s*\})?/.exec(text);
  const [at, added] = scripts
    ? [
        scripts.index + scripts[0].length - (scripts[1]?.length ?? 0),
        `${eol}${indent}${indent}${line}${scripts[1] === undefined ? "," : `${eol}${indent}`}`,
      ]
    : [
        text.indexOf("{") + 1,
        `${eol}${indent}"scripts": { ${line} }${Object.keys(data).length > 0 ? "," : eol}`,
      ];
  const rest = scripts?.[1] === undefined ? text.slice(at) : text.slice(at).trimStart();
  const after = text.slice(0, at) + added + rest;
  const wanted = { ...data, scripts: { ...data.scripts, deliver: COMMAND } };
  return isSame(after, wanted) ? after : undefined;
}

function isSame(text: string, wanted: object): boolean {
  const sorted = (data: unknown): string =>
    JSON.stringify(data, (_, value: unknown) =>
      typeof value === "object" && value !== null && !Array.isArray(value)
        ? Object.fromEntries(Object.entries(value).sort())
        : value,
    );
  try {
    return sorted(JSON.parse(text)) === sorted(wanted);
  } catch {
    return false;
  }
}

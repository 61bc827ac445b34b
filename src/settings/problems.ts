import type * as z from "zod";
import { findNearest } from "../core/model/nearest.ts";

/** A mistake in the settings, before it has a place in the file. */
export interface SettingsProblem {
  readonly path: readonly PropertyKey[];
  /** Whether the place is the key itself (an unknown one) or its value. */
  readonly at: "key" | "value";
  readonly message: string;
}

type Issue = z.core.$ZodIssue;

/** What the schema found wrong, in words; `data` is what was checked, `keysAt` tells the known keys of a place. */
export function toProblems(
  issues: readonly Issue[],
  data: unknown,
  keysAt: (path: readonly PropertyKey[]) => string[],
): SettingsProblem[] {
  return issues.flatMap((issue): SettingsProblem[] => {
    const { path } = issue;
    const found = describe(valueAt(data, path));
    switch (issue.code) {
      case "unrecognized_keys":
        return issue.keys.map((key) => ({
          path: [...path, key],
          at: "key",
          message: unknownKey(key, keysAt(path)),
        }));
      case "invalid_union": {
        if (issue.errors.length === 0)
          return [{ path, at: "value", message: noSuchKind(issue, found, last(path)) }];
        // One or a list: what is there tells which of the two was meant.
        const branch = issue.errors[Array.isArray(valueAt(data, path)) ? 1 : 0] ?? [];
        const nested = branch.map((inner) => ({ ...inner, path: [...path, ...inner.path] }));
        return toProblems(nested, data, keysAt);
      }
      case "invalid_value":
        return [{ path, at: "value", message: `must be ${oneOf(issue.values.map(String))}, not ${found}` }];
      case "invalid_type":
        return [
          {
            path,
            at: "value",
            message:
              found === "nothing"
                ? `${last(path)} is missing (${named(issue.expected)})`
                : `must be ${named(issue.expected)}, not ${found}`,
          },
        ];
      case "invalid_format":
        return [{ path, at: "value", message: `must be ${issue.message}, not ${found}` }];
      case "invalid_key":
        return [
          {
            path,
            at: "key",
            message: `${last(path)} should be ${issue.issues[0]?.message ?? "another name"}`,
          },
        ];
      default:
        return [
          {
            path,
            at: "value",
            message: issue.code === "custom" ? issue.message : `${found}: ${issue.message}`,
          },
        ];
    }
  });
}

function noSuchKind(issue: object, found: string, key: string): string {
  // Zod gives the kinds there are, and its types do not say so.
  const { options = [] } = issue as { readonly options?: readonly unknown[] };
  const kinds = oneOf(options.map(String));
  return found === "nothing" ? `${key} is missing: it must be ${kinds}` : `must be ${kinds}, not ${found}`;
}

const last = (path: readonly PropertyKey[]): string => String(path.at(-1) ?? "the file");

function unknownKey(key: string, known: readonly string[]): string {
  const nearest = findNearest(key, known);
  const mend =
    nearest === undefined
      ? known.length > 0
        ? `the keys here are ${known.join(", ")}`
        : ""
      : `did you mean ${nearest}?`;
  return `unknown key ${key}${mend === "" ? "" : `; ${mend}`}`;
}

function oneOf(values: readonly string[]): string {
  return values.length === 1 ? values.join() : `one of ${values.join(", ")}`;
}

const NAMES: Readonly<Record<string, string>> = {
  object: "a group of keys",
  record: "a group of keys",
  array: "a list",
  string: "text",
  boolean: "true or false",
  int: "a whole number",
  number: "a number",
};
const named = (expected: string): string => NAMES[expected] ?? expected;

/** Letters of a wrong value that are shown. */
const MOST_SHOWN = 200;

function describe(value: unknown): string {
  if (value === undefined || value === null) return "nothing";
  if (Array.isArray(value)) return "a list";
  if (typeof value === "object") return "a group of keys";
  const shown = JSON.stringify(value);
  const cut = shown.length > MOST_SHOWN ? `${shown.slice(0, MOST_SHOWN)}…"` : shown;
  // A name and password in an address are wrong there; even so they are not shown.
  return cut.replace(/\/\/[^/@\s"]{0,200}@/g, "//[hidden]@");
}

/** The value at a path of the settings; undefined where there is none. */
export function valueAt(data: unknown, path: readonly PropertyKey[]): unknown {
  return path.reduce<unknown>(
    (value, key) => (value as Record<PropertyKey, unknown> | null | undefined)?.[key],
    data,
  );
}

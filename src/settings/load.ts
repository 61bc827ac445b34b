import { existsSync, readFileSync } from "node:fs";
import { dirname, resolve } from "node:path";
import {
  isAlias,
  isMap,
  isPair,
  isScalar,
  isSeq,
  LineCounter,
  parseDocument,
  visit,
  type Document,
  type Node,
} from "yaml";
import * as z from "zod";
import type { SettingsPath, FilePlace, Mistake } from "../core/model/mistake.ts";
import { OperatorError } from "../core/model/failure.ts";
import { toProblems, valueAt, type SettingsProblem } from "./problems.ts";
import { settingsSchema, type Settings } from "./schema.ts";

export const SETTINGS_FILE = "courier.yaml";

export interface ParsedSettings {
  readonly settings: Settings;
  /** Where a setting stands; one that is not there has the place of what it would stand in. */
  readonly locate: (path: SettingsPath) => FilePlace;
}

export interface LoadedSettings extends ParsedSettings {
  /** Paths in the settings start here. */
  readonly folder: string;
}

/**
 * Reads and checks the settings file.
 * Throws `settings-missing` and `settings-invalid`, the latter with every mistake and its line and column.
 */
export function loadSettings(file: string, environment: NodeJS.ProcessEnv): LoadedSettings {
  if (!existsSync(file)) throw new OperatorError("settings-missing", { file });
  const parsed = parseSettings(readFileSync(file, "utf8"), file, environment);
  return { ...parsed, folder: dirname(resolve(file)) };
}

/**
 * Checks the text of a settings file. Throws `settings-invalid` with every mistake.
 * @param file its name, for messages
 */
export function parseSettings(source: string, file: string, environment: NodeJS.ProcessEnv): ParsedSettings {
  const lines = new LineCounter();
  const document = parseDocument(source, { lineCounter: lines, prettyErrors: false });
  const toPlace = (offset: number): FilePlace => {
    const { line, col: column } = lines.linePos(offset);
    return { file, line, column };
  };
  const broken = document.errors.map(({ pos, message }) => ({
    path: [],
    what: message,
    place: toPlace(pos[0]),
  }));
  if (broken.length > 0) throw toInvalid(broken);

  const missing = fillInVariables(document, environment).map(({ node, variable }): Mistake => ({
    path: [],
    what: `the environment variable ${variable} is not set`,
    place: toPlace(node.range?.[0] ?? 0),
  }));
  const data: unknown = document.toJS() ?? {};
  const parsed = settingsSchema.safeParse(data);
  const problems = parsed.success
    ? []
    : toProblems(parsed.error.issues, data, (path) => knownKeys(path, data));
  const described = problems.map((problem): Mistake => {
    const { path, at, message } = problem;
    const shown = at === "key" ? path.slice(0, -1) : path;
    return { path: shown.map(toPart), what: message, place: toPlace(offsetOf(document, problem)) };
  });
  if (!parsed.success || missing.length > 0) throw toInvalid([...missing, ...described]);
  return {
    settings: parsed.data,
    locate: (path) => toPlace(offsetOf(document, { path, at: "value", message: "" })),
  };
}

const toPart = (key: PropertyKey): string | number => (typeof key === "number" ? key : String(key));

/** `settings-invalid`. */
export const toInvalid = (mistakes: readonly Mistake[]): OperatorError =>
  new OperatorError("settings-invalid", { mistakes });

/** The same failure, its mistakes with the places where they stand. Others stay as they are. */
export function withPlaces(error: unknown, { locate }: Pick<ParsedSettings, "locate">): unknown {
  if (!(error instanceof OperatorError) || error.code !== "settings-invalid") return error;
  const { mistakes } = error.data as { readonly mistakes: readonly Mistake[] };
  return toInvalid(mistakes.map((mistake) => ({ ...mistake, place: mistake.place ?? locate(mistake.path) })));
}

/** Replaces `${NAME}` in the document's values, in place, so that positions stay those of the file. */
function fillInVariables(
  document: Document,
  environment: NodeJS.ProcessEnv,
): { node: Node; variable: string }[] {
  const missing: { node: Node; variable: string }[] = [];
  visit(document, {
    Scalar(key, node) {
      if (key === "key" || typeof node.value !== "string") return;
      node.value = node.value.replace(/\$\{([A-Za-z_]\w*)\}/g, (whole, variable: string) => {
        const value = environment[variable];
        if (value === undefined) missing.push({ node, variable });
        return value ?? whole;
      });
    },
  });
  return missing;
}

/** The place of a problem: an unknown key at itself, a missing one at its parent, through an alias at the alias. */
function offsetOf(document: Document, { path, at }: SettingsProblem): number {
  let node: unknown = document.contents;
  let offset = (node as Node | null)?.range?.[0] ?? 0;
  for (const [depth, key] of path.entries()) {
    if (isAlias(node)) return offset;
    const item = isMap(node)
      ? node.items.find((pair) => isScalar(pair.key) && pair.key.value === key)
      : isSeq(node)
        ? node.items[Number(key)]
        : undefined;
    if (item === undefined || item === null) return offset;
    const isLast = depth === path.length - 1;
    const keyNode = isPair(item) ? (item.key as Node) : undefined;
    if (keyNode?.range && (!isLast || at === "key")) offset = keyNode.range[0];
    node = isPair(item) ? item.value : item;
    const range = (node as Node | null)?.range;
    if (isLast && at === "value" && range) offset = range[0];
  }
  return offset;
}

interface JsonSchema {
  readonly properties?: Readonly<Record<string, JsonSchema>>;
  readonly additionalProperties?: JsonSchema | boolean;
  readonly items?: JsonSchema;
  readonly anyOf?: readonly JsonSchema[];
  readonly oneOf?: readonly JsonSchema[];
  readonly const?: unknown;
}

/** The schema of the settings file for editors. */
export const toJsonSchema = (): object => ({
  title: "Restless Courier settings",
  ...z.toJSONSchema(settingsSchema, { io: "input" }),
});

/** The keys that may stand at a place, out of the schema itself. */
function knownKeys(path: readonly PropertyKey[], data: unknown): string[] {
  let schemas: JsonSchema[] = [toJsonSchema()];
  const open = (schema: JsonSchema): JsonSchema[] => [
    schema,
    ...[...(schema.anyOf ?? []), ...(schema.oneOf ?? [])].flatMap(open),
  ];
  for (const key of path) {
    schemas = schemas.flatMap(open).flatMap(({ properties, additionalProperties, items }) => {
      const next =
        typeof key === "number"
          ? items
          : (properties?.[String(key)] ??
            (typeof additionalProperties === "object" ? additionalProperties : undefined));
      return next ?? [];
    });
  }
  const { kind } = (valueAt(data, path) ?? {}) as { kind?: unknown };
  const fitting = schemas
    .flatMap(open)
    .filter(
      ({ properties }) =>
        kind === undefined || properties?.kind === undefined || properties.kind.const === kind,
    );
  return [...new Set(fitting.flatMap(({ properties }) => Object.keys(properties ?? {})))];
}

import { lstatSync, readFileSync, statSync } from "node:fs";
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
  Document,
  type Node,
} from "yaml";
import * as z from "zod";
import type { SettingsPath, FilePlace, Mistake } from "../core/model/mistake.ts";
import { OperatorError } from "../core/model/failure.ts";
import { toProblems, valueAt, type SettingsProblem } from "./problems.ts";
import { settingsSchema, type Settings, type SettingsInput } from "./schema.ts";

export const SETTINGS_FILE = "courier.yaml";

export interface ParsedSettings {
  readonly settings: Settings;
  /** Where a setting stands; one that is not there has the place of what it would stand in. Undefined: in no file. */
  readonly locate: (path: SettingsPath) => FilePlace | undefined;
}

export interface LoadedSettings extends ParsedSettings {
  /** Paths in the settings start here. */
  readonly folder: string;
}

/** What the settings may take from outside, and who is told of secrets in them. */
interface SettingsTools {
  /** Where the name of the file starts; absent: in the working folder. */
  readonly folder?: string;
  readonly environment: NodeJS.ProcessEnv;
  /** Is told each secret as soon as it is known; absent: nobody is. */
  readonly hide?: (secret: string) => void;
}

/**
 * Reads and checks the settings file.
 * Throws `settings-missing`, `settings-unreadable` and `settings-invalid`, the latter with every mistake and its line and column.
 */
export function loadSettings(file: string, tools: SettingsTools): LoadedSettings {
  const path = resolve(tools.folder ?? "", file);
  const source = readSettingsText(path, file);
  if (source === undefined) throw new OperatorError("settings-missing", { file });
  return { ...parseSettings(source, file, tools), folder: dirname(path) };
}

/**
 * Checks settings that stand in no file. Throws `settings-invalid` with every mistake, as `loadSettings` does.
 * @param given nothing of it is kept or changed
 */
export function takeSettings(
  given: SettingsInput,
  { folder, ...tools }: SettingsTools & { readonly folder: string },
): LoadedSettings {
  let plain: unknown;
  try {
    plain = JSON.parse(JSON.stringify(given));
  } catch (error) {
    throw toInvalid([{ path: [], what: (error as Error).message }]);
  }
  return { ...checkSettings(new Document(plain), () => undefined, tools), folder };
}

/** Settings that are larger are not written by people. */
const MOST_BYTES = 4_000_000;

/**
 * The text of a settings file; undefined where there is none. Throws `settings-unreadable`.
 * @param name the file's, for messages
 */
export function readSettingsText(file: string, name = file): string | undefined {
  const refuse = (why: string, error?: unknown): OperatorError =>
    new OperatorError("settings-unreadable", { file: name, why }, {}, error);
  try {
    // What a link leads to: a link to nothing is a mistake, and nothing is written through it.
    if (!lstatSync(file, { throwIfNoEntry: false })) return undefined;
    const stat = statSync(file);
    // Reading a pipe would wait for its other end.
    if (!stat.isFile()) throw refuse("no-file");
    if (stat.size > MOST_BYTES) throw refuse("too-large");
    const text = decodeText(readFileSync(file));
    if (text === undefined) throw refuse("not-utf8");
    return text;
  } catch (error) {
    if (error instanceof OperatorError) throw error;
    const { code = "" } = error as NodeJS.ErrnoException;
    throw refuse(code === "ENOENT" || code === "ELOOP" ? "dangling" : code, error);
  }
}

/** UTF-8, or UTF-16 as some editors and shells of Windows write it, by its mark (Unicode 23.8); undefined: neither. */
function decodeText(bytes: Uint8Array): string | undefined {
  const [first, second] = bytes;
  const encoding =
    first === 0xff && second === 0xfe ? "utf-16le" : first === 0xfe && second === 0xff ? "utf-16be" : "utf-8";
  try {
    return new TextDecoder(encoding, { fatal: true }).decode(bytes);
  } catch {
    return undefined;
  }
}

/**
 * Checks the text of a settings file. Throws `settings-invalid` with every mistake.
 * @param file its name, for messages
 */
export function parseSettings(source: string, file: string, tools: SettingsTools): ParsedSettings {
  const lines = new LineCounter();
  const document = parseDocument(source, { lineCounter: lines, prettyErrors: false, logLevel: "error" });
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
  return checkSettings(document, toPlace, tools);
}

/** @param toPlace the place of an offset */
function checkSettings(
  document: Document,
  toPlace: (offset: number) => FilePlace | undefined,
  { environment, hide = () => undefined }: SettingsTools,
): ParsedSettings {
  const missing = fillInVariables(document, { environment, hide }).map(({ node, variable }): Mistake => ({
    path: [],
    what: `the environment variable ${variable} is not set`,
    place: toPlace(node.range?.[0] ?? 0),
  }));
  const data = toData(document, toPlace(0));
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

/** The document's data. Throws `settings-invalid` where aliases multiply without end. */
function toData(document: Document, place: FilePlace | undefined): unknown {
  try {
    return document.toJS() ?? {};
  } catch (error) {
    throw toInvalid([{ path: [], what: (error as Error).message, place }]);
  }
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

/** Settings that are names and addresses, and shown all the time; whatever else comes out of a variable may be a secret. */
const SHOWN = new Set(
  (
    "site folder bucket region endpoint url prefix host nodes id profile identity name address leadsTo entry " +
    "notFound files exclude kind type pages certificate"
  ).split(" "),
);
/** Settings that are secrets, wherever their value comes from. */
const SECRET = new Set(["token"]);
/** What is shorter is a word: `true`, `2s`. */
const LEAST_SECRET = 8;

/** Replaces `${NAME}` in the document's values, in place, so that positions stay those of the file. */
function fillInVariables(
  document: Document,
  { environment, hide }: Required<Omit<SettingsTools, "folder">>,
): { node: Node; variable: string }[] {
  const missing: { node: Node; variable: string }[] = [];
  visit(document, {
    Scalar(key, node, ancestors) {
      if (key === "key" || typeof node.value !== "string") return;
      const pair = ancestors.findLast((ancestor) => isPair(ancestor));
      const name = String(isScalar(pair?.key) ? pair.key.value : "");
      node.value = node.value.replace(/\$\{([A-Za-z_]\w*)\}/g, (whole, variable: string) => {
        const value = environment[variable];
        if (value === undefined) missing.push({ node, variable });
        else if (!SHOWN.has(name) && value.length >= LEAST_SECRET) hide(value);
        return value ?? whole;
      });
      if (SECRET.has(name)) hide(node.value as string);
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
  $id: "urn:restless-courier:settings:1",
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

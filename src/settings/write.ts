import { isMap, isSeq, parseDocument, stringify, type YAMLMap } from "yaml";

/** What a person said of a destination. */
export interface DestinationAnswers {
  readonly name: string;
  readonly url?: string | undefined;
  readonly store: {
    readonly bucket: string;
    readonly region?: string | undefined;
    readonly endpoint?: string | undefined;
    readonly prefix?: string | undefined;
    readonly serves?: "website" | "objects" | undefined;
    readonly profile?: string | undefined;
  };
  readonly edge:
    | { readonly kind: "none" }
    | {
        readonly kind: "distribution";
        /** Absent: provision makes it. */
        readonly id?: string;
        readonly endpoint?: string;
        readonly profile?: string;
        readonly settle?: string;
        readonly longestFetch?: string;
      }
    | { readonly kind: "purge"; readonly url: string };
  /** Headers that the edge sets to begin with; absent: none. */
  readonly headers?: "strict" | undefined;
  /** Whether a person is asked before the first write. */
  readonly ask: boolean;
}

export interface SetupAnswers {
  readonly site: string;
  readonly folder: string;
  /** Whether an unknown address is answered with the entry page. */
  readonly clientRoutes: boolean;
  /** Where editors find the schema, from the settings' folder; absent: they do not. */
  readonly schema?: string | undefined;
  readonly destination: DestinationAnswers;
}

/** New settings with a comment where something can be chosen. */
export function toSettingsText({ site, folder, clientRoutes, schema, destination }: SetupAnswers): string {
  return [
    ...(schema === undefined ? [] : [`# yaml-language-server: $schema=${schema}`]),
    "# Settings of Restless Courier. Never write secrets here: credentials come from the environment or a profile.",
    `site: ${toScalar(site)}`,
    "build:",
    `  folder: ${toScalar(folder)}   # what is delivered; an archive (.zip, .tar.gz) will do as well`,
    `  ${clientRoutes ? "" : "# "}clientRoutes: true   # an unknown address is answered with the entry page (single-page apps)`,
    '  # exclude: ["**/*.map"]',
    "# freshness:             # how long copies may be reused; names with a hash get a year by themselves",
    '#   - { files: "data/**/*.json", browser: 1m, edge: 1h }',
    "destinations:",
    toDestinationText(destination),
  ].join("\n");
}

function toDestinationText({ name, url, store, edge, headers, ask }: DestinationAnswers): string {
  const lines = [
    `  ${name}:`,
    url === undefined
      ? "    # url: https://www.example.com   # where visitors reach it; verify needs it"
      : `    url: ${toScalar(url)}`,
    `    store: ${toFlow({ kind: "s3", ...store })}`,
    ...(headers === undefined ? [`    edge: ${toFlow(edge)}`] : toStrictEdge(edge, url)),
    ask ? "    ask: true              # a person is asked before the first write" : undefined,
    "    # retain: { releases: 5, for: 14d }   # how long releases can be put back",
    "",
  ];
  return lines.filter((line) => line !== undefined).join("\n");
}

/** An edge that sets headers with which browsers guard a site well, as a start: a policy tells what it would stop, and stops nothing yet. */
function toStrictEdge(edge: DestinationAnswers["edge"], url: string | undefined): string[] {
  const isPlain = url?.startsWith("http:") === true;
  return [
    "    edge:",
    ...Object.entries(edge).map(([key, value]) => `      ${key}: ${toScalar(value)}`),
    "      headers:             # on every answer: objects can't carry them",
    ...(isPlain
      ? []
      : ["        Strict-Transport-Security: max-age=31536000   # browsers keep to https for a year"]),
    "        X-Content-Type-Options: nosniff",
    "        Referrer-Policy: strict-origin-when-cross-origin",
    "        Permissions-Policy: camera=(), geolocation=(), microphone=(), payment=(), usb=()",
    "        # Worked out from the build by each delivery. It reports; as Content-Security-Policy it binds.",
    "        Content-Security-Policy-Report-Only: from-build",
  ];
}

const toScalar = (value: string): string => stringify(value).trim();

const toFlow = (value: object): string =>
  `{ ${Object.entries(value)
    .filter(([, entry]) => entry !== undefined)
    .map(([key, entry]) => `${key}: ${toScalar(String(entry))}`)
    .join(", ")} }`;

/**
 * The same settings with one more destination, everything else as it stands, comments included.
 * @returns undefined where the text has no map of destinations to add to
 */
export function addDestination(text: string, destination: DestinationAnswers): string | undefined {
  const document = parseDocument(text);
  const destinations = isMap(document.contents) ? document.get("destinations", true) : undefined;
  if (document.errors.length > 0 || !isMap(destinations) || destinations.flow === true) return undefined;
  // Written as text behind the last destination: a document written anew would lose its layout.
  const end = destinations.range?.[1] ?? text.length;
  const head = `${text.slice(0, end).trimEnd()}\n`;
  return `${head}${toDestinationText(destination)}${text.slice(end).replace(/^\n*/, "")}`;
}

/** Names of the destinations in a settings text, however broken the rest of it is. */
export function listDestinations(text: string): string[] {
  const destinations: unknown = parseDocument(text).get("destinations");
  return isMap(destinations) ? destinations.items.map(({ key }) => String(key)) : [];
}

/**
 * The same settings with more values in one of their maps, everything else as it stands, comments included.
 * @returns undefined where there is no such map in the text itself
 */
export function addValues(
  text: string,
  path: readonly (string | number)[],
  values: Readonly<Record<string, string>>,
): string | undefined {
  const document = parseDocument(text);
  const map = document.getIn(path, true);
  if (document.errors.length > 0 || !isMap(map)) return undefined;
  const last = map.items.at(-1);
  const end = endOf(last);
  if (end === undefined) return undefined;
  const lines = Object.entries(values).map(([name, value]) => `${name}: ${toScalar(value)}`);
  if (map.flow === true) return `${text.slice(0, end)}, ${lines.join(", ")}${text.slice(end)}`;
  const indent = indentOf(text, map);
  if (indent === undefined) return undefined;
  // Behind the last value's own line, its comment included.
  const value = text.slice(0, end).trimEnd();
  const rest = text.slice(value.length);
  const line = /^[^\n]*/.exec(rest)?.[0] ?? "";
  const [kept, eol] = line.endsWith("\r") ? [line.slice(0, -1), "\r\n"] : [line, "\n"];
  return `${value}${kept}${lines.map((one) => `${eol}${indent}${one}`).join("")}${rest.slice(kept.length)}`;
}

/** Where the first edge of a destination stands in a settings text. */
export function placeOfEdge(text: string, destination: string): (string | number)[] {
  const place = ["destinations", destination, "edge"];
  const edge = parseDocument(text).getIn(place, true);
  if (!isSeq(edge)) return place;
  return [...place, edge.items.findIndex((one) => isMap(one) && one.get("kind") !== "none")];
}

function endOf(pair: YAMLMap["items"][number] | undefined): number | undefined {
  const { value } = (pair ?? {}) as { value?: { range?: readonly number[] | null } | null };
  return value?.range?.[1];
}

/** What stands before the first key of a block map, as spaces. */
function indentOf(text: string, { items: [first] }: YAMLMap): string | undefined {
  const key = first?.key as { range?: readonly number[] | null } | undefined;
  const start = key?.range?.[0];
  if (start === undefined) return undefined;
  const before = text.slice(text.lastIndexOf("\n", start - 1) + 1, start);
  return /^[ -]*$/.test(before) ? " ".repeat(before.length) : undefined;
}

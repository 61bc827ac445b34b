import type { ReferenceGraph } from "../model/reference.ts";
import type { Build } from "../model/build.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import type { Problem } from "../model/problem.ts";
import { toOriginalName } from "./content-type.ts";
import type { EarlierFile } from "./roles.ts";

export interface ContentFacts {
  readonly parcels: readonly ExplainedParcel[];
  readonly graph: ReferenceGraph;
  /** What earlier releases had, by key. */
  readonly earlier: ReadonlyMap<string, EarlierFile>;
}

/** What is wrong with what files hold, and with what they get: not with their names, nor with where they lead. */
export const findContentProblems = (build: Build, { parcels, graph, earlier }: ContentFacts): Problem[] => [
  ...findSecretProblems(build),
  ...findWithheld(build),
  ...findSpecial(build),
  ...findUnread(build),
  ...findSourceMaps(build),
  ...findTwins(build),
  ...findOldBuild(build),
  ...findPinned(graph, parcels),
  ...findMetadataProblems(parcels),
  ...findReused(parcels, earlier),
];

function findSecretProblems({ files }: Build): Problem[] {
  return files.flatMap(({ path, secrets }) =>
    secrets.map((holds): Problem => ({ code: "never-ship", severity: "error", path, facts: { holds } })),
  );
}

const findWithheld = ({ withheld }: Build): Problem[] =>
  withheld.map((path) => ({ code: "never-ship", severity: "error", path, facts: {} }));

const findSpecial = ({ special }: Build): Problem[] =>
  special.map((path) => ({ code: "special-file", severity: "warning", path, facts: {} }));

const findUnread = ({ files }: Build): Problem[] =>
  files.flatMap(({ path, size, unread: why }): Problem[] =>
    why === undefined ? [] : [{ code: "not-read", severity: "note", path, facts: { why, size } }],
  );

/** Source maps show the sources to whoever asks. */
function findSourceMaps({ files }: Build): Problem[] {
  const maps = files.filter(({ path }) => path.endsWith(".map"));
  const [first] = maps;
  if (!first) return [];
  return [{ code: "source-maps", severity: "note", path: first.path, facts: { count: maps.length } }];
}

/** Made for web servers that choose among files by what a client takes. */
function findTwins({ files }: Build): Problem[] {
  const present = new Set(files.map(({ path }) => path));
  const twins = files.filter(({ path }) => present.has(toOriginalName(path) ?? ""));
  const [first] = twins;
  if (!first) return [];
  const facts = { count: twins.length, of: files.length };
  return [{ code: "encoded-twins", severity: "note", path: first.path, facts }];
}

/** A page that pins a file whose name stays: old pages at edges and in tabs refuse the new bytes, and new pages the old ones. */
function findPinned({ references }: ReferenceGraph, parcels: readonly ExplainedParcel[]): Problem[] {
  const roles = new Map(parcels.map(({ key, role }) => [key, role]));
  return references.flatMap(({ isPinned, to, from, line }): Problem[] => {
    if (!isPinned || to === undefined || roles.get(to) === "fingerprinted") return [];
    return [{ code: "pinned-name", severity: "warning", path: from, line, facts: { to } }];
  });
}

/** What stores take of metadata for one object, in bytes of UTF-8: names without their prefix, and values. */
const MOST_METADATA = 2048;
const METADATA_PREFIX = "x-amz-meta-";

/** Stores refuse an object with more, in the middle of a delivery. */
function findMetadataProblems(parcels: readonly ExplainedParcel[]): Problem[] {
  const encoder = new TextEncoder();
  const bytesOf = (text: string): number => encoder.encode(text).length;
  const measured = new Map<ExplainedParcel["headers"], number>();
  const measure = (headers: ExplainedParcel["headers"]): number => {
    const own = Object.entries(headers).filter(([name]) => name.startsWith(METADATA_PREFIX));
    return own.reduce(
      (sum, [name, value]) => sum + bytesOf(name.slice(METADATA_PREFIX.length)) + bytesOf(value),
      0,
    );
  };
  return parcels.flatMap(({ key, headers }): Problem[] => {
    const size = measured.get(headers) ?? measure(headers);
    measured.set(headers, size);
    if (size <= MOST_METADATA) return [];
    const facts = { size, most: MOST_METADATA };
    return [{ code: "too-much-metadata", severity: "error", path: key, facts }];
  });
}

/** Somebody changed the sources and forgot to build. */
const findOldBuild = ({ newerSource: source }: Build): Problem[] =>
  source === undefined ? [] : [{ code: "old-build", severity: "warning", facts: { source } }];

/** A name that browsers were told never to ask for again, with other bytes. */
function findReused(
  parcels: readonly ExplainedParcel[],
  earlier: ReadonlyMap<string, EarlierFile>,
): Problem[] {
  return parcels.flatMap(({ key, hash, role }): Problem[] => {
    const known = earlier.get(key);
    if (role !== "fingerprinted" || known?.role !== "fingerprinted" || known.hash === hash) return [];
    return [{ code: "fingerprint-reused", severity: "error", path: key, facts: {} }];
  });
}

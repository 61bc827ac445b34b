import { isWorkerScript } from "../model/polled.ts";
import type { BuildFile, Build } from "../model/build.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import { toOriginalName } from "./content-type.ts";
import { createHeaderDecider } from "./headers.ts";
import type { SiteRules } from "./site-rules.ts";
import { byText, type ObjectKey } from "../model/names.ts";
import { parseAddress, type AddressRules } from "../addresses/addresses.ts";
import { toAddress } from "./reference-graph.ts";
import type { Reference } from "../model/reference.ts";
import { classifyRoles, type EarlierFile, type RoleDecision } from "./roles.ts";

/**
 * What each file of the build should be in the store, sorted by key; the same for any order of the files.
 * @param earlier what earlier releases had, by key: evidence that overrules names
 */
export function decideParcels(
  { files, names, namedTokens, added }: Build,
  { entry, notFound, headers: rules, addressRules }: SiteRules,
  earlier: ReadonlyMap<string, EarlierFile>,
): ExplainedParcel[] {
  const paths = files.map(({ path }) => path);
  const errorPage = notFound ?? (paths.includes("404.html") ? "404.html" : undefined);
  const workers = findWorkers(files, addressRules);
  const roles = classifyRoles({
    files,
    entry,
    notFound: errorPage,
    names,
    namedTokens,
    workers,
    // An old worker must not meet a new one of these.
    loadedByWorkers: findNamed(files, workers, addressRules, isLoad),
    earlier,
  });
  const present = new Set(paths);
  // Most workers keep what they name for the time without a network.
  const named = findNamed(files, workers, addressRules, () => true);
  const decideHeaders = createHeaderDecider(rules);
  return files
    .map(({ path, size, hash, head }) => {
      const { role, reason } = roles.get(path) as RoleDecision;
      const hasOriginal = present.has(toOriginalName(path) ?? "");
      const { headers, freshness, trace } = decideHeaders({
        path,
        role,
        head,
        hasOriginal,
        isNamedByWorker: named.has(path),
      });
      return {
        ...{ key: path, hash, storedHash: hash, size, role, roleReason: reason, headers, freshness, trace },
        ...(named.has(path) && { isWorkerNamed: true as const }),
        ...(added?.has(path) === true && { isOwn: true as const }),
      };
    })
    .sort((a, b) => byText(a.key, b.key));
}

/** Service workers, by their name or since a page registers them. */
export function findWorkers(files: readonly BuildFile[], addressRules: AddressRules): Set<ObjectKey> {
  const present = new Set(files.map(({ path }) => path));
  const registered = files.flatMap(({ path, references }) =>
    references
      .filter(({ kind }) => kind === "worker")
      .map((reference) => toKey(reference, path, addressRules)),
  );
  const named = files.map(({ path }) => path).filter((path) => isWorkerScript(path));
  return new Set([
    ...named,
    ...registered.filter((key) => key !== undefined && present.has(key)),
  ] as ObjectKey[]);
}

/** The files that workers name by references of a kind. */
function findNamed(
  files: readonly BuildFile[],
  workers: ReadonlySet<ObjectKey>,
  addressRules: AddressRules,
  isMeant: (kind: Reference["kind"]) => boolean,
): Set<ObjectKey> {
  const named = files
    .filter(({ path }) => workers.has(path))
    .flatMap(({ path, references }) =>
      references
        .filter(({ kind }) => isMeant(kind))
        .map((reference) => toKey({ ...reference, kind: "asset" }, path, addressRules)),
    );
  return new Set(named.filter((key) => key !== undefined));
}

/** What a script loads by itself. */
const isLoad = (kind: Reference["kind"]): boolean => kind === "asset" || kind === "decoration";

function toKey(reference: Reference, path: ObjectKey, addressRules: AddressRules): ObjectKey | undefined {
  const address = toAddress(reference, path, { addressRules });
  return address === undefined ? undefined : parseAddress(address, addressRules.basePath);
}

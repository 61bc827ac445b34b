import { isWorkerScript } from "../model/polled.ts";
import type { BuildFile, Build } from "../model/build.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import { createHeaderDecider } from "./headers.ts";
import type { SiteRules } from "./site-rules.ts";
import { byText } from "../model/names.ts";
import { parseAddress, type AddressRules } from "../addresses/addresses.ts";
import { resolveReference } from "../addresses/resolve.ts";
import { classifyRoles, type EarlierFile, type RoleDecision } from "./roles.ts";

/**
 * What each file of the build should be in the store, sorted by key; the same for any order of the files.
 * @param earlier what earlier releases had, by key: evidence that overrules names
 */
export function decideParcels(
  { files, namedTokens }: Build,
  { entry, notFound, headers: rules, addressRules }: SiteRules,
  earlier: ReadonlyMap<string, EarlierFile>,
): ExplainedParcel[] {
  const paths = files.map(({ path }) => path);
  const errorPage = notFound ?? (paths.includes("404.html") ? "404.html" : undefined);
  const roles = classifyRoles({
    files,
    entry,
    notFound: errorPage,
    namedTokens,
    loadedByWorkers: findLoadedByWorkers(files, addressRules),
    earlier,
  });
  const decideHeaders = createHeaderDecider(rules);
  return files
    .map(({ path, size, hash, head }) => {
      const { role, reason } = roles.get(path) as RoleDecision;
      const { headers, freshness, trace } = decideHeaders({ path, role, head });
      return { key: path, hash, storedHash: hash, size, role, roleReason: reason, headers, freshness, trace };
    })
    .sort((a, b) => byText(a.key, b.key));
}

/** What workers load by a plain name: an old worker must not meet a new one of these. */
function findLoadedByWorkers(files: readonly BuildFile[], { basePath }: AddressRules): Set<string> {
  const toKey = (path: string, url: string): string | undefined => {
    const address = resolveReference({ url }, path, basePath);
    return address === undefined ? undefined : parseAddress(address, basePath);
  };
  const loaded = files
    .filter(({ path }) => isWorkerScript(path))
    .flatMap(({ path, references }) =>
      references
        .filter(({ kind }) => kind === "asset" || kind === "decoration")
        .map(({ url }) => toKey(path, url)),
    );
  return new Set(loaded.filter((path) => path !== undefined));
}

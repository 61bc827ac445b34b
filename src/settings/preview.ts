import { createHash } from "node:crypto";
import { join, resolve, sep } from "node:path";
import { toBasePath } from "../core/addresses/addresses.ts";
import { fillInName, headOf, mostNameLetters, toPreviewName } from "../core/addresses/preview-name.ts";
import { isPlaceable } from "../core/addresses/redirects.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import type { Mistake } from "../core/model/mistake.ts";
import { OperatorError } from "../core/model/failure.ts";
import { toInvalid, type LoadedSettings } from "./load.ts";
import type { PlacedStore, PreviewRules, Target } from "./target.ts";
import type { DestinationSettings, Settings, StoreSettings } from "./schema.ts";

/** How much of itself a preview keeps: what the release before had, for pages that are open. */
const RETENTION = { releases: 2, forSeconds: 0 };

/** Where the previews of a destination stand, with what is wrong about that; undefined: it has none. */
export function toPreviewRules(
  name: string,
  { previews, store, url }: DestinationSettings,
  { settings, locate, folder }: LoadedSettings,
): PreviewRules | undefined {
  if (!previews) return undefined;
  const { prefix, lasts } = previews;
  const own = store.kind === "s3" ? store.prefix : "";
  const isBelow = prefix.startsWith(own) && url !== undefined;
  const below = isBelow ? `${url.replace(/\/$/, "")}/${prefix.slice(own.length)}` : undefined;
  const address = previews.address ?? below;
  const path = ["destinations", name, "previews"];
  const mistakes: Mistake[] = [
    ...(address === undefined
      ? [
          {
            path,
            place: locate(path),
            what: "where do visitors reach a preview? Say address, with {name} in it",
          },
        ]
      : []),
    ...findCovered(name, prefix, settings, folder).map((other) => ({
      path: [...path, "prefix"],
      place: locate([...path, "prefix"]),
      what: `the destination ${other} stands in the folder of these previews: give them one of their own`,
    })),
  ];
  if (mistakes.length > 0 || address === undefined) throw toInvalid(mistakes);
  return { prefix, address, lastsSeconds: lasts };
}

/** Destinations that a preview could write over, they or their previews. */
function findCovered(name: string, prefix: string, { destinations }: Settings, folder: string): string[] {
  const placeBelow = (store: StoreSettings, head: string): string =>
    store.kind === "s3"
      ? JSON.stringify([store.endpoint, store.bucket]) + head
      : resolve(folder, store.folder) + sep + head;
  const { store } = destinations[name] as DestinationSettings;
  const all = placeBelow(store, headOf(prefix));
  const isCovered = (own: string, { store: other, previews }: DestinationSettings): boolean => {
    const places = [
      placeBelow(other, other.kind === "s3" ? other.prefix : ""),
      ...(own !== name && previews ? [placeBelow(other, headOf(previews.prefix))] : []),
    ];
    return places.some((place) => place.startsWith(all));
  };
  return Object.entries(destinations)
    .filter(([own, other]) => isCovered(own, other))
    .map(([own]) => own);
}

/**
 * A preview of a destination, as a destination of its own: another prefix and address, no edge to ask, nothing that is kept
 * unasked. Throws `no-previews`.
 * @param name as a person or a CI service says it: a branch, say
 * @param known its name as it stands in its prefix; absent: the one that `name` comes to
 */
export function toPreview(target: Target, name: string, known?: string): Target {
  const { previews, store, siteRules, destination } = target;
  if (!previews) throw new OperatorError("no-previews", { destination });
  const label = known ?? toLabel(name, previews);
  const prefix = fillInName(previews.prefix, label);
  const url = fillInName(previews.address, label);
  return {
    ...target,
    destination: `${destination}:preview/${label}`,
    siteRules: toPreviewSite(siteRules, { prefix, url, store }),
    store:
      store.kind === "s3"
        ? { ...store, prefix, ownsWebsite: false }
        : { ...store, folder: join(store.folder, prefix), within: store.folder },
    // What nobody may keep need not be forgotten; and production's own edge would forget more than it must.
    edges: [],
    safety: { ...target.safety, ask: false, retention: RETENTION, vanishShare: 1 },
    expectedHeaders: {},
    preview: { name, store, lastsSeconds: previews.lastsSeconds },
  };
}

/** The name of a preview as it stands in its prefix and its address. */
export const toLabel = (name: string, { address }: PreviewRules): string =>
  toPreviewName(name, mostNameLetters(address), (text) => createHash("sha256").update(text).digest("hex"));

function toPreviewSite(
  rules: SiteRules,
  { prefix, url, store }: { readonly prefix: string; readonly url: string; readonly store: PlacedStore },
): SiteRules {
  const isBucket = store.kind === "s3";
  return {
    ...rules,
    ...{ url, noIndex: true },
    // Rules of the website endpoint are the whole bucket's: what only they can carry, a preview does without.
    redirects: isBucket && store.serves === "website" ? rules.redirects.filter(isPlaceable) : rules.redirects,
    headers: { ...rules.headers, askedAnew: {}, edgeCanForget: false, keepsNothing: true },
    addressRules: { ...rules.addressRules, basePath: toBasePath(url) },
    endpoint: {
      ...rules.endpoint,
      edge: undefined,
      ownsWebsite: false,
      bucketPrefix: isBucket ? prefix : "",
    },
  };
}

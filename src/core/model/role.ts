import type { Freshness } from "./freshness.ts";
import type { ObjectKey } from "./names.ts";

const MINUTE = 60;
const HOUR = 3600;
const DAY = 86_400;
const YEAR = 31_536_000;

/** What files of a role are to a delivery. */
export type RoleKind =
  /** Outlives the release that listed it, since open tabs may still load it; new ones are there before any page. */
  | "asset"
  /** Visitors open it: it is written after all that it needs. */
  | "page"
  /** The last page of all. */
  | "entry"
  /** Written before the pages, and goes with its release. */
  | "file"
  /** Clients poll it: it is written when all else has arrived. */
  | "worker";

interface RoleHabits {
  readonly kind: RoleKind;
  /** Where no rule of the settings says otherwise. */
  readonly freshness: Freshness | ((key: ObjectKey) => Freshness);
}

/** What each role means for caches and for the order of a delivery: all that a new role must say of itself. */
const HABITS = {
  fingerprinted: { kind: "asset", freshness: { browser: YEAR, edge: YEAR, immutable: true } },
  asset: {
    kind: "asset",
    freshness: (key) =>
      isScriptOrStyle(key) ? { browser: 0, edge: DAY } : { browser: 10 * MINUTE, edge: DAY },
  },
  page: { kind: "page", freshness: { browser: 0, edge: DAY } },
  entry: { kind: "entry", freshness: { browser: 0, edge: DAY } },
  notFound: { kind: "page", freshness: { browser: 0, edge: MINUTE } },
  worker: { kind: "worker", freshness: { browser: 0, edge: 0 } },
  document: { kind: "file", freshness: { browser: 0, edge: HOUR } },
} as const satisfies Readonly<Record<string, RoleHabits>>;

/** What a file is to a browser and a cache. */
export type Role = keyof typeof HABITS;
export const ROLES = Object.keys(HABITS) as readonly Role[];

/** What files of a role are to a delivery. */
export const kindOf = (role: Role): RoleKind => HABITS[role].kind;

/** The freshness of a file where no rule says otherwise. */
export function decideDefaultFreshness(role: Role, key: ObjectKey): Freshness {
  const { freshness }: RoleHabits = HABITS[role];
  return typeof freshness === "function" ? freshness(key) : freshness;
}

/** Whether visitors open files of this role, so that they are written after all that they need. */
export const isPageLike = (role: Role): boolean => kindOf(role) === "page" || kindOf(role) === "entry";

/** Assets outlive the release that listed them; everything else goes with its release. */
export const isAssetLike = (role: Role): boolean => kindOf(role) === "asset";

/** Stable scripts, styles and their maps: a new page must not meet an old one, so browsers revalidate them. */
export const isScriptOrStyle = (key: ObjectKey): boolean => SCRIPT_OR_STYLE.test(key);

const SCRIPT_OR_STYLE = /\.(m?js|cjs|css|wasm|map)(\.(br|gz))?$/i;

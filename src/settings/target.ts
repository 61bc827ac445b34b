import type { Readers } from "../core/bucket/policies.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import type { RetentionRule } from "../core/history/retention.ts";
import type { ConfirmationRule } from "../core/model/edge.ts";
import type { ParsedSettings } from "./load.ts";
import type { EdgeSettings, StoreSettings } from "./schema.ts";

/** A destination of the settings with everything filled in: nothing below asks any further. */
export interface Target {
  readonly site: string;
  readonly destination: string;
  /** Where the settings are, and the project with them. */
  readonly projectFolder: string;
  /** Undefined: neither the settings nor the call name a build. */
  readonly buildFolder: string | undefined;
  readonly siteRules: SiteRules;
  /** Files that go with the build from elsewhere, their places absolute. */
  readonly added: readonly { readonly from: string; readonly as: string }[];
  readonly store: PlacedStore;
  /** From the store outwards; none: an empty list. */
  readonly edges: readonly NamedEdgeSettings[];
  /** Who is to read the site from the store. */
  readonly readers: Readers;
  readonly safety: SafetySettings;
  /** Headers that every answer must have; `*`: any value. */
  readonly expectedHeaders: Readonly<Record<string, string>>;
  /** Where its previews stand; undefined: it has none. */
  readonly previews: PreviewRules | undefined;
  /** The preview that it is itself; undefined: it is none. */
  readonly preview?: PreviewFacts;
  /** Where a setting stands. */
  readonly locate: ParsedSettings["locate"];
}

/** A store, its folder absolute. */
export type PlacedStore =
  | Exclude<StoreSettings, { kind: "folder" }>
  | (Extract<StoreSettings, { kind: "folder" }> & {
      /** A folder above it, which must be there while this one may come and go; absent: it must be there itself. */
      readonly within?: string;
    });

interface SafetySettings {
  /** Whether a person is asked before the first write. */
  readonly ask: boolean;
  readonly retention: RetentionRule;
  /** The share of addresses that may stop answering, 0 to 1. */
  readonly vanishShare: number;
  /** How long a hold lasts that nobody renews. */
  readonly leaseSeconds: number;
}

/** What can be said of a build where no destination is chosen. */
export interface GeneralTarget extends Pick<
  Target,
  "projectFolder" | "buildFolder" | "siteRules" | "added" | "store" | "edges" | "expectedHeaders"
> {
  /** The destination whose rules count; undefined: the general ones do. */
  readonly destination: string | undefined;
}

/** An edge of which it is known what it is. */
type KnownEdge =
  | Extract<EdgeSettings, { kind: "purge" | "request" }>
  | (Omit<Extract<EdgeSettings, { kind: "distribution" }>, "id"> & {
      /** Empty: it is not made yet. */
      readonly id: string;
    });

export type NamedEdgeSettings = KnownEdge & {
  readonly name: string;
  /** What it is: the name that somebody gave it, or what it is reached by. */
  readonly identity: string;
  readonly confirmation: ConfirmationRule;
};

/** Where a destination's previews stand. */
export interface PreviewRules {
  /** With `{name}` at its end; in the bucket, or in the folder. */
  readonly prefix: string;
  /** With `{name}` in its host or its path. */
  readonly address: string;
  readonly lastsSeconds: number;
}

/** One preview of a destination. */
interface PreviewFacts {
  /** As it was asked for. */
  readonly name: string;
  readonly lastsSeconds: number;
  /** The store of the destination that it is a preview of. */
  readonly store: PlacedStore;
}

import type { ObjectKey } from "./names.ts";
import type { Role } from "./role.ts";

/** The part of a file name that is a hash of its content, by alphabet and length. */
export interface HashShape {
  /** `folder`: it is the name of a folder that the file stands in. */
  readonly alphabet: "hex" | "base32" | "base36" | "base64url" | "folder";
  /** Letters. */
  readonly length: number;
}

/** What the name of a file shows of a hash of its content. */
export interface FingerprintName {
  /** The part of the name that is the hash. */
  readonly token: string;
  readonly shape: HashShape;
  /** How many different hashes of this shape the names of its folder carry. */
  readonly alike: number;
  /** Whether the name shows it, or whether it is possible only: that counts where it is seen to change with the bytes. */
  readonly strength: "shown" | "possible";
}

/** Why a file has its role. */
export type RoleReason =
  | {
      readonly code:
        | "entry"
        | "not-found"
        | "polled"
        | "registered"
        | "retired"
        | "keep-out"
        | "html"
        | "worker-part"
        | "payload"
        | "stable"
        | "other";
    }
  | {
      readonly code: "fingerprint";
      readonly token: string;
      readonly shape: HashShape;
      /** How many different hashes of this shape the names of its folder carry, this one included. */
      readonly alike: number;
      /** Who says so: a file that names it, names beside it that others name, or the file that it was before. */
      readonly by: "family" | { readonly namedIn: ObjectKey } | { readonly changedSince: ObjectKey };
    }
  /** Made for an address, or for a redirect of the settings. */
  | { readonly code: "alias"; readonly of: ObjectKey }
  | { readonly code: "redirect"; readonly to: string }
  /** It stands so in a waybill. */
  | { readonly code: "recorded" };

/** Why an edge is told to ask for a role anew each time, or a browser for a file. */
export type AskedAnew =
  | { readonly code: "queries"; readonly edge: string }
  | { readonly code: "unknown-addresses" | "worker-names" | "preview" };

/** What set the value of a header. */
export type HeaderSource =
  | { readonly by: "role"; readonly role: Role; readonly anew?: AskedAnew }
  | { readonly by: "freshness"; readonly files: string; readonly anew?: AskedAnew }
  | { readonly by: "types" | "headers"; readonly files: string }
  | { readonly by: "content" | "compression" }
  | { readonly by: "redirects"; readonly address: string };

/** Why something is written under a key. */
export type ChangeReason =
  | {
      readonly code:
        | "absent"
        /** A delivery ended before it was written. */
        | "unwritten"
        | "removed-by-others"
        | "changed-by-others"
        | "unlooked"
        /** No record says what stands there. */
        | "unrecorded";
    }
  | { readonly code: "content"; readonly by?: "unended" }
  | { readonly code: "headers"; readonly names: readonly string[]; readonly by?: "unended" | "others" }
  | { readonly code: "moved"; readonly from: ObjectKey };

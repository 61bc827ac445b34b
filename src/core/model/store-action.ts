import type { ObjectKey } from "./names.ts";

/** What is being asked of a store or its bucket: one kind for each kind of request. */
export type StoreAction =
  | { readonly do: "look" | "read" | "write" | "remove" | "use" | "read-version"; readonly key: ObjectKey }
  /** `to`: absent where the source alone is meant. */
  | { readonly do: "copy"; readonly from: ObjectKey; readonly to?: ObjectKey }
  | { readonly do: "remove-many"; readonly count: number }
  | {
      readonly do:
        | "list"
        | "list-folder"
        | "read-time"
        | "find-uploads"
        | "list-versions"
        | "delete-versions"
        | "read-lock"
        | "look-at-bucket"
        | "create-bucket"
        | "read-website"
        | "write-website"
        | "read-policy"
        | "write-policy"
        | "remove-policy"
        | "read-block"
        | "write-block"
        | "read-versioning"
        | "keep-versions"
        | "read-tags"
        | "write-tags";
    };

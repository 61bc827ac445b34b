import { vaultKey } from "../core/model/names.ts";
import type { Role } from "../core/model/role.ts";
import type { AskedAnew, ChangeReason, HashShape, HeaderSource, RoleReason } from "../core/model/reasons.ts";

type Table<Union, Tag extends keyof Union> = {
  readonly [Name in Union[Tag] & string]: (of: Union & Readonly<Record<Tag, Name>>) => string;
};

const look = <Union extends Readonly<Record<Tag, string>>, Tag extends keyof Union & string>(
  table: Readonly<Record<string, (of: never) => string>>,
  tag: Tag,
  of: Union,
): string => (table[of[tag]] as (one: Union) => string)(of);

const LETTERS: Readonly<Record<Exclude<HashShape["alphabet"], "folder">, string>> = {
  hex: "hex digits",
  base32: "capitals and digits",
  base36: "small letters and digits",
  base64url: "letters and digits",
};

/** What of a file is the hash, and how many stand beside it, as a person would say it. */
function showHash({ token, shape, alike }: Extract<RoleReason, { code: "fingerprint" }>): string {
  if (shape.alphabet === "folder") return `its folder ${token} is named by a hash or a random id`;
  const random = `${shape.length} random ${LETTERS[shape.alphabet]}`;
  return alike > 1
    ? `one of ${alike} names of this folder with ${random} (${token})`
    : `its name carries ${random} (${token})`;
}

function showEvidence(by: Extract<RoleReason, { code: "fingerprint" }>["by"]): string {
  if (by === "family") return "other files use those beside it";
  return "namedIn" in by ? `${by.namedIn} uses it` : `it changed with the content since ${by.changedSince}`;
}

const ROLE_REASONS: {
  readonly [Code in RoleReason["code"]]: (of: RoleReason & { readonly code: Code }) => string;
} = {
  entry: () => "the entry page of the settings",
  "not-found": () => "the not-found page",
  polled: () => "browsers request it again and again under this name",
  registered: () => "a page registers it as its service worker",
  "keep-out": () => "keeps search engines out; it replaces the build's own",
  retired: () => "removes the service worker that an earlier build had here",
  html: () => "HTML",
  "worker-part": () => "a worker loads it under this name",
  payload: () => "data that goes with a page",
  stable: () => "a stable name",
  other: () => "neither page nor asset",
  fingerprint: (reason) => `${showHash(reason)}; ${showEvidence(reason.by)}`,
  alias: ({ of }) => `a copy of ${of}`,
  redirect: ({ to }) => `a redirect of the settings, to ${to}`,
  recorded: () => "as recorded",
};

/** A role as people call it. */
export const showRole = (role: Role): string => (role === "notFound" ? "not-found page" : role);

/** In plain words, what each role means for caches. */
export const ROLE_MEANINGS: Readonly<Record<Role, string>> = {
  fingerprinted: "its name changes with its content, so browsers may keep it for good",
  asset: "its name stays the same when its content changes, so caches must check for a new version",
  page: "visitors open it; it is written after all that it needs",
  entry: "the first page; it is the last page to be written",
  notFound: "answers where there is no page",
  worker: "clients ask for it again and again; it is written when all else has arrived",
  document: "a file that no page needs to load",
};

/** Why a file has its role. */
export const showRoleReason = (reason: RoleReason): string => look(ROLE_REASONS, "code", reason);

/** Why an edge is told to ask for a role anew each time. */
export function showAskedAnew(anew: AskedAnew): string {
  switch (anew.code) {
    case "queries":
      return `"${anew.edge}" may have copies of them under any query, which it can't be asked to forget`;
    case "unknown-addresses":
      return "it answers at every unknown address, and nobody can list those";
    case "preview":
      return "a preview is never kept";
    case "worker-names":
      return "a service worker uses it and keeps what it gets, which must not be an old copy";
  }
}

const HEADER_SOURCES: Table<HeaderSource, "by"> = {
  role: ({ role, anew }) => withAnew(`role ${role}`, anew),
  freshness: ({ files, anew }) => withAnew(`freshness ${files}`, anew),
  types: ({ files }: { readonly files: string }) => `types ${files}`,
  headers: ({ files }: { readonly files: string }) => `headers ${files}`,
  content: () => "the file's name or first bytes",
  compression: () => "compression: gzip",
  redirects: ({ address }) => `redirects ${address}`,
};

const withAnew = (rule: string, anew: AskedAnew | undefined): string =>
  anew === undefined ? rule : `${rule}; ${showAskedAnew(anew)}`;

/** The rule that set a header, as it stands in the settings where it is one of them. */
export const showHeaderSource = (source: HeaderSource): string => look(HEADER_SOURCES, "by", source);

const BY = {
  unended: "; a delivery that did not end wrote the one in the store",
  others: "; somebody changed it outside this tool",
};

const CHANGE_REASONS: Table<ChangeReason, "code"> = {
  absent: () => "not in the store yet",
  unwritten: () => "a delivery ended before it was written",
  "removed-by-others": () => "somebody removed it outside this tool",
  "changed-by-others": () => "somebody changed it outside this tool",
  unlooked: () => "not looked at yet",
  unrecorded: () => "no record says what the store has there",
  content: ({ by }) => `other content${by === undefined ? "" : BY[by]}`,
  headers: ({ names, by }) => `other headers: ${names.join(", ")}${by === undefined ? "" : BY[by]}`,
  moved: ({ from }) =>
    from.startsWith(vaultKey("")) ? "same bytes as an old version in the vault" : `same bytes as ${from}`,
};

/** Why something is written under a key. */
export const showChangeReason = (reason: ChangeReason): string => look(CHANGE_REASONS, "code", reason);

/** What is said of a file that stands as it should. */
export const UNCHANGED = "same bytes, same headers";

const SAYS_NOTHING = new Set(
  ([{ code: "content" }, { code: "absent" }] as const).map((reason) => showChangeReason(reason)),
);

/** Whether a reason says no more than the kind of the change does. */
export const isPlainReason = (reason: string): boolean => SAYS_NOTHING.has(reason);

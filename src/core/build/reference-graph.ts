import type {
  MissingAssets,
  Reference,
  ReferenceKind,
  ResolvedReference,
  ReferenceGraph,
} from "../model/reference.ts";
import { encodeKey, type AddressRules } from "../addresses/addresses.ts";
import { resolve, resolveReference } from "../addresses/resolve.ts";
import type { ObjectKey, UrlPath } from "../model/names.ts";
import type { Problem } from "../model/problem.ts";

/**
 * Every file that some page loads, straight away or by way of others (scripts that import, styles that name): without it the
 * page is broken. Texts in scripts that only look like files are none.
 */
export function selectLoadedByPages({ references }: ReferenceGraph): Set<ObjectKey> {
  const loads = new Map<ObjectKey, ObjectKey[]>();
  for (const reference of references) if (isLoad(reference)) add(loads, reference.from, reference.to);
  return follow(loads, [...loads.keys()].filter(isPageName));
}

/** The pages that load one of these files, straight away or by way of others. */
export function selectPagesLoading(
  { references }: ReferenceGraph,
  files: Iterable<ObjectKey>,
): Set<ObjectKey> {
  const loaders = new Map<ObjectKey, ObjectKey[]>();
  for (const reference of references) if (isLoad(reference)) add(loaders, reference.to, reference.from);
  return new Set([...follow(loaders, [...files])].filter(isPageName));
}

const isLoad = (reference: ResolvedReference): reference is ResolvedReference & { readonly to: ObjectKey } =>
  reference.to !== undefined && (reference.kind === "asset" || reference.kind === "decoration");

function add<T>(lists: Map<ObjectKey, T[]>, key: ObjectKey, value: T): void {
  const own = lists.get(key);
  if (own) own.push(value);
  else lists.set(key, [value]);
}

/** All that is reached from some files, these left out unless others lead back to them. */
function follow(
  next: ReadonlyMap<ObjectKey, readonly ObjectKey[]>,
  from: readonly ObjectKey[],
): Set<ObjectKey> {
  const reached = new Set<ObjectKey>();
  const open = [...from];
  for (let at = open.pop(); at !== undefined; at = open.pop())
    for (const to of next.get(at) ?? []) {
      if (reached.has(to)) continue;
      reached.add(to);
      open.push(to);
    }
  return reached;
}

const isPageName = (path: ObjectKey): boolean => /\.x?html?$/i.test(path);

export interface GraphFacts {
  readonly files: readonly { readonly path: ObjectKey; readonly references: readonly Reference[] }[];
  readonly addressRules: AddressRules;
  /** The origin that visitors use, if it is known: `https://www.pelicansound.example`. */
  readonly origin?: string | undefined;
  readonly clientRoutes: boolean;
  /** Addresses that a redirect answers, as tests of an address. */
  readonly isRedirected: (address: UrlPath) => boolean;
}

/** Resolves every reference from the address at which its file answers (RFC 3986 §5, as browsers do it). */
export function buildReferenceGraph(facts: GraphFacts): ReferenceGraph {
  const paths = new Set(facts.files.map(({ path }) => path));
  const resolver = { has: (path: ObjectKey) => paths.has(path), bare: true };
  const references = facts.files.flatMap(({ path, references: written }) =>
    written.flatMap((reference): ResolvedReference[] => {
      const address = toAddress(reference, path, facts);
      if (address === undefined) return [];
      const to = resolve(address, facts.addressRules, resolver);
      if ((reference.kind === "guess" || reference.kind === "worker") && to === undefined) return [];
      return [{ ...reference, from: path, address, ...(to === undefined ? {} : { to }) }];
    }),
  );
  return { references };
}

/** The address within the site that a reference means; undefined where it leads out of it or means none. */
export function toAddress(
  { url, base, kind }: Reference,
  path: ObjectKey,
  { addressRules, origin }: Pick<GraphFacts, "addressRules" | "origin">,
): UrlPath | undefined {
  if (/^(data|blob|mailto|tel|javascript|about):/i.test(url)) return undefined;
  // A text in a script says nothing of what it is resolved against; only whole paths can be told.
  if (kind === "guess" && !url.startsWith("/")) return undefined;
  // A page says where its worker is, and pages that register one stand at the root.
  const from = kind === "worker" && base === undefined ? addressRules.basePath : base;
  return resolveReference({ url, base: from }, path, addressRules.basePath, origin);
}

export interface ReferenceFacts extends Pick<
  GraphFacts,
  "clientRoutes" | "isRedirected" | "files" | "addressRules"
> {
  /** What the release that is live lacked, by the file that names it. */
  readonly knownMissing?: MissingAssets | undefined;
}

/**
 * What is wrong with the references of a build: missing assets and frames (an error; a warning where the page works without,
 * or where the live release lacks them as well) and dead links.
 */
export function findReferenceProblems({ references }: ReferenceGraph, facts: ReferenceFacts): Problem[] {
  const paths = new Set(facts.files.map(({ path }) => path));
  // Few names can be written in more than one form.
  const forms = new Map(
    [...paths]
      .filter((path) => NOT_ASCII.test(path))
      .map((path) => [addressForm(facts.addressRules.basePath + encodeKey(path)), path]),
  );
  const missing = references.filter(
    ({ to, kind }) => to === undefined && kind !== "guess" && kind !== "worker",
  );
  const problems = missing
    .filter(
      ({ kind, address = "" }) => !isLeading(kind) || !(facts.clientRoutes || facts.isRedirected(address)),
    )
    .map((reference) => toProblem(reference, facts.knownMissing, forms));
  const bare = references.filter(
    ({ kind, to, address = "" }) =>
      kind === "link" && to !== undefined && isBare(address, to, facts.addressRules),
  );
  if (bare.length === 0 || facts.addressRules.forms.includes("bare") || facts.clientRoutes) return problems;
  const first = bare[0] as ResolvedReference;
  const names = [...new Set(bare.map(({ address = "" }) => address))];
  const place = { path: first.from, line: first.line };
  const note: Problem = { code: "bare-link", severity: "note", ...place, facts: { addresses: names } };
  return paths.size > 0 ? [...problems, note] : problems;
}

/** `/about` for `about.html`: nothing answers there unless it is promised. */
const isBare = (address: UrlPath, to: ObjectKey, { basePath }: AddressRules): boolean =>
  to.endsWith(".html") && !address.endsWith("/") && `${address}.html` === basePath + encodeKey(to);

/** It leads to a page, which a redirect or the entry page may answer. */
const isLeading = (kind: ReferenceKind): boolean => kind === "link" || kind === "frame";

const NOT_ASCII = /[^\u0000-\u007f]/;

/** An address in one of the forms that its letters can be written in. */
function addressForm(address: UrlPath): string {
  try {
    return decodeURIComponent(address).normalize("NFC");
  } catch {
    return address;
  }
}

function toProblem(
  { kind, from: path, line, address = "" }: ResolvedReference,
  known: MissingAssets | undefined,
  forms: ReadonlyMap<string, ObjectKey>,
): Problem {
  const asForm = address.includes("%") ? forms.get(addressForm(address)) : undefined;
  const other = asForm !== undefined && { asForm };
  if (kind === "link")
    return { code: "dead-link", severity: "warning", path, line, facts: { address, ...other } };
  const isKnown =
    known !== undefined && Object.hasOwn(known, path) && known[path]?.includes(address) === true;
  const severity = isKnown || kind === "decoration" ? "warning" : "error";
  const facts = { address, ...(isKnown && { isKnown }), ...other };
  return { code: "missing-asset", severity, path, line, facts };
}

/** What pages would be broken without and the build lacks, for the record of a release that is made all the same. */
export function selectMissing(problems: readonly Problem[]): MissingAssets {
  const missing = new Map<ObjectKey, UrlPath[]>();
  for (const problem of problems) {
    if (problem.code !== "missing-asset" || problem.path === undefined) continue;
    const { severity, path, facts } = problem;
    if (severity === "error" || facts.isKnown) add(missing, path, facts.address);
  }
  return Object.fromEntries(missing);
}

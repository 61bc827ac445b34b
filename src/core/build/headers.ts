import type { Freshness } from "../model/freshness.ts";
import { matcher } from "../model/glob.ts";
import type { HeaderTrace } from "../model/explained-parcel.ts";
import { toCacheControl } from "../model/cache-control.ts";
import { decideContentType, decideEncoding, toOriginalName, withCharset } from "./content-type.ts";
import type { ObjectHeaders } from "../model/parcel.ts";
import { type Role, decideDefaultFreshness } from "../model/role.ts";
import type { AskedAnew, HeaderSource } from "../model/reasons.ts";

interface FreshnessRule {
  readonly files: string;
  readonly browser?: number | undefined;
  readonly edge?: number | undefined;
}
interface TypeRule {
  readonly files: string;
  readonly type: string;
}
interface HeaderRule {
  readonly files: string;
  readonly set: Readonly<Record<string, string>>;
}

export interface HeaderRules {
  readonly freshness: readonly FreshnessRule[];
  readonly types: readonly TypeRule[];
  readonly headers: readonly HeaderRule[];
  /** Whether copies at the edge can be called back; where they can't, the edge gets what browsers get. */
  readonly edgeCanForget: boolean;
  /** Roles that an edge asks for anew each time where no rule says otherwise, each with the reason. */
  readonly askedAnew?: Readonly<Partial<Record<Role, AskedAnew>>>;
  /** Whether nobody may keep anything unasked, whatever rules say. */
  readonly keepsNothing?: boolean;
}

export interface HeaderDecision {
  readonly headers: ObjectHeaders;
  readonly freshness: Freshness;
  readonly trace: readonly HeaderTrace[];
}

export interface HeaderSubject {
  readonly path: string;
  readonly role: Role;
  readonly head: Uint8Array;
  /** Whether a service worker names it: what that fetches it keeps, so that no cache may answer with an old copy. */
  readonly isNamedByWorker?: boolean;
  /** Whether the build has it in another form as well: `app.js` beside `app.js.br`. */
  readonly hasOriginal?: boolean;
}

/** Headers that say how long something may be kept (RFC 9111 §5). */
const FRESHNESS = /^(cache-control|expires)$/i;

/** A function that decides the headers of a file under the given rules: defaults by role, then freshness, types, headers. */
export function createHeaderDecider(rules: HeaderRules): (subject: HeaderSubject) => HeaderDecision {
  const freshness = rules.freshness.map((rule) => ({ ...rule, matches: matcher(rule.files) }));
  const types = rules.types.map((rule) => ({ ...rule, matches: matcher(rule.files) }));
  const headers = rules.headers.map((rule) => ({ ...rule, matches: matcher(rule.files) }));
  // A site has few different sets of headers: its files share them, or 50,000 small files take as much as large ones.
  const shared = new Map<string, HeaderDecision>();

  return ({ path, role, head, hasOriginal = false, isNamedByWorker = false }) => {
    const trace: HeaderTrace[] = [];
    const { decided, rule } = decideFreshness({ path, role, isNamedByWorker }, rules, freshness);
    trace.push({ header: "cache-control", value: toCacheControl(decided), rule });

    const header = "content-type";
    const encoding = decideEncoding(path, hasOriginal);
    const typed = encoding === undefined ? path : (toOriginalName(path) ?? path);
    trace.push({ header, value: decideContentType(typed, head), rule: { by: "content" } });
    if (encoding !== undefined)
      trace.push({ header: "content-encoding", value: encoding, rule: { by: "content" } });
    for (const { files, type, matches } of types)
      if (matches(path)) trace.push({ header, value: withCharset(type), rule: { by: "types", files } });
    for (const { files, set, matches } of headers) {
      if (!matches(path)) continue;
      for (const [name, value] of Object.entries(set)) {
        if (rules.keepsNothing === true && FRESHNESS.test(name)) continue;
        trace.push({ header: name.toLowerCase(), value, rule: { by: "headers", files } });
      }
    }
    const key = JSON.stringify(trace);
    const known = shared.get(key);
    if (known) return known;
    const decision = {
      headers: Object.fromEntries(trace.map((entry) => [entry.header, entry.value])),
      freshness: decided,
      trace,
    };
    shared.set(key, decision);
    return decision;
  };
}

type FreshnessSource = Extract<HeaderSource, { by: "role" | "freshness" }>;

/** How long browsers and edges may keep a file, and which rule says so. */
function decideFreshness(
  { path, role, isNamedByWorker }: Pick<HeaderSubject, "path" | "role" | "isNamedByWorker">,
  { edgeCanForget, askedAnew, keepsNothing }: HeaderRules,
  candidates: readonly (FreshnessRule & { readonly matches: (path: string) => boolean })[],
): { readonly decided: Freshness; readonly rule: FreshnessSource } {
  const base = decideDefaultFreshness(role, path);
  let { browser, edge } = base;
  let [browserSaid, edgeSaid] = [false, false];
  let rule: FreshnessSource = { by: "role", role };
  for (const candidate of candidates) {
    if (!candidate.matches(path)) continue;
    browser = candidate.browser ?? browser;
    edge = candidate.edge ?? edge;
    browserSaid ||= candidate.browser !== undefined;
    edgeSaid ||= candidate.edge !== undefined;
    rule = { by: "freshness", files: candidate.files };
  }
  if (isNamedByWorker === true && !browserSaid && browser > 0 && base.immutable !== true) {
    browser = 0;
    rule = { ...rule, anew: { code: "worker-names" } };
  }
  if (!edgeCanForget && !edgeSaid) edge = browser;
  const anew = askedAnew?.[role];
  if (anew !== undefined && !edgeSaid && edge > 0) {
    edge = 0;
    rule = { ...rule, anew };
  }
  if (keepsNothing === true) {
    [browser, edge] = [0, 0];
    rule = { ...rule, anew: { code: "preview" } };
  }
  const immutable = base.immutable === true && browser === base.browser;
  return { decided: { browser, edge, ...(immutable ? { immutable } : {}) }, rule };
}

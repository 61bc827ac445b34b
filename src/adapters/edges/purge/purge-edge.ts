import { hash } from "node:crypto";
import type { EdgeAbilities, EdgeFailure, ReadBack } from "../../../core/model/edge.ts";
import { judgeReadBack } from "../../../core/edges/read-back.ts";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError, type Edge, type EdgeRequest } from "../../../ports/edge.ts";
import { decode } from "../../decode.ts";
import { createNodeClient, type NodeAnswer, type NodeClient, type NodeRequest } from "./purge-client.ts";
import { toBanExpression, toSpellings } from "./patterns.ts";

export interface PurgeSettings extends Pick<
  EdgeAbilities,
  "query" | "minimumFreshness" | "holdsFor" | "negative"
> {
  readonly name: string;
  /** Addresses of the cache itself; each is asked for every address. */
  readonly nodes: readonly string[];
  /** The public name under which visitors ask. */
  readonly host: string;
  readonly token?: string | undefined;
  /** The header that carries the token. */
  readonly header: string;
  /** Seconds between the first and the second round. */
  readonly settle: number;
  /** How it takes wildcards: not at all, `PURGE /dir/*`, or BAN with an expression. */
  readonly patterns: "none" | "path" | "ban";
  /** The forms of `Accept-Encoding` under which it may hold copies apart; empty: it holds one for all. */
  readonly encodings?: readonly string[] | undefined;
}

/** What browsers and other clients send; the empty one is no header at all. */
const CLIENT_ENCODINGS = [
  "gzip, deflate, br, zstd",
  "gzip, deflate, br",
  "gzip, deflate",
  "br, gzip, deflate",
  "gzip",
  "",
];

/** Bytes of right copies that one request less is worth. */
const REQUEST_WORTH = 1000;
/** Addresses that are asked for side by side. */
const WIDTH = 32;
/** How often an address that is still held wrongly is looked at, and asked for, once more. */
const LOOKS = 5;
const LOOK_MS = 250;

/**
 * A cache that takes HTTP PURGE, one request for each address, node and form, and where it is set up for them, wildcards.
 *
 * Everything is purged twice with a pause between: a fetch that was under way during the first round can store the old
 * bytes after it, and 'not cached' is no proof. Then a sample is read back in every form; what is still held wrongly is
 * purged again and looked at until it is right (a soft purge serves the old copy once more).
 */
export function createPurgeEdge(settings: PurgeSettings, clock: Clock): Edge {
  const { query, minimumFreshness, holdsFor, negative, name } = settings;
  const takesWildcards = settings.patterns !== "none";
  const client = createNodeClient();
  const cache = new Cache(settings, client);
  return {
    name,
    abilities: {
      wildcard: takesWildcards ? "prefix" : "none",
      reachesQuery: takesWildcards,
      mostPatterns: Infinity,
      mostWildcards: takesWildcards ? Infinity : 0,
      worth: REQUEST_WORTH,
      ...{ query, minimumFreshness, holdsFor, negative },
    },
    invalidate: async (request) => {
      await cache.purgeAll(request.patterns);
      request.onWait?.({ code: "settling" });
      await clock.sleep(settings.settle * 1000);
      await cache.purgeAll(request.patterns);
      await readBack(request, cache, clock);
    },
    close: () => {
      client.close();
    },
  };
}

async function readBack(
  { patterns, readBacks = [], onOdd }: EdgeRequest,
  cache: Cache,
  clock: Clock,
): Promise<void> {
  const odd: string[] = [];
  await inTurns(readBacks, async (check) => {
    for (let looked = 1; ; looked++) {
      const found = await cache.look(check);
      if (!found) return;
      // What should be gone for good and is not tells of forms that were out of reach: then all of it is asked for once more.
      if (found.verdict === "stale" && !cache.keepsForms && cache.hasForms) {
        cache.keepsForms = true;
        await cache.purgeAll(patterns);
      }
      const ignored = found.verdict === "stale" ? cache.findIgnored(check.address) : undefined;
      if (ignored) throw ignored;
      if (looked === LOOKS && found.verdict === "stale")
        throw cache.fail({ kind: "still-old", held: found.what });
      if (looked === LOOKS || (found.verdict === "other" && looked > 1)) {
        odd.push(found.what);
        return;
      }
      await cache.purgeAll([check.address]);
      await clock.sleep(LOOK_MS * looked);
    }
  });
  const [first] = odd;
  if (first !== undefined) onOdd?.({ count: odd.length, first });
}

/** All nodes of one cache, under the public name. */
class Cache {
  private readonly encodings: readonly string[];

  constructor(
    private readonly settings: PurgeSettings,
    private readonly client: NodeClient,
  ) {
    const { encodings = CLIENT_ENCODINGS } = settings;
    this.encodings = encodings.length === 0 ? [""] : encodings;
  }

  async purgeAll(patterns: readonly string[]): Promise<void> {
    const targets = this.settings.nodes.flatMap((node) => patterns.map((pattern) => ({ node, pattern })));
    await inTurns(targets, async ({ node, pattern }) => {
      if (pattern.endsWith("*")) await this.purgeTree(node, pattern);
      else for (const address of toSpellings(pattern)) await this.purgeAddress(node, address);
    });
  }

  /**
   * Some caches keep one copy for each exact `Accept-Encoding`, find all but one of them through that one, and forget just
   * the one that the purge itself names: once that one is gone, the others answer 'not cached' and come back with the next
   * visitor. So where only some forms were held, it is fetched once, and all forms are purged again, the fetched one last.
   * Once a cache is known to be such, even 'not cached' for every form is no proof.
   */
  private async purgeAddress(node: string, address: string): Promise<void> {
    const held = await this.purgeForms(node, address);
    if (held > 0 && held < this.encodings.length) this.keepsForms = true;
    if (held === this.encodings.length || !this.keepsForms) return;
    await this.ask({ method: "GET", node, path: address, headers: {} }, this.encodings[0]);
    await this.purgeForms(node, address);
  }

  /** Purges every form, the first one last. @returns under how many it was held */
  private async purgeForms(node: string, address: string): Promise<number> {
    const [first = "", ...others] = this.encodings;
    let held = 0;
    for (const encoding of [...others, first]) {
      const { status } = await this.ask(
        { method: "PURGE", node, path: address, headers: this.token },
        encoding,
      );
      // 404 (and 412 on some) says that it was not held: as good as gone.
      if (status >= 200 && status < 300) held += 1;
      else if (status !== 404 && status !== 412) throw this.refuse(node, status);
    }
    return held;
  }

  private async purgeTree(node: string, pattern: string): Promise<void> {
    const ban = { "x-ban-url": toBanExpression(pattern) };
    const request: NodeRequest =
      this.settings.patterns === "ban"
        ? { method: "BAN", node, path: "/", headers: { ...this.token, ...ban } }
        : { method: "PURGE", node, path: pattern, headers: this.token };
    const { status } = await this.ask(request, undefined);
    if (status >= 200 && status < 300) return;
    if (status !== 404 && status !== 412) throw this.refuse(node, status);
    // Nothing was held below, or it takes no wildcards: what is read back afterwards tells.
    this.doubtful.set(pattern, status);
  }
  /** Whether it was seen to hold some forms and not others. */
  keepsForms = false;
  private readonly doubtful = new Map<string, number>();

  /** A wildcard that the cache seems to have taken for an address of its own. */
  findIgnored(address: string): EdgeError | undefined {
    const found = [...this.doubtful].find(([pattern]) => address.startsWith(pattern.slice(0, -1)));
    if (!found) return undefined;
    const [pattern, status] = found;
    return this.fail({ kind: "wildcards-ignored", pattern, status, address });
  }

  /** What is wrong about an address, in any form at any node; undefined: nothing. */
  async look(check: ReadBack): Promise<{ verdict: "stale" | "other"; what: string } | undefined> {
    for (const node of this.settings.nodes) {
      for (const encoding of this.encodings) {
        const answer = await this.ask({ method: "GET", node, path: check.address, headers: {} }, encoding);
        const content = decode(answer.body, String(answer.headers["content-encoding"] ?? ""));
        if (content === undefined) continue;
        const verdict = judgeReadBack(check, { status: answer.status, hash: hash("sha256", content) });
        if (verdict === "right") continue;
        const form = encoding === "" ? "" : ` for Accept-Encoding ${encoding}`;
        return { verdict, what: `${check.address}${form} (${answer.status}, ${node})` };
      }
    }
    return undefined;
  }

  get hasForms(): boolean {
    return this.encodings.length > 1;
  }

  fail(failure: EdgeFailure, cause?: unknown): EdgeError {
    return new EdgeError(this.settings.name, failure, cause);
  }

  private refuse(node: string, status: number): EdgeError {
    const isForbidden = status === 401 || status === 403;
    const kind = isForbidden ? "denied" : status === 405 ? "no-purges" : "refused-purge";
    return this.fail({ kind, node, status });
  }

  private get token(): Record<string, string> {
    const { token, header } = this.settings;
    return token === undefined ? {} : { [header]: token };
  }

  /** @param encoding the form; empty or absent: no header */
  private async ask(request: NodeRequest, encoding: string | undefined): Promise<NodeAnswer> {
    const form = encoding === undefined || encoding === "" ? {} : { "accept-encoding": encoding };
    try {
      return await this.client.ask({
        ...request,
        headers: { host: this.settings.host, ...form, ...request.headers },
      });
    } catch (error) {
      const { code = "", message: answer } = error as { code?: string; message: string };
      throw this.fail({ kind: "unreachable", node: request.node, code, answer }, error);
    }
  }
}

/** Does something for each, some side by side; stops at the first failure. */
async function inTurns<T>(items: readonly T[], task: (item: T) => Promise<void>): Promise<void> {
  const left = [...items].reverse();
  const run = async (): Promise<void> => {
    for (let item = left.pop(); item !== undefined; item = left.pop()) await task(item);
  };
  await Promise.all(Array.from({ length: Math.min(WIDTH, items.length) }, run));
}

import { findTlsFault } from "../../../core/model/tls-fault.ts";
import { runPool } from "../../../core/delivery/pool.ts";
import { CLIENT_FORMS } from "../../../core/edges/client-forms.ts";
import type { ClearingWay, ConfirmationRule, EdgeAbilities, EdgeFailure } from "../../../core/model/edge.ts";
import type { VisitorAnswer } from "../../../core/model/visitor-answer.ts";
import { EdgeError, type Edge, type ForgetRequest } from "../../../ports/edge.ts";
import type { AskingBounds } from "../../bounds.ts";
import { createNodeClient, type NodeClient, type NodeRequest } from "./purge-client.ts";
import { makeUnique, toBanExpression, toExactExpression } from "./patterns.ts";

export interface PurgeSettings extends Pick<
  EdgeAbilities,
  "query" | "minimumFreshness" | "holdsFor" | "negative"
> {
  readonly name: string;
  readonly identity: string;
  readonly confirmation: ConfirmationRule;
  /** Addresses of the cache itself; each is asked for every address. */
  readonly nodes: readonly string[];
  /** The public name under which visitors ask. */
  readonly host: string;
  readonly token?: string | undefined;
  /** The header that carries the token. */
  readonly header: string;
  /** How it takes wildcards: not at all, `PURGE /dir/*`, or BAN with an expression. */
  readonly patterns: "none" | "path" | "ban";
  /** The forms of `Accept-Encoding` under which it may hold copies apart; empty: it holds one for all. */
  readonly encodings?: readonly string[] | undefined;
  readonly bounds?: AskingBounds | undefined;
}

/** A cache may let a purge, or a visit, wait for the fetch that is under way: it is given so much more than that may take. */
const PATIENCE_SECONDS = 10;
/** Addresses that are asked for side by side. */
const WIDTH = 32;

/**
 * A cache that takes HTTP PURGE, one request for each address and node, and where it is set up for them, wildcards. How it
 * keeps copies for each form of `Accept-Encoding` is not assumed: whoever asks says by which way they are cleared.
 */
export function createPurgeEdge(settings: PurgeSettings): Edge {
  const { query, minimumFreshness, holdsFor, negative, name, identity, confirmation, encodings } = settings;
  const takesWildcards = settings.patterns !== "none";
  const client = createNodeClient(confirmation.longestFetch + PATIENCE_SECONDS, settings.bounds);
  const forms = encodings === undefined ? CLIENT_FORMS : encodings.length === 0 ? [""] : encodings;
  const cache = new Cache(settings, forms, client);
  return {
    ...{ name, identity, confirmation, forms },
    abilities: {
      wildcard: takesWildcards ? "prefix" : "none",
      reachesQuery: takesWildcards,
      mostPatterns: Infinity,
      mostWildcards: takesWildcards ? Infinity : 0,
      worth: 0,
      exactUpTo: Infinity,
      ...{ query, minimumFreshness, holdsFor, negative },
    },
    places: settings.nodes,
    hasStatus: false,
    hasAllForms: encodings !== undefined,
    ...(forms.length > 1 || takesWildcards ? { triesWays: waysOf(settings) } : {}),
    forget: (request) => cache.forget(request),
    look: (address, { place, form }) => cache.look(place, address, form),
    close: () => {
      client.close();
    },
  };
}

const waysOf = ({ patterns }: PurgeSettings): ClearingWay[] =>
  patterns === "ban" ? ["once", "pattern", "each", "refetched"] : ["once", "each", "refetched"];

/** All nodes of one cache, under the public name. */
class Cache {
  private bans = 0;

  constructor(
    private readonly settings: PurgeSettings,
    private readonly forms: readonly string[],
    private readonly client: NodeClient,
  ) {}

  async forget({ patterns, ways, run }: ForgetRequest): Promise<void> {
    const thorough: ClearingWay = this.forms.length > 1 ? "refetched" : "each";
    const targets = this.settings.nodes.flatMap((node) => patterns.map((pattern) => ({ node, pattern })));
    await runPool(
      targets,
      () => WIDTH,
      async ({ node, pattern }) => {
        const way = ways?.get(node) ?? thorough;
        if (pattern.endsWith("*")) await this.forgetTree(node, pattern, run);
        else if (way === "pattern") await this.ban(node, toExactExpression(pattern), run);
        else await this.forgetAddress(node, pattern, way);
      },
    );
  }

  async look(node: string, path: string, form: string): Promise<VisitorAnswer | undefined> {
    return this.ask({ method: "GET", node, path, headers: {} }, form).catch((error: unknown) => {
      if (error instanceof EdgeError) return undefined;
      throw error;
    });
  }

  private async forgetAddress(
    node: string,
    path: string,
    way: Exclude<ClearingWay, "pattern">,
  ): Promise<void> {
    if (way === "once") return this.purge(node, path, "");
    if (way === "refetched") return this.forgetBehind(node, path);
    for (const form of this.forms) await this.purge(node, path, form);
  }

  /**
   * Some find all copies of an address through one of them, or through a marker, which goes with a purge: a visit before each
   * purge makes it again. The first form is cleared through the second: behind a copy of its own it could not be found.
   */
  private async forgetBehind(node: string, path: string): Promise<void> {
    const [first = "", second = first, ...others] = this.forms;
    for (const form of [second, ...others]) {
      await this.look(node, path, first);
      await this.purge(node, path, form);
    }
    await this.purge(node, path, first);
    await this.look(node, path, second);
    await this.purge(node, path, first);
    await this.purge(node, path, second);
  }

  /** 404 (and 412 on some) says that it was not held: as good as gone. */
  private async purge(node: string, path: string, form: string): Promise<void> {
    const { status } = await this.ask({ method: "PURGE", node, path, headers: this.token }, form);
    if (!isDone(status) && status !== 404 && status !== 412) throw this.refuse(node, status);
  }

  /**
   * No two bans are alike. A cache may drop the older of two equal ones; Varnish 7.1 was seen to lose both while it worked
   * through its bans.
   */
  private async ban(node: string, expression: string, run: string): Promise<void> {
    this.bans += 1;
    const headers = { ...this.token, "x-ban-url": makeUnique(expression, `${run}-${this.bans}`) };
    const { status } = await this.ask({ method: "BAN", node, path: "/", headers }, "");
    if (!isDone(status)) throw this.refuse(node, status);
  }

  /** Where it takes no wildcards it answers 'not held' as well: what is read back afterwards tells. */
  private async forgetTree(node: string, pattern: string, run: string): Promise<void> {
    if (this.settings.patterns === "ban") return this.ban(node, toBanExpression(pattern), run);
    return this.purge(node, pattern, "");
  }

  private refuse(node: string, status: number): EdgeError {
    const isForbidden = status === 401 || status === 403;
    const kind = isForbidden ? "denied" : status === 405 ? "no-purges" : "refused-purge";
    return this.fail({ kind, node, status });
  }

  private fail(failure: EdgeFailure, cause?: unknown): EdgeError {
    return new EdgeError(this.settings.name, failure, cause);
  }

  private get token(): Record<string, string> {
    const { token, header } = this.settings;
    return token === undefined ? {} : { [header]: token };
  }

  /** @param form empty: no `Accept-Encoding` */
  private async ask(request: NodeRequest, form: string): Promise<VisitorAnswer> {
    const accepted = form === "" ? {} : { "accept-encoding": form };
    try {
      return await this.client.ask({
        ...request,
        headers: { host: this.settings.host, ...accepted, ...request.headers },
      });
    } catch (error) {
      const { code = "", message: answer } = error as { code?: string; message: string };
      const tls = findTlsFault(error);
      if (tls) throw this.fail({ kind: "tls", tls, node: request.node, code, answer }, error);
      throw this.fail({ kind: "unreachable", node: request.node, code, answer }, error);
    }
  }
}

const isDone = (status: number): boolean => status >= 200 && status < 300;

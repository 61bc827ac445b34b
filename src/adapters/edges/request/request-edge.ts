import { OWN_NAME } from "../../network/own-name.ts";
import { request as httpRequest, type Agent, type IncomingMessage } from "node:http";
import { request as httpsRequest } from "node:https";
import { findTlsFault } from "../../../core/model/tls-fault.ts";
import { DEFAULT_RETRIES, decideWaitMs } from "../../../core/delivery/retry.ts";
import { CLIENT_FORMS } from "../../../core/edges/client-forms.ts";
import type { ConfirmationRule, EdgeAbilities, EdgeFailure } from "../../../core/model/edge.ts";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError, type Edge, type ForgetRequest } from "../../../ports/edge.ts";
import type { PublicSite } from "../../../ports/public-site.ts";
import type { StopSignal } from "../../bounds.ts";
import { createAgent } from "../../network/agents.ts";
import { composeRequests, findLack, type Composed, type DoneRule, type RequestForm } from "./compose.ts";

export interface RequestEdgeSettings
  extends RequestForm, Pick<EdgeAbilities, "query" | "minimumFreshness" | "holdsFor" | "negative" | "worth"> {
  readonly name: string;
  readonly identity: string;
  readonly confirmation: ConfirmationRule;
  /** Go with every request. */
  readonly headers: Readonly<Record<string, string>>;
  /** The scheme and the host of visitors' addresses. */
  readonly origin: string;
  /** Requests a second. */
  readonly pace: number;
  readonly done: DoneRule;
  /** What its wildcards may stand for. */
  readonly patterns: EdgeAbilities["wildcard"];
  /** Gives up what is asked; absent: nobody does. */
  readonly stop?: StopSignal | undefined;
}

export interface RequestEdgeTools {
  readonly clock: Clock;
  /** The site as this edge answers it; absent: nobody can look at it by itself. */
  readonly site?: PublicSite | undefined;
}

/** So many seconds of requests are cheaper than a copy that is fetched anew everywhere. */
const EXACT_SECONDS = 30;
/** Milliseconds until an answer counts as missing. */
const PATIENCE_MS = 30_000;
/** An interface that wants to be left alone for longer is waited for no longer than this. */
const LONGEST_PAUSE_MS = 60_000;
const SOCKETS = 8;
/** Letters of an answer that are looked at. */
const MOST_ANSWER = 100_000;

/**
 * A hosted edge with an interface of its own for what it should forget: each is asked as its settings say. Its 'done' is
 * believed no more than anybody's: what it was asked for is read back.
 */
export function createRequestEdge(settings: RequestEdgeSettings, { clock, site }: RequestEdgeTools): Edge {
  const { name, identity, confirmation, patterns, most, by, pace, worth } = settings;
  const { query, minimumFreshness, holdsFor, negative } = settings;
  const takesWildcards = patterns !== "none";
  const line = new Line(settings, clock);
  return {
    ...{ name, identity, confirmation },
    abilities: {
      wildcard: patterns,
      reachesQuery: takesWildcards,
      mostPatterns: Infinity,
      mostWildcards: takesWildcards ? Infinity : 0,
      worth,
      exactUpTo: takesWildcards ? Math.ceil((by === "endpoint" ? 1 : most) * pace * EXACT_SECONDS) : Infinity,
      ...{ query, minimumFreshness, holdsFor, negative },
    },
    places: site ? [new URL(settings.origin).host] : [],
    hasStatus: false,
    forms: CLIENT_FORMS,
    // What it is asked to forget it forgets in all forms.
    hasAllForms: true,
    forget: async (request) => {
      for (const one of composeRequests(request.patterns, settings, settings.origin))
        await line.ask(one, request);
    },
    look: async (address, { form }) => site?.ask(address, { encoding: form }),
    close: () => {
      line.close();
      site?.close();
    },
  };
}

interface Answer {
  readonly status: number;
  readonly body: string;
  readonly pauseMs: number;
}

/** One request after the other, no faster than the interface allows. */
class Line {
  private nextMs = 0;
  private readonly agent: Agent;

  constructor(
    private readonly settings: RequestEdgeSettings,
    private readonly clock: Clock,
  ) {
    this.agent = createAgent(settings.endpoint, { sockets: SOCKETS });
  }

  close(): void {
    this.agent.destroy();
  }

  /** Asks until it is done, or no other try can help. Throws `EdgeError`. */
  async ask(request: Composed, { onWait }: ForgetRequest): Promise<void> {
    for (let tried = 1; ; tried++) {
      await this.keepPace();
      const outcome = await this.send(request);
      const failure = outcome instanceof Error ? this.toUnreachable(outcome) : this.judge(outcome);
      if (!failure) return;
      const isTransient =
        failure.kind !== "tls" &&
        (failure.status === undefined || failure.status === 429 || failure.status >= 500);
      const waitMs = isTransient ? decideWaitMs(DEFAULT_RETRIES, tried, this.clock.random()) : undefined;
      if (waitMs === undefined) throw new EdgeError(this.settings.name, failure, outcome);
      onWait?.({ code: "retry", failure });
      await this.clock.sleep(Math.max(waitMs, outcome instanceof Error ? 0 : outcome.pauseMs));
    }
  }

  private async keepPace(): Promise<void> {
    const now = this.clock.monotonicMs();
    const at = Math.max(now, this.nextMs);
    this.nextMs = at + 1000 / this.settings.pace;
    if (at > now) await this.clock.sleep(at - now);
  }

  private judge({ status, body }: Answer): EdgeFailure | undefined {
    const lack = findLack(status, body, this.settings.done);
    if (lack === undefined) return undefined;
    if (status === 401 || status === 403) return { kind: "denied", node: this.node, status };
    if (status === 429 || status >= 500 || !this.settings.done.status.includes(status))
      return { kind: "refused-purge", node: this.node, status };
    return { kind: "other", status, code: lack, answer: `it answered ${status}, but ${lack}` };
  }

  private toUnreachable(error: Error): EdgeFailure {
    const { code = "", message } = error as Error & { code?: string };
    const tls = findTlsFault(error);
    if (tls) return { kind: "tls", tls, node: this.node, code, answer: message };
    return { kind: "unreachable", node: this.node, code, answer: message };
  }

  /** Where it is asked: without what may be a secret. */
  private get node(): string {
    return new URL(this.settings.endpoint).host;
  }

  private async send({ url, method, type, body }: Composed): Promise<Answer | Error> {
    const { headers, stop } = this.settings;
    const signals = [AbortSignal.timeout(PATIENCE_MS), stop?.()].filter((signal) => signal !== undefined);
    const content = body === undefined ? undefined : Buffer.from(body);
    try {
      const response = await askOnce(url, {
        method,
        headers: {
          ...(type === undefined ? {} : { "content-type": type }),
          ...(content === undefined ? {} : { "content-length": String(content.length) }),
          ...{ accept: "*/*", "user-agent": OWN_NAME, ...headers },
        },
        content,
        signal: AbortSignal.any(signals),
        agent: this.agent,
      });
      return {
        status: response.statusCode ?? 0,
        body: await readText(response),
        pauseMs: toPauseMs(response),
      };
    } catch (error) {
      if (stop?.()?.aborted === true) throw error;
      return error as Error;
    }
  }
}

interface Asking {
  readonly method: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly content: Buffer | undefined;
  readonly signal: AbortSignal;
  readonly agent: Agent;
}

/** Whoever leads a token elsewhere is not followed. */
function askOnce(url: string, { content, ...options }: Asking): Promise<IncomingMessage> {
  return new Promise((resolve, reject) => {
    const request = (url.startsWith("https:") ? httpsRequest : httpRequest)(url, options, resolve);
    request.once("error", reject);
    request.end(content);
  });
}

async function readText(response: IncomingMessage): Promise<string> {
  const decoder = new TextDecoder();
  let text = "";
  for await (const part of response) {
    text += decoder.decode(part as Uint8Array, { stream: true });
    if (text.length > MOST_ANSWER) break;
  }
  return text;
}

/** `Retry-After` in seconds (RFC 9110 §10.2.3). */
function toPauseMs({ headers }: IncomingMessage): number {
  const said = headers["retry-after"] ?? "";
  return /^\d{1,6}$/.test(said) ? Math.min(Number(said) * 1000, LONGEST_PAUSE_MS) : 0;
}

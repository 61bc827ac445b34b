import { OWN_NAME } from "../network/own-name.ts";
import { request as httpRequest, type Agent, type IncomingMessage } from "node:http";
import type { LookupFunction } from "node:net";
import { request as httpsRequest } from "node:https";
import { findTlsFault, type TlsFault } from "../../core/model/tls-fault.ts";
import type { AskOptions, PublicSite } from "../../ports/public-site.ts";
import { createAgent } from "../network/agents.ts";
import { EndlessAnswer, mostOf, NO_BOUNDS, type AskingBounds } from "../bounds.ts";
import { giveUpAfter, readAnswer } from "../read-answer.ts";

const TIMEOUT_MS = 10_000;
/** Until an answer begins, however busy the connection is. */
const MOST_WAIT_MS = 60_000;
const SOCKETS = 32;
/** A server may close a connection just when it is used again. */
const TRIES = 2;

/** The site at its public address; addresses begin with the whole path, that of the URL included. Redirects are not followed. */
export function createHttpSite(url: string, { stop, largest }: AskingBounds = NO_BOUNDS): PublicSite {
  const { origin, hostname } = new URL(url);
  const [agent, plainAgent] = [origin, `http://${hostname}`].map((one) =>
    createAgent(one, { sockets: SOCKETS }),
  ) as [Agent, Agent];
  let unsafe: TlsFault | undefined;
  return {
    unsafe: () => unsafe,
    ask: async (address, options = {}) => {
      const isPlain = options.isPlain === true;
      const target = `${isPlain ? `http://${hostname}` : origin}${address}`;
      for (let tried = 1; tried <= TRIES; tried++) {
        const signal = stop();
        const answer = await send(target, { ...options, signal }, isPlain ? plainAgent : agent)
          .then((response) => readAnswer(response, { mostBytes: mostOf(largest()), stop: signal }))
          .catch((error: unknown) => {
            unsafe = findTlsFault(error);
            if (error instanceof EndlessAnswer) tried = TRIES;
            return undefined;
          });
        // What was stopped is not begun again; no certificate becomes a better one, and no answer without end a shorter one.
        if (answer || unsafe || signal?.aborted === true) return answer;
      }
      return undefined;
    },
    close: () => {
      agent.destroy();
      plainAgent.destroy();
    },
  };
}

/** Names below `localhost` mean this machine (RFC 6761 §6.3); not every system's resolver knows that. */
const isLocal = (target: string): boolean => /\.localhost\.?$/i.test(new URL(target).hostname);

const toLoopback: LookupFunction = (_name, options, found) => {
  if (options.all === true) found(null, [{ address: "127.0.0.1", family: 4 }]);
  else found(null, "127.0.0.1", 4);
};

function send(
  target: string,
  { encoding = "", signal }: AskOptions & { readonly signal: AbortSignal | undefined },
  agent: Agent,
): Promise<IncomingMessage> {
  const isSecure = target.startsWith("https:");
  const headers = { "user-agent": OWN_NAME, ...(encoding !== "" && { "accept-encoding": encoding }) };
  return new Promise((resolve, reject) => {
    const options = {
      agent,
      timeout: TIMEOUT_MS,
      headers,
      ...(isLocal(target) && { lookup: toLoopback }),
      ...(signal && { signal }),
    };
    const request = (isSecure ? httpsRequest : httpRequest)(target, options, resolve);
    request.once("timeout", () => request.destroy(new Error("no answer")));
    request.once("error", reject);
    giveUpAfter(request, MOST_WAIT_MS);
    request.end();
  });
}

import { findTlsFault } from "../../core/model/tls-fault.ts";
import { lookup } from "node:dns/promises";
import { isIP } from "node:net";
import { connect, type TLSSocket } from "node:tls";
import type { CertificateLook } from "../../core/model/network.ts";
import type { Network } from "../../ports/network.ts";

const PATIENCE_MS = 5000;

/** Names below `localhost` mean this machine (RFC 6761 §6.3); not every system's resolver knows that. */
const isLocal = (host: string): boolean => /^([\w-]{1,63}\.)+localhost\.?$/i.test(host);

/** Names as this machine looks them up, and connections of its own. */
export const systemNetwork: Network = {
  lookUp: async (host) => {
    if (isLocal(host)) return { addresses: ["127.0.0.1"] };
    try {
      const found = await lookup(host.replace(/^\[|\]$/g, ""), { all: true });
      return { addresses: found.map(({ address }) => address) };
    } catch (error) {
      return { code: codeOf(error) };
    }
  },
  readCertificate: (host, port) =>
    new Promise((resolve) => {
      const named = isIP(host) === 0 ? { servername: host } : {};
      // Looked at whatever is wrong with it; nothing is sent.
      const socket = connect({
        host: isLocal(host) ? "127.0.0.1" : host,
        port,
        ...named,
        rejectUnauthorized: false,
        timeout: PATIENCE_MS,
      });
      const end = (look: CertificateLook): void => {
        socket.destroy();
        resolve(look);
      };
      socket.once("secureConnect", () => {
        end(toLook(socket));
      });
      socket.once("timeout", () => {
        end({ code: "ETIMEDOUT" });
      });
      socket.once("error", (error) => {
        const tls = findTlsFault(error);
        end({ code: codeOf(error), ...(tls && { tls }) });
      });
    }),
};

function toLook(socket: TLSSocket): CertificateLook {
  const { valid_to: until, subjectaltname: names = "", subject } = socket.getPeerCertificate();
  const fault: unknown = socket.authorizationError;
  const listed = names.split(/,\s*/).map((name) => name.replace(/^[^:]+:/, ""));
  return {
    untilMs: Date.parse(until),
    names: names === "" ? [String(subject.CN)] : listed,
    ...(socket.authorized ? {} : { fault: codeOf(fault) }),
  };
}

const codeOf = (error: unknown): string =>
  typeof error === "string" ? error : ((error as { code?: string } | null)?.code ?? String(error));

import { findTlsFault } from "../../core/model/tls-fault.ts";
import { request as httpsRequest } from "node:https";
import { createAgent, findProxy, showProxy } from "./agents.ts";
import { lookup } from "node:dns/promises";
import { isIP } from "node:net";
import { connect, TLSSocket } from "node:tls";
import type { CertificateLook } from "../../core/model/network.ts";
import type { Network } from "../../ports/network.ts";

const PATIENCE_MS = 5000;

/** Names below `localhost` mean this machine (RFC 6761 §6.3); not every system's resolver knows that. */
const isLocal = (host: string): boolean => /^([\w-]{1,63}\.)+localhost\.?$/i.test(host);

/** Names as this machine looks them up, and connections of its own. */
export const systemNetwork: Network = {
  findProxy: (url) => {
    const proxy = findProxy(url);
    return proxy === undefined ? undefined : showProxy(proxy);
  },
  lookUp: async (host) => {
    if (isLocal(host)) return { addresses: ["127.0.0.1"] };
    try {
      const found = await lookup(host.replace(/^\[|\]$/g, ""), { all: true });
      return { addresses: found.map(({ address }) => address) };
    } catch (error) {
      return { code: codeOf(error) };
    }
  },
  readCertificate: (name, port) => {
    const url = `https://${name}:${port}`;
    return findProxy(url) === undefined ? readDirectly(name.replace(/^\[|\]$/g, ""), port) : readByProxy(url);
  },
};

/** Looked at whatever is wrong with it; nothing is sent. */
const LOOK = { rejectUnauthorized: false, timeout: PATIENCE_MS };

function readDirectly(host: string, port: number): Promise<CertificateLook> {
  return new Promise((resolve) => {
    const named = isIP(host) === 0 ? { servername: host } : {};
    const socket = connect({ host: isLocal(host) ? "127.0.0.1" : host, port, ...named, ...LOOK });
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
    socket.once("error", (error: Error) => {
      end(toFault(error));
    });
  });
}

/** A proxy sees the name, and the server no more than that somebody has come. */
function readByProxy(url: string): Promise<CertificateLook> {
  const agent = createAgent(url, { sockets: 1, keepAlive: false });
  return new Promise((resolve) => {
    const request = httpsRequest(url, { ...LOOK, method: "HEAD", agent });
    const end = (look: CertificateLook): void => {
      request.destroy();
      resolve(look);
    };
    request.once("socket", (socket) => {
      socket.once("secureConnect", () => {
        if (socket instanceof TLSSocket) end(toLook(socket));
      });
    });
    request.once("timeout", () => {
      end({ code: "ETIMEDOUT" });
    });
    request.on("error", (error) => {
      end(toFault(error));
    });
    request.end();
  });
}

function toFault(error: Error): CertificateLook {
  const tls = findTlsFault(error);
  const code = codeOf(error);
  return { code, ...(tls && { tls }), ...(code === "EPROXY" && { proxy: error.message }) };
}

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

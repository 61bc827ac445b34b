import { Agent as HttpAgent } from "node:http";
import { Agent as HttpsAgent } from "node:https";
import { BlockList, isIP } from "node:net";
import { HttpProxyAgent } from "http-proxy-agent";
import { HttpsProxyAgent } from "https-proxy-agent";
import { getProxyForUrl } from "proxy-from-env";

/** A proxy that is not there, or that refuses. Its message names it, without what it is asked with. */
class ProxyError extends Error {
  readonly code = "EPROXY";
}

const OWN = new BlockList();
OWN.addSubnet("127.0.0.0", 8);
OWN.addAddress("::1", "ipv6");

/** Whether an address is of this machine itself: no proxy leads there, as in browsers. */
function isOwn(hostname: string): boolean {
  const host = hostname.replace(/^\[|\]$/g, "");
  const family = isIP(host);
  return family === 0 ? /(^|\.)localhost\.?$/i.test(host) : OWN.check(host, family === 6 ? "ipv6" : "ipv4");
}

/**
 * The proxy that the environment names for an address (`HTTPS_PROXY`, `HTTP_PROXY`, `ALL_PROXY`, `NO_PROXY`, in either
 * case); undefined: none.
 */
export function findProxy(url: string): string | undefined {
  if (isOwn(new URL(url).hostname)) return undefined;
  const proxy = getProxyForUrl(url);
  if (proxy === "") return undefined;
  const bare = proxy.slice(proxy.indexOf("://") + 3);
  // One that is named without a scheme is asked over plain http, whatever it is asked for.
  const isBare = Object.entries(process.env).some(
    ([name, value]) => /^(https?|all)_proxy$/i.test(name) && value === bare,
  );
  return isBare ? `http://${bare}` : proxy;
}

/** A proxy's address as it may be shown: without a user's name and password. */
export function showProxy(proxy: string): string {
  try {
    const { protocol, host } = new URL(proxy);
    return `${protocol}//${host}`;
  } catch {
    return "an address that can't be read";
  }
}

export interface AgentOptions {
  /** Connections at a time to one address. */
  readonly sockets: number;
  /** Through a proxy over a tunnel in any case: where the `Host` header is not the one that is asked. */
  readonly isTunnel?: boolean;
  /** Whether a connection is left open for the next request; absent: it is. */
  readonly keepAlive?: boolean;
}

/** Connections to an address, through the proxy that the environment names for it. */
export function createAgent(
  url: string,
  { sockets, isTunnel = false, keepAlive = true }: AgentOptions,
): HttpAgent {
  const options = { keepAlive, maxSockets: sockets };
  const proxy = findProxy(url);
  const isSecure = url.startsWith("https:");
  if (proxy === undefined) return isSecure ? new HttpsAgent(options) : new HttpAgent(options);
  if (!/^https?:\/\/./.test(proxy) || !URL.canParse(proxy)) return new NoAgent(proxy, options);
  return isSecure || isTunnel ? new Tunnel(proxy, options) : new Forward(proxy, options);
}

type Connect = HttpsProxyAgent<string>["connect"];
type ConnectCall = Parameters<Connect>;

/** Through the proxy with CONNECT (RFC 9110 §9.3.6): it sees the name and nothing else. */
class Tunnel extends HttpsProxyAgent<string> {
  override async connect(...[request, options]: ConnectCall): ReturnType<Connect> {
    let status = 200;
    request.once("proxyConnect", (answer: { readonly statusCode: number }) => (status = answer.statusCode));
    const socket = await super.connect(request, options).catch((error: unknown) => {
      throw toProxyError(this.proxy, error);
    });
    if (status === 200) return socket;
    // Its refusal must not pass for an answer of whoever was to be asked.
    socket.destroy();
    throw new ProxyError(`the proxy ${showProxy(this.proxy.href)} refused with ${status}`);
  }
}

/** Through the proxy with the whole address in the request line (RFC 9112 §3.2.2). */
class Forward extends HttpProxyAgent<string> {
  override async connect(
    ...call: Parameters<HttpProxyAgent<string>["connect"]>
  ): ReturnType<HttpProxyAgent<string>["connect"]> {
    return super.connect(...call).catch((error: unknown) => {
      throw toProxyError(this.proxy, error);
    });
  }
}

const toProxyError = (proxy: URL, error: unknown): ProxyError => {
  const { code, message } = error as NodeJS.ErrnoException;
  return new ProxyError(`the proxy ${showProxy(proxy.href)} can't be reached: ${code ?? message}`, {
    cause: error,
  });
};

/** In the place of a proxy of another kind: whoever asks is told. */
class NoAgent extends HttpAgent {
  /** It stands for those of both schemes. */
  readonly protocol = undefined;

  constructor(
    private readonly proxy: string,
    options: object,
  ) {
    super(options);
  }

  override createConnection(): never {
    throw new ProxyError(
      `the environment names ${showProxy(this.proxy)} as the proxy, and only http:// and https:// ones can be used`,
    );
  }
}

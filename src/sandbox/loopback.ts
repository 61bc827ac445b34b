import type { IncomingMessage, RequestListener, ServerResponse } from "node:http";

/** Names of this machine, and those that nobody can register (RFC 6761 §6, RFC 2606 §2), for whoever plays a public site. */
const OWN_NAMES =
  /^(127(\.\d{1,3}){3}|\[::1\]|localhost|([\w-]+\.)+(localhost|example|test|invalid))\.?(:\d+)?$/i;

/**
 * Answers only what was meant for this machine. A page somewhere on the web can let its own name lead to loopback; what its
 * visitor's browser then asks under that name is refused (421, RFC 9110 §15.5.20).
 */
export const forLoopback =
  (listener: RequestListener): RequestListener =>
  (request: IncomingMessage, response: ServerResponse & { req: IncomingMessage }) => {
    const { host } = request.headers;
    if (host === undefined || OWN_NAMES.test(host)) {
      listener(request, response);
      return;
    }
    request.resume();
    response.writeHead(421, { "content-type": "text/plain" }).end("this is a sandbox on another machine\n");
  };

import type { IncomingMessage, RequestListener, ServerResponse } from "node:http";
import { isOwnName } from "../serving/own-names.ts";

/**
 * Answers only what was meant for this machine. A page somewhere on the web can let its own name lead to loopback; what its
 * visitor's browser then asks under that name is refused (421, RFC 9110 §15.5.20).
 */
export const forLoopback =
  (listener: RequestListener): RequestListener =>
  (request: IncomingMessage, response: ServerResponse & { req: IncomingMessage }) => {
    if (isOwnName(request.headers.host)) {
      listener(request, response);
      return;
    }
    request.resume();
    response.writeHead(421, { "content-type": "text/plain" }).end("this is a sandbox on another machine\n");
  };

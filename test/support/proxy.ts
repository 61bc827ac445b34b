import { once } from "node:events";
import { createServer, request, type IncomingMessage, type ServerResponse } from "node:http";
import { createServer as createSecureServer } from "node:https";
import { connect, type AddressInfo, type Socket } from "node:net";
import type { Certificate } from "../../src/serving/certificate.ts";

export interface RunningProxy {
  readonly port: number;
  /** What it was asked for since the last call, without paths: `CONNECT a:1`, `GET b:2`. */
  takeLog(): string[];
  close(): void;
}

/**
 * A small proxy of a company's network on loopback: it knows names that nobody else does, each of them this machine, takes
 * whole addresses and CONNECT (RFC 9110 §7.6.3, §9.3.6), and lets in who has the user's name and password.
 */
export async function startProxy(user: string): Promise<RunningProxy> {
  const log: string[] = [];
  const wanted = `Basic ${Buffer.from(user).toString("base64")}`;
  const isKnown = (message: IncomingMessage): boolean => message.headers["proxy-authorization"] === wanted;
  const server = createServer((message, answer) => {
    const url = new URL(message.url ?? "");
    log.push(`${message.method ?? ""} ${url.host}`);
    if (isKnown(message))
      forward(
        message,
        answer,
        Number(url.port),
        message.headers.authorization === undefined ? HERE : undefined,
      );
    else answer.writeHead(407, { "proxy-authenticate": "Basic" }).end();
  });
  server.on("connect", (message: IncomingMessage, socket: Socket, head: Buffer) => {
    log.push(`CONNECT ${message.url ?? ""}`);
    if (!isKnown(message)) {
      socket.end("HTTP/1.1 407 Proxy Authentication Required\r\n\r\n");
      return;
    }
    const far = connect(Number(message.url?.split(":").at(-1)), "127.0.0.1", () => {
      socket.write("HTTP/1.1 200 OK\r\n\r\n");
      far.write(head);
      socket.pipe(far).pipe(socket);
    });
    for (const one of [socket, far])
      one.on("error", () => {
        socket.destroy();
        far.destroy();
      });
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const { port } = server.address() as AddressInfo;
  return {
    port,
    takeLog: () => log.splice(0),
    close: () => {
      server.close();
      server.closeAllConnections();
    },
  };
}

/** Passes a request on to this machine. @param host the name that it is asked by there; absent: as it came */
function forward(message: IncomingMessage, answer: ServerResponse, port: number, host?: string): void {
  const { pathname, search } = new URL(message.url ?? "", "http://any");
  const { method } = message;
  const headers = { ...message.headers, ...(host !== undefined && { host }) };
  const passed = request(
    { host: "127.0.0.1", port, method, headers, path: pathname + search },
    (response) => {
      answer.writeHead(response.statusCode ?? 502, response.rawHeaders);
      response.pipe(answer);
    },
  );
  passed.on("error", () => answer.destroy());
  message.pipe(passed);
}

/** The sandbox's edge answers to no other name. */
const HERE = "localhost";

/**
 * A server before one of this machine. @returns its port, and what ends it
 * @param certificate for TLS; undefined: it speaks plain http, and asks by a name that the sandbox's edge answers to
 */
export async function startBefore(
  to: number,
  certificate?: Certificate,
): Promise<{ readonly port: number; readonly close: () => void }> {
  const pass = (message: IncomingMessage, answer: ServerResponse): void => {
    forward(message, answer, to, certificate ? undefined : HERE);
  };
  const server = certificate ? createSecureServer(certificate, pass) : createServer(pass);
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  return {
    port: (server.address() as AddressInfo).port,
    close: () => {
      server.close();
      server.closeAllConnections();
    },
  };
}

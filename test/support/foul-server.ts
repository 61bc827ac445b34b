import { once } from "node:events";
import { createServer, type RequestListener, type Server } from "node:http";
import type { AddressInfo } from "node:net";

const open: Server[] = [];
afterAll(() => {
  for (const server of open) {
    server.closeAllConnections();
    server.close();
  }
});

/** A server that answers as it likes, gone at the end of the test file. @returns its address */
export async function startFoulServer(listener: RequestListener): Promise<string> {
  const server = createServer(listener);
  open.push(server);
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

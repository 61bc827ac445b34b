import { startFoulServer } from "../../../test/support/foul-server.ts";
import { createHttpSite } from "./http-site.ts";

const MEGABYTE = 1_000_000;

/** How often an address is asked for that tells of so many bytes, and whether there is an answer. */
async function ask(bytes: number, largest: number): Promise<unknown> {
  let asked = 0;
  const url = await startFoulServer((_, response) => {
    asked += 1;
    response.writeHead(200, { "content-length": bytes }).end(Buffer.alloc(bytes));
  });
  const site = createHttpSite(url, { stop: () => undefined, largest: () => largest });
  const answer = await site.ask("/film.webm");
  site.close();
  return [answer !== undefined, asked];
}

test("an answer that is far larger than any file of the site is given up, and not asked for again", async () => {
  expect(await ask(5 * MEGABYTE, 3 * MEGABYTE)).toEqual([true, 1]);
  expect(await ask(5 * MEGABYTE, 1)).toEqual([false, 1]);
  // Where nobody has seen yet what the site holds, more is taken.
  expect(await ask(5 * MEGABYTE, 0)).toEqual([true, 1]);
});

test("a connection that is closed without an answer is tried a second time", async () => {
  let asked = 0;
  const url = await startFoulServer((request, response) => {
    asked += 1;
    if (asked === 1) request.socket.destroy();
    else response.end("ferry");
  });
  const site = createHttpSite(url);
  expect([(await site.ask("/"))?.status, asked]).toEqual([200, 2]);
  site.close();
});

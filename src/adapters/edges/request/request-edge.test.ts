import { once } from "node:events";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { BELIEVED } from "../../../../test/support/edges.ts";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError } from "../../../ports/edge.ts";
import { composeRequests, findLack, type RequestForm } from "./compose.ts";
import { createRequestEdge, type RequestEdgeSettings } from "./request-edge.ts";

const FORM: RequestForm = {
  ...{ endpoint: "http://edge/forget", method: "POST", by: "json", under: "urls", as: "url", besides: {} },
  ...{ most: 2, trees: { star: true } },
};
const ASKED = ["/", "/a b", "/fares/*", "/c?"];

test.each<[string, Partial<RequestForm>, string[]]>([
  ["a list in JSON, cut where it is full", {}, ['{"urls":["http://www/","http://www/a b"]}', '{"urls":["http://www/c?","http://www/fares/*"]}']],
  ["wildcards under a name of their own, without the star", { trees: { under: "prefixes", star: false }, as: "host" }, ['{"urls":["www/","www/a b"]}', '{"urls":["www/c?"]}', '{"prefixes":["www/fares/"]}']],
  ["fields of a form", { by: "form", under: "path", as: "path", besides: { soft: false }, most: 9 }, ["soft=false&path=%2F&path=%2Fa+b&path=%2Fc%3F&path=%2Ffares%2F*"]],
  ["what asks for everything stays away where not everything is due", { everything: { besides: { all: true } }, most: 9 }, ['{"urls":["http://www/","http://www/a b","http://www/c?","http://www/fares/*"]}']],
])("%s", (_, form, bodies) => {
  expect(composeRequests(ASKED, { ...FORM, ...form }, "http://www").map(({ body }) => body)).toEqual(bodies);
}); // prettier-ignore

test("everything at once takes the place of all addresses; one address a request goes into the endpoint", () => {
  const everything = { ...FORM, besides: { soft: true }, everything: { besides: { all: 1 } } };
  expect(composeRequests(["/a", "/*"], everything, "http://www")).toEqual([
    { url: "http://edge/forget", method: "POST", type: "application/json", body: '{"soft":true,"all":1}' },
  ]);
  const each = (endpoint: string, as: RequestForm["as"]) =>
    composeRequests(["/a/?b", "/c"], { ...FORM, endpoint, as, method: "DELETE", by: "endpoint" }, "http://www");
  expect(each("http://edge/x?of={address}", "url")).toEqual([
    { url: "http://edge/x?of=http%3A%2F%2Fwww%2Fa%2F%3Fb", method: "DELETE" },
    { url: "http://edge/x?of=http%3A%2F%2Fwww%2Fc", method: "DELETE" },
  ]);
  expect(each("http://edge/x/{address}", "path").map(({ url }) => url)).toEqual(["http://edge/x/a/?b", "http://edge/x/c"]);
}); // prettier-ignore

test.each<[number, string, string | undefined]>([
  [200, '{"result":{"ok":true}}', undefined],
  [200, '{"result":{"ok":false}}', "result.ok is false"],
  [200, "[]", "result.ok is missing"],
  [200, "done", "no JSON"],
  [202, '{"result":{"ok":true}}', "status 202"],
])("%i with %s lacks %s", (status, body, lack) => {
  expect(findLack(status, body, { status: [200], where: { "result.ok": true } })).toBe(lack);
});

/** Time passes only where somebody waits. */
function createClock(): Clock & { readonly slept: number[] } {
  let ms = 0;
  const slept: number[] = [];
  const sleep = (length: number): Promise<void> => {
    slept.push(length);
    ms += length;
    return Promise.resolve();
  };
  return { slept, sleep, monotonicMs: () => ms, now: () => new Date(ms), random: () => 0.5, every: () => () => undefined };
} // prettier-ignore

async function meet(answers: readonly [number, string, Record<string, string>?][], changes: Partial<RequestEdgeSettings> = {}) {
  const asked: string[] = [];
  const server = createServer((request, response) => {
    let body = "";
    request.on("data", (part) => (body += String(part)));
    request.on("end", () => {
      const [status, text, headers = {}] = answers[Math.min(asked.length, answers.length - 1)] ?? [500, ""];
      asked.push(`${request.method} ${request.headers.authorization ?? ""} ${body}`);
      response.writeHead(status, headers).end(text);
    });
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const clock = createClock();
  const settings = { ...FORM, name: "far", identity: "far", confirmation: BELIEVED, headers: { Authorization: "Bearer t" }, origin: "http://www", pace: 4, done: { status: [200], where: {} }, patterns: "none" as const, worth: 0, ...changes };
  const endpoint = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  const edge = createRequestEdge({ ...settings, endpoint }, { clock });
  const outcome = await edge.forget({ patterns: ["/a", "/b", "/c", "/d", "/e"], run: "r" }).then(() => "done", (error: unknown) => (error as EdgeError).failure); // prettier-ignore
  server.closeAllConnections();
  server.close();
  return { asked, outcome, slept: clock.slept };
} // prettier-ignore

test("it is asked no faster than it allows, with its headers", async () => {
  const { asked, outcome, slept } = await meet([[200, ""]]);
  expect(outcome).toBe("done");
  expect(asked).toEqual(['POST Bearer t {"urls":["http://www/a","http://www/b"]}', 'POST Bearer t {"urls":["http://www/c","http://www/d"]}', 'POST Bearer t {"urls":["http://www/e"]}']);
  expect(slept).toEqual([250, 250]);
}); // prettier-ignore

test("what passes is tried again, no sooner than it says; what does not is told", async () => {
  const busy = await meet([[429, "", { "retry-after": "7" }], [503, ""], [200, ""]], { most: 9 });
  expect([busy.outcome, busy.asked.length, busy.slept[0]]).toEqual(["done", 3, 7000]);
  expect((await meet([[403, ""]])).outcome).toMatchObject({ kind: "denied", status: 403 });
  expect((await meet([[302, "", { location: "http://127.0.0.1:9/" }]])).outcome).toMatchObject({ kind: "refused-purge", status: 302 });
  expect((await meet([[200, '{"ok":0}']], { done: { status: [200], where: { ok: 1 } } })).outcome).toMatchObject({ kind: "other", answer: "it answered 200, but ok is 0" });
  const down = await meet([[500, ""]]);
  expect([down.outcome, down.asked.length > 2]).toEqual([expect.objectContaining({ kind: "refused-purge", status: 500 }), true]);
}); // prettier-ignore

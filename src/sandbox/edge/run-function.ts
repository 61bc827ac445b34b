import type { IncomingHttpHeaders } from "node:http";
import { createContext, Script } from "node:vm";

/** A request as a function gets it, and may change it. */
export interface FunctionRequest {
  readonly method: string;
  /** Percent-encoded, without a query. */
  readonly uri: string;
  /** Without its mark; empty: none. */
  readonly query: string;
  readonly headers: IncomingHttpHeaders;
}

export interface FunctionAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
}

type Value = Readonly<{ value: string; multiValue?: readonly { readonly value: string }[] }>;
type Handler = (event: unknown) => unknown;

const handlers = new Map<string, Handler>();
const MOST_HANDLERS = 100;
/** Milliseconds, by the clock on the wall: it ends what never would, and must not end what a busy machine holds up. */
const MOST_TIME = 10_000;

/** Runs the code of a viewer function for one request. @returns the path that is looked for, or an answer. Throws what it throws. */
export function runFunction(
  code: string,
  request: FunctionRequest,
): { readonly uri: string } | FunctionAnswer {
  const event = {
    version: "1.0",
    context: { eventType: "viewer-request" },
    viewer: { ip: "127.0.0.1" },
    request: {
      ...{ method: request.method, uri: request.uri, cookies: {} },
      querystring: toQuery(request.query),
      headers: toValues(request.headers),
    },
  };
  // What it returns comes from another realm: only plain data is taken over.
  const result = JSON.parse(JSON.stringify(toHandler(code)(event) ?? null)) as FunctionResult | null;
  if (typeof result?.uri === "string") return { uri: result.uri };
  if (typeof result?.statusCode !== "number")
    throw new Error("the function returned neither a request nor an answer");
  const headers = Object.entries(result.headers ?? {}).map(([name, { value }]) => [name, value]);
  return { status: result.statusCode, headers: Object.fromEntries(headers) as Record<string, string> };
}

interface FunctionResult {
  readonly uri?: unknown;
  readonly statusCode?: unknown;
  readonly headers?: Readonly<Record<string, Value>>;
}

function toHandler(code: string): Handler {
  const known = handlers.get(code);
  if (known) return known;
  const context = createContext({}, { codeGeneration: { strings: false, wasm: false } });
  new Script(code).runInContext(context, { timeout: MOST_TIME });
  const call = new Script("handler(event)");
  const handler: Handler = (event) => {
    context.event = event;
    return call.runInContext(context, { timeout: MOST_TIME });
  };
  if (handlers.size >= MOST_HANDLERS) handlers.clear();
  handlers.set(code, handler);
  return handler;
}

/** Names and values as they were sent. */
function toQuery(query: string): Record<string, Value> {
  const found: Record<string, Value> = {};
  for (const part of query.split("&").filter((one) => one !== "")) {
    const [name = "", value = ""] = part.split(/=(.*)/s);
    const known = found[name];
    found[name] = known
      ? { value: known.value, multiValue: [...(known.multiValue ?? [{ value: known.value }]), { value }] }
      : { value };
  }
  return found;
}

const toValues = (headers: IncomingHttpHeaders): Record<string, Value> =>
  Object.fromEntries(Object.entries(headers).map(([name, value]) => [name, { value: String(value) }]));

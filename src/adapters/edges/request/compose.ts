/** How an interface wants to be asked: where, by what, and in which words. */
export interface RequestForm {
  /** May hold `{address}`: then one address goes with each request. */
  readonly endpoint: string;
  readonly method: string;
  /** Where the addresses go: a list in JSON, fields of a form, or the endpoint itself. */
  readonly by: "json" | "form" | "endpoint";
  /** The name of the list, or of the field. */
  readonly under: string;
  /** How an address is written: whole, with its host and no scheme, or as a path. */
  readonly as: "url" | "host" | "path";
  /** What goes along with every request. */
  readonly besides: Values;
  /** Addresses that one request may hold. */
  readonly most: number;
  /** How wildcards are given; a star at the end stays where `star` says so. */
  readonly trees: { readonly under?: string | undefined; readonly star: boolean };
  /** What asks for everything at once, in the place of addresses; absent: nothing does. */
  readonly everything?: { readonly besides: Values } | undefined;
}

type Values = Readonly<Record<string, string | number | boolean>>;

/** One request, as it is sent. */
export interface Composed {
  readonly url: string;
  readonly method: string;
  readonly type?: string;
  readonly body?: string;
}

/**
 * The requests that ask for these patterns, in their order: exact addresses first, wildcards after them.
 * @param origin the scheme and the host of visitors' addresses
 */
export function composeRequests(patterns: readonly string[], form: RequestForm, origin: string): Composed[] {
  const isTree = (pattern: string): boolean => pattern.endsWith("*");
  if (form.everything && patterns.includes("/*"))
    return [composeOne({ ...form.besides, ...form.everything.besides }, [], form)];
  const exact = patterns.filter((pattern) => !isTree(pattern)).map((path) => write(path, form, origin));
  const trees = patterns
    .filter(isTree)
    .map((path) => write(form.trees.star ? path : path.slice(0, -1), form, origin));
  const under = form.trees.under ?? form.under;
  if (under === form.under) return cut([...exact, ...trees], form).map((some) => composeSome(some, form));
  return [
    ...cut(exact, form).map((some) => composeSome(some, form)),
    ...cut(trees, form).map((some) => composeSome(some, { ...form, under })),
  ];
}

function write(path: string, { as }: RequestForm, origin: string): string {
  if (as === "path") return path;
  return (as === "host" ? new URL(origin).host : origin) + path;
}

function cut(addresses: readonly string[], { by, most }: RequestForm): string[][] {
  const size = by === "endpoint" ? 1 : most;
  const parts: string[][] = [];
  for (let from = 0; from < addresses.length; from += size) parts.push(addresses.slice(from, from + size));
  return parts;
}

function composeSome(addresses: readonly string[], form: RequestForm): Composed {
  if (form.by !== "endpoint") return composeOne(form.besides, addresses, form);
  return { ...composeOne(form.besides, [], form), url: fillIn(form.endpoint, addresses[0] ?? "") };
}

/** In a query an address is encoded whole; in a path it stands as it is. */
const fillIn = (endpoint: string, address: string): string =>
  endpoint.replace("{address}", (_, at: number) =>
    endpoint.slice(0, at).includes("?") ? encodeURIComponent(address) : address.replace(/^\//, ""),
  );

function composeOne(besides: Values, addresses: readonly string[], form: RequestForm): Composed {
  const { endpoint: url, method, by, under } = form;
  if (by === "form") {
    const fields = new URLSearchParams(
      Object.entries(besides).map(([name, value]): [string, string] => [name, String(value)]),
    );
    for (const address of addresses) fields.append(under, address);
    return { url, method, type: "application/x-www-form-urlencoded", body: fields.toString() };
  }
  const data = { ...besides, ...(addresses.length > 0 ? { [under]: addresses } : {}) };
  if (by === "endpoint" && Object.keys(data).length === 0) return { url, method };
  return { url, method, type: "application/json", body: JSON.stringify(data) };
}

/** What means that it was done: a status, and what the fields of its JSON hold (`result.ok`). */
export interface DoneRule {
  readonly status: readonly number[];
  readonly where: Values;
}

/** What an answer lacks to mean 'done'; undefined: nothing. */
export function findLack(
  status: number,
  body: string,
  { status: right, where }: DoneRule,
): string | undefined {
  if (!right.includes(status)) return `status ${status}`;
  const wanted = Object.entries(where);
  if (wanted.length === 0) return undefined;
  let data: unknown;
  try {
    data = JSON.parse(body);
  } catch {
    return "no JSON";
  }
  const wrong = wanted.find(([path, value]) => String(valueAt(data, path)) !== String(value));
  if (!wrong) return undefined;
  const found = valueAt(data, wrong[0]);
  return `${wrong[0]} is ${found === undefined ? "missing" : JSON.stringify(found)}`;
}

const valueAt = (data: unknown, path: string): unknown =>
  path
    .split(".")
    .reduce<unknown>(
      (node, name) =>
        typeof node === "object" && node !== null
          ? (node as Readonly<Record<string, unknown>>)[name]
          : undefined,
      data,
    );

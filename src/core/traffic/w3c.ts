import { readCacheWord, splitTarget, toNumber, toText, type LineReader } from "./line.ts";

/** Names of fields that say what a line needs, the best first. Names are compared without regard to case. */
const NAMES = {
  date: ["date"],
  time: ["time"],
  method: ["cs-method"],
  path: ["cs-uri-stem", "cs-uri"],
  query: ["cs-uri-query"],
  status: ["sc-status"],
  bytes: ["sc-bytes", "bytes"],
  seconds: ["time-taken"],
  // What a cache did first, before what became of the answer on its way.
  cache: [
    "x-cache-status",
    "cache-status",
    "sc(cache-status)",
    "x-cache",
    "sc(x-cache)",
    "x-edge-result-type",
    "cached",
  ],
  referrer: ["cs(referer)", "cs(referrer)"],
  agent: ["cs(user-agent)"],
} as const;

type Field = keyof typeof NAMES;

/**
 * Reads lines of the W3C extended log file format (W3C working draft WD-logfile-960323): columns as `#Fields` names them,
 * times in UTC. Columns that nothing is known of, those with visitors' addresses among them, are passed over.
 * @returns a reader that gives undefined for a line that has other columns
 */
export function createColumnReader(fields: readonly string[]): LineReader {
  const names = fields.map((name) => name.toLowerCase());
  const placeOf = (field: Field): number => {
    const [name] = NAMES[field].filter((one) => names.includes(one));
    return name === undefined ? -1 : names.indexOf(name);
  };
  const [date, time, method, target] = [placeOf("date"), placeOf("time"), placeOf("method"), placeOf("path")];
  const [query, status, bytes, seconds] = [
    placeOf("query"),
    placeOf("status"),
    placeOf("bytes"),
    placeOf("seconds"),
  ];
  const [cache, referrer, agent] = [placeOf("cache"), placeOf("referrer"), placeOf("agent")];
  const places = [date, time, method, target, query, status, bytes, seconds, cache, referrer, agent];
  const needed = Array.from({ length: Math.max(...places) + 1 }, (_, place) => places.includes(place));
  const readTime = createTimeReader();
  return (line) => {
    const texts = splitColumns(line.endsWith("\r") ? line.slice(0, -1) : line, needed);
    if (texts.length < needed.length) return undefined;
    const atMs = readTime(texts[date] ?? "", texts[time] ?? "");
    const asked = texts[target] ?? "";
    if (Number.isNaN(atMs) || asked === "") return undefined;
    const { path, hasQuery } = splitTarget(asked);
    const took = Number(texts[seconds] ?? NaN);
    return {
      atMs,
      path,
      method: texts[method] ?? "",
      hasQuery: hasQuery || toText(texts[query] ?? "") !== "",
      status: toNumber(texts[status] ?? ""),
      bytes: toNumber(texts[bytes] ?? ""),
      seconds: took >= 0 ? took : undefined,
      cache: readCacheWord(texts[cache] ?? ""),
      referrer: toText(texts[referrer] ?? ""),
      agent: toText(texts[agent] ?? ""),
    };
  };
}

/**
 * Tabs or spaces between; a text in quotes may hold spaces, and has its quotes doubled. Most of a log's time is spent here, so
 * columns that nobody needs are passed over, and those behind the last one that is needed are not looked at.
 * @param needed whether each column is
 */
function splitColumns(line: string, needed: readonly boolean[]): readonly string[] {
  const between = line.includes("\t") ? "\t" : " ";
  if (between === " " && line.includes('"')) return splitQuoted(line);
  const found: string[] = [];
  let start = 0;
  for (const isNeeded of needed) {
    const next = line.indexOf(between, start);
    const end = next === -1 ? line.length : next;
    found.push(isNeeded ? line.slice(start, end) : "");
    if (next === -1) break;
    start = end + 1;
  }
  return found;
}

const splitQuoted = (line: string): string[] =>
  (line.match(/"(?:[^"]|"")*"|[^ ]+/g) ?? []).map((text) =>
    text.startsWith('"') ? text.slice(1, -1).replace(/""/g, '"') : text,
  );

/** The end of the year 9999: later ones are no times of a log, and can't be told in ISO 8601. */
const MOST_MS = Date.UTC(10_000, 0);

/** Days are read once: lines of one day stand together. */
function createTimeReader(): (date: string, time: string) => number {
  let [known, dayMs] = ["", NaN];
  return (date, time) => {
    if (date !== known) [known, dayMs] = [date, Date.parse(`${date}T00:00:00Z`)];
    if (time.length < 8 || time[2] !== ":" || time[5] !== ":") return NaN;
    const [hours, minutes] = [Number(time.slice(0, 2)), Number(time.slice(3, 5))];
    const atMs = dayMs + ((hours * 60 + minutes) * 60 + Number(time.slice(6))) * 1000;
    return atMs >= 0 && atMs < MOST_MS ? atMs : NaN;
  };
}

import { readCacheWord, splitTarget, toNumber, toText, type LineReader, type LogLine } from "./line.ts";
import { createColumnReader } from "./w3c.ts";

/**
 * Reads the lines of one file, whatever its format: W3C extended (its `#Fields` say which), common and combined, and the
 * server logs of object stores. The format may change from line to line, as where files were put together.
 */
export function createLineReader(): LineReader {
  let columns: LineReader | undefined;
  return (line) => {
    if (line === "" || line === "\r") return undefined;
    if (line.startsWith("#")) {
      const fields = /^#Fields:\s*(.+)/i.exec(line)?.[1];
      if (fields !== undefined) columns = createColumnReader(fields.trim().split(/\s+/));
      return undefined;
    }
    return columns?.(line) ?? readBracketed(line) ?? "unreadable";
  };
}

const MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

/** Common, combined, and what stores write: all have the time in brackets, and who asked before it, which is passed over. */
function readBracketed(line: string): LogLine | undefined {
  const start = line.indexOf("[");
  const end = line.indexOf("] ", start);
  if (start === -1 || end === -1) return undefined;
  const atMs = readTime(line.slice(start + 1, end));
  if (Number.isNaN(atMs)) return undefined;
  return line[end + 2] === '"' ? readCombined(atMs, line, end + 2) : readStoreLine(atMs, line, end + 2);
}

/** `"GET /news/ HTTP/1.1" 200 5316`, then perhaps referrer and agent, then what else somebody wanted. */
function readCombined(atMs: number, line: string, from: number): LogLine | undefined {
  const [request, after] = readQuoted(line, from);
  const [method = "", target = ""] = request.split(" ");
  const rest = line.slice(after);
  const numbers = /^ (\d{3}) (\d+|-)/.exec(rest);
  if (!numbers || target === "") return undefined;
  const [whole, status = "", bytes = ""] = numbers;
  const texts = tokensOf(rest.slice(whole.length));
  const [referrer = "", agent = ""] = texts.filter(({ isQuoted }) => isQuoted).map(({ text }) => text);
  const others = texts.slice(2).map(({ text }) => text);
  return {
    ...{ atMs, method, ...splitTarget(target), status: Number(status), bytes: toNumber(bytes) },
    seconds: readSeconds(others.find((text) => /^(?:\w+=)?\d+\.\d+$/.test(text))),
    cache: others.map(readCacheWord).find((cache) => cache !== "unknown") ?? "unknown",
    ...{ referrer: toText(referrer), agent: toText(agent) },
  };
}

/** Places in a store's log, counted from behind the time. */
const [KEY, REQUEST, STATUS, BYTES, TOTAL_MS, REFERRER, AGENT] = [4, 5, 6, 8, 10, 12, 13];
const OPERATION = 3;

/** Server logs of object stores: `address requester id operation key "request" status error bytes size total turn-around "referrer" "agent"`. */
function readStoreLine(atMs: number, line: string, from: number): LogLine | undefined {
  const texts = tokensOf(line.slice(from)).map(({ text }) => text);
  const operation = texts[OPERATION] ?? "";
  if (!/^(REST|WEBSITE)\./.test(operation)) return undefined;
  const key = texts[KEY] ?? "-";
  return {
    ...{ atMs, method: operation.split(".")[1] ?? "", path: key === "-" ? "/" : `/${encodeOnce(key)}` },
    hasQuery: (texts[REQUEST] ?? "").includes("?"),
    ...{ status: toNumber(texts[STATUS] ?? ""), bytes: toNumber(texts[BYTES] ?? "") },
    seconds: /^\d+$/.test(texts[TOTAL_MS] ?? "") ? Number(texts[TOTAL_MS]) / 1000 : undefined,
    cache: "unknown",
    ...{ referrer: toText(texts[REFERRER] ?? ""), agent: toText(texts[AGENT] ?? "") },
  };
}

/** Stores encode the key of the log a second time. */
const encodeOnce = (key: string): string => key.replace(/%25(?=[0-9A-Fa-f]{2})/g, "%").replace(/^\//, "");

interface Token {
  readonly text: string;
  readonly isQuoted: boolean;
}

/** Words between spaces; what stands in quotes is one. */
function tokensOf(text: string): Token[] {
  const found: Token[] = [];
  let at = 0;
  while (at < text.length) {
    if (text[at] === " ") at += 1;
    else if (text[at] === '"') {
      const [own, after] = readQuoted(text, at);
      found.push({ text: own, isQuoted: true });
      at = after;
    } else {
      const end = text.indexOf(" ", at);
      found.push({ text: text.slice(at, end === -1 ? text.length : end), isQuoted: false });
      at = end === -1 ? text.length : end;
    }
  }
  return found;
}

/** A quoted text and where it ends; `\"` does not end it. */
function readQuoted(text: string, from: number): [string, number] {
  let end = text.indexOf('"', from + 1);
  while (end > 0 && text[end - 1] === "\\") end = text.indexOf('"', end + 1);
  return end === -1 ? [text.slice(from + 1), text.length] : [text.slice(from + 1, end), end + 1];
}

/** `04/Mar/2026:14:20:05 +0100` in milliseconds since 1970; NaN: no time. */
function readTime(text: string): number {
  const [, day, month = "", year, hours, minutes, seconds, zone = "+0000"] =
    /^(\d{2})\/(\w{3})\/(\d{4}):(\d{2}):(\d{2}):(\d{2})(?: ([+-]\d{4}))?$/.exec(text) ?? [];
  const monthIndex = MONTHS.indexOf(month.toLowerCase());
  if (monthIndex === -1 || !(Number(day) >= 1 && Number(day) <= 31)) return NaN;
  const local = Date.UTC(
    ...([Number(year), monthIndex, Number(day)] as const),
    ...([Number(hours), Number(minutes), Number(seconds)] as const),
  );
  const away = (Number(zone.slice(1, 3)) * 60 + Number(zone.slice(3))) * 60_000;
  return zone.startsWith("-") ? local + away : local - away;
}

const readSeconds = (text: string | undefined): number | undefined =>
  text === undefined ? undefined : Number(text.slice(text.indexOf("=") + 1));

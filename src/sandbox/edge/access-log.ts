import { appendFileSync } from "node:fs";
import type { AccessLine } from "./point-of-presence.ts";

const FIELDS = [
  "date",
  "time",
  "x-point",
  "cs-method",
  "cs-uri-stem",
  "cs-uri-query",
  "sc-status",
  "sc-bytes",
  "time-taken",
  "x-cache-status",
  "cs(Referer)",
  "cs(User-Agent)",
];

/** What a signed address carries, and nobody should find in a log. */
const SIGNED = /(x-amz-(?:security-token|signature|credential)=)[^&]*/gi;

/** The edge's access log in the W3C extended log file format: directives first, then one line per request. */
export function openAccessLog(file: string): (line: AccessLine) => void {
  appendFileSync(file, `#Version: 1.0\n#Fields: ${FIELDS.join(" ")}\n`);
  return ({ point, method, path, query, status, bytes, seconds, cacheStatus, referrer, agent }) => {
    const [date = "", time = ""] = new Date().toISOString().slice(0, 19).split("T");
    const fields = [
      date,
      time,
      point,
      method,
      path,
      query.replace(SIGNED, "$1-"),
      status,
      bytes,
      seconds.toFixed(3),
      cacheStatus,
      referrer,
      agent,
    ];
    appendFileSync(file, `${fields.map((field) => toField(String(field))).join(" ")}\n`);
  };
}

const toField = (text: string): string => (text === "" ? "-" : text.replace(/[\s"]/g, "_"));

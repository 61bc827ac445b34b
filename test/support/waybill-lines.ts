import { WaybillReader } from "../../src/core/history/waybill.ts";
import type { Waybill } from "../../src/core/model/release.ts";

/** Reads a waybill from all its lines at once. Throws `record-unreadable`. */
export function parseWaybill(lines: Iterable<string>, key: string): Waybill {
  const reader = new WaybillReader(key);
  for (const line of lines) reader.add(line);
  return reader.end();
}

import { compareParcels } from "./compare.ts";
import { withdraw } from "./withdrawn.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import type { Waybill } from "../model/release.ts";
import type { Role } from "../model/role.ts";

const parcel = (key: string, role: Role, lastIn?: number): RecordedParcel => ({
  ...{ key, hash: key, storedHash: key, size: 1, headers: {}, role, etag: key },
  ...(lastIn !== undefined && { lastIn }),
});
const listed = (key: string): { key: string; size: number; etag: string; modifiedMs: number } => ({
  ...{ key, size: 1, etag: key, modifiedMs: 0 },
});

test("source maps that are left out now go, scripts stay for open tabs, and what went before is left to retention", () => {
  const waybill: Waybill = {
    ...{ site: "s", release: 2, run: "r", previous: 1, at: "", by: "" },
    parcels: [parcel("a.js", "asset"), parcel("a.js.map", "asset"), parcel("admin.js", "asset"), parcel("admin.html", "page"), parcel("b.map", "asset")],
    standing: [parcel("old.js.map", "asset", 1)],
  };
  const keys = ["a.js", "a.js.map", "admin.js", "admin.html", "b.map", "old.js.map"];
  const state = { waybill, listing: keys.map(listed), storeTimeMs: 0 };
  const before = compareParcels([parcel("a.js", "asset")], state);
  const { comparison, withdrawn } = withdraw(before, ["**/*.js.map", "admin.*"]);
  expect(withdrawn).toEqual({ going: ["a.js.map"], staying: ["admin.js"] });
  const shown = comparison.stale.map(({ recorded: { key, role } }) => `${key} ${role}`);
  expect(shown.sort()).toEqual(["a.js.map document", "admin.html page", "admin.js asset", "b.map asset", "old.js.map asset"]);
  expect(withdraw(before, [])).toEqual({ comparison: before, withdrawn: { going: [], staying: [] } });
}); // prettier-ignore

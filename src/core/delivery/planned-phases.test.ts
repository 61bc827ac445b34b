import type { Plan } from "../model/plan.ts";
import { listPlannedPhases } from "./planned-phases.ts";

const parcel = { size: 30 };
const request = { patterns: ["/a", "/b"] };
const plan = {
  phases: [
    { name: "stock", groups: [{ name: "assets", steps: [{ do: "send", parcel }, { do: "copy" }] }] },
    { name: "switch", groups: [{ name: "pages", steps: [{ do: "send", parcel }] }, { name: "removals", steps: [{ do: "remove" }] }] },
    { name: "keep", groups: [] },
  ],
  ...{ unmaskings: [], invalidations: [request, request], lateInvalidations: [] },
} as unknown as Plan; // prettier-ignore

test("what a run goes through, in its order: steps of all groups, bytes of what is sent, patterns of edges, nothing empty", () => {
  const stock = { phase: "stock", steps: 2, bytes: 30 };
  const ofPages = { phase: "switch", steps: 2, bytes: 30 };
  const asked = { phase: "invalidate", steps: 4, bytes: 0 };
  expect(listPlannedPhases(plan, true)).toEqual([
    stock,
    ofPages,
    { phase: "record", steps: 2, bytes: 0 },
    asked,
  ]);
  expect(listPlannedPhases(plan, false)).toEqual([stock, ofPages, asked]);
});

import type { TrafficResult } from "../../results/traffic.ts";
import { toPage } from "../page.ts";
import { drawHead, titleOf } from "./head.ts";
import { drawDeliveries, drawNeverHit } from "./hits.ts";
import { drawMissing } from "./missing.ts";
import { drawOverTime } from "./over-time.ts";
import { drawAddresses, drawGroups, drawReferrers } from "./requests.ts";

/** The page of what logs tell: one file that needs no other, and no script. @param style the look of our pages */
export const drawTraffic = (result: TrafficResult, site: string, style: string): string =>
  toPage(
    {
      title: `${titleOf(result)} – ${site}`,
      sections: [
        drawHead(result, site),
        drawOverTime(result),
        drawGroups(result),
        drawMissing(result),
        drawDeliveries(result),
        drawNeverHit(result),
        drawAddresses("asked", "Asked for most", result.addresses),
        drawAddresses("slow", "Slowest", result.slowest),
        drawReferrers(result),
      ],
      data: undefined,
    },
    { style, script: "" },
  );

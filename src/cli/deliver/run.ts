import { deliverBuild } from "../../library/steps.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import type { Arguments } from "../frame/command.ts";
import { toPicture } from "../frame/report.ts";
import { whileShown } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { toMaking } from "./show-run.ts";

/** `deliver`. */
export const runDeliver = (args: Arguments, terminal: Terminal): Promise<DeliveryResult> =>
  whileShown(args, terminal, (call, conduct) =>
    deliverBuild(call, conduct, { ...toMaking(args, terminal), onPicture: toPicture(args, terminal) }),
  );

import { parseReleaseName, type ReleaseName } from "../core/history/release-names.ts";
import type { Reporter } from "../ports/reporter.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import type { Report } from "../results/report.ts";
import type { Survey } from "../results/survey.ts";
import type { VerifyResult } from "../results/verification.ts";
import type { Target } from "../settings/target.ts";
import { listed } from "../words/text.ts";
import type { Call } from "../wiring/call.ts";
import { withElsewhere } from "../wiring/elsewhere.ts";
import type { RunTies } from "../wiring/open.ts";
import { withDelivery, withDestination, type Conduct } from "../wiring/session.ts";
import { openBuildOf, readGeneral } from "../wiring/wiring.ts";
import { compare } from "../workflows/compare.ts";
import { deliver } from "../workflows/deliver.ts";
import type { BuildOutlook } from "../workflows/outlook.ts";
import { redeliver } from "../workflows/redeliver.ts";
import { pictureDelivery } from "../workflows/report.ts";
import type { Asks, DeliverOptions } from "../workflows/run-release.ts";
import type { Stay } from "../workflows/run.ts";
import { survey } from "../workflows/survey.ts";
import { takeOver } from "../workflows/take-over.ts";
import { DEFAULT_SAMPLE, verify } from "../workflows/verify.ts";
import { whileTold } from "../workflows/while-told.ts";

/** What a step does with its result before it ends. */
interface Outcome<T> {
  /** Is told of the result; the store is still open. @param now the time of the run */
  readonly onResult?: ((result: T, now: Date) => void) | undefined;
}

interface Pictured {
  /** Takes the picture of it, which costs a little; absent: none is drawn. */
  readonly onPicture?: ((report: Report) => Promise<void>) | undefined;
}

/** Asks before the first write, where something is to be asked. Throws where the answer is no, or where nobody can be asked. */
export type Ask = (planned: DeliveryResult, asks: Asks & { readonly reason: string }) => Promise<void>;

/** How a release is made. */
export interface MakingOptions extends Outcome<DeliveryResult> {
  readonly dryRun: boolean;
  readonly all: boolean;
  /** How long to wait for another run to end, in seconds. */
  readonly queueSeconds: number;
  /** Absent: the answer is yes. */
  readonly ask?: Ask | undefined;
  /** Whether the site is asked afterwards, as visitors do. */
  readonly verify?: boolean | undefined;
}

/** The picture of a build, which no destination is asked for, and its folder. */
export async function surveyBuild(
  call: Call,
  report: Reporter = () => undefined,
): Promise<{ readonly result: Survey; readonly folder: string }> {
  const { siteRules, destination, ...target } = readGeneral(call);
  const { folder, source } = await openBuildOf(target, call);
  try {
    const look = (): Promise<Survey> => survey(source, siteRules, destination);
    return { folder, result: await whileTold(report, { code: "read", what: "build-alone" }, look) };
  } finally {
    source.close();
  }
}

/** What a delivery would do. */
export const compareBuild = (
  call: Call,
  conduct: Conduct,
  { all, onResult, onPicture }: { readonly all: boolean } & Outcome<DeliveryResult> & Pictured,
): Promise<DeliveryResult> =>
  withDelivery(call, conduct, async (delivery) => {
    let seen: BuildOutlook | undefined;
    const { report, clock } = delivery.run;
    const result = await compare(delivery, { all, see: (outlook) => (seen = outlook) });
    report({ event: "done", kind: "delivery", result });
    onResult?.(result, clock.now());
    await onPicture?.(await pictureDelivery(delivery, seen, result));
    return result;
  });

/** Makes a destination match a build. */
export const deliverBuild = (
  call: Call,
  conduct: Conduct,
  { onPicture, ...making }: MakingOptions & Pictured,
): Promise<DeliveryResult> =>
  withDelivery(call, conduct, async (delivery, target) => {
    let seen: BuildOutlook | undefined;
    const see = (outlook: BuildOutlook): void => {
      seen = outlook;
    };
    const result = await makeRelease(delivery, target, making, (options) =>
      deliver(delivery, { ...options, see }),
    );
    await onPicture?.(await pictureDelivery(delivery, seen, result));
    return result;
  });

/** A release to put back, or to take over. */
export interface WantedRelease {
  /** As people name it: `previous`, `5`, `staging:current`, `preview/spring-fares@2`. */
  readonly name: string;
  /** Whether contents of another store may come through this machine. */
  readonly isThroughHere: boolean;
}

/** Puts an earlier release back, or takes over that of a preview or of another destination. */
export const redeliverRelease = (
  call: Call,
  conduct: Conduct,
  { name, isThroughHere, ...making }: MakingOptions & WantedRelease,
): Promise<DeliveryResult> =>
  withDestination(call, conduct, (stay, target, ties) => {
    const parsed = parseReleaseName(name);
    const { preview, destination = target.destination } = parsed ?? {};
    if (parsed && (preview !== undefined || destination !== target.destination))
      return takeOverRelease(parsed, { call, stay, target, ties }, { isThroughHere, ...making });
    return makeRelease(stay, target, making, (options) => redeliver(stay, parsed?.release ?? name, options));
  });

interface TakingOver {
  readonly call: Call;
  readonly stay: Stay;
  readonly target: Target;
  readonly ties: RunTies;
}

const takeOverRelease = (
  name: ReleaseName,
  { ties, ...taking }: TakingOver,
  { isThroughHere, ...making }: MakingOptions & Pick<WantedRelease, "isThroughHere">,
): Promise<DeliveryResult> =>
  withElsewhere(name, taking, ties, (elsewhere) =>
    makeRelease(taking.stay, taking.target, making, (options) =>
      takeOver(taking.stay, { ...elsewhere, isThroughHere }, options),
    ),
  );

/** Makes a release: asks where it must, verifies where it is to, and tells what came of it. */
async function makeRelease(
  stay: Stay,
  target: Target,
  { ask, verify: isToVerify, onResult, ...options }: MakingOptions,
  task: (options: DeliverOptions) => Promise<DeliveryResult>,
): Promise<DeliveryResult> {
  const { report, clock, interruption } = stay.run;
  const delivered = await task({
    ...options,
    ...(ask && {
      confirm: async (planned, asks) => {
        const reason = showAskReason(target, asks);
        if (reason === undefined) return;
        interruption.assertGoesOn();
        await interruption.orStop(ask(planned, { ...asks, reason }));
      },
    }),
  });
  const isMade = isToVerify === true && !delivered.dryRun;
  const result = isMade ? { ...delivered, verification: await look(stay, target) } : delivered;
  report({ event: "done", kind: "delivery", result });
  onResult?.(result, clock.now());
  return result;
}

/** Why somebody is asked first; undefined: nobody is. */
function showAskReason({ destination, safety }: Target, { takesOver }: Asks): string | undefined {
  if (takesOver.length > 0)
    return `objects that others put at ${destination} would be written over: ${listed(takesOver)}`;
  return safety.ask ? `${destination} asks before the first write` : undefined;
}

async function look(
  stay: Stay,
  { expectedHeaders }: Target,
): Promise<NonNullable<DeliveryResult["verification"]>> {
  const { checked, findings } = await verify(stay, { sample: DEFAULT_SAMPLE, expectedHeaders });
  return { checked, findings };
}

/** Asks for what was delivered, as visitors do. */
export const verifySite = (
  call: Call,
  conduct: Conduct,
  { sample, onResult }: { readonly sample: number } & Outcome<VerifyResult>,
): Promise<VerifyResult> =>
  withDestination(call, conduct, async (stay, { expectedHeaders }) => {
    const { clock, report } = stay.run;
    const result = await verify(stay, { sample, expectedHeaders });
    report({ event: "done", kind: "verification", result });
    onResult?.(result, clock.now());
    return result;
  });

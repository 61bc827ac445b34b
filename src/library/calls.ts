import { resolve } from "node:path";
import { OperatorError } from "../core/model/failure.ts";
import type { DeliveryEvent } from "../ports/reporter.ts";
import type { Report } from "../results/report.ts";
import type { Call } from "../wiring/call.ts";
import { followSignal } from "../wiring/interruption.ts";
import { createRedactor, redactAll, type Redactor } from "../wiring/secrets.ts";
import type { Conduct } from "../wiring/session.ts";
import { DEFAULT_SAMPLE } from "../workflows/verify.ts";
import { CourierError, toOperatorError } from "./errors.ts";
import { toCourierEvent } from "./events.ts";
import { assertOptions, type OptionsOf, type StepName } from "./options.ts";
import { drawPage } from "./page.ts";
import type { DeliveryResult, Survey, VerifyResult } from "./schema-types.ts";
import type {
  CompareOptions,
  DeliverOptions,
  Listening,
  ReleaseOptions,
  ReportOptions,
} from "./step-options.ts";
import * as steps from "./steps.ts";

/** `survey` as scripts call it: options are checked, secrets stay hidden, failures are `CourierError`s. So are the others here. */
export const callSurvey = (options: OptionsOf["survey"]): Promise<Survey> =>
  runStep("survey", options, async ({ call, conduct }) => {
    const interruption = followSignal(conduct.signal);
    try {
      interruption.assertGoesOn();
      return (await interruption.orStop(steps.surveyBuild(call))).result;
    } finally {
      interruption.end();
    }
  });

/** `compare`. */
export const callCompare = (options: OptionsOf["compare"]): Promise<DeliveryResult> =>
  runStep("compare", options, (script) =>
    steps.compareBuild(script.call, script.conduct, {
      ...{ all: options.all ?? false, onPicture: toPicture(options, script) },
    }),
  );

/** `deliver`. */
export const callDeliver = (options: OptionsOf["deliver"]): Promise<DeliveryResult> =>
  runStep("deliver", options, (script) =>
    steps.deliverBuild(script.call, script.conduct, {
      ...{ ...toMaking(options, script), onPicture: toPicture(options, script), verify: options.verify },
    }),
  );

/** `verify`. */
export const callVerify = (options: OptionsOf["verify"]): Promise<VerifyResult> =>
  runStep("verify", options, ({ call, conduct }) =>
    steps.verifySite(call, conduct, { sample: options.sample ?? DEFAULT_SAMPLE }),
  );

/** `redeliver`. */
export const callRedeliver = (options: OptionsOf["redeliver"]): Promise<DeliveryResult> =>
  runStep("redeliver", options, (script) => {
    const { release: name, throughHere: isThroughHere = false } = options;
    return steps.redeliverRelease(script.call, script.conduct, {
      ...{ ...toMaking(options, script), name, isThroughHere },
    });
  });

/** One call of a script. */
interface Script {
  readonly call: Call;
  readonly conduct: Conduct;
  /** A function of the script: what it throws is thrown by the step as it is. */
  readonly guard: <T extends unknown[], R>(
    own: (...given: T) => R | Promise<R>,
  ) => (...given: T) => Promise<R>;
}

async function runStep<N extends StepName, T>(
  name: N,
  options: OptionsOf[N] & Listening,
  task: (script: Script) => Promise<T>,
): Promise<T> {
  const { redact, hide } = createRedactor(process.env);
  let own: { readonly thrown: unknown } | undefined;
  const stopping = new AbortController();
  const report = (event: DeliveryEvent): void => {
    if (own || !options.onEvent) return;
    try {
      options.onEvent(redactAll(toCourierEvent(event), redact));
    } catch (thrown) {
      own = { thrown };
      stopping.abort(thrown);
    }
  };
  const guard: Script["guard"] =
    (one) =>
    async (...given) => {
      try {
        return await one(...given);
      } catch (thrown) {
        own ??= { thrown };
        throw thrown;
      }
    };
  try {
    assertOptions(name, options);
    const signal = AbortSignal.any([stopping.signal, ...(options.signal ? [options.signal] : [])]);
    const call = toCall(options, { redact, hide });
    const result = redactAll(await task({ call, conduct: { report, signal }, guard }), redact);
    if (own) throw own.thrown;
    return result;
  } catch (thrown) {
    if (own) throw own.thrown;
    throw new CourierError(toOperatorError(thrown), redact);
  }
}

/** All that any step may say of what it is to work on. */
type Said = Partial<Omit<CompareOptions & DeliverOptions, "confirm">>;

const toCall = (
  { settings, folder = "", to, build, preview, allow = [], note, commit, sequence }: Said,
  { redact, hide }: Redactor,
): Call => ({
  ...{ environment: process.env, folder: resolve(folder), redact, hide, ownsProcess: false },
  ...{ settings, to, build, preview, allow, note, commit },
  sequence: sequence === undefined ? undefined : String(sequence),
});

const toMaking = (
  { dryRun = false, all = false, queueSeconds = 0, confirm }: ReleaseOptions,
  { guard }: Script,
): steps.MakingOptions => ({
  ...{ dryRun, all, queueSeconds },
  ask: async (planned, question) => {
    if (!confirm) throw new OperatorError("answer-needed", { reason: question.reason, yes: "confirm" });
    if (!(await guard(confirm)(planned, question))) throw new OperatorError("answered-no");
  },
});

function toPicture(
  { onReport }: ReportOptions,
  { guard }: Script,
): ((report: Report) => Promise<void>) | undefined {
  if (!onReport) return undefined;
  return async (report) => guard(onReport)(await drawPage(report));
}

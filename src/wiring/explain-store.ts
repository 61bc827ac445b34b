import { counted } from "../words/text.ts";
import { OperatorError, type FailureCode, type FailureData } from "../core/model/failure.ts";
import type { StoreAction } from "../core/model/store-action.ts";
import { StoreError, type StoreErrorKind } from "../ports/object-store.ts";
import { showAction, showRightFor } from "../words/actions.ts";
import { tellsWrites } from "../words/failures.ts";

const CODES: Readonly<Record<StoreErrorKind, FailureCode>> = {
  unreachable: "store-unreachable",
  throttled: "store-failed",
  server: "store-failed",
  "no-such-bucket": "no-such-bucket",
  "wrong-region": "wrong-region",
  "clock-skew": "clock-skew",
  "no-credentials": "no-credentials",
  "no-region": "no-region",
  tls: "tls-failed",
  "credentials-refused": "credentials-refused",
  denied: "denied",
  precondition: "store-failed",
  conflict: "store-failed",
  "conditions-unsupported": "store-failed",
  unsupported: "unsupported",
  "bucket-taken": "bucket-taken",
  integrity: "store-failed",
  other: "store-failed",
};

/** What a failure of the store means to the person who made the call. */
export function explainStoreError(
  error: unknown,
  location: { endpoint: string; bucket: string },
  written: number,
): unknown {
  const effect =
    written === 0
      ? "Nothing was written"
      : `${counted(written, "object was", "objects were")} written; the same call goes on from there`;
  if (error instanceof OperatorError && tellsWrites(error.code) && error.data.written === undefined) {
    return new OperatorError(error.code, { ...error.data, written: effect }, error.details, error.cause);
  }
  if (!(error instanceof StoreError)) return error;
  const { action, status, code, requestId, region } = error.facts;
  const data: FailureData = {
    action: `could not ${showAction(action)}`,
    answer: error.message,
    endpoint: location.endpoint,
    bucket: location.bucket,
    cause:
      code === "ECONNREFUSED"
        ? "the connection was refused"
        : error.kind === "no-credentials" || code === "EPROXY"
          ? error.message
          : (code ?? error.message),
    code: code ?? "",
    tls: error.facts.tls,
    right: toRight(action, error.message),
    status: status ?? "",
    region: region ?? "",
    "region-hint": region === undefined || region === "" ? "set store.region" : `set store.region: ${region}`,
    written: effect,
  };
  const details = {
    ...(status === undefined ? {} : { status }),
    ...(code === undefined ? {} : { code }),
    ...(requestId === undefined ? {} : { "request id": requestId }),
    answer: error.message,
  };
  const failure = location.bucket === "" ? toFolderCode(error.kind) : CODES[error.kind];
  return new OperatorError(failure, data, details, error);
}

/** A store without a bucket is a folder: it has no rights by name, no region and no answer with a status. */
function toFolderCode(kind: StoreErrorKind): FailureCode {
  if (kind === "no-such-bucket") return "no-folder";
  return kind === "denied" ? "folder-denied" : "folder-failed";
}

/** What the store itself names, or what the action needs. Without the right to list, a store says 'denied' of what is not there. */
function toRight(action: StoreAction, answer: string): string {
  const named = /\b(s3:[A-Za-z]+)/.exec(answer)?.[1];
  if (named !== undefined) return named;
  return showRightFor(action);
}

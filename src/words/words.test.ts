import { LINK_CAUSES, broken } from "../core/diagnosis/checkup/link.ts";
import { FAILURE_CODES, OperatorError, type FailureCode, type FailureData } from "../core/model/failure.ts";
import { wordsOfLink } from "./checkup.ts";
import { FAILURES, wordsOfFailure } from "./failures.ts";
import { listed } from "./text.ts";

/** Data whose words are made of codes. */
const TOLD_BY_CODE: Partial<Record<FailureCode, FailureData>> = {
  refused: { problems: [{ code: "no-entry", severity: "error", facts: { entry: "<problems>" } }] },
  "settings-invalid": { mistakes: [{ path: ["build", 0], what: "<problems>" }] },
  "record-unreadable": { key: "<key>", cause: { code: "other-format", format: "<cause>" } },
  "not-an-address": { address: "<address>", reason: "outside", basePath: "<reason>" },
  "content-gone": { release: "<release>", keys: ["<keys>"] },
  "no-such-file": { folder: "<folder>", name: "<name>", nearest: "<nearest>" },
  "tls-failed": { action: "<action>", endpoint: "<endpoint>", tls: "expired", written: "<written>" },
  "output-failed": { file: "<file>", cause: "<why>" },
  "output-lost": { what: "<what>", cause: "<why>" },
  "temporary-failed": { folder: "<folder>", cause: "<why>" },
  "file-failed": { file: "<file>", cause: "<why>" },
  held: {
    hold: { work: "<who>", by: "b", host: "h", process: 1, at: "2026-03-04T14:20:00Z" },
    lease: "<lease>",
  },
  "not-visible": {
    unseen: { address: "<message>", got: "nothing" },
    bucket: "<bucket>",
    written: "<written>",
  },
  "destination-unknown": { name: "<name>", names: "<names>" },
  "added-unfit": { from: "<from>", as: "<as>", why: "unreadable", code: "<why>" },
  "build-unreadable": { path: "<path>", why: "failed", code: "<why>" },
  "versions-denied": { action: { do: "read-version", key: "<action>" }, written: "<written>" },
  "policy-taken-back": { wrong: { code: "not-found", key: "<wrong>" } },
  "provision-wrong": { wrong: { code: "not-found", key: "<wrong>" } },
  "distribution-failed": { action: "make-distribution", answer: "<answer>", written: "<written>" },
  "distribution-denied": { action: "make-distribution", written: "<written>" },
  "provision-lost": { steps: [{ do: "create-bucket", bucket: "<steps>", region: undefined }] },
};

/** Names whose words are made of a code, so that what is handed in is not what is said. */
const MADE_OF_CODES = new Set([
  "settings-invalid mistakes-counted",
  "refused guards",
  "refused them",
  "refused or-lift",
  "destination-unknown nearest-of-names",
  "no-such-file missing",
  "held waiting",
  "tls-failed why",
  "tls-failed mend",
  "versions-denied right",
  "distribution-failed action",
  "distribution-denied action",
  "distribution-denied right",
]);

test("every failure says what happened and what to do next, with its data filled in and nothing left open", () => {
  for (const code of FAILURE_CODES) {
    const { message, hint } = FAILURES[code];
    const names = [...`${message} ${hint}`.matchAll(/\{([a-z-]+)\}/g)].map(([, name = ""]) => name);
    const data = TOLD_BY_CODE[code] ?? Object.fromEntries(names.map((name) => [name, `<${name}>`]));
    const said = wordsOfFailure(new OperatorError(code, data));
    for (const name of names.filter((one) => !MADE_OF_CODES.has(`${code} ${one}`)))
      expect([code, `${said.message} ${said.hint}`]).toEqual([code, expect.stringContaining(`<${name}>`)]);
    expect([code, `${said.message}${said.hint}`]).not.toEqual([code, expect.stringMatching(/[{}]/)]);
    expect([code, said.hint.length]).toEqual([code, expect.any(Number)]);
    expect(said.hint.length).toBeGreaterThan(5);
  }
  const skew = new OperatorError("clock-skew", { action: "could not read x" });
  expect(wordsOfFailure(skew).hint).toBe("set the clock");
});

test("every cause of a broken link says why and what to do", () => {
  expect(LINK_CAUSES.length).toBeGreaterThan(40);
  const failure = { kind: "other", answer: "503" };
  const names = { skewMs: 90_000, region: "", action: { do: "list" }, found: { code: "ignored" }, prefix: "", tls: "expired", failure, steps: [], byHand: [] };
  for (const cause of LINK_CAUSES) {
    const link = broken("store", { asked: { code: "nothing" }, found: { code: "none" }, cause, names });
    const { why = "", mend = "" } = wordsOfLink(link);
    expect([cause, why.length > 15, mend.length > 10]).toEqual([cause, true, true]);
  }
}); // prettier-ignore

test("a list for people is cut with a count", () => {
  expect(listed(["a", "b", "c"], 2)).toBe("a, b and 1 more");
});

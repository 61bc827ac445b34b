import XMLBuilder from "fast-xml-builder";
import type { VerifyResult } from "../../results/verification.ts";
import { oneLine } from "../../words/text.ts";

const builder = new XMLBuilder({
  ignoreAttributes: false,
  attributeNamePrefix: "@",
  format: true,
  suppressEmptyNode: true,
});

/** Letters that XML 1.0 can't hold (§2.2), escaped or not. */
const UNFIT = /[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu;

/** A verification as test reports are read by CI services: one case per address that is wrong, and one for all that is right. */
export function toJUnit({ site, destination, checked, findings }: VerifyResult): string {
  const text = (value: string): string => oneLine(value).replace(UNFIT, "\ufffd");
  const wrong = new Set(findings.map(({ address }) => address)).size;
  const failed = findings.map(({ address, code, expected, found, cause, hint }) => ({
    "@classname": text(`${site} ${destination}`),
    "@name": text(`${address} ${code}`),
    failure: {
      "@type": code,
      "@message": text(`${found} instead of ${expected}`),
      "#text": `${text(cause)}\n${text(hint)}`,
    },
  }));
  const right = {
    "@classname": text(`${site} ${destination}`),
    "@name": `${checked - wrong} addresses as delivered`,
  };
  const suite = {
    "@name": text(`verify ${destination}`),
    "@tests": failed.length + 1,
    "@failures": failed.length,
    testcase: [right, ...failed],
  };
  return `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build({ testsuites: { testsuite: suite } })}`;
}

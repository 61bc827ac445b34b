import type { Secret } from "../model/problem.ts";

/** Texts that are credentials whatever file they stand in, and what they are called. */
const SECRETS: readonly (readonly [RegExp, Secret])[] = [
  [/-----BEGIN (?:[A-Z0-9]{1,20} ){0,4}PRIVATE KEY-----\s{0,20}[A-Za-z0-9+/=]{20}/, "private-key"],
  [
    /\b(?:AKIA|ASIA)[A-Z2-7]{16}\b(?=[\s\S]{0,200}(?<![A-Za-z0-9/+])[A-Za-z0-9/+]{40}(?![A-Za-z0-9/+=]))/,
    "access-key",
  ],
  [/\baws_secret_access_key\s{0,20}[=:]\s{0,20}["']?[A-Za-z0-9/+]{40}\b/i, "secret-access-key"],
];

/** What a text holds that nobody should be shown. */
export const findSecrets = (text: string): Secret[] =>
  SECRETS.filter(([pattern]) => pattern.test(text)).map(([, name]) => name);

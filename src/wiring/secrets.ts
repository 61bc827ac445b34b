/** Names of variables whose values nobody may see in a log; files are named, not shown. */
const SECRET_NAME = /(SECRET|TOKEN|PASSWORD|PASSWD|PASSPHRASE|CREDENTIAL|PRIVATE_KEY|API_KEY)/i;
const FILE_NAME = /(_FILE|_PATH|_URL|_URI)$/i;
/** Shorter ones are words that would be struck out of everything. */
const LEAST_LENGTH = 8;
/** What is known to be a secret may be shorter. */
const LEAST_KNOWN = 4;
/** The sandbox's own say it themselves, and it must be able to print them for a shell that has them already. */
const GUARDS_NOTHING = /-guards-nothing$/;

const HIDDEN = "[hidden]";

export interface Redactor {
  /** Takes all secrets that are known by now out of a text. */
  readonly redact: (text: string) => string;
  /** Makes a secret known, from where it is found out: a profile, the settings. */
  readonly hide: (secret: string) => void;
}

/**
 * Takes secrets out of everything that is printed or written down, whatever text they got into: a server may answer with
 * what it was sent, and a person may have put a token into a note. Those of the environment are known from the start.
 */
export function createRedactor(environment: NodeJS.ProcessEnv): Redactor {
  const secrets = new Set(
    Object.entries(environment).flatMap(([name, value = ""]) =>
      isSecret(name, value) ? [value] : PROXY_NAME.test(name) ? passwordsOf(value) : [],
    ),
  );
  let forms = toForms(secrets);
  return {
    redact: (text) => forms.reduce((clean, form) => clean.split(form).join(HIDDEN), text),
    hide: (secret) => {
      if (secret.length < LEAST_KNOWN || secrets.has(secret)) return;
      secrets.add(secret);
      forms = toForms(secrets);
    },
  };
}

/** Plain data with all its texts redacted; numbers are left as they are, and what JSON does not carry is gone. */
export const redactAll = <T>(value: T, redact: Redactor["redact"]): T =>
  JSON.parse(JSON.stringify(value), (_, part: unknown) =>
    typeof part === "string" ? redact(part) : part,
  ) as T;

const PROXY_NAME = /^(https?|all)_proxy$/i;

/** The password in a proxy's address, as it stands there and as it is sent; it may be short. */
function passwordsOf(proxy: string): string[] {
  const [, password = ""] = /^(?:[a-z]+:\/\/)?[^:@/]*:([^@/]*)@/i.exec(proxy) ?? [];
  if (password.length < LEAST_KNOWN) return [];
  try {
    return [password, decodeURIComponent(password)];
  } catch {
    return [password];
  }
}

const isSecret = (name: string, value: string): boolean =>
  SECRET_NAME.test(name) &&
  !FILE_NAME.test(name) &&
  value.length >= LEAST_LENGTH &&
  !GUARDS_NOTHING.test(value);

/** How secrets may stand in a text; the longer first, since one may be a part of another. */
const toForms = (secrets: ReadonlySet<string>): string[] =>
  [...secrets]
    .flatMap((secret) => [
      ...new Set([secret, encodeURIComponent(secret), JSON.stringify(secret).slice(1, -1), toXml(secret)]),
    ])
    .sort((a, b) => b.length - a.length);

const toXml = (text: string): string =>
  text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;").replace(/"/g, "&quot;");

/** Names of variables whose values nobody may see in a log; files are named, not shown. */
const SECRET_NAME = /(SECRET|TOKEN|PASSWORD|PASSWD|PRIVATE_KEY|API_KEY)/i;
const FILE_NAME = /(_FILE|_PATH|_URL|_URI)$/i;
/** Shorter ones are words that would be struck out of everything. */
const LEAST_LENGTH = 8;
/** The sandbox's own say it themselves, and it must be able to print them for a shell that has them already. */
const GUARDS_NOTHING = /-guards-nothing$/;

const HIDDEN = "[hidden]";

/**
 * Takes secrets of the environment out of everything that is printed, whatever text they got into: a server may answer
 * with what it was sent, and a person may have put a token into an address.
 */
export function createRedactor(environment: NodeJS.ProcessEnv): (text: string) => string {
  const secrets = Object.entries(environment)
    .filter(
      ([name, value = ""]) => SECRET_NAME.test(name) && !FILE_NAME.test(name) && !GUARDS_NOTHING.test(value),
    )
    .flatMap(([, value]) => (value !== undefined && value.length >= LEAST_LENGTH ? [value] : []))
    // The longer first: one may be a part of another.
    .sort((a, b) => b.length - a.length);
  const forms = secrets.flatMap((secret) => [
    ...new Set([secret, encodeURIComponent(secret), JSON.stringify(secret).slice(1, -1)]),
  ]);
  return (text) => forms.reduce((clean, form) => clean.split(form).join(HIDDEN), text);
}

/** Names of this machine, and those that nobody can register (RFC 6761 §6, RFC 2606 §2), for whoever plays a public site. */
const OWN_NAMES =
  /^(127(\.\d{1,3}){3}|\[::1\]|localhost|([\w-]+\.)+(localhost|example|test|invalid))\.?(:\d+)?$/i;

/** Whether a request's `Host` means this machine: a page on the web can let its own name lead here, and must not be answered. */
export const isOwnName = (host: string | undefined): boolean => host === undefined || OWN_NAMES.test(host);

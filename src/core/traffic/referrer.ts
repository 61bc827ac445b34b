/** Where a visitor came from. */
export interface Referrer {
  readonly host: string;
  /** Without query and fragment: these may say who it was. */
  readonly address: string;
  /** Whether it is a page of the site itself. */
  readonly isOwn: boolean;
}

/** What a `Referer` says (RFC 9110 §10.1.3). @returns undefined where it is no address of the web */
export function readReferrer(text: string, ownHost: string | undefined): Referrer | undefined {
  const [, host = "", path = ""] = /^https?:\/\/([^/?#\s]+)([^?#\s]*)/i.exec(text) ?? [];
  // What stands before an @ is somebody's name.
  const plain = host.slice(host.lastIndexOf("@") + 1).toLowerCase();
  if (plain === "") return undefined;
  const isOwn = plain === ownHost;
  return { host: plain, address: isOwn ? path || "/" : `${plain}${path}`, isOwn };
}

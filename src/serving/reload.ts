import type { IncomingMessage, ServerResponse } from "node:http";
import type { Clock } from "../ports/clock.ts";
import type { LiveSite } from "./live-site.ts";

/** Addresses that are ours while browsers are reloaded; no build has such names. */
const PLACE = "/.courier-serve/";
const SCRIPT = `${PLACE}reload.js`;
const EVENTS = `${PLACE}events`;

/** Looks at the build so often, as long as a browser wants to know. */
const LOOK_MS = 400;
/** A build that lacks something new is waited for so long, and then shown as it is. */
const MISSING_MS = 5000;

/** What each page loads: it loads the page anew once the build is another one than the page came from. */
const SCRIPT_TEXT = `// Added by 'serve --reload'; no delivery sends it.
let seen;
new EventSource(${JSON.stringify(EVENTS)}).onmessage = ({ data }) => {
  if (seen !== undefined && data !== seen) location.reload();
  seen ??= data;
};
`;
const TAG = Buffer.from(`<script type="module" src="${SCRIPT}"></script>`);

/** A page with the script in it, before its end, whatever its letters are encoded in as long as ASCII is a part of that. */
export function withReloadScript(page: Buffer): Buffer {
  const at = page.toString("latin1").toLowerCase().lastIndexOf("</body");
  return at < 0 ? Buffer.concat([page, TAG]) : Buffer.concat([page.subarray(0, at), TAG, page.subarray(at)]);
}

/** Tells browsers when the build has become another one. */
export class Reloader {
  private readonly browsers = new Set<ServerResponse>();
  private endWatch: (() => void) | undefined;
  private told: string | undefined;
  private candidate: string | undefined;
  private missingSinceMs: number | undefined;

  constructor(
    private readonly site: LiveSite,
    private readonly clock: Clock,
    private readonly tell: (browsers: number) => void,
  ) {}

  /** Answers what is asked of it. @returns false: it is not meant */
  answer({ url }: IncomingMessage, response: ServerResponse, id: string | undefined): boolean {
    if (url === SCRIPT) {
      response.writeHead(200, {
        "content-type": "text/javascript; charset=utf-8",
        "cache-control": "no-store",
      });
      response.end(SCRIPT_TEXT);
      return true;
    }
    if (url !== EVENTS) return false;
    response.writeHead(200, { "content-type": "text/event-stream", "cache-control": "no-store" });
    // A browser whose connection broke may have missed a change: it compares.
    if (id !== undefined) send(response, id);
    this.told ??= id;
    this.browsers.add(response);
    response.once("close", () => {
      this.browsers.delete(response);
      if (this.browsers.size === 0) this.stop();
    });
    this.endWatch ??= this.clock.every(LOOK_MS, () => void this.look());
    return true;
  }

  /** Lets go of every browser. */
  stop(): void {
    this.endWatch?.();
    this.endWatch = undefined;
    for (const browser of this.browsers) browser.end();
  }

  /** A build is shown once it has looked the same twice: whoever writes it may not be done. */
  private async look(): Promise<void> {
    await this.site.refresh();
    const { current, halfWritten } = this.site;
    if (!current || halfWritten || current.id === this.told) return;
    const isSettled = current.id === this.candidate;
    this.candidate = current.id;
    if (!isSettled) {
      this.missingSinceMs = this.site.newlyMissing ? this.clock.monotonicMs() : undefined;
      return;
    }
    if (this.missingSinceMs !== undefined && this.clock.monotonicMs() - this.missingSinceMs < MISSING_MS)
      return;
    this.site.acceptMissing();
    this.told = current.id;
    this.tell(this.browsers.size);
    for (const browser of this.browsers) send(browser, current.id);
  }
}

const send = (response: ServerResponse, id: string): boolean => response.write(`data: ${id}\n\n`);

import { randomBytes } from "node:crypto";
import { ProtocolError } from "../store/failure.ts";

/** A function as it is worked at, and as it was published. */
export interface KeptFunction {
  readonly name: string;
  readonly config: Readonly<Record<string, unknown>>;
  readonly draft: { readonly code: string; readonly version: string };
  /** The newest last. */
  readonly live: readonly { readonly code: string; readonly version: string; readonly sinceMs: number }[];
}

const MOST_BYTES = 10_240;
const createVersion = (): string => `F${randomBytes(6).toString("hex").toUpperCase()}`;

/** The functions of the sandbox's account: what is changed counts when it is published, place after place. */
export class ViewerFunctions {
  private readonly all = new Map<string, KeptFunction>();

  /** @param onChange is told after each change, so that it can be kept */
  constructor(
    private readonly timing: { readonly points: number; readonly propagationMs: number },
    kept: readonly KeptFunction[],
    private readonly onChange: () => void,
  ) {
    for (const one of kept) this.all.set(one.name, one);
  }

  list(): readonly KeptFunction[] {
    return [...this.all.values()];
  }

  make(name: string, config: KeptFunction["config"], code: string): KeptFunction {
    if (!/^[\w-]{1,64}$/.test(name))
      throw new ProtocolError(400, "InvalidArgument", "Name: letters, digits, - and _");
    if (this.all.has(name))
      throw new ProtocolError(409, "FunctionAlreadyExists", "A function with the same name already exists.");
    check(code);
    return this.put({ name, config, draft: { code, version: createVersion() }, live: [] });
  }

  change(name: string, version: string | undefined, code: string): KeptFunction {
    const known = this.find(name);
    assertVersion(known, version);
    check(code);
    return this.put({ ...known, draft: { code, version: createVersion() } });
  }

  publish(name: string, version: string | undefined): KeptFunction {
    const known = this.find(name);
    assertVersion(known, version);
    return this.put({ ...known, live: [...known.live, { ...known.draft, sinceMs: Date.now() }] });
  }

  find(name: string): KeptFunction {
    const known = this.all.get(name);
    if (known) return known;
    throw new ProtocolError(404, "NoSuchFunctionExists", "The specified function does not exist.");
  }

  /** @param stage `LIVE`: as it was published */
  read(name: string, stage: string): { readonly code: string; readonly version: string } {
    const { draft, live } = this.find(name);
    const found = stage === "LIVE" ? live.at(-1) : draft;
    if (found) return found;
    throw new ProtocolError(404, "NoSuchFunctionExists", "The specified function does not exist.");
  }

  isEverywhere({ live }: KeptFunction): boolean {
    return Date.now() >= (live.at(-1)?.sinceMs ?? 0) + this.timing.propagationMs;
  }

  /** What a point runs by now; undefined: nothing. */
  codeAt(name: string, point: number): string | undefined {
    const { points, propagationMs } = this.timing;
    const reached = Date.now() - (propagationMs * (point + 1)) / points;
    const live = this.all.get(name)?.live ?? [];
    // The first that was published is there before a distribution can name it.
    return (live.findLast(({ sinceMs }) => sinceMs <= reached) ?? live[0])?.code;
  }

  private put(one: KeptFunction): KeptFunction {
    this.all.set(one.name, one);
    this.onChange();
    return one;
  }
}

function check(code: string): void {
  if (Buffer.byteLength(code) > MOST_BYTES)
    throw new ProtocolError(413, "FunctionSizeLimitExceeded", "The function code exceeds the allowed size.");
}

function assertVersion({ draft }: KeptFunction, version: string | undefined): void {
  if (version === undefined)
    throw new ProtocolError(400, "InvalidIfMatchVersion", "The If-Match version is missing or not valid.");
  if (draft.version !== version)
    throw new ProtocolError(412, "PreconditionFailed", "The function was changed meanwhile.");
}

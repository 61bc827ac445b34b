import { createHash } from "node:crypto";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { POINTER_KEY } from "../../src/core/model/names.ts";
import type { ObjectStore, ReadObject } from "../../src/ports/object-store.ts";
import type { RunningSandbox } from "./program.ts";

export interface StoredObject {
  readonly hash: string;
  readonly text: string;
  readonly headers: string;
}

export const openStore = ({ facts }: Pick<RunningSandbox, "facts">, prefix: string): ObjectStore => {
  process.env.AWS_ACCESS_KEY_ID = facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = facts.secretAccessKey;
  return createS3Store({ ...facts, prefix, addressing: "path" }, () => undefined);
};

/** The site's own objects as they stand. */
export async function readSite(store: ObjectStore): Promise<Map<string, StoredObject>> {
  const keys = (await listKeys(store)).filter((key) => !key.startsWith(".courier/"));
  const read = keys.map(async (key): Promise<[string, StoredObject] | undefined> => {
    const found = await store.get(key);
    if (!found) return undefined;
    const bytes = await readBytes(found);
    const hash = createHash("sha256").update(bytes).digest("hex");
    return [key, { hash, text: bytes.toString("utf8"), headers: JSON.stringify(found.headers) }];
  });
  return new Map((await Promise.all(read)).filter((entry) => entry !== undefined));
}

async function readBytes({ body }: ReadObject): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  for await (const chunk of body) chunks.push(chunk);
  return Buffer.concat(chunks);
}

export async function listKeys(store: ObjectStore): Promise<string[]> {
  const keys: string[] = [];
  for await (const { objects } of store.list()) keys.push(...objects.map(({ key }) => key));
  return keys;
}

/** Our own keys, with what tells one run from another left out. */
export const ownKeys = (keys: readonly string[]): string[] =>
  keys
    .filter((key) => key.startsWith(".courier/"))
    .map((key) => key.replace(/\d{8}T\d{6}-[0-9a-f]{8}/, "RUN"))
    .sort();

/**
 * Files that do not stand and that a page needs: what it names, and what that names in turn. A new script that no page
 * names yet may still wait for its chunks.
 */
export function findBroken(site: ReadonlyMap<string, { readonly text: string }>): string[] {
  const broken: string[] = [];
  let looked = 0;
  const pages = [...site.keys()].filter((key) => key.endsWith(".html") || key.endsWith("/"));
  const [queue, seen] = [pages, new Set(pages)];
  for (let key = queue.pop(); key !== undefined; key = queue.pop()) {
    for (const name of namesOf(key, site.get(key)?.text ?? "")) {
      looked += 1;
      if (!site.has(name)) broken.push(`${key} names ${name}`);
      else if (!seen.has(name)) queue.push(name);
      seen.add(name);
    }
  }
  if (site.has("index.html") && looked < 20)
    broken.push(`only ${looked} references were found: this looks at nothing`);
  return broken;
}

/** Files that a page or script loads, as keys: written apart from the product's own search. */
export function namesOf(key: string, text: string): string[] {
  const isPage = key.endsWith(".html") || key.endsWith("/");
  if (!isPage && !/\.(js|css)$/.test(key)) return [];
  const found = isPage
    ? [...text.matchAll(/(?:src|href)="([^"#?:]+\.(?:js|css|svg|png|webp|woff2|ico))"/g)]
    : [...text.matchAll(/(?:import\(|from|import|url\()\s*["']?(\.{0,2}\/[^"')\s]+\.\w+)/g)];
  return found.map(([, url = ""]) =>
    decodeURIComponent(new URL(url, `http://site.invalid/${key}`).pathname.slice(1)),
  );
}

/** Copies everything below one prefix to another, the pointer last: a destination as it was, for another try. */
export async function copyDestination(
  sandbox: RunningSandbox,
  { from, to }: { from: string; to: string },
): Promise<void> {
  const all = openStore(sandbox, "");
  const keys = (await listKeys(openStore(sandbox, from))).filter((key) => key !== POINTER_KEY);
  await Promise.all(keys.map((key) => all.copy({ key: from + key }, to + key)));
  await all.copy({ key: from + POINTER_KEY }, to + POINTER_KEY);
}

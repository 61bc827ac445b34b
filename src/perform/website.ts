import { hash } from "node:crypto";
import { vaultKey } from "../core/model/names.ts";
import type { RoutingRule } from "../core/model/website.ts";
import type { ObjectStore } from "../ports/object-store.ts";

/**
 * Gives the website endpoint its rules; index and error documents stay as they are. What it had before is kept in the
 * vault first. *Fail:* the rules are those of before or the new ones; the next delivery writes them again.
 */
export async function switchRouting(store: ObjectStore, rules: readonly RoutingRule[]): Promise<void> {
  const before = await store.readWebsite();
  if (before) {
    const bytes = Buffer.from(JSON.stringify(before));
    const content = { size: bytes.length, hash: hash("sha256", bytes), open: () => bytes };
    await store.put(vaultKey(content.hash), content, {
      "content-type": "application/json",
      "cache-control": "no-store",
    });
  }
  await store.writeWebsite({ ...before, rules });
}

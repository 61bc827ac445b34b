import { hash } from "node:crypto";
import { vaultKey, type Sha256 } from "../core/model/names.ts";
import type { RoutingRule, WebsiteSettings } from "../core/model/website.ts";
import type { Content, ObjectStore } from "../ports/object-store.ts";

/** What the vault gets of a website's settings before they are written over. */
const toSettingsContent = (settings: WebsiteSettings): Content => {
  const bytes = Buffer.from(JSON.stringify(settings));
  return { size: bytes.length, hash: hash("sha256", bytes), open: () => bytes };
};

/** The settings that stand, by the hash that they will have in the vault; undefined where there are none. */
export async function hashSettings(store: ObjectStore): Promise<Sha256 | undefined> {
  const before = await store.readWebsite();
  return before && toSettingsContent(before).hash;
}

/**
 * Gives the website endpoint its rules; index and error documents stay as they are. What it had before is kept in the
 * vault first. *Fail:* the rules are those of before or the new ones; the next delivery writes them again.
 * @returns the hash of what was kept, where there was anything
 */
export async function switchRouting(
  store: ObjectStore,
  rules: readonly RoutingRule[],
): Promise<Sha256 | undefined> {
  const before = await store.readWebsite();
  const content = before && toSettingsContent(before);
  if (content)
    await store.put(vaultKey(content.hash), content, {
      "content-type": "application/json",
      "cache-control": "no-store",
    });
  await store.writeWebsite({ ...before, rules });
  return content?.hash;
}

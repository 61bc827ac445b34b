import { realpathSync, renameSync, statSync, writeFileSync } from "node:fs";
import { relative, resolve } from "node:path";
import type { RunTies } from "./open.ts";
import { openControl } from "./open.ts";
import { wiredClock } from "./wiring.ts";
import { withLineEndsOf } from "../settings/line-ends.ts";
import { findDistribution, toDistributionWishes, type DistributionEdge } from "../settings/edge-wishes.ts";
import type { MeansWishes } from "../core/distribution/means.ts";
import { OperatorError } from "../core/model/failure.ts";
import { explainControl } from "../perform/explain-control.ts";
import { parseSettings, readSettingsText, SETTINGS_FILE } from "../settings/load.ts";
import type { Target } from "../settings/target.ts";
import { addValues, placeOfEdge } from "../settings/write.ts";
import type { EdgeToProvision, KnownOfEdge, UnsaidSettings } from "../workflows/provision-edge.ts";
import type { Call } from "./call.ts";

export interface EdgeTies {
  readonly ties: RunTies;
  readonly onWait: (seconds: number) => void;
}

/** The distribution before the bucket of a destination; undefined: none stands there. */
export async function openEdgeToProvision(
  target: Target,
  { environment, folder }: Pick<Call, "environment" | "folder">,
  { ties, onWait }: EdgeTies,
): Promise<EdgeToProvision | undefined> {
  const edge = findDistribution(target);
  const { store, site, destination } = target;
  if (!edge || store.kind !== "s3") return undefined;
  const { AWS_REGION: usual = "", AWS_DEFAULT_REGION: other = "" } = environment;
  const region = store.region ?? [usual, other].find((one) => one !== "");
  const wishes = toDistributionWishes(target, { edge, store, region });
  return {
    control: await openControl(target, edge, { ...ties, clock: wiredClock }),
    id: edge.id,
    wishes,
    mark: `${site}, ${destination} (${store.bucket}/${store.prefix}, Restless Courier)`.slice(0, 128),
    settings: toUnsaid(target, { edge, means: wishes.means, environment, folder }),
    deployedWithin: edge.confirmWithin,
    onWait,
  };
}

/** The host name that a distribution has by itself. Throws `distribution-unknown`, and as `explainControl` does. */
export async function readDomain(
  target: Target,
  edge: DistributionEdge,
  { hide }: Pick<Call, "hide">,
): Promise<string> {
  const ties = { hide, stop: () => undefined, largest: () => 0, clock: wiredClock };
  const control = await openControl(target, edge, ties);
  try {
    const facts = await explainControl(edge.id, () => control.read(edge.id));
    if (!facts) throw new OperatorError("distribution-unknown", { id: edge.id });
    return facts.domain;
  } finally {
    control.close();
  }
}

interface UnsaidFacts {
  readonly edge: DistributionEdge;
  readonly means: MeansWishes;
  readonly environment: NodeJS.ProcessEnv;
  readonly folder: string;
}

/** What deliveries want to know of a distribution, and the settings do not say. */
function toUnsaid(target: Target, { edge, means, environment, folder }: UnsaidFacts): UnsaidSettings {
  const names = [
    ...(edge.id === "" ? ["id"] : []),
    ...(edge.query === undefined ? ["query"] : []),
    ...(edge.minimumFreshness === undefined ? ["minimumFreshness"] : []),
    ...(edge.negative === undefined ? ["negative"] : []),
    ...(edge.function === undefined && means.viewerFunction !== undefined ? ["function"] : []),
    ...(edge.headersPolicy === undefined && means.headersPolicy ? ["headersPolicy"] : []),
  ];
  const isNowhere = target.siteRules.url === undefined;
  const file = resolve(folder, target.locate([])?.file ?? SETTINGS_FILE);
  const shown = relative(folder, file);
  return {
    file: shown,
    names: isNowhere ? [...names, "url"] : names,
    write: (known) => {
      const all = toValues(known);
      const own = Object.fromEntries(
        names.flatMap((name) => (all[name] === undefined ? [] : [[name, all[name]]])),
      );
      const url = isNowhere ? { url: `https://${known.domain}` } : undefined;
      const why = writeDown({ target, environment, own, url }, file);
      if (why === undefined) return undefined;
      return { why, lines: Object.entries({ ...own, ...url }).map(([name, value]) => `${name}: ${value}`) };
    },
  };
}

const toValues = (known: KnownOfEdge): Readonly<Record<string, string | undefined>> => ({
  function: known.function,
  headersPolicy: known.headersPolicy,
  id: known.id,
  query: known.query,
  minimumFreshness: `${known.minimumSeconds}s`,
  negative: `${known.negativeSeconds}s`,
});

interface Writing {
  readonly target: Target;
  readonly environment: NodeJS.ProcessEnv;
  /** Values of the edge. */
  readonly own: Readonly<Record<string, string>>;
  /** Of the destination. */
  readonly url: Readonly<Record<string, string>> | undefined;
}

/** @returns why it could not be done */
function writeDown({ target, environment, own, url }: Writing, file: string): string | undefined {
  try {
    const before = readSettingsText(file) ?? "";
    const after = complete(before, { target, own, url });
    if (after === undefined)
      return "its place in the file can't be added to (an alias, or a form of its own)";
    parseSettings(after, file, {
      environment: new Proxy(environment, { get: (all, key: string) => all[key] ?? "x" }),
    });
    // Beside it first: a call that dies meanwhile leaves the settings whole.
    const real = realpathSync(file);
    const next = `${real}.${process.pid}.part`;
    writeFileSync(next, withLineEndsOf(before, after), { mode: statSync(real).mode });
    renameSync(next, real);
    return undefined;
  } catch (error) {
    return `the file can't be written (${(error as NodeJS.ErrnoException).code ?? (error as Error).message})`;
  }
}

function complete(
  text: string,
  { target: { destination }, own, url }: Pick<Writing, "target" | "own" | "url">,
): string | undefined {
  const place = ["destinations", destination];
  const withUrl = url === undefined ? text : addValues(text, place, url);
  if (withUrl === undefined || Object.keys(own).length === 0) return withUrl;
  return addValues(withUrl, placeOfEdge(withUrl, destination), own);
}

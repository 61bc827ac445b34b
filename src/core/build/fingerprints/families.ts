import { isScriptOrStyle } from "../../model/role.ts";
import { ALPHABETS, type Alphabet } from "./alphabets.ts";
import type { Candidate, Place } from "./candidates.ts";
import { costAsPeopleName } from "./people-names.ts";

/** What must speak for a hash in all, in nats. */
const BELIEVED = 5;
/** What must speak for one that is only believed where it changes with the bytes. */
const POSSIBLE = 2;
/** People seldom give scripts and styles names of random letters; pictures of a shop or a camera often have such. */
const SCRIPT_BONUS = 2;
/** How much the others beside it may say for or against one, and each of them. */
const MOST_OF_ALL = 6;
const LEAST_OF_ALL = -4;
const MOST_OF_ONE = 4;
const LEAST_OF_ONE = -2;
/** What a code says that has letters which the alphabet lacks: the others are such codes, too. */
const CODE_OUTSIDE = -6;
/** How many scripts must show a shape that bundlers are not known for, or one that pictures then share with them. */
const SHAPE_WITNESSES = 3;
const SHAPE_BONUS = 2;

/** Tokens of names that are the same but for what stands before them. */
interface Family {
  readonly folder: string;
  readonly place: Place;
  readonly length: number;
  readonly isScript: boolean;
  /** The alphabet that fits best. */
  readonly alphabet: Alphabet;
  readonly tokens: Map<string, Weight>;
}

/** In nats. */
interface Weight {
  /** How much likelier it is as random letters than as a name that people give. */
  readonly nats: number;
  /** What that says of those beside it. */
  readonly says: number;
}

/** A family of which it is decided which tokens are hashes. */
export interface JudgedFamily {
  readonly alphabet: Alphabet;
  readonly length: number;
  /** The same for families of one folder, place and shape. */
  readonly beside: string;
  readonly tokens: ReadonlyMap<string, Weight>;
  readonly shown: ReadonlySet<string>;
  readonly possible: ReadonlySet<string>;
}

/** The key of the family that a candidate belongs to. */
export const familyOf = ({ folder, place, end, token }: Candidate): string =>
  `${folder}\n${place}\n${end}\n${token.length}`;

/** Decides family by family. Shapes that scripts show count for pictures, and a part of a hash is none. */
export function judgeFamilies(candidates: Iterable<readonly Candidate[]>): Map<string, JudgedFamily> {
  const all = [...candidates];
  const families = gatherFamilies(all);
  leaveOutParts(families, all);
  const said = sumUp(families);
  const judge = (family: Family, shapes: ReadonlySet<string>): JudgedFamily =>
    judgeFamily(family, said.get(besideOf(family)) as number, shapes);
  const scripts = [...families.values()].filter(({ isScript }) => isScript);
  const shapes = new Set(
    scripts.filter((family) => judge(family, new Set()).shown.size >= SHAPE_WITNESSES).map(shapeOf),
  );
  return new Map([...families].map(([key, family]) => [key, judge(family, shapes)]));
}

/** What all tokens of the same folder, place and shape say together. */
function sumUp(families: ReadonlyMap<string, Family>): Map<string, number> {
  const said = new Map<string, number>();
  for (const family of families.values())
    said.set(besideOf(family), (said.get(besideOf(family)) ?? 0) + sumOf(family));
  return said;
}

/** Where a name shows a hash of a length that is known, what else it may be cut to says nothing of other lengths. */
function leaveOutParts(families: Map<string, Family>, candidates: readonly (readonly Candidate[])[]): void {
  const said = sumUp(families);
  const known = new Map<string, ReadonlySet<string>>();
  for (const [key, family] of families)
    if (family.alphabet.lengths.has(family.length))
      known.set(key, judgeFamily(family, said.get(besideOf(family)) as number, new Set()).shown);
  for (const own of candidates) {
    if (own.length < 2 || !own.some((one) => known.get(familyOf(one))?.has(one.token))) continue;
    for (const one of own)
      if (!known.has(familyOf(one))) families.get(familyOf(one))?.tokens.delete(one.token);
  }
}

const shapeOf = ({ alphabet, length }: Family): string => `${alphabet.name} ${length}`;
const besideOf = (family: Family): string => `${family.folder}\n${family.place}\n${shapeOf(family)}`;
const sumOf = ({ tokens }: Family): number => [...tokens.values()].reduce((sum, { says }) => sum + says, 0);
const clamp = (value: number, least: number, most: number): number => Math.min(most, Math.max(least, value));

type Gathered = Omit<Family, "alphabet" | "tokens"> & {
  readonly costs: Map<string, number>;
  hasHope: boolean;
};

/** The families in which any token may be a hash at all. */
function gatherFamilies(candidates: Iterable<readonly Candidate[]>): Map<string, Family> {
  const gathered = new Map<string, Gathered>();
  const estimates = new Map<string, Estimate>();
  for (const own of candidates)
    for (const candidate of own) {
      const { token, folder, place, end } = candidate;
      let known = estimates.get(token);
      if (!known) estimates.set(token, (known = estimate(token)));
      const key = familyOf(candidate);
      let family = gathered.get(key);
      if (!family) {
        const isScript = isScriptOrStyle(end);
        family = { folder, place, length: token.length, isScript, costs: new Map(), hasHope: false };
        gathered.set(key, family);
      }
      // What stands twice, for a twin or for a picture in several sizes, is one witness.
      family.costs.set(token, known.byPeople);
      family.hasHope ||= known.hasHope;
    }
  const families = new Map<string, Family>();
  for (const [key, family] of gathered) if (family.hasHope) families.set(key, chooseAlphabet(family));
  return families;
}

interface Estimate {
  readonly byPeople: number;
  readonly hasHope: boolean;
}

/** What a token must have by itself so that all else can make up for it. */
const LEAST_HOPE = BELIEVED - SCRIPT_BONUS - SHAPE_BONUS - MOST_OF_ALL;

function estimate(token: string): Estimate {
  const byPeople = costAsPeopleName(token);
  return { byPeople, hasHope: ALPHABETS.some((alphabet) => natsOf(token, byPeople, alphabet) >= LEAST_HOPE) };
}

function chooseAlphabet({ costs, hasHope: _, ...family }: Gathered): Family {
  const { length } = family;
  const share = 1 - countFixed([...costs.keys()], length) / length;
  let [best, most] = [ALPHABETS[0] as Alphabet, 0];
  for (const alphabet of ALPHABETS) {
    let support = 0;
    for (const [token, byPeople] of costs)
      support += clamp(natsOf(token, byPeople * share, alphabet) - LEAST_HOPE, 0, 2 * MOST_OF_ALL);
    if (support > most) [best, most] = [alphabet, support];
  }
  const toWeight = (token: string, byPeople: number): Weight => {
    const nats = natsOf(token, byPeople * share, best);
    const isOther = nats === -Infinity && isCode(token, byPeople);
    return { nats, says: isOther ? CODE_OUTSIDE : clamp(nats, LEAST_OF_ONE, MOST_OF_ONE) };
  };
  const tokens = new Map([...costs].map(([token, byPeople]) => [token, toWeight(token, byPeople)]));
  return { ...family, alphabet: best, tokens };
}

/** How much likelier a token is as random letters of the alphabet; −Infinity where it has others. */
function natsOf(token: string, byPeople: number, { letters, plain, size, cost }: Alphabet): number {
  if (!letters.test(token)) return -Infinity;
  const nats = byPeople - cost - token.length * Math.log(size);
  return nats > 0 && plain.test(token) ? 0 : nats;
}

/** Letters and digits at random, by whomever. */
const isCode = (token: string, byPeople: number): boolean => byPeople >= token.length * Math.log(36);

/** Letters that are the same in every token are nobody's hash: the codes of emoji all begin with `1f`. */
function countFixed(tokens: readonly string[], length: number): number {
  if (tokens.length < 3) return 0;
  const [first = ""] = tokens;
  let fixed = 0;
  for (let at = 0; at < length; at++) if (tokens.every((token) => token[at] === first[at])) fixed += 1;
  return fixed;
}

/** @param said what all tokens of the same folder, place and shape say together */
function judgeFamily(family: Family, said: number, scriptShapes: ReadonlySet<string>): JudgedFamily {
  const { alphabet, length, isScript, tokens } = family;
  const isShared = scriptShapes.has(shapeOf(family));
  const bonus = (isScript ? SCRIPT_BONUS : 0) + (isShared ? SHAPE_BONUS : 0);
  const believed = [...tokens].filter(
    ([, { nats, says }]) => nats + bonus + clamp(said - says, LEAST_OF_ALL, MOST_OF_ALL) >= BELIEVED,
  );
  const strong = believed.filter(([, { nats }]) => nats > 0).length;
  const isKnown = isShared || alphabet.lengths.has(length) || (isScript && strong >= SHAPE_WITNESSES);
  const shown = isKnown ? withoutOddOnes(believed, strong) : [];
  const possible = [...tokens].filter(([, { nats }]) => nats >= POSSIBLE);
  const named = (list: readonly Weighed[]): Set<string> => new Set(list.map(([token]) => token));
  return {
    alphabet,
    length,
    beside: besideOf(family),
    tokens,
    shown: named(shown),
    possible: named(possible),
  };
}

type Weighed = readonly [token: string, weight: Weight];
const PLAIN_KINDS = [/^\d+$/, /^[a-z]+$/, /^[A-Z]+$/];

/**
 * Words and numbers are believed where as few of them are there as there are by chance: one number among thirty hashes is
 * a hash, ten are not.
 */
function withoutOddOnes(believed: readonly Weighed[], strong: number): Weighed[] {
  const odd = believed.filter(([, { nats }]) => nats < 0);
  const tooMany = PLAIN_KINDS.filter(
    (kind) => odd.filter(([token]) => kind.test(token)).length > 1 + strong / 4,
  );
  return believed.filter(([token, { nats }]) => nats >= 0 || !tooMany.some((kind) => kind.test(token)));
}

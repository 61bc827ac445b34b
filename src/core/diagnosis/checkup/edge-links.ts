import type { EdgeFailure } from "../../model/edge.ts";
import type { Sha256 } from "../../model/names.ts";
import { broken, good, note, notTried, type Asked, type Link, type SeenHabit } from "./link.ts";

/** What came of an invalidation that was tried. */
export type ForgettingLook =
  | { readonly state: "new" }
  | { readonly state: "old" }
  /** The store has new content, and the edge holds nothing that could be told old. */
  | { readonly state: "not-held" }
  | { readonly state: "failed"; readonly failure: EdgeFailure };

/** An edge that was asked to forget: an address and then, where it takes them, a pattern. */
export interface ForgettingTrial {
  readonly edge: string;
  /** How it is set up to take patterns, where it takes any. */
  readonly patterns?: string | undefined;
  readonly exact: ForgettingLook;
  readonly pattern?: ForgettingLook | undefined;
}

/** Whether the edge forgets what it is asked to forget. */
export function judgeForgetting({ edge, patterns = "", exact, pattern }: ForgettingTrial): Link {
  const asked: Asked = { code: "forget", edge };
  if (exact.state === "failed") {
    const { failure } = exact;
    const found = { code: "edge-failure", failure } as const;
    return broken("forgetting", { asked, found, cause: causeOf(failure), names: { edge, failure } });
  }
  if (exact.state === "old")
    return broken("forgetting", { asked, found: { code: "still-old" }, cause: "still-old", names: { edge } });
  if (pattern && (pattern.state === "old" || pattern.state === "failed"))
    return broken("forgetting", {
      asked: { ...asked, byPattern: true },
      found:
        pattern.state === "old"
          ? { code: "pattern-old" }
          : { code: "pattern-failure", failure: pattern.failure },
      cause: "patterns-unknown",
      names: { edge, patterns },
    });
  if (exact.state === "not-held") return good("forgetting", asked, { code: "not-held" });
  return good("forgetting", asked, { code: "forgotten", byPattern: pattern !== undefined });
}

function causeOf({ kind }: EdgeFailure): "may-not-invalidate" | "edge-unknown" | "edge-fails" {
  if (kind === "denied" || kind === "credentials-refused") return "may-not-invalidate";
  return kind === "not-found" ? "edge-unknown" : "edge-fails";
}

/** What an edge was seen to do; undefined: that could not be told. */
export interface SeenHabits {
  /** Whether it held what allowed no freshness. */
  readonly holdsZero?: boolean | undefined;
  /** Whether a copy answered under a query that nobody had used. */
  readonly ignoresQuery?: boolean | undefined;
  /** Whether it held 'not found'. */
  readonly holdsNegative?: boolean | undefined;
}

export interface SaidHabits {
  readonly minimumFreshness?: number | undefined;
  readonly query?: "ignored" | "keyed" | undefined;
  readonly negative?: number | undefined;
}

/** Hashes of what answered, after each of two contents had been written in turn; undefined: nobody answered, or nobody was asked. */
export interface HabitAnswers {
  /** The content before, and the one that stands now. */
  readonly old: Sha256;
  readonly fresh: Sha256;
  /** Of what allows no freshness, of a page that may be held, and of that page under a query that nobody has used. */
  readonly zero: Sha256 | undefined;
  readonly page: Sha256 | undefined;
  readonly queried: Sha256 | undefined;
  /** The status of what was missing when it was asked for first, and stands now; undefined: it was not missing. */
  readonly lateStatus: number | undefined;
}

/** Whether an old copy of the page is held now, and what that tells of the edge's habits. */
export function readHabits({ old, fresh, zero, page, queried, lateStatus }: HabitAnswers): {
  readonly holdsOld: boolean;
  readonly habits: SeenHabits;
} {
  const isOld = (seen: Sha256 | undefined): boolean | undefined =>
    seen === old ? true : seen === fresh ? false : undefined;
  const holdsOld = isOld(page) === true;
  return {
    holdsOld,
    habits: {
      holdsZero: isOld(zero),
      ignoresQuery: holdsOld ? isOld(queried) : undefined,
      holdsNegative: lateStatus === undefined ? undefined : lateStatus >= 400,
    },
  };
}

/** What the edge was seen to do against what the settings say of it. */
export function judgeHabits(seen: SeenHabits, said: SaidHabits): Link {
  const told = toHabits(seen, said).flatMap(({ isSeen, ...habit }) =>
    isSeen === undefined ? [] : [{ ...habit, isSeen }],
  );
  if (told.length === 0) return notTried("habits", { code: "nothing-telling" });
  const asked: Asked = { code: "habits" };
  const found = { code: "habits", habits: told.map(({ habit, isSeen }) => ({ habit, isSeen })) } as const;
  const wrong = told.filter(({ isWrong }) => isWrong);
  if (wrong.length > 0) {
    const names = { habits: wrong.map(({ mend }) => mend).join(", ") };
    return broken("habits", { asked, found, cause: "habits-otherwise", names });
  }
  const unsaid = told.filter(({ isSaid, setting }) => !isSaid && setting !== undefined);
  if (unsaid.length === 0) return good("habits", asked, found);
  const names = { habits: unsaid.map(({ setting }) => setting ?? "").join(", ") };
  return note("habits", { asked, found, cause: "habits-unsaid", names });
}

interface Habit {
  readonly habit: SeenHabit["habit"];
  readonly isSeen: boolean | undefined;
  /** What could be said of it in the settings; undefined: nothing that helps. */
  readonly setting: string | undefined;
  readonly isSaid: boolean;
  readonly isWrong: boolean;
  /** What the settings should say where they say otherwise. */
  readonly mend: string;
}

const toHabits = ({ holdsZero, ignoresQuery, holdsNegative }: SeenHabits, said: SaidHabits): Habit[] => [
  {
    habit: "minimumFreshness",
    isSeen: holdsZero,
    setting: holdsZero === true ? undefined : "minimumFreshness: 0s",
    isSaid: said.minimumFreshness !== undefined,
    isWrong: said.minimumFreshness === 0 && holdsZero === true,
    mend: "minimumFreshness: 1m",
  },
  {
    habit: "query",
    isSeen: ignoresQuery,
    setting: ignoresQuery === true ? "query: ignored" : undefined,
    isSaid: said.query !== undefined,
    isWrong: said.query === "ignored" && ignoresQuery === false,
    mend: "query: keyed",
  },
  {
    habit: "negative",
    isSeen: holdsNegative,
    setting: holdsNegative === true ? undefined : "negative: 0s",
    isSaid: said.negative !== undefined,
    isWrong: said.negative === 0 && holdsNegative === true,
    mend: "negative: 1m",
  },
];

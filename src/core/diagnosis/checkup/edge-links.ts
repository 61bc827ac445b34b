import { broken, good, note, notTried, type Link } from "./link.ts";

/** What came of an invalidation that was tried. */
export type ForgettingLook =
  | { readonly state: "new" }
  | { readonly state: "old" }
  /** The store has new content, and the edge holds nothing that could be told old. */
  | { readonly state: "not-held" }
  | {
      readonly state: "failed";
      readonly status?: number | undefined;
      readonly code?: string | undefined;
      readonly answer: string;
    };

export interface EdgeLookFacts {
  readonly edge: string;
  /** How it is set up to take patterns, where it takes any. */
  readonly patterns?: string | undefined;
}

/** An address and then, where the edge takes them, a pattern. */
export function judgeForgetting(
  { edge, patterns = "" }: EdgeLookFacts,
  exact: ForgettingLook,
  pattern: ForgettingLook | undefined,
): Link {
  const asked = `the edge ${edge} to let go of a probe`;
  if (exact.state === "failed") {
    const { status, code = "", answer } = exact;
    const names = { edge, answer };
    const found = [status, code].filter((part) => part !== undefined && part !== "").join(" ") || answer;
    const cause =
      status === 401 || status === 403
        ? "may-not-invalidate"
        : status === 404
          ? "edge-unknown"
          : "edge-fails";
    return broken("forgetting", { asked, found, cause, names });
  }
  if (exact.state === "old")
    return broken("forgetting", {
      asked,
      found: "confirmed; the old content answers",
      cause: "still-old",
      names: { edge },
    });
  if (pattern && (pattern.state === "old" || pattern.state === "failed"))
    return broken("forgetting", {
      asked: `${asked}, by a pattern`,
      found: pattern.state === "old" ? "taken; the old content answers" : pattern.answer,
      cause: "patterns-unknown",
      names: { edge, patterns },
    });
  if (exact.state === "not-held")
    return good("forgetting", asked, "taken; nothing was held that it could be tried on");
  return good(
    "forgetting",
    asked,
    `the new content answers at once${pattern ? ", by address and by pattern" : ""}`,
  );
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

/** What the edge was seen to do against what the settings say of it. */
export function judgeHabits(seen: SeenHabits, said: SaidHabits): Link {
  const habits: readonly Habit[] = [
    {
      seen: seen.holdsZero,
      setting: seen.holdsZero === true ? undefined : "minimumFreshness: 0s",
      isSaid: said.minimumFreshness !== undefined,
      isWrong: said.minimumFreshness === 0 && seen.holdsZero === true,
      mend: "minimumFreshness: 1m",
      words: seen.holdsZero === true ? "holds what allows no freshness" : "holds nothing longer than it may",
    },
    {
      seen: seen.ignoresQuery,
      setting: `query: ${seen.ignoresQuery === true ? "ignored" : "keyed"}`,
      isSaid: said.query !== undefined,
      isWrong: said.query === "ignored" && seen.ignoresQuery === false,
      mend: "query: keyed",
      words: seen.ignoresQuery === true ? "one copy for all queries" : "a copy for each query",
    },
    {
      seen: seen.holdsNegative,
      setting: seen.holdsNegative === true ? undefined : "negative: 0s",
      isSaid: said.negative !== undefined,
      isWrong: said.negative === 0 && seen.holdsNegative === true,
      mend: "negative: 1m",
      words: seen.holdsNegative === true ? "holds 'not found'" : "does not hold 'not found'",
    },
  ];
  const told = habits.filter((habit) => habit.seen !== undefined);
  if (told.length === 0) return notTried("habits", "nothing was held that could tell");
  const asked = "what is held, for how long, and under which names";
  const found = told.map(({ words }) => words).join("; ");
  const wrong = told.filter(({ isWrong }) => isWrong);
  if (wrong.length > 0) {
    const names = { habits: wrong.map(({ mend }) => mend).join(", ") };
    return broken("habits", { asked, found, cause: "habits-otherwise", names });
  }
  const unsaid = told.filter(
    ({ isSaid, setting }) => !isSaid && setting !== undefined && setting !== "query: keyed",
  );
  if (unsaid.length === 0) return good("habits", asked, found);
  const names = { habits: unsaid.map(({ setting }) => setting ?? "").join(", ") };
  return note("habits", { asked, found, cause: "habits-unsaid", names });
}

interface Habit {
  readonly seen: boolean | undefined;
  /** What could be said of it in the settings; undefined: nothing that helps. */
  readonly setting: string | undefined;
  readonly isSaid: boolean;
  readonly isWrong: boolean;
  readonly mend: string;
  readonly words: string;
}

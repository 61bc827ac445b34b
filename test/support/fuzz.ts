import fc from "fast-check";
import { holds } from "./seeds.ts";

/** Seconds for each family of inputs at night (`npm run fuzz`); by day each has so many cases, always the same. */
const SECONDS = process.env.COURIER_FUZZ_SECONDS;
const CASES = { fast: 300, slow: 4 };
/** What a case may take that the clock ran out on, shrinking included. */
const LEEWAY_MS = 300_000;

export interface Family<T> {
  readonly inputs: fc.Arbitrary<T>;
  /** Throws where an input does what no input may. */
  readonly check: (input: T) => Promise<void> | void;
  /** Cases that take long are not made smaller when they fail. */
  readonly isSlow?: boolean;
}

/** Throws inputs of one family at something until its time is over, and says how many they were. */
export function fuzz<T>(name: string, { inputs, check, isSlow = false }: Family<T>): void {
  test(
    name,
    async () => {
      let cases = 0;
      let underWay: Promise<void> = Promise.resolve();
      const property = fc.asyncProperty(inputs, async (input) => {
        cases += 1;
        await (underWay = Promise.resolve(check(input)));
      });
      await holds(property, {
        seeds: [20_260_304],
        ...(SECONDS === undefined
          ? { numRuns: isSlow ? CASES.slow : CASES.fast }
          : {
              numRuns: Number.MAX_SAFE_INTEGER,
              plugins: [fc.interruptAfterTimeLimit(Number(SECONDS) * 1000)],
            }),
        endOnFailure: isSlow,
      });
      // The clock may have run out in the middle of one.
      await underWay;
      process.stdout.write(`fuzz: ${name}: ${cases} inputs\n`);
      expect(cases).toBeGreaterThan(0);
    },
    Number(SECONDS ?? 0) * 1000 + LEEWAY_MS,
  );
}

/** Pieces that formats, shells, terminals and people choke on. */
export const NASTY = [
  "", "\0", "\n", "\r", "\t", " ", "\u2028", "\u202e", "\ufeff", "\ufffd", "\ud800", "\u001b[31m", "\u001b[0Ksection_start:1:a\r",
  "\n::error::x", "::stop-commands::x", "##[error]x", "##vso[a]b", "foreign\nforeign", "../", "..", ".", "/", "//", "\\", "*", "**", "?", "#", "%", "%zz", "%00", "%2e%2e/",
  "'", '"', "`", "<", ">", "&", "&amp;", "<!--", "]]>", "<script>", "</style>", "url(", "${HOME}", "{{", "}}", "[", "]", "(", ")", "|", "$", "^", ";", ",", ":", "=", "@", "~", "-", "--",
  "0", "-1", "1e999", "NaN", "null", "true", "{}", "[]", "[null]", "999999999999999999999", "__proto__", "constructor", ".courier/", ".env", ".git", "index.html", "a".repeat(300), "\u00e9", "e\u0301", "\ud83d\udea2",
] as const; // prettier-ignore

const nasty = fc.constantFrom(...NASTY);

/** Short texts of anything. */
export const foulText = (most = 4): fc.Arbitrary<string> =>
  fc
    .array(fc.oneof(nasty, fc.string({ maxLength: 6 })), { maxLength: most })
    .map((pieces) => pieces.join(""));

type Edit = readonly [kind: number, at: number, length: number, piece: string];
const edits: fc.Arbitrary<Edit[]> = fc.array(
  fc.tuple(fc.nat(4), fc.double({ min: 0, max: 1, noNaN: true }), fc.nat(12), nasty),
  { minLength: 1, maxLength: 6 },
);

/** One of some texts with something taken out, put in, doubled, cut off or turned round. */
export const mutated = (texts: readonly string[]): fc.Arbitrary<string> =>
  fc.tuple(fc.constantFrom(...texts), edits).map(([text, made]) => made.reduce(applyEdit, text));

function applyEdit(text: string, [kind, place, length, piece]: Edit): string {
  const at = Math.floor(place * text.length);
  const [before, taken, after] = [text.slice(0, at), text.slice(at, at + length), text.slice(at + length)];
  switch (kind) {
    case 0:
      return before + after;
    case 1:
      return before + piece + taken + after;
    case 2:
      return before + taken + taken + after;
    case 3:
      return before;
    default:
      return before + Array.from(taken).reverse().join("") + after;
  }
}

/** The same for bytes. */
export const mutatedBytes = (samples: readonly Buffer[]): fc.Arbitrary<Buffer> =>
  mutated(samples.map((bytes) => bytes.toString("latin1"))).map((text) => Buffer.from(text, "latin1"));

/**
 * How likely a part of a file name is as one that people give: words of several languages alone or joined, numbers, dates,
 * product codes. Costs are −ln of a probability, so they add up.
 */

/**
 * Row by row, after the start of a word (first row) and after a to z: what the end of the word (first letter of the row) and
 * a to z cost, in quarters, as digits of base 36. Counted in the open word lists of English, German, French, Spanish,
 * Italian, Portuguese, Dutch, Polish and Swedish, and in the file names of some hundred packages.
 */
const LETTER_PAIRS = [
  "zacabcdefdjfeceebnb9cfegooi", "aifccriemdkiac9nfp8a9gelpmk", "h7dpm6qkq9jm9pm9tz9fjarnrgo",
  "e8tfuazz79ncept7sqdkcdwwrhf", "89mnh4mlo8nmimk9mwdfnenmrki", "8giedgifmekicc8lgn79cjikhph",
  "c9npl8bkp6roaqp9pzagdbqonhn", "89nwl6segarqdldbpzadgbrpzmr", "97nto6nnr9sofhg9sydhbcvjzhq",
  "bbibe9gdtpiice7bhme9blgqnzf", "a6ofg6jmsfyeleealzqci9jqzzg", "a8kmk7okkamhcme8nycdbckiykq",
  "b7kkf7ljj7ojajj9kroeddjqsgn", "87doj7opq8snkcm8azngkdpsvhs", "8aldaahak9nhlofcmpna8hipvik",
  "8igeehifnimibc7gep8bddhconj", "d7ono7koharmanm8cz8fdcptqkt", "bsyzzzzzzszzuzzyzyzxy0vxzzz",
  "97ihf7lho9tijgeakrfcdeknzhh", "5clco9kmhbqfihleeopa8fmnwki", "88nko6oog8mnknmaozadeepmvhl",
  "edddebfelbgiac9kdr8aalljmsj", "h5rxq4snt7vqhmo9pzhjojkzzrz", "c6oil7trh7vjjpdanzeclgurzan",
  "8bjbu9qvf9zpljrc7uuh7iiseht", "4egbggkgphhfeacgczfbdmreqzf", "86khj6sknaohjhfalvmmhbvgzcd",
]; // prettier-ignore

const LETTERS = 27;
const PAIR_COSTS = Float64Array.from(LETTER_PAIRS.join(""), (digit) => parseInt(digit, 36) / 4);

/** −ln: a further word or number within a name. */
const JOINED = 1.5;
const CAPITALISED = 1;
/** `QR`, `db`, `mgr`: up to three letters are as good as any. */
const ABBREVIATED = 4.5;
const ALL_CAPITALS = 3.5;
/** Words of the trade that are no words of a language. */
const TRADE =
  /^(api|btn|cdn|cfg|cjs|css|csv|ctx|db|dns|dpi|gif|gltf|gpu|hsl|html|http|https|idx|img|impl|io|ios|jpg|js|json|jsx|jwt|lang|md|mjs|npm|opsz|pdf|png|px|rgb|rgba|sdk|sql|src|ssl|str|svg|sw|tls|tmp|ts|tsx|txt|ui|uri|url|utf|ux|vtt|wdth|wght|woff|www|xhr|xml|xyz|yml|zip)$/; // prettier-ignore
const TRADE_WORD = Math.log(150);
/** A day of the last or of this century, a year, a time, a language with script and country, a version: as one of so many. */
const DAY = Math.log(365 * 100);
const YEAR = Math.log(150);
const TIME = Math.log(86_400);
const LOCALE = Math.log(200 * 30 * 250);
const VERSION = Math.log(5000);
/** How seldom people name files by codes: `A1B2C3D4` of a shop's articles, the first letters of a commit, small letters and digits. */
const CODES = [
  { letters: /^[A-Z0-9]+$/, size: 36, cost: 4 },
  { letters: /^[0-9a-f]+$/, size: 16, cost: 10 },
  { letters: /^[a-z0-9]+$/, size: 36, cost: 12 },
] as const;
/** What people like to spell with the digits of hexadecimal numbers, alone and together: `deadc0de`. */
const HEX_WORD =
  "dead|deaf|beef|cafe|babe|face|feed|fade|deed|c0de|code|f00d|b00c|c0ffee|coffee|bad|dad|ace|bed|bee|fee|decade|facade";
const HEX_WORDS = new RegExp(`^(${HEX_WORD}|\\d)+$`);
const COUNT_HEX_WORDS = new RegExp(HEX_WORD, "g");
const HEX_WORD_COST = Math.log(100);

/** −ln of the probability that people give this name, or name this part of it: letters, digits, `-`, `_`, `~` and `.`. */
export function costAsPeopleName(token: string): number {
  const locale = /^[a-z]{2,3}([-_][A-Z][a-z]{3})?[-_]([A-Z]{2}|\d{3})$/.test(token) ? LOCALE : Infinity;
  const parts = token.split(/[-_~.]/).filter((part) => part !== "");
  return Math.min(locale, sumOf(parts.map(costOfPart)));
}

/** Of things that are joined: what separates them costs no more than their being joined does. */
const sumOf = (costs: readonly number[]): number => costs.reduce((sum, cost) => sum + cost + JOINED, -JOINED);

function costOfPart(part: string): number {
  const codes = CODES.map(({ letters, size, cost }) =>
    letters.test(part) ? cost + part.length * Math.log(size) : Infinity,
  );
  if (/^v?\d{1,3}(a|b|rc|alpha|beta)?\d{0,2}$/.test(part)) codes.push(VERSION);
  // A camera's or a series' mark before a number: `DSCF2767`.
  const [, mark, digits] = /^([A-Z]{1,4})(\d+)$/.exec(part) ?? [];
  if (mark !== undefined && digits !== undefined)
    codes.push(mark.length * Math.log(26) + JOINED + costOfNumber(digits));
  if (HEX_WORDS.test(part)) {
    const words = part.match(COUNT_HEX_WORDS) ?? [];
    codes.push(words.length * HEX_WORD_COST + (part.length - words.join("").length) * Math.log(10));
  }
  return Math.min(costOfWords(part), ...codes);
}

/** Words that are written together, and numbers. */
const costOfWords = (part: string): number =>
  sumOf((part.match(/[A-Z]?[a-z]+|[A-Z]+(?![a-z])|\d+/g) ?? []).map(costOfRun));

function costOfRun(run: string): number {
  if (/^\d/.test(run)) return costOfNumber(run);
  const small = run.toLowerCase();
  const isAll = run.length > 1 && run === run.toUpperCase();
  const plain = TRADE.test(small) ? TRADE_WORD : costOfWord(small);
  const word = plain + (isAll ? ALL_CAPITALS : small === run ? 0 : CAPITALISED);
  return run.length > 3 || run.length < 2 ? word : Math.min(word, ABBREVIATED + run.length * Math.log(26));
}

function costOfWord(word: string): number {
  let [sum, before] = [0, 0];
  for (let at = 0; at <= word.length; at++) {
    const letter = at === word.length ? 0 : word.charCodeAt(at) - 96;
    sum += PAIR_COSTS[before * LETTERS + letter] as number;
    before = letter;
  }
  return sum;
}

const MONTH_AND_DAY = "(0[1-9]|1[0-2])(0[1-9]|[12]\\d|3[01])";
const IS_DAY = new RegExp(`^((19|20)\\d\\d${MONTH_AND_DAY}|(0[1-9]|[12]\\d|3[01])(0[1-9]|1[0-2])20\\d\\d)`);
const IS_TIME = /^([01]\d|2[0-3])[0-5]\d([0-5]\d)?$/;

function costOfNumber(digits: string): number {
  const plain = digits.length * Math.log(10);
  if (IS_DAY.test(digits))
    return DAY + (IS_TIME.test(digits.slice(8)) ? TIME : (digits.length - 8) * Math.log(10));
  return /^(19|20)\d\d$/.test(digits) ? YEAR : plain;
}

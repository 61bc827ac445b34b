import * as fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { ANSWER_CHECKS } from "../../settings/answers.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withScript } from "./package-script.ts";
import { createQuestions } from "./questions.ts";

/** A terminal, and a person who types these answers one after the other and then presses Ctrl-C. */
function meet(...typed: string[]) {
  const said: string[] = [];
  const terminal = { canAsk: true, style: (_: string, text: string) => text, styleSaid: (_: string, text: string) => text, say: (text: string) => said.push(text) };
  const askText = (_: string, offered = ""): Promise<string> => {
    const next = typed.shift();
    return next === undefined ? Promise.reject(new OperatorError("interrupted")) : Promise.resolve(next === "" ? offered : next);
  };
  return { said, questions: createQuestions({}, terminal as unknown as Terminal, askText) };
} // prettier-ignore

test("a bad answer is said and asked for again; an empty one takes what is offered; Ctrl-C loses no answer", async () => {
  const { said, questions } = meet("Pelican_Web", "pelican-web", "ireland", "eu-west-1", "");
  const { bucket, region, text } = ANSWER_CHECKS;
  const asked = questions.keep(async () => {
    expect(await questions.ask("bucket", "Which bucket?", { check: bucket(true) })).toBe("pelican-web");
    expect(await questions.ask("region", "In which region?", { check: region(true) })).toBe("eu-west-1");
    expect(await questions.ask("site", "What is it called?", { fallback: "Captain's boats", check: text })).toBe("Captain's boats");
    return questions.ask("url", "Where?", { check: text });
  });
  await expect(asked).rejects.toMatchObject({ code: "interrupted" });
  expect(said).toEqual([
    expect.stringMatching(/Pelican_Web: should be 3 to 63 small letters/),
    expect.stringMatching(/ireland: should be the name of a region/),
    expect.stringContaining("rcourier setup --bucket pelican-web --region eu-west-1 --site 'Captain'\\''s boats'\n"),
  ]);
}); // prettier-ignore

test.each<[string, (answer: string) => string | undefined, readonly string[], readonly string[]]>([
  ["edge", ANSWER_CHECKS.edge, ["", "none", "distribution", "distribution:E1", "purge:http://127.0.0.1:9"], ["cdn", "distribution:", "distribution: E1", "purge:", "purge:x"]],
  ["bucket of the cloud", ANSWER_CHECKS.bucket(true), ["pelican.sound-web"], ["b", "Pelican", "pelican_web", "-pelican"]],
  ["bucket elsewhere", ANSWER_CHECKS.bucket(false), ["b", "Pelican_Web"], ["", "a b", "x--x-s3"]],
  ["region of the cloud", ANSWER_CHECKS.region(true), ["eu-west-1", "us-gov-east-1", "ap-southeast-12"], ["eu-west1", "eu", "ireland", "eu-west-1a"]],
  ["region elsewhere", ANSWER_CHECKS.region(false), ["home"], ["", "a b"]],
  ["url", ANSWER_CHECKS.url, ["", "https://www.pelican.test/fares/"], ["www.pelican.test", "https://a@b", "ftp://a"]],
  ["yes or no", ANSWER_CHECKS.yesOrNo, ["y", "YES", "n", "No"], ["", "maybe"]],
])("an answer that is a %s", (_, check, right, wrong) => {
  expect(right.filter((answer) => check(answer) !== undefined)).toEqual([]);
  expect(wrong.filter((answer) => !check(answer)?.startsWith("should be "))).toEqual([]);
}); // prettier-ignore

test.each([
  ['{\n  "name": "p",\n  "scripts": {\n    "build": "x"\n  }\n}\n', '{\n  "name": "p",\n  "scripts": {\n    "deliver": "rcourier deliver",\n    "build": "x"\n  }\n}\n'],
  ['{\r\n\t"scripts": {}\r\n}', '{\r\n\t"scripts": {\r\n\t\t"deliver": "rcourier deliver"\r\n\t}\r\n}'],
  ['{\n    "name": "p"\n}', '{\n    "scripts": { "deliver": "rcourier deliver" },\n    "name": "p"\n}'],
  ["{}", '{\n  "scripts": { "deliver": "rcourier deliver" }\n}'],
])("a script is added to %j, and its layout stays", (before, after) => {
  expect(withScript(before)).toBe(after);
}); // prettier-ignore

test("whatever a package.json says, it says that and one script more, or it is left alone", async () => {
  const scripts = fc.dictionary(fc.string(), fc.string());
  const manifest = fc.record({ name: fc.string(), scripts, config: fc.jsonValue() }, { requiredKeys: [] });
  await holds(
    fc.property(manifest, fc.constantFrom("\t", 2, 4, undefined), (data, indent) => {
      const after = withScript(JSON.stringify(data, undefined, indent));
      if (after === undefined) return;
      expect(JSON.parse(after)).toEqual(JSON.parse(JSON.stringify({ ...data, scripts: { ...data.scripts, deliver: "rcourier deliver" } })));
    }),
    { seeds: [11], numRuns: 300 },
  );
}); // prettier-ignore

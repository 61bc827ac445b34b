import type { CheckupResult } from "../../results/checkup.ts";
import type { ProvisionResult } from "../../results/provision.ts";
import { openPaper } from "../../../test/support/paper.ts";
import { showCheckup } from "../checkup/show.ts";
import { showProvision } from "./show.ts";

const page = openPaper({ columns: 90 });

test("checkup: a line per test, and why and the mend where something is to be known", () => {
  const links: CheckupResult["links"] = [
    { link: "store", state: "good", asked: "list pelican at http://store", found: "it answers" },
    { link: "certificate", state: "not-tried", asked: "", found: "the url is plain http" },
    { link: "root document", state: "broken", asked: "/", found: "403", cause: "no-root-document", why: "files answer, and / does not: the edge has no root document", mend: "set index.html as the root document (default object) at the edge" },
  ]; // prettier-ignore
  expect(
    showCheckup({ site: "Pelican Sound Ferries", destination: "production", links }, page, {
      callLike: (words) => `rcourier ${words}`,
    }),
  ).toMatchInlineSnapshot(`
    "Pelican Sound Ferries → production
    1 test failed.
    this machine ── store ── bucket ──╳ edge ── visitor

       passed    store           list pelican at http://store: it answers
       not run   certificate     the url is plain http
       FAILED    root document   /: 403
                 why             files answer, and / does not: the edge has no root document
                 mend            set index.html as the root document (default object) at the
                                 edge

    next   rcourier checkup   once it is mended
    "
  `);
});

test("provision: what is changed, what is left to a person and how, what was tried", () => {
  const result: ProvisionResult = {
    ...{ site: "Pelican Sound Ferries", destination: "production", bucket: "pelican", endpoint: "http://store" },
    ...{ readers: "public", dryRun: false },
    steps: [{ do: "create-bucket", what: "create the bucket pelican", why: "it is not there yet" }],
    byHand: [{ what: "set up its website endpoint", why: "the store does not know this (501)", how: "say serves: objects" }],
    checked: ["nobody reads the tool's own part unsigned"],
  };
  expect(showProvision(result, page)).toMatchInlineSnapshot(`
"Pelican Sound Ferries → production
1 change made pelican at http://store ready.

  changed
    create the bucket pelican
      it is not there yet
  left to you
    set up its website endpoint
      the store does not know this (501)
      how: say serves: objects
  tested
    nobody reads the tool's own part unsigned
"
`);
  expect(showProvision({ ...result, steps: [], byHand: [] }, page)).toContain("is ready: nothing has to be changed.");
}); // prettier-ignore

import type { CheckupResult } from "../../results/checkup.ts";
import type { ProvisionResult } from "../../results/provision.ts";
import type { Terminal } from "../frame/terminal.ts";
import { showCheckup } from "../checkup/show.ts";
import { showProvision } from "./show.ts";

const page = { columns: 90, style: (_: string, text: string) => text } as unknown as Terminal;

test("checkup: a line a link, and why and the mend where something is to be known", () => {
  const links: CheckupResult["links"] = [
    { link: "store", state: "good", asked: "list pelican at http://store", found: "it answers" },
    { link: "certificate", state: "not-tried", asked: "", found: "the url is plain http" },
    { link: "root document", state: "broken", asked: "/", found: "403", cause: "no-root-document", why: "files answer, and / does not: the edge has no root document", mend: "set index.html as the root document (default object) at the edge" },
  ]; // prettier-ignore
  expect(showCheckup({ site: "Pelican Sound Ferries", destination: "production", links }, page))
    .toMatchInlineSnapshot(`
   "Pelican Sound Ferries, production: from the settings to what a visitor gets

     good       store          list pelican at http://store: it answers
     not tried  certificate    the url is plain http
     broken     root document  /: 403
                               why:  files answer, and / does not: the edge has no root
                                     document
                               mend: set index.html as the root document (default object) at
                                     the edge

     1 broken link
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
   "Pelican Sound Ferries, production: pelican at http://store

     changed
       create the bucket pelican
         it is not there yet
     left to you
       set up its website endpoint
         the store does not know this (501)
         how: say serves: objects
     tried
       nobody reads the tool's own part unsigned
   "
  `);
  expect(showProvision({ ...result, steps: [], byHand: [] }, page)).toContain("ready: nothing has to be changed");
}); // prettier-ignore

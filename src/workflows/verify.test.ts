import { Stage, site } from "../../test/support/stage.ts";
import { verify } from "./verify.ts";

const OPTIONS = { sample: 10, expectedHeaders: {} };

/** A visit of the stage's site, at which everybody gets this status, the first that ask as the last. */
const visit = (stage: Stage, status: number, encodings: string[] = []) => {
  const { run, place } = stage.delivery();
  let asked = 0;
  const ask = async (address: string, { encoding = "" } = {}) => {
    if (address === "/") encodings.push(encoding);
    for (let turns = 100 - asked++; turns > 0; turns--) await Promise.resolve();
    return { status, headers: {}, hash: undefined, size: 0 };
  };
  const siteRules = { ...place.siteRules, url: "http://pelicansound.example/" };
  return { run, place: { ...place, siteRules, visitors: { ask, close: () => undefined } } };
};

test("what is found is told by address, whatever answers first", async () => {
  const stage = new Stage();
  await stage.deliver(site("one"));
  const encodings: string[] = [];
  const { findings } = await verify(visit(stage, 503, encodings), OPTIONS);
  const addresses = findings.map(({ address }) => address);
  expect(addresses).toEqual(addresses.toSorted());
  expect(new Set(addresses).size).toBeGreaterThan(3);
  // In each form in which browsers ask.
  expect(encodings).toEqual(expect.arrayContaining(["gzip, deflate, br, zstd", "gzip, deflate", ""]));
});

test("a site without a delivery, and one without an address, have nothing to look at", async () => {
  await expect(verify(visit(new Stage(), 200), OPTIONS)).rejects.toMatchObject({ code: "nothing-delivered" });
  await expect(verify(new Stage().delivery(), OPTIONS)).rejects.toMatchObject({ code: "no-url" });
});

import { readFileSync } from "node:fs";
import { RESULT_VERSIONS, schemaIdOf } from "../../src/results/kinds.ts";
import { readSchemas } from "../support/results.ts";

interface Schema {
  readonly description?: string;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly additionalProperties?: Schema | boolean;
  readonly items?: Schema;
  readonly anyOf?: readonly Schema[];
  readonly oneOf?: readonly Schema[];
}

/** Keys of a schema that say nothing of themselves, each with where it stands. */
function listSilent(schema: Schema, at = ""): string[] {
  const { properties = {}, additionalProperties, items, anyOf = [], oneOf = [] } = schema;
  const inside = [...anyOf, ...oneOf, ...(items ? [items] : [])];
  const other = typeof additionalProperties === "object" ? listSilent(additionalProperties, `${at}.*`) : [];
  return [
    ...Object.entries(properties).flatMap(([name, own]) => [
      ...(own.description === undefined ? [`${at}.${name}`] : []),
      ...listSilent(own, `${at}.${name}`),
    ]),
    ...inside.flatMap((one) => listSilent(one, at)),
    ...other,
  ];
}

test("every key of the settings' schema says what it is", () => {
  const schema = JSON.parse(readFileSync("courier.schema.json", "utf8")) as Schema & { $id: string };
  expect(schema.$id).toBe("urn:restless-courier:settings:1");
  expect(listSilent(schema)).toEqual([]);
});

test("a schema is shipped for every result and for events, each under a name of its own", () => {
  const kinds = Object.entries(RESULT_VERSIONS).map(([kind, version]) => schemaIdOf(kind, version));
  expect([...readSchemas().keys()].sort()).toEqual([...kinds, schemaIdOf("event", 1)].sort());
});

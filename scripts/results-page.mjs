// The objects of docs/results.md out of the schemas in src/results: types from the schemas themselves, meanings from the
// comments that stand in them.
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import ts from "typescript";

const FOLDER = "src/results";
const START = "<!-- made from src/results by npm run generate -->\n";
const END = "<!-- end -->";
/** Longer lists of words are left to the reader of the schema. */
const MOST_WORDS = 12;

/** The page with its objects made anew. @param made JSON Schemas by the name of their constant */
export function toResultsPage(page, { results, printed, event }) {
  const comments = readComments();
  const objects = Object.entries(results).map(([name, schema]) => {
    const { doc, tree } = comments.get(name);
    const title = doc.replace(/[.:]$/, "");
    const head = [`### ${title[0].toUpperCase()}${title.slice(1)}`, "", ...toKind(printed[name])];
    return `${head.join("\n")}| field | type | meaning |\n|---|---|---|\n${toRows(schema, tree, "").join("\n")}\n`;
  });
  const [head, rest] = withEvents(page, event).split(START);
  return `${head}${START}\n${objects.join("\n")}\n${END}${rest.slice(rest.indexOf(END) + END.length)}`;
}

/** How a whole result says what it is. */
const toKind = (schema) =>
  schema
    ? [
        `\`kind\` is \`${schema.kind}\`, \`version\` ${schema.version}: [schema](../schemas/${schema.kind}.schema.json).\n\n`,
      ]
    : [""];

/** The page with the table of events made anew. */
function withEvents(page, { anyOf }) {
  const rows = anyOf.map(({ description, properties }) => {
    const { event, ...fields } = properties;
    const shown = Object.entries(fields).map(([name, { const: only }]) =>
      only === undefined ? `\`${name}\`` : `\`${name}\`: ${only}`,
    );
    return `| \`${event.const}\` | ${description} | ${shown.join(", ")} |`;
  });
  const table = ["| event | when | fields |", "|---|---|---|", ...rows, ""].join("\n");
  return page.replace(/(<!-- events:[^\n]*\n)[\s\S]*?(<!-- end of events -->)/, `$1${table}$2`);
}

/** Every constant of the results: its own comment, and those of its fields as a tree. */
export function readComments() {
  const constants = new Map();
  for (const name of readdirSync(FOLDER).filter((file) => file.endsWith(".ts"))) {
    const path = join(FOLDER, name);
    const text = readFileSync(path, "utf8").replaceAll("\r\n", "\n");
    const source = ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true);
    for (const statement of source.statements.filter(ts.isVariableStatement))
      for (const { name: own, initializer } of statement.declarationList.declarations)
        if (!constants.has(own.getText()) || own.getText().endsWith("Schema"))
          constants.set(own.getText(), { doc: docOf(statement), initializer });
  }
  /** Fields of an object, with those of objects that it takes in (`...sums`). */
  const fieldsOf = ({ properties }) =>
    properties.flatMap((field) => {
      if (!ts.isSpreadAssignment(field)) return [field];
      const taken = constants.get(field.expression.getText())?.initializer;
      return taken && ts.isObjectLiteralExpression(taken) ? fieldsOf(taken) : [];
    });
  const treeOf = (node) => {
    if (ts.isIdentifier(node))
      return constants.has(node.text) ? treeOf(constants.get(node.text).initializer) : {};
    if (ts.isPropertyAccessExpression(node)) {
      const own = treeOf(node.expression);
      return own[node.name.text]?.tree ?? own;
    }
    if (!ts.isCallExpression(node)) return {};
    const inner = node.arguments.filter((one) => !ts.isObjectLiteralExpression(one)).map(treeOf);
    const fields = node.arguments.filter(ts.isObjectLiteralExpression).flatMap(fieldsOf);
    const own = fields.map((field) => [
      field.name.getText(),
      { doc: docOf(field), tree: field.initializer ? treeOf(field.initializer) : {} },
    ]);
    return Object.assign(treeOf(node.expression), ...inner, Object.fromEntries(own));
  };
  return new Map(
    [...constants].map(([name, { doc, initializer }]) => [name, { doc, tree: treeOf(initializer) }]),
  );
}

const docOf = (node) =>
  ts
    .getJSDocCommentsAndTags(node)
    .map(({ comment }) => (typeof comment === "string" ? comment : ""))
    .join(" ");

/** A schema whose fields say what they mean. @param tree the comments of its fields */
export function describe(schema, tree) {
  const fields = Object.entries(schema.properties ?? {}).map(([name, own]) => {
    const { doc, tree: below = {} } = tree[name] ?? {};
    return [name, { ...describe(own, below), ...(doc ? { description: doc } : {}) }];
  });
  return {
    ...schema,
    ...(fields.length > 0 ? { properties: Object.fromEntries(fields) } : {}),
    ...(schema.items ? { items: describe(schema.items, tree) } : {}),
  };
}

/** A row per field, and below it those of its own fields that say something. */
function toRows(schema, tree, prefix, isNested = false) {
  const { properties = {}, required = [] } = schema;
  return Object.entries(properties).flatMap(([name, own]) => {
    const { doc = "", tree: below = {} } = tree[name] ?? {};
    const isList = own.type === "array";
    const inner = isList ? own.items : own;
    const shown = `${prefix}${name}${required.includes(name) ? "" : "?"}`;
    const row = `| \`${shown}\` | ${toType(own)} | ${doc.replaceAll("|", "\\|").replace(/\s+/g, " ")} |`;
    const isTold = doc !== "" || (own.enum?.length ?? Infinity) <= MOST_WORDS;
    return [
      ...(isNested && !isTold ? [] : [row]),
      // What edges are asked to forget has a table of its own.
      ...(name === "invalidation"
        ? []
        : toRows(inner, below, `${prefix}${name}${isList ? "[]" : ""}.`, true)),
    ];
  });
}

function toType(schema) {
  if (schema.enum)
    return schema.enum.length > MOST_WORDS ? "a word" : schema.enum.map((word) => `\`${word}\``).join(", ");
  switch (schema.type) {
    case "array":
      return `list of ${toType(schema.items)}`.replace(/^list of (text|number)$/, "list of $1s");
    case "object":
      return schema.properties
        ? `\`{ ${Object.keys(schema.properties)
            .map((name) => `${name}${(schema.required ?? []).includes(name) ? "" : "?"}`)
            .join(", ")} }\``
        : "numbers or texts by name";
    case "integer":
    case "number":
      return "number";
    case "boolean":
      return "true or false";
    default:
      return "text";
  }
}

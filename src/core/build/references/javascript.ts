import { Parser, type Node, type Options } from "acorn";
import type { Reference } from "../../model/reference.ts";
import { createLineFinder } from "./reference.ts";

/**
 * What a script loads: static and dynamic imports, re-exports, `new URL(…, import.meta.url)` (ECMA-262 §16.2), and, as
 * guesses, texts that look like files. A script that can't be parsed names nothing.
 */
export function findScriptReferences(code: string, firstLine = 1): Reference[] {
  const program = tryParse(code, "module") ?? tryParse(code, "script");
  if (!program) return [];
  const lineOf = createLineFinder(code);
  const found: Reference[] = [];
  const add = (
    kind: Reference["kind"],
    url: string,
    at: number,
    more: Pick<Reference, "base" | "isLater"> = {},
  ): void => {
    found.push({ kind, url, line: lineOf(at) + firstLine - 1, ...more });
  };
  visit(program, (node) => {
    // A service worker is not loaded with the page: the browser asks for it by itself, again and again.
    const registered = registeredBy(node);
    if (registered !== undefined) {
      add(
        "worker",
        registered.url,
        node.start,
        registered.base === undefined ? {} : { base: registered.base },
      );
      return false;
    }
    const imported = importedBy(node);
    if (imported !== undefined) {
      // A bare name in an import is the business of an import map.
      if (/^(New|Call)Expression$/.test(node.type) || /^(\.{0,2}\/|https?:)/.test(imported))
        add(
          node.type === "NewExpression" ? "decoration" : "asset",
          imported,
          node.start,
          node.type.endsWith("Declaration") ? {} : LATER,
        );
      return false;
    }
    const text = literalOf(node);
    if (text !== undefined && looksLikeFile(text)) add("guess", text, node.start);
    return true;
  });
  return found;
}

/**
 * The parser without the check that a name is declared once: that takes time by the square of the names of a scope, and what
 * a script loads does not depend on it.
 */
const LenientParser = Parser.extend(
  (Base) =>
    class extends (Base as unknown as new (...facts: never[]) => Parser) {
      declareName(): void {
        // Declared twice is a fault of the script, and the browser's to say.
      }
      checkLocalExport(): void {
        // So is an export of what is not declared.
      }
    } as unknown as typeof Parser,
);

function tryParse(code: string, sourceType: NonNullable<Options["sourceType"]>): Node | undefined {
  try {
    return LenientParser.parse(code, {
      ecmaVersion: "latest",
      sourceType,
      allowHashBang: true,
      allowReturnOutsideFunction: true,
    });
  } catch {
    return undefined;
  }
}

const LATER = { isLater: true } as const;

type AnyNode = Node & Readonly<Record<string, unknown>>;

/** Walks a tree; `look` says whether to go on below a node. */
function visit(root: Node, look: (node: AnyNode) => boolean): void {
  const open: unknown[] = [root];
  while (open.length > 0) {
    const next = open.pop();
    // One by one: an array of a data bundle may have more entries than a call takes arguments.
    if (Array.isArray(next)) for (const entry of next as unknown[]) open.push(entry);
    else if (typeof next === "object" && next !== null && "type" in next && look(next as AnyNode))
      open.push(...Object.values(next));
  }
}

/** The file that a node loads, if it does and says so as a plain text. */
function importedBy(node: AnyNode): string | undefined {
  if (/^(Import|ExportAll|ExportNamed)Declaration$|^ImportExpression$/.test(node.type)) {
    return node.source === null || node.source === undefined ? undefined : literalOf(node.source as AnyNode);
  }
  if (node.type === "CallExpression") return importScriptsOf(node);
  if (node.type !== "NewExpression") return undefined;
  const { callee, arguments: parameters } = node as unknown as { callee: AnyNode; arguments: AnyNode[] };
  const [address, base] = parameters;
  const isUrl = callee.type === "Identifier" && callee.name === "URL";
  const ofModule = base?.type === "MemberExpression" && (base.object as AnyNode).type === "MetaProperty";
  return isUrl && ofModule && address ? literalOf(address) : undefined;
}

/**
 * `navigator.serviceWorker.register("…")`: how pages tell browsers of a service worker (W3C Service Workers §3.4.3). The
 * address counts from the page, or from the module where that is written out: `new URL("…", import.meta.url)`.
 */
function registeredBy(node: AnyNode): { readonly url: string; readonly base?: string } | undefined {
  if (node.type !== "CallExpression") return undefined;
  const { callee, arguments: parameters } = node as unknown as { callee: AnyNode; arguments: AnyNode[] };
  if (callee.type !== "MemberExpression" || nameOf(callee.property as AnyNode) !== "register")
    return undefined;
  const [first] = parameters;
  const ofModule = first?.type === "NewExpression" ? importedBy(first) : undefined;
  if (ofModule !== undefined) return { url: ofModule, base: "." };
  const owner = callee.object as AnyNode;
  const isContainer =
    owner.type === "MemberExpression" && nameOf(owner.property as AnyNode) === "serviceWorker";
  const url = isContainer && first ? literalOf(first) : undefined;
  return url === undefined ? undefined : { url };
}

/** `a` of `x.a` and of `x["a"]`. */
const nameOf = (property: AnyNode): unknown =>
  property.type === "Identifier" ? property.name : literalOf(property);

/** `importScripts("…")`: how classic workers load (WHATWG HTML §10.3.1). */
function importScriptsOf(node: AnyNode): string | undefined {
  const { callee, arguments: parameters } = node as unknown as { callee: AnyNode; arguments: AnyNode[] };
  const [first] = parameters;
  return callee.type === "Identifier" && callee.name === "importScripts" && first && parameters.length === 1
    ? literalOf(first)
    : undefined;
}

function literalOf(node: AnyNode): string | undefined {
  if (node.type === "Literal") return typeof node.value === "string" ? node.value : undefined;
  if (node.type !== "TemplateLiteral") return undefined;
  const { quasis } = node as unknown as { quasis: { value: { cooked: string | null } }[] };
  // A tagged template may hold what is no escape: then it stands for no text (ECMA-262 §12.9.6.1).
  return quasis.length === 1 ? (quasis[0]?.value.cooked ?? undefined) : undefined;
}

const looksLikeFile = (text: string): boolean =>
  text.length < 300 &&
  /^(\.{0,2}\/)?[\w~@./-]+\.(js|mjs|css|wasm|json|png|jpe?g|webp|avif|svg|gif|woff2?|mp4|webm|html)$/.test(
    text,
  );

import type { Fate, PictureFile } from "./picture.ts";
import { isOfBuild } from "./weights.ts";

/** A folder with all that is below it, a file, or several small files of one folder together. */
export interface Node {
  /** Its own name; of several: none. */
  readonly name: string;
  /** The whole path. */
  readonly path: string;
  /** Bytes below. */
  readonly size: number;
  /** Files below. */
  readonly files: number;
  /** What happens to it; of several, to those of them that change, by bytes. */
  readonly fate: Fate;
  /** Absent: it is drawn as one. */
  readonly children?: readonly Node[];
}

/** An empty file is drawn as well. */
const LEAST_BYTES = 1;

interface Folder {
  readonly name: string;
  readonly path: string;
  readonly folders: Map<string, Folder>;
  readonly files: PictureFile[];
}

/**
 * The build as folders within folders. What would be too small to be seen is drawn together with its neighbours: a build of
 * twenty thousand files has room for some hundreds.
 * @param least the share of the whole, 0 to 1, below which a file or a folder has no place of its own
 */
export function toFolders(files: readonly PictureFile[], least: number): Node {
  const root: Folder = { name: "", path: "", folders: new Map(), files: [] };
  let total = 0;
  for (const file of files.filter(isOfBuild)) {
    total += Math.max(file.size, LEAST_BYTES);
    const parts = file.key.split("/");
    let at = root;
    for (const part of parts.slice(0, -1)) at = enter(at, part);
    at.files.push(file);
  }
  return toNode(root, total * least);
}

function enter(folder: Folder, name: string): Folder {
  const known = folder.folders.get(name);
  if (known) return known;
  const path = folder.path === "" ? name : `${folder.path}/${name}`;
  const made: Folder = { name, path, folders: new Map(), files: [] };
  folder.folders.set(name, made);
  return made;
}

function toNode(folder: Folder, least: number): Node {
  const leaves = folder.files.map((file): Node => ({
    name: file.key.slice(folder.path === "" ? 0 : folder.path.length + 1),
    path: file.key,
    size: Math.max(file.size, LEAST_BYTES),
    files: 1,
    fate: file.fate,
  }));
  const all = [...leaves, ...[...folder.folders.values()].map((inner) => toNode(inner, least))];
  const [large, small] = [all.filter(({ size }) => size >= least), all.filter(({ size }) => size < least)];
  const rest = small.length === 1 ? small : byFate(small, folder.path);
  const children = [...large, ...rest].sort((a, b) => b.size - a.size);
  const whole = { name: folder.name, path: folder.path, ...addUp(children) };
  return whole.size < least ? whole : { ...whole, children };
}

/** Small ones together, those that change apart from those that don't. */
function byFate(small: readonly Node[], path: string): Node[] {
  const groups = new Map<Fate, Node[]>();
  for (const node of small) groups.set(node.fate, [...(groups.get(node.fate) ?? []), node]);
  return [...groups.values()].map((group) => ({ name: "", path, ...addUp(group) }));
}

function addUp(nodes: readonly Node[]): Pick<Node, "size" | "files" | "fate"> {
  const bytes = new Map<Fate, number>();
  for (const { fate, size } of nodes) bytes.set(fate, (bytes.get(fate) ?? 0) + size);
  const changed = [...bytes].filter(([fate]) => fate !== "unchanged").sort(([, a], [, b]) => b - a);
  return {
    size: nodes.reduce((sum, { size }) => sum + size, 0),
    files: nodes.reduce((sum, { files }) => sum + files, 0),
    fate: changed[0]?.[0] ?? "unchanged",
  };
}

import type { ObjectKey } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import { ROLES, type Role } from "../model/role.ts";
import type { Waybill } from "../model/release.ts";
import type { PictureFile, ReleaseSize } from "./picture.ts";

/** Whether a file belongs to the build: not one that it has no more. */
export const isOfBuild = ({ fate }: PictureFile): boolean => fate !== "removed" && fate !== "kept";

/** What files of one role weigh together, in bytes. */
export interface RoleWeight {
  readonly role: Role;
  readonly files: number;
  /** As they are stored. */
  readonly stored: number;
  /** As sent by an edge that compresses; undefined: nobody has weighed them. */
  readonly wire: number | undefined;
  /** What this delivery brings anew, sent or copied. */
  readonly written: number;
}

/** The build's weight, role by role; roles without files are left out. */
export function weighRoles(files: readonly PictureFile[]): RoleWeight[] {
  return ROLES.flatMap((role) => {
    const own = files.filter((file) => file.role === role && isOfBuild(file));
    if (own.length === 0) return [];
    const sum = (pick: (file: PictureFile) => number): number =>
      own.reduce((total, file) => total + pick(file), 0);
    const isWeighed = own.every(({ wire }) => wire !== undefined);
    return [
      {
        ...{ role, files: own.length, stored: sum(({ size }) => size) },
        wire: isWeighed ? sum(({ wire = 0 }) => wire) : undefined,
        written: sum(({ by, size }) => (by === undefined ? 0 : size)),
      },
    ];
  });
}

/** Files of one role that carry the same headers. */
export interface HeaderGroup {
  readonly role: Role;
  /** By name, in alphabetical order, without the content type. */
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly files: number;
  /** The first of them. */
  readonly example: ObjectKey;
  /** Content types among them, in alphabetical order. */
  readonly types: readonly string[];
}

/** Which headers the files of each role carry; the commonest of a role first. */
export function groupHeaders(files: readonly PictureFile[]): HeaderGroup[] {
  const groups = new Map<string, { role: Role; files: PictureFile[] }>();
  for (const file of files.filter(isOfBuild)) {
    const headers = listHeaders(file);
    const name = JSON.stringify([file.role, headers]);
    const group = groups.get(name);
    if (group) group.files.push(file);
    else groups.set(name, { role: file.role, files: [file] });
  }
  return [...groups.values()]
    .map(({ role, files: own }) => ({
      role,
      headers: listHeaders(own[0] as PictureFile),
      files: own.length,
      example: (own[0] as PictureFile).key,
      types: [...new Set(own.map(({ headers }) => headers["content-type"] ?? ""))].sort(),
    }))
    .sort((a, b) => ROLES.indexOf(a.role) - ROLES.indexOf(b.role) || b.files - a.files);
}

const listHeaders = ({ headers }: PictureFile): [string, string][] =>
  Object.entries(headers)
    .filter(([name]) => name !== "content-type")
    .sort(([a], [b]) => (a < b ? -1 : 1));

/** How large releases are, the oldest first. */
export const toReleaseSizes = (
  waybills: readonly (Pick<Waybill, "release" | "at" | "firstVisit"> & {
    readonly parcels: readonly Parcel[];
  })[],
): ReleaseSize[] =>
  waybills
    .map(({ release, at, parcels, firstVisit }) => {
      const own = parcels.filter(
        ({ aliasOf, redirectsTo }) => aliasOf === undefined && redirectsTo === undefined,
      );
      const roles: Partial<Record<Role, number>> = {};
      for (const { role, size } of own) roles[role] = (roles[role] ?? 0) + size;
      return { release, at, files: own.length, roles, firstVisit: firstVisit?.wire };
    })
    .sort((a, b) => a.release - b.release);

import { crc32, deflateRawSync } from "node:zlib";

export interface ZipEntry {
  readonly name: string;
  readonly text: string;
  /** Makes an entry a link. */
  readonly mode?: number;
  /** The bytes are others than their sum says. */
  readonly damaged?: boolean;
}

/** A zip file as small as the format allows (PKWARE APPNOTE §4.3). */
export function toZip(entries: readonly ZipEntry[]): Buffer {
  const [locals, central]: [Buffer[], Buffer[]] = [[], []];
  let offset = 0;
  for (const { name, text, mode = 0o100644, damaged = false } of entries) {
    const raw = Buffer.from(text);
    const data = deflateRawSync(damaged ? text.replace("tide", "tidy") : text);
    const facts = Buffer.alloc(20);
    for (const [value, at] of [
      [0x0800, 0],
      [8, 2],
    ] as const)
      facts.writeUInt16LE(value, at);
    for (const [value, at] of [
      [crc32Of(raw), 8],
      [data.length, 12],
      [raw.length, 16],
    ] as const)
      facts.writeUInt32LE(value, at);
    const lengths = Buffer.alloc(4);
    lengths.writeUInt16LE(Buffer.byteLength(name), 0);
    locals.push(Buffer.from("PK\x03\x04\x14\0", "latin1"), facts, lengths, Buffer.from(name), data);
    const rest = Buffer.alloc(14);
    rest.writeUInt32LE(mode * 65_536, 6);
    rest.writeUInt32LE(offset, 10);
    central.push(Buffer.from("PK\x01\x02\x14\x03\x14\0", "latin1"), facts, lengths, rest, Buffer.from(name));
    offset += 30 + Buffer.byteLength(name) + data.length;
  }
  const directory = Buffer.concat(central);
  const end = Buffer.alloc(22);
  end.write("PK\x05\x06", "latin1");
  for (const at of [8, 10]) end.writeUInt16LE(entries.length, at);
  end.writeUInt32LE(directory.length, 12);
  end.writeUInt32LE(offset, 16);
  return Buffer.concat([...locals, directory, end]);
}
const crc32Of = (bytes: Buffer): number => (crc32 as (data: Buffer) => number)(bytes);

import { IsomericError } from '../../core/errors.ts';
import { percentDecoded } from '../../core/percent-encoding.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { type XmlElement, xmlTree } from '../xml/tree.ts';
import type { Archive } from '../zip/zip.ts';

export function damagedBook(words: string): IsomericError {
  return new IsomericError('workbook-damaged', words, {
    advice: 'Get it again, or open it in an office program and save it anew.',
  });
}

export function lockedBook(): IsomericError {
  return new IsomericError('workbook-locked', 'The workbook is protected by a password.', {
    advice: 'Save it without one.',
  });
}

/** What a part of a package points to, by the id of the relationship (ISO/IEC 29500-2, section 9.3). */
export interface Relationship {
  id: string;
  /** The last word of its type: `worksheet`, `sharedStrings`, `styles`. */
  type: string;
  /** Path in the archive. */
  path: string;
}

/** The path that a target means, seen from the folder of the part that names it. */
function resolved(folder: string, target: string): string {
  const plain = percentDecoded(target);
  const parts = plain.startsWith('/') ? [] : folder.split('/').filter((part) => part !== '');
  for (const part of plain.split('/')) {
    if (part === '..') parts.pop();
    else if (part !== '' && part !== '.') parts.push(part);
  }
  return parts.join('/');
}

/** Parts of a package by path, whatever the letter case (ISO/IEC 29500-2, section 6.2.2.3). */
export class Package {
  private readonly archive: Archive;
  private readonly paths = new Map<string, string>();
  /** Parts that nobody has asked for. */
  private readonly unread: Set<string>;

  private constructor(archive: Archive, paths: readonly string[]) {
    this.archive = archive;
    this.unread = new Set(paths);
    for (const path of paths) this.paths.set(path.toLowerCase(), path);
  }

  static async of(archive: Archive): Promise<Package> {
    return new Package(archive, await archive.list());
  }

  async part(path: string): Promise<ByteSource | null> {
    const found = this.paths.get(path.toLowerCase());
    if (found === undefined) return null;
    this.unread.delete(found);
    const part = await this.archive.open(found);
    // One that claims to be empty, and is not, is told.
    if (part.size === 0) await part.bytes(0, 1);
    return part;
  }

  /** Goes through the parts that were of no use: what their checksums say of the file holds for all of it. */
  async examineRest(): Promise<void> {
    for (const path of this.unread) for await (const _ of (await this.archive.open(path)).stream());
  }

  async needed(path: string): Promise<ByteSource> {
    const part = await this.part(path);
    if (part === null) throw damagedBook(`Its part ${path} is missing.`);
    return part;
  }

  async tree(path: string): Promise<XmlElement | null> {
    const part = await this.part(path);
    return part === null || part.size === 0 ? null : xmlTree(part);
  }

  async relationships(path: string): Promise<Relationship[]> {
    const slash = path.lastIndexOf('/') + 1;
    const tree = await this.tree(`${path.slice(0, slash)}_rels/${path.slice(slash)}.rels`);
    return (tree?.all('Relationship') ?? []).flatMap((each) => {
      const type = each.attribute('Type') ?? '';
      if (each.attribute('TargetMode') === 'External') return [];
      return [
        {
          id: each.attribute('Id') ?? '',
          type: type.slice(type.lastIndexOf('/') + 1),
          path: resolved(path.slice(0, slash), each.attribute('Target') ?? ''),
        },
      ];
    });
  }

  /** The part that the whole begins with: what the package says, or where it always is. */
  async workbook(): Promise<string> {
    const said = (await this.relationships('')).find((each) => each.type === 'officeDocument')?.path;
    for (const path of [said, 'xl/workbook.xml', 'xl/workbook.bin'])
      if (path !== undefined && this.paths.has(path.toLowerCase())) return path;
    throw damagedBook('Its part xl/workbook.xml is missing.');
  }
}

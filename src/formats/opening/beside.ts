import { dictionary } from '../../core/dictionary.ts';
import type { Surroundings } from '../bytes/byte-source.ts';
import { ending } from './names.ts';

/** Endings of the parts of multi-file formats that are no layers themselves, with the ending that leads them. */
export const leaders: Readonly<Record<string, string>> = dictionary({
  dbf: 'shp',
  dbt: 'shp',
  fpt: 'shp',
  prj: 'shp',
  cpg: 'shp',
  shx: 'shp',
  sbn: 'shp',
  sbx: 'shp',
  qix: 'shp',
  xsd: 'gml',
});

/** `a/Wards.2024.SHP` → `a/wards.2024` */
export function stem(path: string): string {
  const dot = path.lastIndexOf('.');
  return (dot > path.lastIndexOf('/') ? path.slice(0, dot) : path).toLowerCase();
}

const fileName = (path: string) => path.slice(path.lastIndexOf('/') + 1);

/** Files that stand beside each other, found by what their names share. Letter case does not count. */
export class Beside {
  private readonly stems = new Map<string, string[]>();
  private readonly names = new Map<string, string>();

  constructor(paths: readonly string[]) {
    for (const path of paths) {
      const own = stem(path);
      const same = this.stems.get(own);
      if (same === undefined) this.stems.set(own, [path]);
      else same.push(path);
      const lower = path.toLowerCase();
      if (!this.names.has(lower)) this.names.set(lower, path);
    }
  }

  /** The file of this name; undefined when there is none. */
  named(path: string): string | undefined {
    return this.names.get(path.toLowerCase());
  }

  /** Files whose names differ in the ending only, itself among them. */
  withStemOf(path: string): readonly string[] {
    return this.stems.get(stem(path)) ?? [];
  }

  /** Is there a file of that name but for the ending? */
  has(path: string, end: string): boolean {
    return this.withStemOf(path).some((other) => ending(other) === end);
  }

  /** The ending of the file that leads a part (`shp` for `wards.dbf`), when it is there; null for all that is no part. */
  leaderOf(path: string): string | null {
    const metadata = /^(.*)\.(csv|tsv|txt)-metadata\.json$/i.exec(path);
    if (metadata !== null)
      return this.named(`${metadata[1]}.${metadata[2]}`) === undefined ? null : metadata[2];
    // `wards.shp.xml` goes with `wards.shp`.
    if (/\.shp\.xml$/i.test(path)) return this.named(path.slice(0, -4)) === undefined ? null : 'shp';
    const end = ending(path);
    if (end === 'prj') {
      const image = ['asc', 'tif', 'tiff'].find((each) => this.has(path, each));
      if (image !== undefined && !this.has(path, 'shp')) return image;
    }
    if (worldFile.test(end))
      return (
        this.withStemOf(path)
          .map(ending)
          .find((each) => images.has(each)) ?? null
      );
    const leader = leaders[end];
    return leader !== undefined && this.has(path, leader) ? leader : null;
  }

  /** The files that belong to one, itself first, as they are called beside each other; empty when it is alone. */
  partsOf(path: string): string[] {
    const parts = this.withStemOf(path).filter(
      (other) => other !== path && leaders[ending(other)] === ending(path),
    );
    for (const more of [`${path}.xml`, `${path}-metadata.json`]) {
      const found = this.named(more);
      if (found !== undefined && !parts.includes(found)) parts.push(found);
    }
    return parts.length === 0 ? [] : [path, ...parts].map(fileName);
  }
}

/** `tfw`, `jgw`, `pgw`, `tifw`, `wld`: six numbers that place an image. */
export const worldFile = /^([a-z]{2}w|[a-z]{3,4}w|wld)$/;
export const images: ReadonlySet<string> = new Set(['tif', 'tiff', 'jpg', 'jpeg', 'png', 'gif', 'bmp']);

const known = new WeakMap<Surroundings, Promise<Beside>>();

/** What stands around, found by name; made once for each of them, since an archive may hold very many files. */
export function besideOf(around: Surroundings): Promise<Beside> {
  let made = known.get(around);
  if (made === undefined) {
    made = around.list().then((paths) => new Beside(paths));
    known.set(around, made);
  }
  return made;
}

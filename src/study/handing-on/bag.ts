import type { ZipPart } from '../../formats/zip/write.ts';
import { zipped } from '../../formats/zip/write.ts';
import type { Machine } from '../machine.ts';

const encoder = new TextEncoder();

/** What lies in a bag. */
export interface Bag {
  /** Name of its folder. */
  name: string;
  /** What it is, for people. */
  description: string;
  /** Paths in the study folder, below `delivered/`. */
  paths: readonly string[];
  /** SHA-256 of each of them. */
  sums: Readonly<Record<string, string>>;
}

/** Names in manifests: signs that end a line, and the percent sign, are encoded (RFC 8493, section 2.1.3). */
const manifestName = (path: string) => path.replace(/%/g, '%25').replace(/\r/g, '%0D').replace(/\n/g, '%0A');

const within = (path: string) => `data/${path.replace(/^delivered\//, '')}`;

/** The delivered files as one archive: a bag with checksums (BagIt 1.0, RFC 8493), packed as zip. */
export async function writeBag(bag: Bag, path: string, machine: Machine): Promise<void> {
  const paths = [...bag.paths].sort();
  let octets = 0;
  for (const each of paths) octets += (await machine.store.open(each))?.size ?? 0;
  const manifest = paths.map((each) => `${bag.sums[each]}  ${manifestName(within(each))}\n`).join('');
  const tags: [string, string][] = [
    ['bagit.txt', 'BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n'],
    [
      'bag-info.txt',
      `External-Description: ${bag.description.replace(/\s+/g, ' ')}\nPayload-Oxum: ${octets}.${paths.length}\nBag-Software-Agent: Isomeric\n`,
    ],
    ['manifest-sha256.txt', manifest],
  ];
  const { digestOf } = await import('../again/digest.ts');
  let tagManifest = '';
  for (const [name, text] of tags) tagManifest += `${await digestOf(text)}  ${name}\n`;
  const parts = async function* (): AsyncGenerator<ZipPart> {
    for (const [name, text] of [...tags, ['tagmanifest-sha256.txt', tagManifest]])
      yield { path: `${bag.name}/${name}`, chunks: [encoder.encode(text)] };
    for (const each of paths) {
      const source = await machine.store.open(each);
      if (source !== null) yield { path: `${bag.name}/${within(each)}`, chunks: source.stream() };
    }
  };
  await machine.writeStream(path, zipped(parts()));
}

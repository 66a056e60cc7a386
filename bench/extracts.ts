import { execFileSync } from 'node:child_process';
import {
  closeSync,
  existsSync,
  mkdtempSync,
  openSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { SaxesParser } from 'saxes';
import {
  type Inflate,
  type MapExtract,
  openExtract,
  sourceFromBytes,
  takeApart,
  thematicScheme,
} from '../src/formats/index.ts';
import { inflateAnywhere, openBlob, readBlobs } from '../src/formats/osm/reading/blobs.ts';
import { readPrimitiveBlock } from '../src/formats/osm/reading/pbf-block.ts';
import { nodeCapabilities } from '../src/node/index.ts';
import { madeExtract } from './made-extract.ts';
import { beside, type Measured } from './measure.ts';

const all = { nodes: true, ways: true, relations: true };

function joined(tiles: number): Uint8Array {
  const blobs = [...madeExtract(tiles)];
  const bytes = new Uint8Array(blobs.reduce((sum, blob) => sum + blob.length, 0));
  let at = 0;
  for (const blob of blobs) {
    bytes.set(blob, at);
    at += blob.length;
  }
  return bytes;
}

/** Inflating every blob and nothing else. */
async function inflateAll(bytes: Uint8Array, inflate: Inflate): Promise<number> {
  let total = 0;
  for await (const { place, bytes: blob } of readBlobs(sourceFromBytes(bytes), () => true))
    total += openBlob(blob!, inflate, 'x', place.at).length;
  return total;
}

async function decodeAll(bytes: Uint8Array, inflate: Inflate): Promise<number> {
  let objects = 0;
  for await (const { place, bytes: blob } of readBlobs(
    sourceFromBytes(bytes),
    ({ type }) => type === 'OSMData',
  )) {
    if (blob === null) continue;
    for (const block of readPrimitiveBlock(openBlob(blob, inflate, 'x', place.at), all, 'x'))
      objects += block.length;
  }
  return objects;
}

/** The same extract as XML. */
async function xmlOf(extract: MapExtract): Promise<Uint8Array> {
  const pieces: string[] = [
    '<?xml version="1.0" encoding="UTF-8"?>\n<osm version="0.6" generator="bench">\n',
  ];
  const names = ['node', 'way', 'relation'];
  for await (const block of extract.blocks(all)) {
    const info = block.info(true);
    for (let i = 0; i < block.length; i++) {
      const name = names[block.kind];
      const time = Number.isNaN(info.time[i]) ? '' : ` timestamp="${new Date(info.time[i]).toISOString()}"`;
      let text = `  <${name} id="${block.ids[i]}" version="${info.version[i]}"${time} changeset="${info.changeset[i]}" uid="${info.editorId[i]}" user="${block.texts.text(info.editor[i])}"`;
      if (block.kind === 0) text += ` lat="${block.lat[i] / block.unit}" lon="${block.lon[i] / block.unit}"`;
      text += '>\n';
      if (block.kind === 1)
        for (let k = block.refStart[i]; k < block.refStart[i + 1]; k++)
          text += `    <nd ref="${block.refs[k]}"/>\n`;
      if (block.kind === 2)
        for (let m = block.memberStart[i]; m < block.memberStart[i + 1]; m++)
          text += `    <member type="${names[block.memberKind[m]]}" ref="${block.memberId[m]}" role="${block.texts.text(block.memberRole[m])}"/>\n`;
      for (let k = block.tagStart[i]; k < block.tagStart[i + 1]; k += 2)
        text += `    <tag k="${block.texts.text(block.tags[k])}" v="${block.texts.text(block.tags[k + 1])}"/>\n`;
      pieces.push(`${text}  </${name}>\n`);
    }
  }
  pieces.push('</osm>\n');
  return new TextEncoder().encode(pieces.join(''));
}

/** The bare parser over the same bytes, its tags handed to nobody. */
function parseXml(bytes: Uint8Array): number {
  const parser = new SaxesParser({ xmlns: false });
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let tags = 0;
  parser.on('opentag', () => {
    tags++;
  });
  parser.on('closetag', () => {});
  for (let at = 0; at < bytes.length; at += 65_536)
    parser.write(decoder.decode(bytes.subarray(at, at + 65_536), { stream: true }));
  parser.close();
  return tags;
}

/** Map extracts: decoding beside inflating, the whole way to layers, XML beside its parser. */
export async function* extractLines(): AsyncGenerator<Measured> {
  const bytes = joined(300);
  const size = `${(bytes.length / 1e6).toFixed(0)} MB of PBF`;
  for (const [name, inflate] of [
    ['anywhere', inflateAnywhere],
    ['Node', nodeCapabilities.inflate!],
  ] as const) {
    const floor = () => inflateAll(bytes, inflate);
    const extract = await openExtract(sourceFromBytes(bytes), inflate);
    yield await beside(
      `PBF decode, ${name}`,
      size,
      2.5,
      'inflate',
      floor,
      () => decodeAll(bytes, inflate),
      5,
    );
    yield await beside(
      `PBF to layers, ${name}`,
      size,
      Number.POSITIVE_INFINITY,
      'inflate',
      floor,
      () => takeApart(extract, thematicScheme()),
      5,
    );
  }
  const small = await openExtract(sourceFromBytes(joined(40)));
  const xml = await xmlOf(small);
  const fromXml = await openExtract(sourceFromBytes(xml, 'x.osm'));
  yield await beside(
    'OSM XML to layers',
    `${(xml.length / 1e6).toFixed(0)} MB of XML`,
    1 / 0.6,
    'the bare parser',
    () => parseXml(xml),
    () => takeApart(fromXml, thematicScheme()),
    5,
  );
}

/** Peak memory of taking a large extract apart, in a process of its own. */
export async function* extractMemory(megabytes: number): AsyncGenerator<string> {
  const command = fileURLToPath(new URL('../src/cli/main.js', import.meta.url));
  const folder = mkdtempSync(join(tmpdir(), 'isomeric-extract-'));
  try {
    const path = process.env.ISOMERIC_EXTRACT ?? join(folder, 'large.osm.pbf');
    if (!existsSync(path)) {
      const file = openSync(path, 'w');
      for (const blob of madeExtract(Math.round(megabytes / 0.0469))) writeSync(file, blob);
      closeSync(file);
    }
    const wrapper = join(folder, 'wrapper.mjs');
    writeFileSync(
      wrapper,
      `import('${command}'); import { readFileSync } from 'node:fs'; process.on('exit', () => process.stderr.write('PEAK ' + /VmHWM:\\s+(\\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))[1]))`,
    );
    const from = performance.now();
    const line = execFileSync(
      '/bin/sh',
      ['-c', `"${process.execPath}" "${wrapper}" features "${path}" 2>&1 >/dev/null | grep -o 'PEAK [0-9]*'`],
      { encoding: 'utf8' },
    );
    const peak = Number(line.trim().split(' ')[1]) / 1024;
    yield `Features command        ${(statSync(path).size / 1e6).toFixed(0)} MB of PBF in ${((performance.now() - from) / 1000).toFixed(0)} s, peak memory ${peak.toFixed(0)} MB, asked < 1,000${peak < 1000 ? '' : '  NOT MET'}`;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

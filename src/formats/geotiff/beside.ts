import type { Crs } from '../../core/crs/crs.ts';
import { crsFromText } from '../../core/crs/from-text.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { Grid } from '../../core/grid/grid.ts';
import { type Surroundings, wholeSource } from '../bytes/byte-source.ts';
import { crsOrTold } from '../making/layer-findings.ts';
import { besideOf, stem, worldFile } from '../opening/beside.ts';
import { ending } from '../opening/names.ts';

/** The CRS of a .prj beside an image; null when there is none. */
export async function crsBeside(
  around: Surroundings,
  path: string,
  findings: Finding[],
): Promise<Crs | null> {
  const found = (await besideOf(around)).named(`${stem(path)}.prj`);
  if (found === undefined) return null;
  const text = new TextDecoder().decode(await wholeSource(await around.open(found), 100_000));
  return crsOrTold(found, findings, () => crsFromText(text));
}

/**
 * What a world file beside an image says: six numbers, a line each, that take the middle of a cell to coordinates: the
 * steps per column and row (x by column, y by column, x by row, y by row), and the middle of the first cell.
 */
export async function worldTransform(
  around: Surroundings,
  path: string,
): Promise<{ name: string; transform: Grid['transform'] } | null> {
  const name = (await besideOf(around)).withStemOf(path).find((each) => worldFile.test(ending(each)));
  if (name === undefined) return null;
  const text = new TextDecoder().decode(await wholeSource(await around.open(name), 10_000));
  const numbers = text.trim().split(/\s+/).map(Number);
  const [a, d, b, e, c, f] = numbers;
  if (numbers.length !== 6 || !numbers.every(Number.isFinite) || a * e - b * d === 0)
    throw new IsomericError('world-file-damaged', 'A world file has six numbers, which span an area.', {
      place: { file: name },
      advice: 'Get it again, or take it away.',
    });
  return { name, transform: [c - (a + b) / 2, a, b, f - (d + e) / 2, d, e] };
}

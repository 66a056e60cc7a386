/** The job in sentences, as a page does it: with Blobs in place of paths. */
import {
  accountOf,
  areaOf,
  clip,
  compute,
  countOf,
  featuresOf,
  join,
  openLayer,
  openTable,
  prepare,
  reproject,
  save,
} from 'isomeric';
import { browserDatabases, browserSqlite } from '../../examples/study-viewer/src/sqlite.ts';
import type { Told } from './told.ts';

/** @param files texts of wards, districts and a table, by the names that they would have as files */
export async function sentences(files: Record<'wards' | 'districts' | 'table', string>): Promise<Told> {
  const sqlite = { ...browserSqlite, databases: browserDatabases };
  const file = (text: string, name: string) => new File([text], name);
  const source = file(files.wards, 'wards.geojson');
  const wards = prepare(
    openLayer(source),
    clip(areaOf(openLayer(file(files.districts, 'districts.geojson')), "code IN ('T204', 'T205')")),
    join(openTable(file(files.table, 'HOUSING.csv')), 'code = area_code', {
      columns: ['households'],
      many: 'last',
    }),
    compute({ half: 'households / 2' }),
    reproject('EPSG:32626'),
  );
  const saved = await save(wards, 'out.gpkg', { sqlite });
  const blob = await saved.files[0].blob();
  const layer = await openLayer(new File([blob], 'out.gpkg'), { sqlite });
  let first = '';
  for await (const { geometry, properties } of featuresOf(layer)) {
    first = `${geometry?.type} ${properties.code}`;
    break;
  }
  const ended = await save(openLayer(source), 'never.fgb', { signal: AbortSignal.abort() }).then(
    () => 'saved',
    (error: Error) => error.name,
  );
  const address = await countOf(openLayer(new URL(URL.createObjectURL(source))));
  accountOf(layer);
  return {
    sentences: saved.sentences,
    files: saved.files.map(({ name }) => [name, blob.size]),
    again: await countOf(layer),
    first,
    ended,
    address,
  };
}

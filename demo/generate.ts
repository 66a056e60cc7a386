/**
 * Makes the data of Teskaria, the made-up country of the demo, byte for byte the same at every run:
 * `npm run generate`. Into another folder: `tsx demo/generate.ts FOLDER`.
 */
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gzipSync, type Zippable, zipSync } from 'fflate';
import { boundaryFiles, secondRelease, wardsOfFlats } from './country/boundaries.ts';
import { catalogue, householdsOfFlats, housing, population, population2019 } from './country/census.ts';
import { ombreyExtract } from './country/extract/ombrey.ts';
import { osmPbf } from './country/extract/write-pbf.ts';
import { osmXml } from './country/extract/write-xml.ts';
import { buildings, footbridges, refugeHalls, roads, waterways } from './country/features.ts';
import { firstDay, inspections, photos, secondDay, sentences } from './country/field.ts';
import { floodDepth } from './country/flood-depth.ts';
import { frequencyClasses, frequencyParts, frequencyUnits } from './country/frequency.ts';
import { gridPrj, gridText } from './country/grid.ts';
import { mobilityPack, residentsLong } from './country/mobility.ts';
import { type ShapeLayer, shapefile } from './country/shapefile.ts';
import { embankments, pumps } from './country/works.ts';

const target = process.argv[2] ?? join(dirname(fileURLToPath(import.meta.url)), 'data');
const text = (content: string) => new TextEncoder().encode(content);

function extract(): Uint8Array {
  const layers: [name: string, layer: ShapeLayer, prj: boolean][] = [
    ['roads', roads(), true],
    ['waterways', waterways(), true],
    ['buildings', buildings(), true],
    ['refuge_halls', refugeHalls(), true],
    ['footbridges', footbridges(), false],
  ];
  const files: Zippable = {
    'teskaria-ombrey/README.txt': text(
      'Map extract of Teskaria, region Ombrey, state of 30 June 2024.\nOpen Map Data Teskaria, licence ODTL 1.0.\n',
    ),
  };
  for (const [name, layer, prj] of layers) {
    const { shp, shx, dbf } = shapefile(layer);
    files[`teskaria-ombrey/${name}.shp`] = shp;
    files[`teskaria-ombrey/${name}.shx`] = shx;
    // One part in capitals, as some providers' programs write it.
    files[`teskaria-ombrey/${name === 'roads' ? 'ROADS.DBF' : `${name}.dbf`}`] = dbf;
    files[`teskaria-ombrey/${name}.cpg`] = text('1252');
    if (prj) files[`teskaria-ombrey/${name}.prj`] = text(gridPrj);
  }
  return zipSync(files, { level: 9, mtime: new Date(2024, 5, 30, 12, 0, 0) });
}

const files: Record<string, Uint8Array> = {
  'teskaria-grid.wkt': text(`${gridText}\n`),
  'statistics-office/HOUSING.csv': text(housing()),
  'statistics-office/POPULATION.csv': text(population()),
  'statistics-office/POPULATION-2019.csv': text(population2019()),
  'statistics-office/MOBILITY-2024.zip': mobilityPack(),
  'statistics-office/RESIDENTS.csv': text(residentsLong()),
  'statistics-office/catalogue.json': text(catalogue()),
  'map-extracts/teskaria-ombrey.zip': extract(),
  'map-extracts/ombrey.osm.pbf': osmPbf(ombreyExtract(), { level: 9, writer: 'Open Map Data Teskaria' }),
  'map-extracts/flood-depth.tif': floodDepth(),
  'map-extracts/frequency-units.geojson': text(frequencyUnits()),
  'map-extracts/frequency-parts.csv': text(frequencyParts()),
  'map-extracts/frequency-classes.yaml': text(frequencyClasses()),
  'map-database/ombrey.osm.gz': gzipSync(text(osmXml(ombreyExtract())), { level: 9, mtime: 0 }),
  'order-desk/embankments.geojson': text(embankments()),
  'order-desk/pumps.geojson': text(pumps()),
  'receiver/inspections.gpx': text(inspections()),
  'receiver/walks-2024-06-14.gpx': text(firstDay()),
  'receiver/walks-2024-06-15.gpx': text(secondDay()),
  // Receivers keep an archive of what they recorded.
  'receiver/archive/2024-06-14.gpx': text(firstDay()),
  'receiver-line/sentences.nmea': text(sentences()),
  'first/wards.geojson': text(wardsOfFlats()),
  'first/households.csv': text(householdsOfFlats()),
};
for (const [name, content] of Object.entries(photos())) files[`receiver/photos/${name}`] = content;
const boundaries = boundaryFiles();
for (const [name, content] of Object.entries(boundaries)) files[`boundary-office/${name}`] = text(content);
// What two offices publish when they publish again.
files['second-release/boundary-office/wards-2024.geojson'] = text(
  secondRelease(boundaries['wards-2024.geojson']),
);
files['second-release/statistics-office/HOUSING.csv'] = text(housing(2));

rmSync(target, { recursive: true, force: true });
let bytes = 0;
for (const [path, content] of Object.entries(files)) {
  mkdirSync(dirname(join(target, path)), { recursive: true });
  writeFileSync(join(target, path), content);
  bytes += content.length;
}
console.log(`Teskaria: ${Object.keys(files).length} files, ${bytes} bytes, in ${target}.`);

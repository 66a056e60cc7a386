import type { SheetSchemeInput } from '../schema.ts';

/** Half the circumference of the sphere of the web projection, metres. */
const half = 20_037_508.342789244;

/** Square tiles of the web projection, quartered again and again: level, column from the west, row from the north (OGC 17-083r4, annex D.1). */
export const tiles: SheetSchemeInput = {
  sheets: 'Quad-tree of web tiles',
  crs: 'EPSG:3857',
  levels: [
    {
      name: 'level-',
      title: 'Tiles of level',
      'quad-tree': { west: -half, south: -half, east: half, north: half, depth: 24 },
    },
  ],
};

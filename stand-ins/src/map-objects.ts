import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { SaxesParser } from 'saxes';

/** An object of the map database, with the text that it is sent as. */
export interface MapObject {
  kind: 'node' | 'way' | 'relation';
  id: number;
  lon: number;
  lat: number;
  nodes: number[];
  members: { kind: MapObject['kind']; id: number }[];
  text: string;
}

export interface MapDatabase {
  nodes: Map<number, MapObject>;
  ways: Map<number, MapObject>;
  relations: Map<number, MapObject>;
}

const escaped = (text: string) =>
  text.replace(
    /[&<>"\n\t]/g,
    (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c] ?? `&#${c.charCodeAt(0)};`,
  );

/** Reads the map database from OSM XML, packed with gzip. */
export function readMapDatabase(path: string): MapDatabase {
  const database: MapDatabase = { nodes: new Map(), ways: new Map(), relations: new Map() };
  const parser = new SaxesParser({ xmlns: false });
  let open: MapObject | null = null;
  let inner = '';
  parser.on('opentag', ({ name, attributes }) => {
    const a = attributes as Record<string, string>;
    const tag = `<${name}${Object.entries(a)
      .map(([key, value]) => ` ${key}="${escaped(value)}"`)
      .join('')}`;
    if (name === 'node' || name === 'way' || name === 'relation') {
      open = {
        kind: name,
        id: Number(a.id),
        lon: Number(a.lon),
        lat: Number(a.lat),
        nodes: [],
        members: [],
        text: tag,
      };
      inner = '';
    } else if (open !== null) {
      inner += `    ${tag}/>\n`;
      if (name === 'nd') open.nodes.push(Number(a.ref));
      if (name === 'member') open.members.push({ kind: a.type as MapObject['kind'], id: Number(a.ref) });
    }
  });
  parser.on('closetag', ({ name }) => {
    if (open === null || name !== open.kind) return;
    open.text = inner === '' ? `  ${open.text}/>\n` : `  ${open.text}>\n${inner}  </${name}>\n`;
    database[`${open.kind}s`].set(open.id, open);
    open = null;
  });
  parser.write(gunzipSync(readFileSync(path)).toString('utf8')).close();
  return database;
}

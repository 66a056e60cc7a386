import type { Account } from '../../core/account.ts';
import { type GeometryArray, Kind } from '../../core/geometry/geometry-array.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';
import type { Layer } from '../../core/layer/layer.ts';
import type { FieldType } from '../../core/table/schema.ts';
import { inWgs84 } from '../writing/longitude-latitude.ts';
import { isXmlName, xmlText } from '../xml/write-xml.ts';

const simpleType: Record<FieldType, string> = {
  integer: 'int',
  real: 'double',
  text: 'string',
  boolean: 'bool',
  date: 'string',
  timestamp: 'string',
  bytes: 'string',
  json: 'string',
};

function geometryXml(array: GeometryArray, i: number): string {
  const kind = array.kind[i];
  if (kind === Kind.None || array.isEmpty(i)) return '';
  const position = (v: number) => {
    const z = array.z?.[v];
    return `${array.xy[2 * v]},${array.xy[2 * v + 1]}${z === undefined || Number.isNaN(z) ? '' : `,${z}`}`;
  };
  const path = (r: number, backwards = false) => {
    const texts: string[] = [];
    for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) texts.push(position(v));
    if (backwards) texts.reverse();
    return `<coordinates>${texts.join(' ')}</coordinates>`;
  };
  const altitude = array.z === null ? '' : '<altitudeMode>absolute</altitudeMode>';
  const part = (p: number): string => {
    const single = array.kindOfPart(i, p);
    const first = array.ringStart[p];
    if (single === Kind.Point) return `<Point>${altitude}${path(first)}</Point>`;
    if (single === Kind.LineString) return `<LineString>${altitude}${path(first)}</LineString>`;
    let rings = '';
    for (let r = first; r < array.ringStart[p + 1]; r++) {
      // Shells run counter-clockwise (07-147r2, 10.8.3.4), holes the other way.
      const twice = ringDoubleArea(array.xy, array.vertexStart[r], array.vertexStart[r + 1]);
      const word = r === first ? 'outerBoundaryIs' : 'innerBoundaryIs';
      rings += `<${word}><LinearRing>${path(r, r === first ? twice < 0 : twice > 0)}</LinearRing></${word}>`;
    }
    return `<Polygon>${altitude}${rings}</Polygon>`;
  };
  let parts = '';
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) parts += part(p);
  return kind < Kind.MultiPoint ? parts : `<MultiGeometry>${parts}</MultiGeometry>`;
}

/**
 * KML 2.2 (OGC 07-147r2): one Document with a Schema and a Folder a layer, fields as SchemaData with their types.
 * A field called name or description is written as the placemark's own.
 */
export async function* writeKml(
  layers: readonly Layer[],
  accounts: readonly Account[],
): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  yield encoder.encode(
    `<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2">\n<Document>\n`,
  );
  const sources = layers.map((layer, k) => inWgs84(layer, 'KML', accounts[k]));
  for (let k = 0; k < layers.length; k++) {
    const typed = layers[k].schema.some((field) => !['name', 'description'].includes(field.name));
    if (!typed) continue;
    const fields = layers[k].schema
      .filter((field) => !['name', 'description'].includes(field.name))
      .map(
        (field) =>
          `<SimpleField type="${simpleType[field.type]}" name="${xmlText(field.name)}">${field.title === undefined ? '' : `<displayName>${xmlText(field.title)}</displayName>`}</SimpleField>`,
      );
    yield encoder.encode(
      `<Schema name="${xmlText(layers[k].name)}" id="schema_${k + 1}">${fields.join('')}</Schema>\n`,
    );
  }
  for (let k = 0; k < layers.length; k++) {
    const layer = sources[k];
    const account = accounts[k];
    yield encoder.encode(layers.length > 1 ? `<Folder><name>${xmlText(layer.name)}</name>\n` : '');
    const asText = layer.schema.filter((field) =>
      ['date', 'timestamp', 'bytes', 'json'].includes(field.type),
    );
    if (asText.length > 0)
      account.notes.push(
        `Written as text, because KML has no such type: ${asText.map((field) => `${field.name} (${field.type})`).join(', ')}.`,
      );
    let measures = false;
    for await (const batch of layer.batches()) {
      let text = '';
      measures ||= batch.geometry?.m != null;
      for (let i = 0; i < batch.length; i++) {
        let own = '';
        let data = '';
        layer.schema.forEach((field, c) => {
          const column = batch.columns[c];
          if (column.isNull(i)) return;
          const value = xmlText(column.text(i)!);
          if (field.name === 'name' || field.name === 'description')
            own += `<${field.name}>${value}</${field.name}>`;
          else data += `<SimpleData name="${xmlText(field.name)}">${value}</SimpleData>`;
        });
        const ownId = batch.ids === null || batch.ids.isNull(i) ? '' : String(batch.ids.value(i));
        // An id must be an XML name (xsd:ID); numbers are none.
        const id = isXmlName(ownId) ? ` id="${ownId}"` : '';
        if (data !== '')
          data = `<ExtendedData><SchemaData schemaUrl="#schema_${k + 1}">${data}</SchemaData></ExtendedData>`;
        text += `<Placemark${id}>${own}${data}${batch.geometry === null ? '' : geometryXml(batch.geometry, i)}</Placemark>\n`;
        if (text.length > 1 << 19) {
          yield encoder.encode(text);
          text = '';
        }
      }
      yield encoder.encode(text);
    }
    if (measures) account.notes.push('KML holds no measures (M); they were left out.');
    yield encoder.encode(layers.length > 1 ? '</Folder>\n' : '');
  }
  yield encoder.encode('</Document>\n</kml>\n');
}

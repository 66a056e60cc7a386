import type { Account } from '../../core/account.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { dictionary } from '../../core/dictionary.ts';
import { emptyBox, type GeometryArray, Kind, kindNames } from '../../core/geometry/geometry-array.ts';
import { ringDoubleArea } from '../../core/geometry/measures.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import { type Field, type FieldType, fieldTitle } from '../../core/table/schema.ts';
import { Filled } from '../writing/filled.ts';
import { isXmlName, renamedNote, xmlNames, xmlText } from '../xml/write-xml.ts';
import { type Ordinates, srsNameFor } from './srs.ts';

/** Namespace of the application schema that is written; nothing is to be found there. */
const namespace = 'urn:isomeric:layers';

const xsdTypes: Record<FieldType, string> = {
  integer: 'xs:integer',
  real: 'xs:double',
  text: 'xs:string',
  boolean: 'xs:boolean',
  date: 'xs:date',
  timestamp: 'xs:dateTime',
  bytes: 'xs:hexBinary',
  json: 'xs:string',
};

interface Written {
  table: Table;
  element: string;
  names: string[];
  geometry: string;
}

function plan(tables: readonly Table[]): Written[] {
  const elements = xmlNames(tables.map((table) => table.name));
  return tables.map((table, k) => {
    const names = xmlNames([...table.schema.map((field) => field.name), 'geometry']);
    return { table, element: elements[k], names: names.slice(0, -1), geometry: names[names.length - 1] };
  });
}

/** The application schema: simple features, level 0 (OGC 10-100r3). */
export function gmlSchema(tables: readonly Table[]): string {
  let text = `<?xml version="1.0" encoding="UTF-8"?>
<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:iso="${namespace}" targetNamespace="${namespace}" elementFormDefault="qualified" version="1.0">
<xs:import namespace="http://www.opengis.net/gml/3.2" schemaLocation="http://schemas.opengis.net/gml/3.2.1/gml.xsd"/>
<xs:element name="Layers" type="iso:LayersType" substitutionGroup="gml:AbstractFeature"/>
<xs:complexType name="LayersType"><xs:complexContent><xs:extension base="gml:AbstractFeatureType"><xs:sequence minOccurs="0" maxOccurs="unbounded"><xs:element name="member"><xs:complexType><xs:complexContent><xs:extension base="gml:AbstractFeatureMemberType"><xs:sequence><xs:element ref="gml:AbstractFeature"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType></xs:element></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
`;
  for (const { table, element, names, geometry } of plan(tables)) {
    const fields = table.schema.map((field: Field, c) => {
      const title =
        fieldTitle(field) === names[c]
          ? ''
          : `<xs:annotation><xs:documentation>${xmlText(fieldTitle(field))}</xs:documentation></xs:annotation>`;
      const open = `<xs:element name="${names[c]}" type="${xsdTypes[field.type]}" minOccurs="0" nillable="true"`;
      return title === '' ? `${open}/>` : `${open}>${title}</xs:element>`;
    });
    if (isLayer(table))
      fields.push(`<xs:element name="${geometry}" type="gml:GeometryPropertyType" minOccurs="0"/>`);
    text += `<xs:element name="${element}" type="iso:${element}_Type" substitutionGroup="gml:AbstractFeature"/>
<xs:complexType name="${element}_Type"><xs:complexContent><xs:extension base="gml:AbstractFeatureType"><xs:sequence>
${fields.join('\n')}
</xs:sequence></xs:extension></xs:complexContent></xs:complexType>
`;
  }
  return `${text}</xs:schema>\n`;
}

/**
 * GML 3.2 (OGC 07-036), simple features level 0. Coordinates follow the axis order of the CRS under its http URI; the
 * schema is written beside (`gmlSchema`), under the name that `schemaFile` says.
 */
export async function* writeGml(
  tables: readonly Table[],
  schemaFile: string,
  accounts: readonly Account[],
): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  yield encoder.encode(
    `<?xml version="1.0" encoding="UTF-8"?>\n<iso:Layers xmlns:iso="${namespace}" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" xsi:schemaLocation="${namespace} ${xmlText(schemaFile)}" gml:id="layers">\n`,
  );
  const planned = plan(tables);
  for (let k = 0; k < planned.length; k++) {
    const { table, element, names, geometry } = planned[k];
    const account = accounts[k];
    const renamed = renamedNote(table.schema, names);
    if (renamed !== undefined) account.notes.push(renamed);
    const srs = isLayer(table) && table.crs !== null ? srsNameFor(table.crs) : null;
    if (isLayer(table) && srs === null)
      account.notes.push(
        table.crs === null
          ? 'The layer has no CRS; no srsName was written.'
          : `${crsLabel(table.crs)} has no code, so no srsName was written.`,
      );
    const geometries = new GeometryXml(srs);
    let n = 0;
    for await (const batch of table.batches()) {
      let text = '';
      if (batch.geometry?.m != null && !geometries.measures) {
        geometries.measures = true;
        account.notes.push('GML holds no measures (M); they were left out.');
      }
      for (let i = 0; i < batch.length; i++) {
        n++;
        const own = batch.ids === null || batch.ids.isNull(i) ? '' : String(batch.ids.value(i));
        const id = isXmlName(own) ? own : `${element}.${n}`;
        let fields = '';
        for (let c = 0; c < names.length; c++) {
          const column = batch.columns[c];
          if (column.isNull(i)) continue;
          fields += `<iso:${names[c]}>${xmlText(column.text(i)!)}</iso:${names[c]}>`;
        }
        const body =
          isLayer(table) && batch.geometry !== null ? geometries.of(batch.geometry, i, `${id}.g`) : '';
        text += `<iso:member><iso:${element} gml:id="${id}">${fields}${body === '' ? '' : `<iso:${geometry}>${body}</iso:${geometry}>`}</iso:${element}></iso:member>\n`;
        if (text.length > 1 << 19) {
          yield encoder.encode(text);
          text = '';
        }
      }
      yield encoder.encode(text);
    }
    geometries.filled.tell(account);
    if (geometries.empty > 0)
      account.notes.push(`GML has no empty geometry: ${geometries.empty} became none.`);
  }
  yield encoder.encode('</iso:Layers>\n');
}

/** Geometries as GML 3.2 elements. */
class GeometryXml {
  measures = false;
  empty = 0;
  readonly filled = new Filled('GML');
  private readonly srs: ({ name: string } & Ordinates) | null;
  private readonly box = emptyBox();

  constructor(srs: ({ name: string } & Ordinates) | null) {
    this.srs = srs;
  }

  of(array: GeometryArray, i: number, id: string): string {
    const kind = array.kind[i];
    if (kind === Kind.None) return '';
    if (array.partStart[i] === array.partStart[i + 1]) {
      this.empty++;
      return '';
    }
    array.boxOf(i, this.box);
    const z = array.hasHeights(i);
    const srs = this.srs === null ? '' : ` srsName="${this.srs.name}"`;
    const dimension = z ? ' srsDimension="3"' : ' srsDimension="2"';
    const positions = (r: number, backwards = false) => {
      const texts: string[] = [];
      for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) {
        const x = (this.srs?.east ?? 1) * array.xy[2 * v];
        const y = (this.srs?.north ?? 1) * array.xy[2 * v + 1];
        texts.push(
          `${this.srs?.exchanged ? `${y} ${x}` : `${x} ${y}`}${z ? ` ${this.filled.height(array.z![v])}` : ''}`,
        );
      }
      if (backwards) texts.reverse();
      return texts.join(' ');
    };
    const part = (p: number, number: number, outer: boolean): string => {
      const single = array.kindOfPart(i, p);
      const ring = array.ringStart[p];
      const head = `gml:id="${outer ? id : `${id}.${number}`}"${outer ? srs + dimension : ''}`;
      if (single === Kind.Point)
        return `<gml:Point ${head}><gml:pos>${positions(ring)}</gml:pos></gml:Point>`;
      if (single === Kind.LineString)
        return `<gml:LineString ${head}><gml:posList>${positions(ring)}</gml:posList></gml:LineString>`;
      let rings = '';
      for (let r = ring; r < array.ringStart[p + 1]; r++) {
        // Exteriors run counter-clockwise seen from above, interiors the other way (ISO 19107).
        const twice = ringDoubleArea(array.xy, array.vertexStart[r], array.vertexStart[r + 1]);
        const word = r === ring ? 'exterior' : 'interior';
        rings += `<gml:${word}><gml:LinearRing><gml:posList>${positions(r, r === ring ? twice < 0 : twice > 0)}</gml:posList></gml:LinearRing></gml:${word}>`;
      }
      return `<gml:Polygon ${head}>${rings}</gml:Polygon>`;
    };
    if (kind < Kind.MultiPoint) return part(array.partStart[i], 0, true);
    const [name, member] = multiElements[kindNames[kind]];
    let parts = '';
    for (let p = array.partStart[i], n = 1; p < array.partStart[i + 1]; p++, n++)
      parts += `<gml:${member}>${part(p, n, false)}</gml:${member}>`;
    return `<gml:${name} gml:id="${id}"${srs}${dimension}>${parts}</gml:${name}>`;
  }
}

const multiElements: Readonly<Record<string, [element: string, member: string]>> = dictionary({
  MultiPoint: ['MultiPoint', 'pointMember'],
  MultiLineString: ['MultiCurve', 'curveMember'],
  MultiPolygon: ['MultiSurface', 'surfaceMember'],
  GeometryCollection: ['MultiGeometry', 'geometryMember'],
});

import { describe, expect, it } from 'vitest';
import { type Mark, rowsOf, type Table } from '../../src/core/index.ts';
import {
  type Contents,
  lookAmong,
  lookInside,
  sourceFromBytes,
  surroundingsOf,
} from '../../src/formats/index.ts';

async function look(
  files: Record<string, string>,
  more: { rowsAt?: string; marks?: Mark[] } = {},
): Promise<Contents> {
  const sources = new Map(
    Object.entries(files).map(([name, text]) => [
      name,
      sourceFromBytes(new TextEncoder().encode(text), name),
    ]),
  );
  const around = surroundingsOf(sources);
  const context = { capabilities: {}, geometry: 'none', ...more };
  if (sources.size > 1) return lookAmong(around, [...sources.keys()], context);
  const [[name, source]] = sources;
  return lookInside(source, { ...context, around, path: name });
}

const open = async (
  text: string,
  name: string,
  more: { rowsAt?: string; marks?: Mark[] } = {},
): Promise<Table> => (await look({ [name]: text }, more)).layers[0].table;

async function rows(table: Table): Promise<Record<string, unknown>[]> {
  const all: Record<string, unknown>[] = [];
  for await (const row of rowsOf(table)) all.push(row);
  return all;
}

/** Reasons beside the values of a column, row by row. */
async function reasonsOf(table: Table, name: string): Promise<(string | null)[]> {
  const c = table.schema.findIndex((field) => field.name === name);
  const found: (string | null)[] = [];
  for await (const batch of table.batches())
    for (let i = 0; i < batch.length; i++)
      found.push(table.schema[c].marks?.[(batch.columns[c].marks?.[i] ?? 0) - 1]?.reason ?? null);
  return found;
}

const observed = [
  { REF_AREA: '020401', SEX: '1', TIME_PERIOD: '2024', OBS_VALUE: 120, OBS_STATUS: 'A' },
  { REF_AREA: '020401', SEX: '2', TIME_PERIOD: '2024', OBS_VALUE: null, OBS_STATUS: 'Q' },
  { REF_AREA: '020402', SEX: '1', TIME_PERIOD: '2024', OBS_VALUE: 77.5, OBS_STATUS: 'U' },
];
const reasons = [null, 'suppressed', 'not reliable'];

describe('SDMX-CSV', () => {
  it('1.0 and 2.0 give the same observations: dimensions as codes, states as reasons', async () => {
    const one = await open(
      'DATAFLOW,REF_AREA,SEX,TIME_PERIOD,OBS_VALUE,OBS_STATUS\nTSO:H(1.0),020401,1,2024,120,A\nTSO:H(1.0),020401,2,2024,,Q\nTSO:H(1.0),020402,1,2024,77.5,U\n',
      'one.csv',
    );
    const two = await open(
      'STRUCTURE,STRUCTURE_ID,ACTION,REF_AREA,SEX,TIME_PERIOD,OBS_VALUE,OBS_STATUS\ndataflow,TSO:H(1.0),I,020401,1,2024,120,A\ndataflow,TSO:H(1.0),I,020401,2,2024,,Q\ndataflow,TSO:H(1.0),I,020402,1,2024,77.5,U\n',
      'two.csv',
    );
    for (const table of [one, two]) {
      expect(await rows(table)).toEqual(observed);
      expect(await reasonsOf(table, 'OBS_VALUE')).toEqual(reasons);
      expect(table.title).toBe('TSO:H(1.0)');
    }
  });

  it('with labels gives codes and titles; deletions are told', async () => {
    const table = await open(
      'STRUCTURE,STRUCTURE_ID,ACTION,SEX: Sex,OBS_VALUE\ndataflow,TSO:H(1.0),I,1: Women,5\ndataflow,TSO:H(1.0),D,2: Men: all,6\n',
      'labels.csv',
    );
    const sex = table.schema.find((field) => field.name === 'SEX')!;
    expect(sex).toMatchObject({ title: 'Sex', codes: { 1: 'Women', 2: 'Men: all' } });
    expect((await rows(table)).map((row) => row.SEX)).toEqual(['1', '2']);
    expect(table.findings.map((finding) => finding.code)).toContain('sdmx-deletions');
  });
});

const generic = (body: string) =>
  `<?xml version="1.0"?><mes:GenericData xmlns:mes="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/message" xmlns:g="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/data/generic"><mes:Header><mes:ID>x</mes:ID><mes:Structure structureID="H" dimensionAtObservation="TIME_PERIOD"/></mes:Header><mes:DataSet structureRef="H">${body}</mes:DataSet></mes:GenericData>`;

describe('SDMX-ML', () => {
  it('generic, structure-specific and flat data give the same observations', async () => {
    const series = (area: string, sex: string, value: string, status: string) =>
      `<g:Series><g:SeriesKey><g:Value id="REF_AREA" value="${area}"/><g:Value id="SEX" value="${sex}"/></g:SeriesKey><g:Obs><g:ObsDimension value="2024"/>${value === '' ? '' : `<g:ObsValue value="${value}"/>`}<g:Attributes><g:Value id="OBS_STATUS" value="${status}"/></g:Attributes></g:Obs></g:Series>`;
    const a = generic(
      series('020401', '1', '120', 'A') + series('020401', '2', '', 'Q') + series('020402', '1', '77.5', 'U'),
    );
    const keyed = (area: string, sex: string, value: string, status: string) =>
      `<g:Obs><g:ObsKey><g:Value id="REF_AREA" value="${area}"/><g:Value id="SEX" value="${sex}"/><g:Value id="TIME_PERIOD" value="2024"/></g:ObsKey><g:ObsValue value="${value}"/><g:Attributes><g:Value id="OBS_STATUS" value="${status}"/></g:Attributes></g:Obs>`;
    const b = generic(
      keyed('020401', '1', '120', 'A') + keyed('020401', '2', 'NaN', 'Q') + keyed('020402', '1', '77.5', 'U'),
    );
    const specific = (body: string) =>
      `<?xml version="1.0"?><mes:StructureSpecificData xmlns:mes="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/message" xmlns:ns1="urn:sdmx:org.sdmx.infomodel.datastructure.DataStructure=TSO:H(1.0):ObsLevelDim:TIME_PERIOD" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><mes:Header><mes:ID>x</mes:ID></mes:Header><mes:DataSet xsi:type="ns1:DataSetType">${body}</mes:DataSet></mes:StructureSpecificData>`;
    const c = specific(
      '<Series REF_AREA="020401" SEX="1"><Obs TIME_PERIOD="2024" OBS_VALUE="120" OBS_STATUS="A"/></Series><Series REF_AREA="020401" SEX="2"><Obs TIME_PERIOD="2024" OBS_VALUE="NaN" OBS_STATUS="Q"/></Series><Series REF_AREA="020402" SEX="1"><Obs TIME_PERIOD="2024" OBS_VALUE="77.5" OBS_STATUS="U"/></Series>',
    );
    const d = specific(
      '<Obs REF_AREA="020401" SEX="1" TIME_PERIOD="2024" OBS_VALUE="120" OBS_STATUS="A"/><Obs REF_AREA="020401" SEX="2" TIME_PERIOD="2024" OBS_STATUS="Q"/><Obs REF_AREA="020402" SEX="1" TIME_PERIOD="2024" OBS_VALUE="77.5" OBS_STATUS="U"/>',
    );
    for (const [k, text] of [a, b, c, d].entries()) {
      const table = await open(text, `${k}.xml`);
      const found = (await rows(table)).map((row) =>
        Object.fromEntries(Object.keys(observed[0]).map((key) => [key, row[key]])),
      );
      expect(found).toEqual(observed);
      // “NaN” is a mark of its own; the state says why.
      expect(
        (await reasonsOf(table, 'OBS_VALUE')).map((reason, i) =>
          i === 1 && reason === 'missing' ? 'suppressed' : reason,
        ),
      ).toEqual(reasons);
    }
  });

  it('attributes of groups reach the series that agree with them', async () => {
    const table = await open(
      generic(
        '<g:Group type="G"><g:GroupKey><g:Value id="SEX" value="1"/></g:GroupKey><g:Attributes><g:Value id="UNIT" value="PS"/></g:Attributes></g:Group><g:Series><g:SeriesKey><g:Value id="SEX" value="1"/></g:SeriesKey><g:Obs><g:ObsDimension value="2024"/><g:ObsValue value="1"/></g:Obs></g:Series><g:Series><g:SeriesKey><g:Value id="SEX" value="2"/></g:SeriesKey><g:Obs><g:ObsDimension value="2024"/><g:ObsValue value="2"/></g:Obs></g:Series>',
      ),
      'groups.xml',
    );
    expect((await rows(table)).map((row) => row.UNIT)).toEqual(['PS', null]);
  });

  it('structures, 2.1 and 3.0, in XML and in JSON, describe the data beside them', async () => {
    const data = 'DATAFLOW,SEX,OBS_VALUE\nTSO:H(1.0),1,5\nTSO:H(1.0),2,6\n';
    const xml = (identity: string, list: string) =>
      `<?xml version="1.0"?><mes:Structure xmlns:mes="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/message" xmlns:s="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/structure" xmlns:c="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/common"><mes:Structures><s:Codelists><s:Codelist id="CL_SEX"><c:Name xml:lang="en">Sex</c:Name><s:Code id="1"><c:Name xml:lang="de">Frauen</c:Name><c:Name xml:lang="en">Women</c:Name></s:Code><s:Code id="2"><c:Name xml:lang="en">Men</c:Name></s:Code></s:Codelist></s:Codelists><s:Concepts><s:ConceptScheme id="CS"><s:Concept id="C_SEX"><c:Name xml:lang="en">Sex of the person</c:Name></s:Concept></s:ConceptScheme></s:Concepts><s:DataStructures><s:DataStructure id="H"><s:DataStructureComponents><s:DimensionList><s:Dimension id="SEX">${identity}<s:LocalRepresentation>${list}</s:LocalRepresentation></s:Dimension></s:DimensionList></s:DataStructureComponents></s:DataStructure></s:DataStructures></mes:Structures></mes:Structure>`;
    const old = xml(
      '<s:ConceptIdentity><Ref id="C_SEX"/></s:ConceptIdentity>',
      '<s:Enumeration><Ref id="CL_SEX"/></s:Enumeration>',
    );
    const urns = xml(
      '<s:ConceptIdentity>urn:sdmx:org.sdmx.infomodel.conceptscheme.Concept=TSO:CS(1.0).C_SEX</s:ConceptIdentity>',
      '<s:Enumeration>urn:sdmx:org.sdmx.infomodel.codelist.Codelist=TSO:CL_SEX(1.0)</s:Enumeration>',
    );
    const json = JSON.stringify({
      data: {
        codelists: [
          {
            id: 'CL_SEX',
            codes: [
              { id: '1', name: 'Women' },
              { id: '2', names: { de: 'Männer', en: 'Men' } },
            ],
          },
        ],
        conceptSchemes: [{ id: 'CS', concepts: [{ id: 'C_SEX', name: 'Sex of the person' }] }],
        dataStructures: [
          {
            id: 'H',
            dataStructureComponents: {
              dimensionList: {
                dimensions: [
                  {
                    id: 'SEX',
                    conceptIdentity: 'urn:sdmx:org.sdmx.infomodel.conceptscheme.Concept=TSO:CS(1.0).C_SEX',
                    localRepresentation: {
                      enumeration: 'urn:sdmx:org.sdmx.infomodel.codelist.Codelist=TSO:CL_SEX(1.0)',
                    },
                  },
                ],
              },
            },
          },
        ],
      },
    });
    for (const [name, text] of [
      ['structure.xml', old],
      ['structure.xml', urns],
      ['structure.json', json],
    ]) {
      const { layers } = await look({ 'data.csv': data, [name]: text });
      const table = layers.find((opened) => opened.table.name === 'data')!.table;
      expect(table.schema[0]).toMatchObject({
        name: 'SEX',
        title: 'Sex of the person',
        codes: { 1: 'Women', 2: 'Men' },
      });
      expect(
        layers
          .filter((opened) => opened.describes)
          .map((opened) => opened.table.name)
          .sort(),
      ).toEqual(['structure_codes', 'structure_variables']);
    }
  });
});

describe('SDMX-JSON', () => {
  const dimensions = {
    series: [
      {
        id: 'REF_AREA',
        name: 'Ward',
        values: [
          { id: '020401', name: 'Upham' },
          { id: '020402', name: 'Lowham' },
        ],
      },
      {
        id: 'SEX',
        names: { en: 'Sex' },
        values: [
          { id: '1', name: 'Women' },
          { id: '2', name: 'Men' },
        ],
      },
    ],
    observation: [{ id: 'TIME_PERIOD', values: [{ value: '2024' }] }],
  };
  const attributes = { observation: [{ id: 'OBS_STATUS', values: [{ id: 'A' }, { id: 'Q' }, { id: 'U' }] }] };

  it('1.0 and 2.0, by series and flat, give the same observations', async () => {
    const series = {
      '0:0': { observations: { '0': [120, 0] } },
      '0:1': { observations: { '0': [null, 1] } },
      '1:0': { observations: { '0': ['77.5', 2] } },
    };
    const flat = { '0:0:0': [120, 0], '0:1:0': [null, 1], '1:0:0': [77.5, 2] };
    const measures = { observation: [{ id: 'OBS_VALUE', name: 'Residents' }] };
    const messages = [
      { structure: { dimensions, attributes }, dataSets: [{ series }] },
      { data: { structure: { dimensions, attributes }, dataSets: [{ observations: flat }] } },
      {
        meta: {},
        data: { structures: [{ dimensions, attributes, measures }], dataSets: [{ structure: 0, series }] },
      },
    ];
    for (const message of messages) {
      const table = await open(JSON.stringify(message), 'data.json');
      expect(await rows(table)).toEqual(observed);
      expect(await reasonsOf(table, 'OBS_VALUE')).toEqual(reasons);
      expect(table.schema[0]).toMatchObject({ title: 'Ward', codes: { '020401': 'Upham' } });
    }
  });

  it('says what does not fit', async () => {
    const wrong = {
      structure: { dimensions, attributes },
      dataSets: [{ series: { '0:7': { observations: { '0': [1] } } } }],
    };
    await expect(open(JSON.stringify(wrong), 'data.json')).rejects.toMatchObject({
      code: 'sdmx-json-damaged',
      message: expect.stringContaining('SEX'),
    });
  });
});

describe('JSON-stat', () => {
  const dataset = (more: object) =>
    JSON.stringify({
      version: '2.0',
      class: 'dataset',
      label: 'Residents by sex',
      id: ['area', 'sex', 'measure'],
      size: [2, 2, 1],
      dimension: {
        area: {
          label: 'Ward',
          category: { index: ['020401', '020402'], label: { '020401': 'Upham', '020402': 'Lowham' } },
        },
        sex: { label: 'Sex', category: { index: { M: 1, F: 0 }, label: { F: 'Women', M: 'Men' } } },
        measure: { category: { label: { n: 'Residents' }, unit: { n: { label: 'persons' } } } },
      },
      ...more,
    });

  it('gives a row a cell in row-major order, with states as reasons and labels as code lists', async () => {
    const table = await open(dataset({ value: [120, null, 77, 80], status: { 1: 'c' } }), 'residents.json');
    expect(await rows(table)).toEqual([
      { area: '020401', sex: 'F', measure: 'n', value: 120 },
      { area: '020401', sex: 'M', measure: 'n', value: null },
      { area: '020402', sex: 'F', measure: 'n', value: 77 },
      { area: '020402', sex: 'M', measure: 'n', value: 80 },
    ]);
    expect(await reasonsOf(table, 'value')).toEqual([null, 'suppressed', null, null]);
    expect(table.schema.map((field) => field.title ?? field.name)).toEqual([
      'Ward',
      'Sex',
      'measure',
      'Residents by sex',
    ]);
    expect(table.schema[3]).toMatchObject({ type: 'integer', unit: 'persons' });
  });

  it('sparse values are the rows that are given; collections hold several datasets', async () => {
    const sparse = await open(dataset({ value: { 3: 80.5, 0: 1 } }), 'sparse.json');
    expect((await rows(sparse)).map((row) => [row.area, row.sex, row.value])).toEqual([
      ['020401', 'F', 1],
      ['020402', 'M', 80.5],
    ]);
    const one = JSON.parse(dataset({ value: [1, 2, 3, 4] })) as object;
    const { layers } = await look({
      'c.json': JSON.stringify({
        version: '2.0',
        class: 'collection',
        link: { item: [one, { ...one, label: 'Other' }] },
      }),
    });
    expect(layers.map((opened) => opened.table.name)).toEqual(['Residents by sex', 'Other']);
  });

  it('says what does not fit', async () => {
    for (const [more, words] of [
      [{ value: [1, 2, 3] }, '3 values'],
      [{ value: { 9: 1 } }, 'outside'],
      [{ value: [1], size: [2, 2] }, 'sizes'],
      [{ value: [1], size: [2, 3, 1] }, 'sex'],
    ] as const)
      await expect(open(dataset(more), 'x.json')).rejects.toMatchObject({
        code: 'json-stat-damaged',
        message: expect.stringContaining(words),
      });
  });
});

describe('JSON rows', () => {
  it('arrays with a header row: quoted figures are figures, codes stay codes', async () => {
    const table = await open(
      '[["NAME","H001","ward"],["Upham","1204","020401"],["Lowham","*","020402"],["Midham","-666666666","020403"]]',
      'rows.json',
    );
    expect(await rows(table)).toEqual([
      { NAME: 'Upham', H001: 1204, ward: '020401' },
      { NAME: 'Lowham', H001: null, ward: '020402' },
      { NAME: 'Midham', H001: null, ward: '020403' },
    ]);
    expect(await reasonsOf(table, 'H001')).toEqual([null, 'suppressed', 'not reliable']);
  });

  it('objects: keys that come later are columns too, objects inside get dotted names; text stays text', async () => {
    const table = await open(
      '{"items":[{"code":"020401","n":5,"at":{"x":1.5}},{"code":"020402","k":"12","tags":["a"]}]}',
      'rows.json',
    );
    expect(await rows(table)).toEqual([
      { code: '020401', n: 5, 'at.x': 1.5, k: null, tags: null },
      { code: '020402', n: null, 'at.x': null, k: '12', tags: '["a"]' },
    ]);
    expect(table.findings).toMatchObject(
      [{ code: 'numbers-as-text' }, { code: 'rows-found', words: expect.stringContaining('/items') }]
        .sort(() => 0)
        .reverse(),
    );
  });

  it('are taken where the pointer says; a wrong one is told with where rows are', async () => {
    const text = '{"a":[{"x":1}],"b/c":{"rows":[{"y":2},{"y":3}]}}';
    expect(await rows(await open(text, 'r.json', { rowsAt: '/b~1c/rows' }))).toEqual([{ y: 2 }, { y: 3 }]);
    await expect(open(text, 'r.json', { rowsAt: '/nowhere' })).rejects.toMatchObject({
      code: 'rows-missing',
      advice: expect.stringContaining('/a'),
    });
    await expect(open('{"a":1,"b":[]}', 'r.json')).rejects.toThrowError();
  });
});

describe('CSVW', () => {
  const metadata = {
    '@context': 'http://www.w3.org/ns/csvw',
    url: 'wards.csv',
    'dc:title': 'Wards of Teskaria',
    dialect: { delimiter: ';' },
    tableSchema: {
      columns: [
        { name: 'ward', titles: 'W', datatype: 'string' },
        {
          name: 'households',
          titles: { en: ['Number of households'], de: 'Haushalte' },
          datatype: 'integer',
          null: ['-1', 'x'],
          'schema:unitText': 'households',
          'dc:description': 'All private ones',
        },
        { name: 'share', titles: 'S', datatype: { base: 'number' } },
      ],
    },
  };

  it('beside a CSV names, types and describes its columns, and says which marks stand for nothing', async () => {
    const { layers, others } = await look({
      'wards.csv': 'W;H;S\n110101;5;1.5\n110102;-1;2\n110103;x;3\n',
      'wards.csv-metadata.json': JSON.stringify(metadata),
    });
    const [{ table, parts }] = layers;
    expect(table.title).toBe('Wards of Teskaria');
    expect(table.schema).toMatchObject([
      { name: 'ward', type: 'text', code: 'W' },
      {
        name: 'households',
        type: 'integer',
        title: 'Number of households',
        unit: 'households',
        description: 'All private ones',
      },
      { name: 'share', type: 'real' },
    ]);
    expect((await rows(table)).map((row) => row.households)).toEqual([5, null, null]);
    expect(others).toEqual([]);
    expect(parts).toEqual(['wards.csv', 'wards.csv-metadata.json']);
  });

  it('of a folder counts for the tables that it names; what contradicts the data is told', async () => {
    const { layers } = await look({
      'wards.csv': 'W,H\n0101,a\n0102,b\n',
      'other.csv': 'q,r\n1,2\n3,4\n',
      'csv-metadata.json': JSON.stringify({
        '@context': 'http://www.w3.org/ns/csvw',
        tables: [
          { url: 'wards.csv', tableSchema: { columns: [{ name: 'w' }, { name: 'h', datatype: 'integer' }] } },
        ],
      }),
    });
    const wards = layers.find(({ table }) => table.name === 'wards')!.table;
    expect(wards.schema.map((field) => field.name)).toEqual(['w', 'h']);
    expect(wards.findings.map((finding) => finding.code)).toEqual(['csvw-type-differs']);
    expect(
      layers.find(({ table }) => table.name === 'other')!.table.schema.map((field) => field.name),
    ).toEqual(['q', 'r']);
  });
});

import { createHash } from 'node:crypto';
import { xmlEscaped } from './boundary-gml.ts';
import type { Answer, Asking, Service } from './service.ts';
import type { Cube } from './statistics-data.ts';

const agency = 'TSO';
type Form = 'csv' | 'json' | 'xml';

function structure21(cube: Cube): string {
  const lists = cube.dimensions
    .slice(0, -1)
    .map(
      ({ id, name, values }) =>
        `<str:Codelist id="CL_${id}" agencyID="${agency}" version="1.0"><com:Name xml:lang="en">${name}</com:Name>${[...values].map(([code, label]) => `<str:Code id="${code}"><com:Name xml:lang="en">${xmlEscaped(label)}</com:Name></str:Code>`).join('')}</str:Codelist>`,
    );
  const concepts = [
    ...cube.dimensions.map(({ id, name }) => [id, name]),
    ['OBS_VALUE', 'Residents'],
    ['OBS_STATUS', 'Status'],
  ];
  const concept = (id: string) =>
    `<str:ConceptIdentity><Ref id="${id}" maintainableParentID="CS" agencyID="${agency}"/></str:ConceptIdentity>`;
  const dimensions = cube.dimensions
    .slice(0, -1)
    .map(
      ({ id }, k) =>
        `<str:Dimension id="${id}" position="${k + 1}">${concept(id)}<str:LocalRepresentation><str:Enumeration><Ref id="CL_${id}" agencyID="${agency}" version="1.0"/></str:Enumeration></str:LocalRepresentation></str:Dimension>`,
    );
  const time = cube.dimensions[cube.dimensions.length - 1].id;
  return `<?xml version="1.0" encoding="UTF-8"?>
<mes:Structure xmlns:mes="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/message" xmlns:str="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/structure" xmlns:com="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/common">
<mes:Header><mes:ID>S1</mes:ID><mes:Test>true</mes:Test><mes:Prepared>2024-09-12T00:00:00</mes:Prepared><mes:Sender id="${agency}"/></mes:Header>
<mes:Structures>
<str:Dataflows><str:Dataflow id="${cube.id}" agencyID="${agency}" version="1.0"><com:Name xml:lang="en">${cube.title}</com:Name><str:Structure><Ref id="DSD_${cube.id}" agencyID="${agency}" version="1.0"/></str:Structure></str:Dataflow></str:Dataflows>
<str:Codelists>${lists.join('\n')}</str:Codelists>
<str:Concepts><str:ConceptScheme id="CS" agencyID="${agency}" version="1.0"><com:Name xml:lang="en">Concepts</com:Name>${concepts.map(([id, name]) => `<str:Concept id="${id}"><com:Name xml:lang="en">${name}</com:Name></str:Concept>`).join('')}</str:ConceptScheme></str:Concepts>
<str:DataStructures><str:DataStructure id="DSD_${cube.id}" agencyID="${agency}" version="1.0"><com:Name xml:lang="en">${cube.title}</com:Name><str:DataStructureComponents>
<str:DimensionList id="DimensionDescriptor">${dimensions.join('\n')}<str:TimeDimension id="${time}" position="${cube.dimensions.length}">${concept(time)}</str:TimeDimension></str:DimensionList>
<str:AttributeList id="AttributeDescriptor"><str:Attribute id="OBS_STATUS" assignmentStatus="Conditional">${concept('OBS_STATUS')}</str:Attribute></str:AttributeList>
<str:MeasureList id="MeasureDescriptor"><str:PrimaryMeasure id="OBS_VALUE">${concept('OBS_VALUE')}</str:PrimaryMeasure></str:MeasureList>
</str:DataStructureComponents></str:DataStructure></str:DataStructures>
</mes:Structures>
</mes:Structure>
`;
}

const urn = (kind: string, id: string) => `urn:sdmx:org.sdmx.infomodel.${kind}=${agency}:${id}(1.0)`;

function structure30(cube: Cube): unknown {
  const time = cube.dimensions[cube.dimensions.length - 1];
  const concept = (id: string) => `urn:sdmx:org.sdmx.infomodel.conceptscheme.Concept=${agency}:CS(1.0).${id}`;
  return {
    meta: { id: 'S1', prepared: '2024-09-12T00:00:00Z', sender: { id: agency } },
    data: {
      dataflows: [
        {
          id: cube.id,
          agencyID: agency,
          version: '1.0',
          name: cube.title,
          structure: urn('datastructure.DataStructure', `DSD_${cube.id}`),
        },
      ],
      codelists: cube.dimensions.slice(0, -1).map(({ id, name, values }) => ({
        id: `CL_${id}`,
        agencyID: agency,
        version: '1.0',
        name,
        codes: [...values].map(([code, label]) => ({ id: code, name: label })),
      })),
      conceptSchemes: [
        {
          id: 'CS',
          agencyID: agency,
          version: '1.0',
          name: 'Concepts',
          concepts: [
            ...cube.dimensions.map(({ id, name }) => ({ id, name })),
            { id: 'OBS_VALUE', name: 'Residents' },
            { id: 'OBS_STATUS', name: 'Status' },
          ],
        },
      ],
      dataStructures: [
        {
          id: `DSD_${cube.id}`,
          agencyID: agency,
          version: '1.0',
          name: cube.title,
          dataStructureComponents: {
            dimensionList: {
              id: 'DimensionDescriptor',
              dimensions: cube.dimensions.slice(0, -1).map(({ id }, k) => ({
                id,
                position: k,
                conceptIdentity: concept(id),
                localRepresentation: { enumeration: urn('codelist.Codelist', `CL_${id}`) },
              })),
              timeDimension: { id: time.id, conceptIdentity: concept(time.id) },
            },
            attributeList: {
              id: 'AttributeDescriptor',
              attributes: [{ id: 'OBS_STATUS', conceptIdentity: concept('OBS_STATUS') }],
            },
            measureList: {
              id: 'MeasureDescriptor',
              measures: [{ id: 'OBS_VALUE', conceptIdentity: concept('OBS_VALUE') }],
            },
          },
        },
      ],
    },
  };
}

type Observation = Cube['observations'][number];

function dataCsv(cube: Cube, rows: readonly Observation[], three: boolean): string {
  const ids = cube.dimensions.map(({ id }) => id).join(',');
  const head = three
    ? `STRUCTURE,STRUCTURE_ID,ACTION,${ids},OBS_VALUE,OBS_STATUS`
    : `DATAFLOW,${ids},OBS_VALUE,OBS_STATUS`;
  const first = three ? `dataflow,${agency}:${cube.id}(1.0),I` : `${agency}:${cube.id}(1.0)`;
  return `${head}\n${rows.map(({ codes, value, status }) => `${first},${codes.join(',')},${value},${status}\n`).join('')}`;
}

/** SDMX-JSON with observations that are not grouped. */
function dataJson(cube: Cube, rows: readonly Observation[], three: boolean): unknown {
  const used = cube.dimensions.map(({ values }, d) =>
    [...values.keys()].filter((code) => rows.some((row) => row.codes[d] === code)),
  );
  const statuses = [...new Set(rows.map(({ status }) => status))];
  const structure = {
    name: cube.title,
    dimensions: {
      dataSet: [],
      series: [],
      observation: cube.dimensions.map(({ id, name, values }, d) => ({
        id,
        name,
        keyPosition: d,
        values: used[d].map((code) =>
          three && id === 'TIME_PERIOD' ? { value: code } : { id: code, name: values.get(code) },
        ),
      })),
    },
    attributes: {
      dataSet: [],
      series: [],
      observation: [{ id: 'OBS_STATUS', name: 'Status', values: statuses.map((id) => ({ id, name: id })) }],
    },
    ...(three ? { measures: { observation: [{ id: 'OBS_VALUE', name: 'Residents' }] } } : {}),
  };
  const observations = Object.fromEntries(
    rows.map(({ codes, value, status }) => [
      codes.map((code, d) => used[d].indexOf(code)).join(':'),
      [value === '' ? null : Number(value), statuses.indexOf(status)],
    ]),
  );
  return {
    meta: { id: 'D1', prepared: '2024-09-12T00:00:00Z', sender: { id: agency } },
    data: three
      ? { structures: [structure], dataSets: [{ structure: 0, action: 'Information', observations }] }
      : { structure, dataSets: [{ action: 'Information', observations }] },
  };
}

/** SDMX-ML 2.1, generic data without grouping. */
function dataXml(cube: Cube, rows: readonly Observation[]): string {
  return `<?xml version="1.0" encoding="UTF-8"?>
<mes:GenericData xmlns:mes="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/message" xmlns:gen="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/data/generic" xmlns:com="http://www.sdmx.org/resources/sdmxml/schemas/v2_1/common">
<mes:Header><mes:ID>D1</mes:ID><mes:Test>true</mes:Test><mes:Prepared>2024-09-12T00:00:00</mes:Prepared><mes:Sender id="${agency}"/><mes:Structure structureID="DSD_${cube.id}" dimensionAtObservation="AllDimensions"/></mes:Header>
<mes:DataSet structureRef="DSD_${cube.id}">
${rows.map(({ codes, value, status }) => `<gen:Obs><gen:ObsKey>${codes.map((code, d) => `<gen:Value id="${cube.dimensions[d].id}" value="${code}"/>`).join('')}</gen:ObsKey>${value === '' ? '' : `<gen:ObsValue value="${value}"/>`}<gen:Attributes><gen:Value id="OBS_STATUS" value="${status}"/></gen:Attributes></gen:Obs>`).join('\n')}
</mes:DataSet>
</mes:GenericData>
`;
}

class Refusal extends Error {}

function send(reply: Answer, request: Asking, type: string, body: unknown) {
  const text = typeof body === 'string' ? body : JSON.stringify(body);
  const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
  reply.header('etag', etag);
  if (request.headers['if-none-match'] === etag) return reply.code(304).send();
  return reply.type(type).send(text);
}

/**
 * Adds a simulated SDMX service: REST of SDMX 3.0 at /sdmx/, of SDMX 2.1 alone at /sdmx-2.1/.
 * @param forms answers that are given
 */
export function addSdmx(server: Service, cube: Cube, forms: readonly Form[] = ['csv', 'json', 'xml']): void {
  const formOf = (accept: string): Form => {
    const wanted: Form[] = accept
      .split(',')
      .map((each) =>
        /csv/.test(each) ? 'csv' : /json/.test(each) ? 'json' : /xml/.test(each) ? 'xml' : forms[0],
      );
    const found = wanted.find((form) => forms.includes(form));
    if (found === undefined) throw new Refusal('406');
    return found;
  };
  const known = (id: string, by: string) =>
    (id === cube.id || id === 'all' || id === '*') && (by === agency || by === 'all' || by === '*');
  const missing = (reply: Answer) => reply.code(404).type('text/plain').send('No such dataflow.');
  const answer = (reply: Answer, request: Asking, rows: readonly Observation[], three: boolean) => {
    if (rows.length === 0) return reply.code(404).type('text/plain').send('There are no results.');
    try {
      const form = formOf(request.headers.accept ?? '');
      if (form === 'csv')
        return send(
          reply,
          request,
          `application/vnd.sdmx.data+csv;version=${three ? '2.0.0' : '1.0.0'}`,
          dataCsv(cube, rows, three),
        );
      if (form === 'json')
        return send(
          reply,
          request,
          `application/vnd.sdmx.data+json;version=${three ? '2.0.0' : '1.0.0'}`,
          dataJson(cube, rows, three),
        );
      return send(reply, request, 'application/vnd.sdmx.genericdata+xml;version=2.1', dataXml(cube, rows));
    } catch (error) {
      if (error instanceof Refusal) return reply.code(406).type('text/plain').send('Not in this form.');
      throw error;
    }
  };
  const time = cube.dimensions.length - 1;

  server.get<{ Params: { agency: string; id: string } }>(
    '/sdmx/structure/dataflow/:agency/:id/:version',
    async (request, reply) =>
      known(request.params.id, request.params.agency)
        ? send(reply, request, 'application/vnd.sdmx.structure+json;version=2.0.0', structure30(cube))
        : missing(reply),
  );
  server.get<{ Params: { agency: string; id: string; key: string }; Querystring: Record<string, string> }>(
    '/sdmx/data/dataflow/:agency/:id/:version/:key',
    async (request, reply) => {
      if (!known(request.params.id, request.params.agency)) return missing(reply);
      const tests: ((codes: string[]) => boolean)[] = [];
      for (const [name, value] of Object.entries(request.query)) {
        const id = /^c\[(.*)\]$/.exec(name)?.[1];
        const d = cube.dimensions.findIndex((dimension) => dimension.id === id);
        if (d < 0) return reply.code(400).type('text/plain').send(`No component ${name}.`);
        if (d === time) {
          for (const part of value.split('+')) {
            const [operator, period] = part.split(':');
            tests.push((codes) =>
              operator === 'ge'
                ? codes[d] >= period
                : operator === 'le'
                  ? codes[d] <= period
                  : codes[d] === part,
            );
          }
        } else {
          const wanted = new Set(value.split(','));
          tests.push((codes) => wanted.has(codes[d]));
        }
      }
      return answer(
        reply,
        request,
        cube.observations.filter(({ codes }) => tests.every((test) => test(codes))),
        true,
      );
    },
  );
  server.get<{ Params: { agency: string; id: string } }>(
    '/sdmx-2.1/dataflow/:agency/:id/:version',
    async (request, reply) =>
      known(request.params.id, request.params.agency)
        ? send(reply, request, 'application/vnd.sdmx.structure+xml;version=2.1', structure21(cube))
        : missing(reply),
  );
  server.get<{ Params: { flow: string; key: string }; Querystring: Record<string, string> }>(
    '/sdmx-2.1/data/:flow/:key',
    async (request, reply) => {
      const [by, id] = request.params.flow.split(',');
      if (!known(id, by)) return missing(reply);
      const { key } = request.params;
      const places =
        key === 'all' ? [] : key.split('.').map((part) => (part === '' ? null : new Set(part.split('+'))));
      if (places.length !== 0 && places.length !== time)
        return reply.code(400).type('text/plain').send(`A key has ${time} places.`);
      const { startPeriod, endPeriod } = request.query;
      return answer(
        reply,
        request,
        cube.observations.filter(
          ({ codes }) =>
            places.every((place, d) => place === null || place.has(codes[d])) &&
            (startPeriod === undefined || codes[time] >= startPeriod) &&
            (endPeriod === undefined || codes[time] <= endPeriod),
        ),
        false,
      );
    },
  );
}

import { grouped } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { type ByteSource, sourceFromBytes } from '../../formats/bytes/byte-source.ts';
import { formatOf } from '../../formats/register.ts';
import { codesChosen, periodOf } from '../choices.ts';
import { gatheredIn, type KeptFile, keepBytes } from '../gathered.ts';
import { type Gathered, type Order, type Protocol, withSlash } from '../order.ts';
import { folderOf } from '../places.ts';
import { type Answer, askedOnce, askFor } from '../transfer/ask.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { type Transfer, transfer } from '../transfer/transfer.ts';
import { type Dataflow, dataflowsOfJson, dataflowsOfXml } from './structure.ts';

/** Versions of the interface: what addresses look like, and what answers are called. */
type Version = '3.0' | '2.1';
type Form = 'csv' | 'json' | 'xml';

const forms: Readonly<Record<Version, Record<Form, string>>> = {
  '3.0': {
    csv: 'application/vnd.sdmx.data+csv;version=2.0.0',
    json: 'application/vnd.sdmx.data+json;version=2.0.0',
    xml: 'application/vnd.sdmx.data+xml;version=3.0.0',
  },
  '2.1': {
    csv: 'application/vnd.sdmx.data+csv;version=1.0.0',
    json: 'application/vnd.sdmx.data+json;version=1.0.0',
    xml: 'application/vnd.sdmx.structurespecificdata+xml;version=2.1, application/vnd.sdmx.genericdata+xml;version=2.1;q=0.8',
  },
};
const structureForms: Readonly<Record<Version, string>> = {
  '3.0':
    'application/vnd.sdmx.structure+xml;version=3.0.0, application/vnd.sdmx.structure+json;version=2.0.0;q=0.8',
  '2.1':
    'application/vnd.sdmx.structure+xml;version=2.1, application/vnd.sdmx.structure+json;version=1.0;q=0.8',
};

/** Most characters of codes in one address; more of them are asked for in several. */
const longestKey = 1500;

interface Service {
  version: Version;
  answer: Answer;
  url: string;
  flows: Dataflow[] | null;
}

/** In place of the id of one dataflow. */
const everyFlow = Symbol('every dataflow');

function structureAddress(order: Order, version: Version, flow: string | typeof everyFlow): string {
  // All of them are a star in the later version.
  const all = version === '3.0' ? '*' : 'all';
  const agency = order.traits.agency === undefined ? all : percentEncoded(order.traits.agency);
  const id = flow === everyFlow ? all : percentEncoded(flow);
  const path = version === '3.0' ? `structure/dataflow/${agency}/${id}/~` : `dataflow/${agency}/${id}/latest`;
  return `${new URL(path, withSlash(order.address))}?references=all`;
}

/** The structure of a dataflow, asked for as version 3.0 has it, then as 2.1 has it (SDMX REST, structure queries). */
async function askStructure(
  order: Order,
  flow: string | typeof everyFlow,
  context: TransferContext,
): Promise<Service> {
  for (const version of ['3.0', '2.1'] as const) {
    const url = structureAddress(order, version, flow);
    const request: Request = {
      what: flow === everyFlow ? order.source : `${order.source}/${flow}`,
      url,
      accept: structureForms[version],
      missing:
        flow === everyFlow
          ? 'Is the address that of an SDMX service?'
          : `Is ${flow} the id of a dataflow${order.traits.agency === undefined ? '' : ` of ${order.traits.agency}`}?`,
    };
    try {
      return await askFor(request, context, async (answer) => ({
        version,
        url,
        answer,
        flows: await flowsIn(answer, request, context),
      }));
    } catch (error) {
      const other =
        error instanceof IsomericError &&
        ['source-missing', 'source-refused', 'source-unacceptable'].includes(error.code);
      if (!other || version === '2.1') throw error;
    }
  }
  throw new Error('a version is always the last');
}

async function flowsIn(
  { bytes }: Answer,
  request: Request,
  context: TransferContext,
): Promise<Dataflow[] | null> {
  const first = bytes.find((byte) => byte > 0x20 && byte < 0x80);
  try {
    return first === 0x7b
      ? dataflowsOfJson(JSON.parse(new TextDecoder().decode(bytes)))
      : await dataflowsOfXml(bytes, context.credentials.shown(request.url));
  } catch (error) {
    if (!(error instanceof SyntaxError || error instanceof IsomericError)) throw error;
    throw failure(
      'source-cut',
      request,
      context,
      'the description of the table is no whole document.',
      'Run again; if it stays so, ask the makers of the service.',
    );
  }
}

interface Described {
  service: Service;
  flow: Dataflow;
}

function wantedFlow(order: Order): string {
  return order.wanted.table ?? order.name;
}

/** All dataflows of a service, with their dimensions and codes where it gives them. */
export async function dataflowsOf(order: Order, context: TransferContext): Promise<Dataflow[]> {
  return (await askStructure(order, everyFlow, context)).flows ?? [];
}

async function knownFlows(order: Order, context: TransferContext): Promise<string[]> {
  try {
    return (await dataflowsOf(order, context)).map((flow) => flow.id);
  } catch (error) {
    // It is asked for a hint only; without one the mistake is still told.
    if (error instanceof IsomericError) return [];
    throw error;
  }
}

function describe(order: Order, context: TransferContext): Promise<Described> {
  const wanted = wantedFlow(order);
  return askedOnce(`sdmx ${order.address} ${order.traits.agency ?? ''} ${wanted}`, context, async () => {
    let service: Service;
    try {
      service = await askStructure(order, wanted, context);
    } catch (error) {
      if (!(error instanceof IsomericError) || error.code !== 'source-missing') throw error;
      const known = await knownFlows(order, context);
      throw new IsomericError('table-unknown', `${order.source} has no dataflow “${wanted}”.`, {
        place: error.place,
        wrong: wanted,
        advice: known.length === 0 ? 'Check its id, and the agency of the source.' : suggest(wanted, known),
        blame: 'usage',
      });
    }
    const { flows } = service;
    const flow = flows?.find((each) => each.id === wanted) ?? flows?.[0];
    if (flow === undefined)
      throw failure(
        'source-garbled',
        { what: `${order.source}/${wanted}`, url: service.url },
        context,
        'the answer holds no dataflow.',
        'Is the address that of an SDMX service?',
      );
    return { service, flow };
  });
}

/** Cuts the longest list of codes so that each address stays short enough. */
export function splitChoices(
  chosen: ReadonlyMap<string, string[]>,
  longest = longestKey,
): Map<string, string[]>[] {
  const length = (codes: readonly string[]) => codes.reduce((sum, code) => sum + code.length + 1, 0);
  const all = [...chosen.values()].reduce((sum, codes) => sum + length(codes), 0);
  if (all <= longest) return [new Map(chosen)];
  const [most, codes] = [...chosen].reduce((a, b) => (length(b[1]) > length(a[1]) ? b : a));
  if (codes.length < 2) return [new Map(chosen)];
  const half = Math.ceil(codes.length / 2);
  return [codes.slice(0, half), codes.slice(half)].flatMap((part) =>
    splitChoices(new Map([...chosen, [most, part]]), longest),
  );
}

function dataAddress(
  order: Order,
  { service, flow }: Described,
  chosen: ReadonlyMap<string, string[]>,
): string {
  const base = withSlash(order.address);
  const period = order.wanted.period === undefined ? null : periodOf(order.wanted.period);
  const agency = percentEncoded(flow.agency);
  const id = percentEncoded(flow.id);
  const version = percentEncoded(flow.version);
  if (service.version === '3.0') {
    // Components are filtered one by one (SDMX REST 2.x of SDMX 3.0, data queries).
    const url = new URL(`data/dataflow/${agency}/${id}/${version}/*`, base);
    for (const [dimension, codes] of chosen) url.searchParams.set(`c[${dimension}]`, codes.join(','));
    if (period !== null)
      url.searchParams.set(`c[${flow.timeDimension ?? 'TIME_PERIOD'}]`, `ge:${period.from}+le:${period.to}`);
    return url.toString();
  }
  // A key has a place for each dimension, in their order; a blank place stands for all (SDMX REST 1.x of SDMX 2.1).
  const key = flow.dimensions
    .map((dimension) => (chosen.get(dimension.id) ?? []).map(percentEncoded).join('+'))
    .join('.');
  const url = new URL(`data/${agency},${id},${version}/${/^\.*$/.test(key) ? 'all' : key}`, base);
  if (period !== null) {
    url.searchParams.set('startPeriod', period.from);
    url.searchParams.set('endPeriod', period.to);
  }
  return url.toString();
}

function chosenOf(order: Order, { flow }: Described): Map<string, string[]> {
  return codesChosen(order.wanted.choose ?? {}, flow.dimensions, `${order.source}/${flow.id}`);
}

/** What each form is, by its content. */
const formatNames: Record<Form, string> = { csv: 'delimited', json: 'sdmx-json', xml: 'sdmx-ml' };

async function gatherForm(
  order: Order,
  described: Described,
  form: Form,
  context: TransferContext,
): Promise<Transfer[]> {
  const { flow, service } = described;
  const got: Transfer[] = [];
  const what = `${order.source}/${flow.id}`;
  for (const [k, chosen] of splitChoices(chosenOf(order, described)).entries()) {
    const url = dataAddress(order, described, chosen);
    got.push(
      await transfer(
        {
          what,
          datasets: [order.name],
          url,
          path: `${folderOf(order)}/data-${String(k + 1).padStart(4, '0')}.${form}`,
          accept: forms[service.version][form],
          missing: 'There are no figures for what is chosen.',
          async check(file) {
            const format = (await formatOf(file))?.name;
            if (format !== formatNames[form])
              throw failure(
                'source-garbled',
                { what, url },
                context,
                `${form.toUpperCase()} was asked for, and ${format ?? 'something else'} came.`,
                'Try another form with “answers:” of the source, or ask the makers of the service.',
              );
            if (form === 'csv') await wholeLines(file, { what, url }, context);
            return {};
          },
          licence: order.licence,
          citation: order.citation ?? `${flow.agency}: ${flow.name} (${flow.id}, version ${flow.version}).`,
        },
        context,
      ),
    );
  }
  return got;
}

/** Cells of a line of comma-separated text. */
function cells(line: string): number {
  let count = 1;
  let quoted = false;
  for (const sign of line) {
    if (sign === '"') quoted = !quoted;
    else if (sign === ',' && !quoted) count++;
  }
  return count;
}

/** A text has no end that can be seen; a last line that is shorter than the first shows that it was cut. */
async function wholeLines(
  file: ByteSource,
  request: Pick<Request, 'what' | 'url'>,
  context: TransferContext,
) {
  const text = async (from: number, to: number) => new TextDecoder().decode(await file.bytes(from, to));
  const tail = await text(Math.max(0, file.size - 16_384), file.size);
  if (/[\r\n]$/.test(tail)) return;
  const [head] = (await text(0, 16_384)).split(/\r?\n/, 1);
  if (cells(tail.slice(tail.lastIndexOf('\n') + 1)) >= cells(head)) return;
  throw failure('source-cut', request, context, 'the last line ends in the middle.', 'Run again.');
}

async function gather(order: Order, context: TransferContext): Promise<Gathered> {
  const described = await describe(order, context);
  const { flow, service } = described;
  const preferred = order.traits.answers as Form | undefined;
  const wanted = [...new Set<Form>([preferred ?? 'csv', 'csv', 'json', 'xml'])];
  let got: Transfer[] = [];
  for (const [k, form] of wanted.entries()) {
    try {
      got = await gatherForm(order, described, form, context);
      break;
    } catch (error) {
      const other = error instanceof IsomericError && error.code === 'source-unacceptable';
      if (!other || k === wanted.length - 1) throw error;
      context.note(
        `${order.name}: the service does not give ${form.toUpperCase()}; ${wanted[k + 1].toUpperCase()} is asked for.`,
      );
    }
  }
  const chosen = [...chosenOf(order, described)].map(([id, codes]) => {
    const { name, values } = flow.dimensions.find((dimension) => dimension.id === id)!;
    const words = codes.slice(0, 4).map((code) => values?.get(code) ?? code);
    return `${name} is ${words.join(' or ')}${codes.length > 4 ? ` or ${codes.length - 4} others` : ''}`;
  });
  context.note(
    `${order.name}: “${flow.name}”${chosen.length > 0 ? `, where ${chosen.join(', ')}` : ''} (SDMX ${service.version}).`,
  );
  const beside = await keepStructure(order, described, context);
  return gatheredIn(folderOf(order), order, got, context, [beside]);
}

/** The structure stands beside the figures: it says what the codes mean. */
function keepStructure(
  order: Order,
  { service, flow }: Described,
  context: TransferContext,
): Promise<Transfer> {
  const { bytes } = service.answer;
  const json = bytes.find((byte) => byte > 0x20 && byte < 0x80) === 0x7b;
  const file: KeptFile = {
    what: `${order.source}/${flow.id}, structure`,
    datasets: [order.name],
    role: 'structure',
    path: `${folderOf(order)}/structure.${json ? 'json' : 'xml'}`,
    from: context.credentials.shown(service.url),
  };
  return keepBytes(file, sourceFromBytes(bytes).stream(), context);
}

/** Statistics by SDMX REST: of SDMX 3.0 where the service knows it, else of SDMX 2.1. */
export const sdmxProtocol: Protocol = {
  kind: 'sdmx',
  together: (order) => order.name,
  gather: ([order], context) => gather(order, context),
  async estimate([order], context) {
    const described = await describe(order, context);
    const chosen = chosenOf(order, described);
    let rows = 1;
    const open: string[] = [];
    for (const dimension of described.flow.dimensions) {
      const count = chosen.get(dimension.id)?.length ?? dimension.values?.size;
      if (count === undefined) open.push(dimension.id);
      else rows *= count;
    }
    return {
      requests: splitChoices(chosen).length,
      notes: [
        `“${described.flow.name}”: at most ${grouped(rows)} figures a period${open.length > 0 ? `, for each value of ${open.join(', ')}` : ''}; the service does not say how many there are.`,
      ],
    };
  },
};

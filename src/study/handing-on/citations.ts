import type { Provenance } from './provenance.ts';

/** An item of CSL-JSON 1.0.2, as far as data need it. */
export interface CitationItem {
  id: string;
  type: 'dataset';
  title: string;
  author?: { literal: string }[];
  publisher?: string;
  issued?: { 'date-parts': number[][] };
  accessed?: { 'date-parts': number[][] };
  URL?: string;
  license?: string;
  note?: string;
}

/** `Statistics Office of Teskaria (2024): Households by floor and car.` → who, when, what. */
function partsOf(citation: string): { author?: string; year?: number; title: string } {
  const open = citation.indexOf(' (');
  const found = open < 0 ? null : /^ \((\d{4})\)[:.]? (\S.*)$/.exec(citation.slice(open));
  if (found === null) return { title: citation.replace(/\.$/, '') };
  return { author: citation.slice(0, open), year: Number(found[1]), title: found[2].replace(/\.$/, '') };
}

/** A name that cites: letters and digits with dashes between, each once. */
function ids(items: readonly Provenance[]): string[] {
  const taken = new Map<string, number>();
  return items.map(({ sources, datasets }) => {
    const plain = (sources[0] === 'the study folder' ? datasets[0] : sources[0])
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '');
    const base = plain === '' ? 'source' : plain;
    const count = (taken.get(base) ?? 0) + 1;
    taken.set(base, count);
    return count === 1 ? base : `${base}-${count}`;
  });
}

const day = (time: string) => [time.slice(0, 4), time.slice(5, 7), time.slice(8, 10)].map(Number);
const isAddress = (url: string) => /^https?:\/\//i.test(url);

/** The sources of a study as CSL-JSON, which reference managers read. */
export function citationItems(items: readonly Provenance[]): CitationItem[] {
  const names = ids(items);
  return items.map((item, k) => {
    const { citation, datasets, sources, url, received, licence } = item;
    const { author, year, title } = partsOf(citation ?? `${datasets.join(', ')} from ${sources.join(', ')}`);
    return {
      id: names[k],
      type: 'dataset',
      title,
      ...(author === undefined ? {} : { author: [{ literal: author }], publisher: author }),
      ...(year === undefined ? {} : { issued: { 'date-parts': [[year]] } }),
      ...(received === '' ? {} : { accessed: { 'date-parts': [day(received)] } }),
      ...(isAddress(url) ? { URL: url } : {}),
      ...(licence === null ? {} : { license: licence }),
      ...(citation === null ? { note: 'The study gives no citation.' } : {}),
    };
  });
}

/** The same as a list to be read. */
export function citationsText(items: readonly Provenance[]): string {
  return items
    .map(({ citation, datasets, sources, url, received, licence }) =>
      [
        `${citation ?? `${datasets.join(', ')} from ${sources.join(', ')} (the study gives no citation).`}`,
        ...(isAddress(url) ? [`  ${url}`] : []),
        ...(received === '' ? [] : [`  Received ${received.slice(0, 10)}.`]),
        `  Licence: ${licence ?? 'not stated'}.`,
        `  For: ${datasets.join(', ')}.`,
      ].join('\n'),
    )
    .join('\n\n')
    .concat('\n');
}

/** Licences with what they ask, the lines that must be shown, and which layers they bind. */
export function licencesText(items: readonly Provenance[], words: Readonly<Record<string, string>>): string {
  const attributions = [
    ...new Set(
      items.flatMap(({ attribution, asks }) =>
        attribution === null || asks?.length === 0 ? [] : [attribution],
      ),
    ),
  ];
  const lines = ['Attribution', '===========', ''];
  lines.push(...(attributions.length === 0 ? ['Nobody asks to be named.'] : attributions), '');
  const byLicence = new Map<string, Provenance[]>();
  for (const item of items)
    byLicence.set(item.licence ?? '', [...(byLicence.get(item.licence ?? '') ?? []), item]);
  lines.push('Licences', '========', '');
  for (const [licence, own] of byLicence) {
    const datasets = own.flatMap((item) => item.datasets);
    const layers = [...new Set(own.flatMap((item) => item.layers))];
    lines.push(licence === '' ? 'No licence stated' : licence);
    lines.push(`  For: ${datasets.join(', ')}.`);
    if (layers.length > 0) lines.push(`  In these layers: ${layers.join(', ')}.`);
    const asks = own[0].asks;
    if (licence === '') lines.push('  Without a licence nothing may be handed on: ask the provider.');
    else if (asks === null)
      lines.push('  What it asks is not known here: read it, and say it in the study (“obligations”).');
    else if (asks.length === 0) lines.push('  It asks nothing.');
    else for (const ask of asks) lines.push(`  ${words[ask]}`);
    lines.push('');
  }
  const bound = sharedAlike(items);
  if (bound.length > 0) {
    lines.push('Handing on', '==========', '');
    for (const { layers, licence } of bound)
      lines.push(`${layers.join(', ')}: only under ${licence}, or what it allows in its place.`);
    for (const layer of contradictions(items))
      lines.push(
        `${layer.layer}: it rests on data under ${layer.licences.join(' and ')}, and each asks for itself: ask the providers before it is handed on.`,
      );
    lines.push('');
  }
  return `${lines.join('\n').trimEnd()}\n`;
}

/** Layers that must be handed on under the licence of their data. */
function sharedAlike(items: readonly Provenance[]): { layers: string[]; licence: string }[] {
  return items
    .filter(
      ({ asks, layers, licence }) => licence !== null && layers.length > 0 && asks?.includes('share alike'),
    )
    .map(({ layers, licence }) => ({ layers, licence: licence! }));
}

/** Layers on which two licences of that kind lie: one cannot be kept without breaking the other. */
export function contradictions(items: readonly Provenance[]): { layer: string; licences: string[] }[] {
  const byLayer = new Map<string, Set<string>>();
  for (const { layers, licence } of sharedAlike(items))
    for (const layer of layers) byLayer.set(layer, (byLayer.get(layer) ?? new Set()).add(licence));
  return [...byLayer]
    .filter(([, licences]) => licences.size > 1)
    .map(([layer, licences]) => ({ layer, licences: [...licences] }));
}

import { grouped } from '../../core/account.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { countFindings, type Finding, severities } from '../../core/findings.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { xmlText } from '../../core/xml-text.ts';
import type { Receipt } from '../../sources/receipt.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { StudyArea } from '../preparing/area.ts';
import { type DictionaryRow, kindWords } from './dictionary.ts';

export interface ReportParts {
  study: Study;
  area: StudyArea;
  layers: readonly (Layer | Table)[];
  maps: readonly { name: string; title: string; svg: string }[];
  findings: readonly Finding[];
  dictionary: readonly DictionaryRow[];
  ledger: Ledger;
}

const style = `
:root { --ink: #1d2a33; --quiet: #5b6b76; --line: #d9dfe2; --paper: #ffffff; --wash: #f4f6f7; --warn: #8a5a00; --bad: #a3201a; }
* { box-sizing: border-box; }
body { margin: 0; background: var(--wash); color: var(--ink); font: 15px/1.5 'Source Sans 3', 'Source Sans Pro', 'Helvetica Neue', Arial, sans-serif; }
main { max-width: 1180px; margin: 0 auto; padding: 32px 28px 64px; background: var(--paper); min-height: 100vh; }
h1 { font-size: 30px; line-height: 1.2; margin: 0 0 4px; }
h2 { font-size: 20px; margin: 40px 0 10px; padding-top: 14px; border-top: 2px solid var(--ink); }
p.lead { color: var(--quiet); margin: 0 0 20px; }
nav a { margin-right: 18px; color: #1f5f8b; }
.figures { display: flex; flex-wrap: wrap; gap: 12px 36px; margin: 22px 0 6px; }
.figures div b { display: block; color: var(--ink); font-size: 24px; font-weight: 600; }
.figures div { color: var(--quiet); font-size: 14px; }
figure { margin: 12px 0 24px; border: 1px solid var(--line); }
figure svg { display: block; width: 100%; height: auto; }
.scroll { overflow-x: auto; }
table { border-collapse: collapse; width: 100%; font-size: 14px; }
th { text-align: left; font-weight: 600; border-bottom: 1px solid var(--ink); padding: 6px 12px 6px 0; white-space: nowrap; }
td { border-bottom: 1px solid var(--line); padding: 6px 12px 6px 0; vertical-align: top; }
td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; }
code { font: 13px/1.4 ui-monospace, 'DejaVu Sans Mono', monospace; overflow-wrap: anywhere; }
ol.steps { padding-left: 0; list-style: none; margin: 0; }
ol.steps li { padding: 3px 0; }
ol.steps .note { display: block; color: var(--quiet); padding-left: 20px; font-size: 14px; }
h3 { font-size: 15px; margin: 18px 0 2px; }
.error { color: var(--bad); font-weight: 600; }
.warning { color: var(--warn); font-weight: 600; }
.note { color: var(--quiet); }
@media print { body { background: none; } main { padding: 0; max-width: none; } h2 { break-after: avoid; } figure, tr { break-inside: avoid; } }
`;

/** The page that holds a study together: maps, layers, what was done, what was found, sources, dictionary. */
export function reportHtml(parts: ReportParts): string {
  const { study, area, layers, maps, findings, dictionary, ledger } = parts;
  const counts = countFindings(findings);
  const placed = layers.filter(isLayer);
  const features = placed.reduce((sum, layer) => sum + (layer.count ?? 0), 0);
  const tables = layers.length - placed.length;
  const section = (id: string, title: string, body: string) =>
    `<h2 id="${id}">${xmlText(title)}</h2>\n${body}`;
  const figure = (value: string, words: string) => `<div><b>${xmlText(value)}</b>${xmlText(words)}</div>`;
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${xmlText(study.study)}</title><style>${style}</style></head>
<body><main>
<h1>${xmlText(study.study)}</h1>
<p class="lead">${xmlText(area.words.replace(/^Area: /, '').replace(/^./, (c) => c.toUpperCase()))} ${area.notes.map((note) => `${xmlText(note)} `).join('')}All layers in ${xmlText(crsLabel(area.crs))}. ${received(ledger)}</p>
<nav><a href="#maps">Maps</a><a href="#layers">Layers</a><a href="#done">What was done</a><a href="#findings">Findings</a><a href="#sources">Sources</a><a href="#dictionary">Data dictionary</a></nav>
<div class="figures">${figure(grouped(placed.length), 'layers delivered')}${figure(grouped(features), 'features')}${tables === 0 ? '' : figure(grouped(tables), tables === 1 ? 'table delivered' : 'tables delivered')}${figure(grouped(ledger.receipts.size), 'files received')}${figure(grouped(counts.error), counts.error === 1 ? 'error found' : 'errors found')}${figure(grouped(counts.warning), counts.warning === 1 ? 'warning' : 'warnings')}</div>
${section('maps', 'Maps', maps.map((map) => `<figure>${map.svg.replace(/<title>.*?<\/title>/, '')}</figure>`).join('\n') || '<p>No map was asked for.</p>')}
${section('layers', 'Layers', layersTable(layers))}
${section('done', 'What was done', steps(ledger))}
${section('findings', 'Findings', findingsTable(findings))}
${section('sources', 'Sources', sourcesTable(ledger))}
${section('dictionary', 'Data dictionary', dictionaryTable(dictionary))}
</main></body></html>
`;
}

/** The state of the data, which does not depend on the hour of the run. */
function received({ lastReceived }: Ledger): string {
  return lastReceived === null
    ? ''
    : `Data as received up to ${xmlText(lastReceived.slice(0, 16).replace('T', ' '))} UTC.`;
}

function table(head: readonly [string, boolean?][], rows: readonly string[][]): string {
  const heads = head
    .map(([title, number]) => `<th${number ? ' class="number"' : ''}>${xmlText(title)}</th>`)
    .join('');
  const body = rows
    .map(
      (row) =>
        `<tr>${row.map((cell, c) => `<td${head[c][1] ? ' class="number"' : ''}>${cell}</td>`).join('')}</tr>`,
    )
    .join('\n');
  return `<div class="scroll"><table><thead><tr>${heads}</tr></thead><tbody>${body}</tbody></table></div>`;
}

function layersTable(layers: readonly (Layer | Table)[]): string {
  return table(
    [['Layer'], ['Kind'], ['Features', true], ['Fields', true]],
    layers.map((layer) => [
      xmlText(layer.name),
      kindWords(layer),
      grouped(layer.count ?? 0),
      String(layer.schema.length),
    ]),
  );
}

function steps(ledger: Ledger): string {
  const byLayer = new Map<string, typeof ledger.steps>();
  for (const step of ledger.steps) byLayer.set(step.layer, [...(byLayer.get(step.layer) ?? []), step]);
  return [...byLayer]
    .map(
      ([layer, own]) =>
        `<h3>${xmlText(layer)}</h3><ol class="steps">${own.map((step) => `<li>${xmlText(step.sentence)}${step.notes.map((note) => `<span class="note">${xmlText(note)}</span>`).join('')}</li>`).join('')}</ol>`,
    )
    .join('\n');
}

function findingsTable(findings: readonly Finding[]): string {
  if (findings.length === 0) return '<p>Nothing was found.</p>';
  const worst = [...findings].sort((a, b) => severities.indexOf(b.severity) - severities.indexOf(a.severity));
  const shown = worst.slice(0, 400);
  const rows = shown.map((finding) => [
    `<span class="${finding.severity}">${finding.severity}</span>`,
    xmlText(finding.layer ?? ''),
    xmlText(String(finding.feature ?? '')),
    finding.at === undefined
      ? ''
      : `<code>${finding.at.map((v) => Number(v.toPrecision(10))).join(', ')}</code>`,
    `${xmlText(finding.words)}${finding.repair === undefined ? '' : ` <span class="note">Repair: ${xmlText(finding.repair)}.</span>`}`,
    `<code>${xmlText(finding.code)}</code>`,
  ]);
  const more =
    worst.length > shown.length
      ? `<p class="note">${grouped(worst.length - shown.length)} more are in findings.json.</p>`
      : '';
  return table([['How bad'], ['Layer'], ['Feature'], ['Where'], ['What'], ['Code']], rows) + more;
}

/** An address as people read it: without its parameters, which the ledger has in full. */
function plainAddress(url: string): string {
  const plain = url.replace(/\?.*$/, '');
  return plain === url ? plain : `${plain}?…`;
}

/** A row for each thing that was asked for, however many files it came in. */
function sourcesTable(ledger: Ledger): string {
  const groups = new Map<string, Receipt[]>();
  for (const receipt of ledger.received()) {
    const key = receipt.what.replace(/, (schema|structure)$/, '');
    groups.set(key, [...(groups.get(key) ?? []), receipt]);
  }
  const rows = [...groups].map(([what, receipts]) => {
    const data = receipts.find(({ role }) => role === 'data') ?? receipts[0];
    const last =
      receipts
        .map(({ at }) => at)
        .sort()
        .at(-1) ?? '';
    const sum =
      receipts.length === 1
        ? `<code>${xmlText(data.sha256.slice(0, 12))}…</code>`
        : `${grouped(receipts.length)} files`;
    return [
      xmlText(what),
      `${xmlText(data.citation ?? '')}<br><code>${xmlText(plainAddress(data.url))}</code>`,
      xmlText(data.licence ?? 'not stated'),
      xmlText(last.slice(0, 16).replace('T', ' ')),
      grouped(receipts.reduce((total, { bytes }) => total + bytes, 0)),
      sum,
    ];
  });
  const terms = [...ledger.terms.values()].map(
    ({ source, title, agreed, url }) =>
      `<li>${xmlText(source)}: “${xmlText(title ?? url)}”, agreed to on ${xmlText(agreed)}; <code>${xmlText(url)}</code></li>`,
  );
  return (
    table(
      [
        ['Asked for'],
        ['Citation and address'],
        ['Licence'],
        ['Received (UTC)'],
        ['Bytes', true],
        ['SHA-256'],
      ],
      rows,
    ) +
    (terms.length === 0 ? '' : `<h3>Terms of use</h3><ul>${terms.join('')}</ul>`) +
    '<p class="note">Every file with its full address and checksum is in ledger.jsonl.</p>'
  );
}

/** The title, and in small what else the provider says: description, universe, the column's own code. */
function meaning(row: DictionaryRow): string {
  const more = [row.description, row.universe, row.code === '' ? '' : `provider’s code ${row.code}`].filter(
    (part) => part !== '',
  );
  return `${xmlText(row.title)}${more.length === 0 ? '' : ` <span class="note">${xmlText(more.join('; '))}</span>`}`;
}

function dictionaryTable(rows: readonly DictionaryRow[]): string {
  return table(
    [['Layer'], ['Field'], ['Meaning'], ['Type'], ['Unit'], ['Filled', true], ['Blank', true], ['Example']],
    rows.map((row) => [
      xmlText(row.layer),
      `<code>${xmlText(row.field)}</code>`,
      meaning(row),
      row.type,
      xmlText(row.unit),
      grouped(row.filled),
      `${grouped(row.blank)}${row.reasons === '' ? '' : ` <span class="note">${xmlText(row.reasons)}</span>`}`,
      xmlText(row.example.length > 40 ? `${row.example.slice(0, 39)}…` : row.example),
    ]),
  );
}

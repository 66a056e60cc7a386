import { counted, grouped, listed } from '../../core/account.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { countFindings, type Finding } from '../../core/findings.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { StudyArea } from '../preparing/area.ts';
import { datasetsUnder, type Provenance } from './provenance.ts';

/** What the text is written from. */
export interface Methods {
  study: Study;
  area: StudyArea;
  layers: readonly (Layer | Table)[];
  ledger: Ledger;
  findings: readonly Finding[];
  provenance: readonly Provenance[];
  /** Which Isomeric made it: `0.1.0`. */
  version: string;
}

/** Signs that Markdown would take for its own. */
const plain = (text: string) => text.replace(/[\\`*_[\]<>#|]/g, '\\$&').replace(/\s+/g, ' ');

/** How a study was made, as a text for an appendix: written from what each step told of itself (Markdown). */
export function methodsText({ study, area, layers, ledger, findings, provenance, version }: Methods): string {
  const lines: string[] = [`# How “${plain(study.study)}” was made`, ''];
  lines.push(
    `${plain(area.words.replace(/^Area: /, 'The study area: '))} All layers are in ${plain(crsLabel(area.crs))} unless another CRS is named. The work was done with Isomeric ${version.split(' ')[0]}; the file study.yaml says all of it, and repeats it.`,
    '',
    '## Data',
    '',
  );
  for (const { citation, datasets, sources, received, licence } of provenance)
    lines.push(
      `- ${plain(citation ?? `${datasets.join(', ')} from ${sources.join(', ')}`).replace(/\.?$/, '.')} Received ${received.slice(0, 10)}${licence === null ? '' : `, under ${plain(licence)}`}; it gave ${plain(listed(datasets))}.`,
    );
  lines.push('', '## Preparation', '');
  for (const layer of layers) {
    const title = study.titles[layer.name]?.title;
    lines.push(`### ${plain(layer.name)}${title === undefined ? '' : `: ${plain(title)}`}`, '');
    const under = [...datasetsUnder(layer.name, ledger)];
    lines.push(
      `${counted(layer.count ?? 0, isLayer(layer) ? 'feature' : 'row', isLayer(layer) ? 'features' : 'rows')}, made of ${plain(listed(under))}.`,
      '',
    );
    const steps = ledger.steps.filter((step) => step.layer === layer.name && step.verb !== 'Write');
    steps.forEach((step, k) => {
      lines.push(`${k + 1}. ${plain(step.sentence)}${step.notes.map((note) => ` ${plain(note)}`).join('')}`);
    });
    if (steps.length > 0) lines.push('');
  }
  const checks = Object.entries(study.check);
  const counts = countFindings(findings);
  lines.push('## Checks', '');
  for (const [layer, asked] of checks) lines.push(`- ${plain(layer)}: ${plain(asked.join('; '))}.`);
  lines.push(
    '',
    `${counted(counts.error, 'error', 'errors')}, ${counted(counts.warning, 'warning', 'warnings')} and ${counted(counts.note, 'note', 'notes')} were found; all of them are in findings.json.`,
    '',
  );
  const maps = Object.values(study.draw);
  if (maps.length > 0) lines.push('## Maps', '');
  for (const map of maps)
    lines.push(
      `- “${plain(map.title)}” colours ${plain(map.layer)} by ${plain(study.titles[map['colour by']]?.title ?? map['colour by'])} in classes “${plain(map.classes)}”.`,
    );
  const total = layers.reduce((sum, layer) => sum + (layer.count ?? 0), 0);
  lines.push('', `In all ${grouped(total)} features and rows were delivered.`, '');
  return lines.join('\n').replace(/\n{3,}/g, '\n\n');
}

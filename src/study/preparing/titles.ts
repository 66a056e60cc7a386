import type { Finding } from '../../core/findings.ts';
import type { Table } from '../../core/layer/layer.ts';
import { nearestWord } from '../../core/nearest.ts';
import type { Study } from '../file/schema.ts';

/** Titles of a study that no field and no layer bears: most often the name is misspelt, and the map goes without. */
export function unusedTitles(study: Study, prepared: readonly Table[]): Finding[] {
  const fields = new Set(prepared.flatMap((table) => table.schema.map((field) => field.name)));
  const layers = new Set([...Object.keys(study.gather), ...Object.keys(study.prepare)]);
  return Object.keys(study.titles)
    .filter((name) => !fields.has(name) && !layers.has(name))
    .map((name) => {
      const near = nearestWord(name, [...fields, ...layers]);
      const { file, line } = study.written.key(['titles', name]);
      return {
        code: 'title-unused',
        severity: 'warning',
        words: `${file}, line ${line}: nothing that is prepared is called “${name}”, so its title is used nowhere.${near === undefined ? '' : ` Did you mean “${near}”?`}`,
      };
    });
}

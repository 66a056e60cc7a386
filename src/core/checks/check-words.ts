import { IsomericError } from '../errors.ts';
import type { AreaIndex } from '../geometry/overlay/area-index.ts';
import { isLayer, type Layer, type Table } from '../layer/layer.ts';
import { nearestWord } from '../nearest.ts';
import { usualUnsureAbove } from '../table/margins.ts';
import { areaCheck, type Check, conditionCheck, keyCheck, sureCheck, validCheck } from './check.ts';
import { crsCheck } from './crs-check.ts';

/** One check from its words: `valid`, `key: code`, `meets the area`, or a CQL2 condition. */
export function checkFrom(
  words: string,
  table: Table,
  area?: AreaIndex,
  margins: { confidence: number; 'unsure above': number } = {
    confidence: 90,
    'unsure above': usualUnsureAbove,
  },
): Check {
  const asLayer = (): Layer => {
    if (isLayer(table)) return table;
    throw new IsomericError(
      'geometry-missing',
      `${table.name} has no geometry, so “${words}” cannot be checked.`,
      { blame: 'usage' },
    );
  };
  if (words === 'valid') return validCheck(asLayer());
  if (words === 'crs') return crsCheck(asLayer());
  if (words === 'meets the area' && area !== undefined) return areaCheck(asLayer(), area);
  const sure = /^sure:\s*(.+)$/.exec(words);
  if (sure !== null) return sureCheck(table, sure[1].trim(), margins['unsure above'], margins.confidence);
  const key = /^key:\s*(.+)$/.exec(words);
  if (key !== null) return keyCheck(table, key[1].trim());
  try {
    return conditionCheck(table, words);
  } catch (error) {
    const near = nearestWord(words, ['valid', 'crs', 'meets the area']);
    if (!(error instanceof IsomericError) || error.code !== 'field-unknown' || near === undefined)
      throw error;
    throw new IsomericError('check-unknown', `There is no check “${words}”.`, {
      advice: `Did you mean “${near}”?`,
      blame: 'usage',
      wrong: words,
    });
  }
}

import type { Crs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import type { KindName } from '../../core/geometry/geometry-array.ts';

const repair = 'say which CRS it has';

/** That nothing says the CRS: never assumed, always told. */
export function crsMissing(words: string): Finding {
  return { code: 'crs-missing', severity: 'warning', words, repair };
}

/** The CRS that `find` gives; null, and a finding, when what the file says of it cannot be read. */
export function crsOrTold(subject: string, findings: Finding[], find: () => Crs): Crs | null {
  try {
    return find();
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    findings.push({
      code: 'crs-unreadable',
      severity: 'warning',
      words: `${subject}: ${error.sentence}`,
      repair,
    });
    return null;
  }
}

/** That a file is whole and holds no feature: what a service answers where it has none. */
export function layerEmpty(file: string, layer: string): Finding {
  return { code: 'layer-empty', severity: 'note', layer, words: `${file}: it holds no feature.` };
}

/** Tells of kinds that do not go into one layer of most formats; single and multi-part ones of a kind do. */
export function tellMixedKinds(kinds: readonly KindName[], findings: Finding[]): void {
  if (new Set(kinds.map((kind) => kind.replace('Multi', ''))).size < 2) return;
  findings.push({
    code: 'mixed-kinds',
    severity: 'note',
    words: `Geometry kinds are mixed: ${kinds.join(', ')}.`,
  });
}

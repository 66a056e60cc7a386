import { counted } from '../account.ts';
import { areaWords, holdsPlace, placeWords, reachOf } from '../crs/area-of-use.ts';
import { type Crs, crsLabel, degreesFrame } from '../crs/crs.ts';
import { transformer } from '../crs/transformer.ts';
import { IsomericError } from '../errors.ts';
import type { Finding } from '../findings.ts';
import { type Box, emptyBox, growBox } from '../geometry/geometry-array.ts';
import type { Layer } from '../layer/layer.ts';
import { likelyReason, remarkFindings } from '../layer/verbs/reproject-findings.ts';
import type { Check } from './check.ts';

const repair = 'find the CRS that the coordinates have (isomeric locate), and say it';

/**
 * What is odd about the CRS of a layer: what its definition itself contradicts, and whether the coordinates (their box) can
 * be coordinates of it at all. A definition that leads them far from where it is meant for is doubted, never replaced.
 */
export function crsFindings(crs: Crs, box: Readonly<Box>, layer?: string): Finding[] {
  const findings = remarkFindings(crs, layer);
  if (!(box[0] <= box[2] && box[1] <= box[3])) return findings;
  const numbers = box.map((v) => Number(v.toPrecision(8))).join(', ');
  const frame = degreesFrame(crs);
  const middle = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
  const places = Float64Array.of(box[0], box[1], box[2], box[1], box[0], box[3], box[2], box[3], ...middle);
  if (crs.kind === 'geographic') {
    // Beyond ±90 there is no latitude; beyond once around there is no longitude.
    const [most, around] = [90, 361].map((degrees) => (degrees * Math.PI) / 180 / crs.unit + 1e-7);
    if (box[0] >= -around && box[2] <= around && box[1] >= -most && box[3] <= most) return findings;
    findings.push({
      code: 'extent-no-degrees',
      severity: 'error',
      layer,
      words: `The CRS is ${crsLabel(crs)}, in ${crs.unitName}s, but the coordinates reach ${numbers}: ${likelyReason(crs, box[2], Math.abs(box[1]) > Math.abs(box[3]) ? box[1] : box[3])}.`,
      repair,
    });
    return findings;
  }
  let lost: number;
  try {
    lost = transformer(crs, frame).transform(places);
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    return findings;
  }
  const small =
    Math.max(Math.abs(box[0]), Math.abs(box[2])) <= 360 && Math.max(Math.abs(box[1]), Math.abs(box[3])) <= 90;
  const inside = crs.area === undefined || holdsPlace(crs.area, places[8], places[9], reachOf(crs.area));
  if (small) {
    // A plan within metres of a grid's origin is rare; degrees under the name of a grid are common.
    const there = crs.area !== undefined && holdsPlace(crs.area, places[8], places[9]);
    findings.push({
      code: 'extent-looks-like-degrees',
      severity: there ? 'warning' : 'error',
      layer,
      words: `The CRS is ${crsLabel(crs)}, in ${crs.unitName}s, but the coordinates (${numbers}) look like degrees.`,
      repair,
    });
    return findings;
  }
  if (lost === 5)
    findings.push({
      code: 'extent-outside-projection',
      severity: 'error',
      layer,
      words: `The coordinates (${numbers}) lie outside of what ${crsLabel(crs)} can show.`,
      repair,
    });
  else if (!inside && Number.isFinite(places[8]))
    findings.push({
      code: 'extent-outside-area-of-use',
      severity: 'warning',
      layer,
      words: `By its CRS, ${crsLabel(crs)}, the layer lies around ${placeWords(places[8], places[9])}; that CRS is meant for ${areaWords(crs.area!)}.`,
      repair,
    });
  return findings;
}

/** The coordinates of a layer can be coordinates of its CRS, and lie where that is meant for. */
export function crsCheck(layer: Layer): Check {
  const box = emptyBox();
  return {
    words: 'crs',
    see(batch) {
      if (batch.geometry !== null) growBox(box, batch.geometry.box());
    },
    close() {
      const findings = layer.crs === null ? [] : crsFindings(layer.crs, box, layer.name);
      const verdict =
        layer.crs === null
          ? 'has no CRS'
          : `${crsLabel(layer.crs)}, ${findings.length === 0 ? 'and nothing speaks against it' : `and ${counted(findings.length, 'thing speaks', 'things speak')} against it`}`;
      return { findings, sentence: `CRS: ${layer.name}: ${verdict}.` };
    },
  };
}

import { type Box, emptyBox, growBox, isEmptyBox } from '../../core/geometry/geometry-array.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';

/** What a writer must know before its first byte. Found in one reading of the layer. */
export interface WritingSurvey {
  count: number;
  /** Bit k set: geometry kind k occurs. */
  kinds: number;
  box: Box | null;
  z: boolean;
  m: boolean;
  /** Most UTF-8 bytes of a value in each text-like column. */
  widths: number[];
  /** True when all texts are of Latin-1 without its control characters, which windows-1252 holds as well. */
  latin: boolean;
  /** Most digits before and after the point in each number column; 99 after it when an exponent is needed. */
  digits: { whole: number; fraction: number }[];
  /** Features that have parts of points, lines, areas, and how many parts, rings and vertices these have. */
  load: { features: number; parts: number; rings: number; vertices: number }[];
}

/** Reads a table once, to the end. `texts` asks for widths and digits too. */
export async function surveyForWriting(table: Table, texts = false): Promise<WritingSurvey> {
  const box = emptyBox();
  const one = emptyBox();
  const survey: WritingSurvey = {
    count: 0,
    kinds: 0,
    box: null,
    z: false,
    m: false,
    widths: table.schema.map(() => 0),
    latin: table.schema.every((field) => isLatin(encoder.encode(field.name))),
    digits: table.schema.map(() => ({ whole: 1, fraction: 0 })),
    load: [0, 1, 2].map(() => ({ features: 0, parts: 0, rings: 0, vertices: 0 })),
  };
  for await (const batch of table.batches()) {
    survey.count += batch.length;
    const { geometry } = batch;
    if (geometry !== null && isLayer(table)) {
      survey.z ||= geometry.z?.some((value) => !Number.isNaN(value)) ?? false;
      survey.m ||= geometry.m?.some((value) => !Number.isNaN(value)) ?? false;
      for (let i = 0; i < batch.length; i++) {
        survey.kinds |= 1 << geometry.kind[i];
        growBox(box, geometry.boxOf(i, one));
        let classes = 0;
        for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
          const dimension = geometry.kindOfPart(i, p) - 1;
          const load = survey.load[dimension];
          const ring = geometry.ringStart[p];
          const end = geometry.ringStart[p + 1];
          load.parts++;
          load.rings += end - ring;
          load.vertices += geometry.vertexStart[end] - geometry.vertexStart[ring];
          if ((classes & (1 << dimension)) === 0) load.features++;
          classes |= 1 << dimension;
        }
      }
    }
    if (!texts) continue;
    batch.columns.forEach((column, c) => {
      if (column.type === 'integer' || column.type === 'real') {
        const digits = survey.digits[c];
        for (let i = 0; i < batch.length; i++) {
          if (column.isNull(i)) continue;
          const text = String(column.numbers![i]);
          if (/[eIN]/.test(text)) {
            digits.fraction = 99;
            continue;
          }
          const point = text.indexOf('.');
          const whole = point < 0 ? text.length : point;
          if (whole > digits.whole) digits.whole = whole;
          if (point >= 0 && text.length - point - 1 > digits.fraction)
            digits.fraction = text.length - point - 1;
        }
      } else if (column.offsets !== null && column.type !== 'bytes') {
        for (let i = 0; i < batch.length; i++) {
          const width = column.offsets[i + 1] - column.offsets[i];
          if (width > survey.widths[c]) survey.widths[c] = width;
        }
        survey.latin &&= isLatin(column.bytes!);
      } else {
        for (let i = 0; i < batch.length; i++) {
          const text = column.text(i) ?? '';
          const width = utf8Length(text);
          survey.latin &&= isLatin(encoder.encode(text));
          if (width > survey.widths[c]) survey.widths[c] = width;
        }
      }
    });
  }
  survey.box = isEmptyBox(box) ? null : box;
  return survey;
}

const encoder = new TextEncoder();

/** True when UTF-8 bytes hold no character beyond U+00FF and none of U+0080 to U+009F. */
function isLatin(bytes: Uint8Array): boolean {
  for (let k = 0; k < bytes.length; k++) {
    const c = bytes[k];
    if (c > 127 && !(c === 0xc3 || (c === 0xc2 && bytes[k + 1] >= 0xa0) || c < 0xc0)) return false;
  }
  return true;
}

/** Bytes that a text takes in UTF-8. */
export function utf8Length(text: string): number {
  let bytes = text.length;
  for (let k = 0; k < text.length; k++) {
    const c = text.charCodeAt(k);
    if (c > 0x7ff) bytes += c >= 0xd800 && c < 0xe000 ? 1 : 2;
    else if (c > 0x7f) bytes++;
  }
  return bytes;
}

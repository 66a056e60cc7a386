import type { Batch } from '../layer/batch.ts';
import { type Classes, classify, classOf, givenClasses, parseClasses } from './classes.ts';
import { rampColours } from './colours.ts';

/** A field divided into classes with colours, and what fell where. */
export interface Shading {
  classes: Classes;
  colours: string[];
  /** Class of each feature of each batch; −1 for no value. */
  classOf: Int8Array[];
  counts: number[];
  withoutValue: number;
}

/** Divides column `column` of all batches into classes and gives each a colour. */
export function shade(batches: readonly Batch[], column: number, classText: string, ramp: string): Shading {
  const values: number[] = [];
  for (const batch of batches)
    for (let i = 0; i < batch.length; i++) values.push(batch.columns[column].number(i));
  const asked = parseClasses(classText);
  const classes =
    'limits' in asked ? givenClasses(asked.limits) : classify(values, asked.method, asked.count);
  const count = Math.max(0, classes.breaks.length - 1);
  const counts = new Array<number>(count).fill(0);
  let withoutValue = 0;
  const numbers = batches.map((batch) => {
    const own = new Int8Array(batch.length);
    for (let i = 0; i < batch.length; i++) {
      own[i] = classOf(classes, batch.columns[column].number(i));
      if (own[i] < 0) withoutValue++;
      else counts[own[i]]++;
    }
    return own;
  });
  return { classes, colours: rampColours(ramp, count), classOf: numbers, counts, withoutValue };
}

const methodWords: Record<Classes['method'], string> = {
  equal: 'equal intervals',
  quantile: 'quantiles',
  natural: 'natural breaks',
  given: 'limits set by hand',
};

/** `5 classes by natural breaks; number of wards at the right.` */
export function shadingWords(shading: Shading, things: string): string {
  const count = shading.counts.length;
  return `${count} ${count === 1 ? 'class' : 'classes'}, ${methodWords[shading.classes.method]}; number of ${things} at the right.`;
}

/** Does this look like a count that ought to be a rate? Whole numbers, none of them a share, over areas of any size. */
export function looksLikeCount(batches: readonly Batch[], column: number): boolean {
  let whole = 0;
  let all = 0;
  let greatest = 0;
  for (const batch of batches) {
    for (let i = 0; i < batch.length; i++) {
      const value = batch.columns[column].number(i);
      if (Number.isNaN(value)) continue;
      all++;
      if (Number.isInteger(value)) whole++;
      greatest = Math.max(greatest, value);
    }
  }
  return all > 0 && whole === all && greatest > 100;
}

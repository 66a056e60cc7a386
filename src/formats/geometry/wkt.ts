import { IsomericError } from '../../core/errors.ts';
import { type GeometryArray, Kind, partKindOf } from '../../core/geometry/geometry-array.ts';
import type { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { Filled } from '../writing/filled.ts';

const words = [
  '',
  'POINT',
  'LINESTRING',
  'POLYGON',
  'MULTIPOINT',
  'MULTILINESTRING',
  'MULTIPOLYGON',
  'GEOMETRYCOLLECTION',
] as const;

/** Deepest nesting of collections that is read. */
const deepest = 16;

/**
 * Feature i as well-known text (OGC 06-103r4, clause 7, with the ISO words Z, M, ZM); null when it has no geometry.
 *
 * @param filled counts vertices without a height or measure that others of the feature have: they get 0
 */
export function wktText(array: GeometryArray, i: number, filled = new Filled('WKT')): string | null {
  const kind = array.kind[i];
  if (kind === Kind.None) return null;
  const z = array.hasHeights(i);
  const m = array.hasMeasures(i);
  const flag = z || m ? ` ${z ? 'Z' : ''}${m ? 'M' : ''}` : '';
  const position = (v: number) =>
    `${array.xy[2 * v]} ${array.xy[2 * v + 1]}${z ? ` ${filled.height(array.z![v])}` : ''}${m ? ` ${filled.measure(array.m![v])}` : ''}`;
  const path = (r: number) => {
    const positions: string[] = [];
    for (let v = array.vertexStart[r]; v < array.vertexStart[r + 1]; v++) positions.push(position(v));
    return `(${positions.join(', ')})`;
  };
  const part = (p: number, single: number) => {
    const ring = array.ringStart[p];
    if (single !== Kind.Polygon) return path(ring);
    const rings: string[] = [];
    for (let r = ring; r < array.ringStart[p + 1]; r++) rings.push(path(r));
    return `(${rings.join(', ')})`;
  };
  const parts: string[] = [];
  for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++) {
    const single = array.kindOfPart(i, p);
    parts.push(kind === Kind.Collection ? `${words[single]}${flag} ${part(p, single)}` : part(p, single));
  }
  if (parts.length === 0) return `${words[kind]}${flag} EMPTY`;
  return `${words[kind]}${flag} ${kind < Kind.MultiPoint ? parts[0] : `(${parts.join(', ')})`}`;
}

/** True when a text begins as WKT or EWKT does. */
export function looksLikeWkt(text: string): boolean {
  return /^\s*(SRID=\d+;\s*)?(POINT|LINESTRING|POLYGON|MULTI(POINT|LINESTRING|POLYGON)|GEOMETRYCOLLECTION)\s*(Z|M|ZM)?\s*(\(|EMPTY)/i.test(
    text.slice(0, 80),
  );
}

/** The SRID that an EWKT text names before its geometry; null when it names none. */
export function sridOf(text: string): number | null {
  const found = /^\s*SRID=(\d+);/i.exec(text);
  return found === null ? null : Number(found[1]);
}

/** Reads WKT or EWKT as one feature of a builder. What it is of is told in errors. */
export function readWktText(text: string, builder: GeometryMaker, what: string): void {
  new WktReader(text, builder, what).read();
}

class WktReader {
  private at = 0;
  private z = false;
  private m = false;
  private readonly text: string;
  private readonly builder: GeometryMaker;
  private readonly what: string;

  constructor(text: string, builder: GeometryMaker, what: string) {
    this.text = text;
    this.builder = builder;
    this.what = what;
  }

  read(): void {
    const srid = /^\s*SRID=\d+;/i.exec(this.text);
    if (srid !== null) this.at = srid[0].length;
    const kind = this.head();
    this.builder.feature(kind);
    this.body(kind, false, 0);
    this.space();
    if (this.at < this.text.length) this.fail('something follows it');
  }

  private fail(words: string): never {
    throw new IsomericError(
      'wkt-damaged',
      `The geometry text of ${this.what} is damaged: ${words} at character ${this.at + 1}.`,
      { place: { column: this.at + 1 }, advice: 'Set it right, or leave the row out.' },
    );
  }

  private space(): void {
    while (this.at < this.text.length && this.text.charCodeAt(this.at) <= 32) this.at++;
  }

  private word(): string {
    this.space();
    const from = this.at;
    while (this.at < this.text.length && /[A-Za-z]/.test(this.text[this.at])) this.at++;
    return this.text.slice(from, this.at).toUpperCase();
  }

  /** The kind, and whether heights and measures follow: `POINT Z`, `POINTZ`, `POINT ZM`. */
  private head(): number {
    let word = this.word();
    let flag = '';
    const close = /^(.*?)(ZM|Z|M)$/.exec(word);
    if (close !== null && (words as readonly string[]).includes(close[1])) {
      word = close[1];
      flag = close[2];
    }
    const kind = (words as readonly string[]).indexOf(word);
    if (kind < 1)
      this.fail(word === '' ? 'no kind of geometry is named' : `the kind ${word.slice(0, 30)} is not read`);
    if (flag === '') {
      const before = this.at;
      flag = this.word();
      if (!['Z', 'M', 'ZM'].includes(flag)) {
        this.at = before;
        flag = '';
      }
    }
    this.z = flag.includes('Z');
    this.m = flag.includes('M');
    return kind;
  }

  private peek(): string {
    this.space();
    return this.text[this.at] ?? '';
  }

  private empty(): boolean {
    const before = this.at;
    if (this.word() === 'EMPTY') return true;
    this.at = before;
    return false;
  }

  private open(): void {
    if (this.peek() !== '(') this.fail(`“(” is expected, not “${this.peek() || 'the end'}”`);
    this.at++;
  }

  /** After a member: true when another one follows. */
  private more(): boolean {
    const c = this.peek();
    if (c !== ',' && c !== ')') this.fail(`“,” or “)” is expected, not “${c || 'the end'}”`);
    this.at++;
    return c === ',';
  }

  private number(): number {
    this.space();
    const found = /[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?|[-+]?(NaN|Inf(inity)?)/iy;
    found.lastIndex = this.at;
    const match = found.exec(this.text);
    if (match === null) return this.fail('a number is expected');
    this.at = found.lastIndex;
    const value = Number(match[0]);
    return /[a-df-z]/i.test(match[0]) ? NaN : value;
  }

  private position(): void {
    const x = this.number();
    const y = this.number();
    this.builder.vertex(x, y);
    const rest: number[] = [];
    while (rest.length < 2 && /[-+.\dNn]/.test(this.peek())) rest.push(this.number());
    if (rest.length === 0) return;
    // Without a flag a third number is a height (old practice), a fourth a measure.
    if (this.m && !this.z) this.builder.measure(rest[0]);
    else {
      this.builder.height(rest[0]);
      if (rest.length > 1) this.builder.measure(rest[1]);
    }
  }

  private path(): void {
    this.builder.ring();
    if (this.empty()) return;
    this.open();
    do this.position();
    while (this.more());
  }

  private polygon(): void {
    this.open();
    do this.path();
    while (this.more());
  }

  private body(kind: number, member: boolean, depth: number): void {
    if (depth > deepest) this.fail('collections are nested too deeply');
    if (this.empty()) return;
    const { builder } = this;
    const part = (single: number) => builder.part(member ? single : undefined);
    switch (kind) {
      case Kind.Point:
        part(Kind.Point);
        this.path();
        return;
      case Kind.LineString:
        part(Kind.LineString);
        this.path();
        return;
      case Kind.Polygon:
        part(Kind.Polygon);
        this.polygon();
        return;
    }
    this.open();
    do {
      if (kind === Kind.Collection) {
        const { z, m } = this;
        const inner = this.head();
        this.body(inner, true, depth + 1);
        this.z = z;
        this.m = m;
        continue;
      }
      const single = partKindOf(kind);
      if (this.empty()) continue;
      part(single);
      if (single === Kind.Polygon) this.polygon();
      else if (single === Kind.Point && this.peek() !== '(') {
        builder.ring();
        this.position();
      } else this.path();
    } while (this.more());
  }
}

import {
  type ColumnKind,
  fieldTypeOf,
  type SchemeColumn,
  tagValue,
  unitOf,
} from '../../../core/class-scheme/scheme.ts';
import { Kind } from '../../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../../core/geometry/geometry-maker.ts';
import { innerPoint } from '../../../core/geometry/inner-point.ts';
import type { ColumnBuilder } from '../../../core/table/column-builder.ts';
import type { Field, Schema } from '../../../core/table/schema.ts';
import { BatchMaker } from '../../making/batch-maker.ts';
import type { Texts } from '../reading/primitives.ts';
import { objectFields, putObject, putVersion, tagsField, versionFields } from '../tags/object-fields.ts';
import type { Feature } from './feature-router.ts';

/** What a rule says of a feature besides its tags. */
export interface Sorting {
  /** In UTF-8. */
  subclass: Uint8Array;
  importance: number;
}

export interface TargetOptions {
  columns: readonly SchemeColumn[];
  /** With sub-class and importance columns. */
  sorted: boolean;
  editors: boolean;
  areasAsPoints: boolean;
}

/** Where features of one layer are written: tags become columns, the others stay one JSON column. */
export class FeatureTarget {
  readonly schema: Schema;
  readonly maker: BatchMaker;
  /** Values of tags that were no number where a number was asked for; they stay among the other tags. */
  unread = 0;
  kinds = 0;
  private readonly options: TargetOptions;
  private readonly columnOf: Map<string, number[]>;
  private without = new Uint8Array(64);

  constructor(options: TargetOptions) {
    this.options = options;
    const columns = options.columns.map(
      ({ name, kind, title, tag }): Field => ({
        name,
        type: fieldTypeOf[kind],
        title:
          title ??
          (name === tag ? undefined : name.replace(/_/g, ' ').replace(/^\p{Ll}/u, (c) => c.toUpperCase())),
        unit: unitOf[kind],
        code: tag === name ? undefined : tag,
      }),
    );
    this.schema = [
      ...objectFields,
      ...(options.sorted
        ? ([
            { name: 'subclass', type: 'text', title: 'Sub-class' },
            { name: 'importance', type: 'integer', title: 'Importance, 0 to 100' },
          ] satisfies Field[])
        : []),
      ...columns,
      ...versionFields(options.editors),
      tagsField,
    ];
    this.maker = new BatchMaker(this.schema, { ids: 'text' });
    this.columnOf = new Map();
    options.columns.forEach(({ tag }, k) => {
      this.columnOf.set(tag, [...(this.columnOf.get(tag) ?? []), k]);
    });
  }

  put(feature: Feature, sorting: Sorting | null): boolean {
    const { maker, options } = this;
    const { geometry, tags } = feature;
    if (feature.shape === 2 && options.areasAsPoints) {
      if (!putInnerPoint(geometry, maker.geometry)) return false;
      this.kinds |= 1 << Kind.Point;
    } else {
      maker.geometry.addAll(geometry);
      this.kinds |= 1 << geometry.kindOf(0);
    }
    const { columns } = maker;
    putObject(columns, maker.ids!, feature);
    let at = 2;
    if (options.sorted) {
      columns[at].raw(sorting!.subclass, 0, sorting!.subclass.length);
      columns[at + 1].number(sorting!.importance);
      at += 2;
    }
    const first = at;
    const count = (tags.to - tags.from) >> 1;
    if (count > this.without.length) this.without = new Uint8Array(2 * count);
    const { without } = this;
    for (let k = 0; k < count; k++) without[k] = 0;
    let left = count;
    for (let k = 0; k < count; k++) {
      const key = tags.tags[tags.from + 2 * k];
      const own = this.columnOf.get(tags.texts.text(key));
      if (own === undefined) continue;
      const value = tags.tags[tags.from + 2 * k + 1];
      let told = true;
      for (const c of own)
        told = this.putTag(columns[first + c], options.columns[c].kind, tags.texts, value) && told;
      if (told) {
        without[k] = 1;
        left--;
      } else this.unread++;
    }
    at = putVersion(columns, first + options.columns.length, feature, options.editors);
    if (left > 0) tags.putJson(columns[at], without);
    maker.end();
    return true;
  }

  /** False when the text is no value of that kind, or the tag stands twice on the object. */
  private putTag(column: ColumnBuilder, kind: ColumnKind, texts: Texts, value: number): boolean {
    if (column.length > this.maker.length) return false;
    if (kind === 'text') {
      texts.put(value, column);
      return true;
    }
    const number = tagValue(texts.text(value), kind);
    if (number === undefined) return false;
    column.number(Number(number));
    return true;
  }
}

function putInnerPoint(from: GeometryMaker, into: GeometryMaker): boolean {
  const point: [number, number] = [0, 0];
  const own = new GeometryMaker(from.vertices);
  own.addAll(from);
  if (!innerPoint(own.finish(), 0, point)) return false;
  into.feature(Kind.Point);
  into.part();
  into.ring();
  into.vertex(point[0], point[1]);
  return true;
}

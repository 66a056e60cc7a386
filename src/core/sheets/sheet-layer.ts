import type { GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import { Batch, batchLimit } from '../layer/batch.ts';
import type { Layer } from '../layer/layer.ts';
import { ColumnBuilder } from '../table/column-builder.ts';
import type { Field } from '../table/schema.ts';
import { codeOf } from './codes.ts';
import type { MapSheet } from './scheme.ts';
import type { SheetScheme } from './sheet-scheme.ts';

const schema: readonly Field[] = [
  { name: 'code', type: 'text', title: 'Code of the sheet' },
  { name: 'level', type: 'text', title: 'Level of the series' },
  { name: 'scale', type: 'integer', title: 'Number that the scale is one over' },
  { name: 'above', type: 'text', title: 'Code of the sheet that it is a part of' },
];

/** The footprints of sheets as a layer, read as often as asked: the index map of a series. */
export function sheetLayer(scheme: SheetScheme, name: string, sheets: () => Iterable<MapSheet>): Layer {
  return {
    name,
    title: scheme.rules.title,
    schema,
    crs: scheme.rules.crs,
    findings: [],
    accounts: [],
    async *batches() {
      yield* batchesOf(scheme, sheets());
    },
  };
}

function* batchesOf(scheme: SheetScheme, sheets: Iterable<MapSheet>): Generator<Batch> {
  let first = 0;
  let made = new Making();
  for (const sheet of sheets) {
    made.add(scheme, sheet);
    if (made.length < batchLimit) continue;
    yield made.batch(first);
    first += made.length;
    made = new Making();
  }
  if (made.length > 0) yield made.batch(first);
}

class Making {
  length = 0;
  private readonly maker = new GeometryMaker();
  private readonly columns = schema.map(({ type }) => new ColumnBuilder(type));

  add(scheme: SheetScheme, sheet: MapSheet): void {
    const footprint: GeometryArray = scheme.footprint(sheet);
    this.maker.copy(footprint, 0);
    const [code, level, scale, above] = this.columns;
    const own = scheme.levels[sheet.level];
    code.text(codeOf(scheme, sheet));
    level.text(own.name);
    if (own.scale === undefined) scale.null();
    else scale.number(own.scale);
    const parent = scheme.parent(sheet);
    if (parent === null) above.null();
    else above.text(codeOf(scheme, parent));
    this.length++;
  }

  batch(first: number): Batch {
    return new Batch({
      length: this.length,
      first,
      geometry: this.maker.finish(),
      columns: this.columns.map((column) => column.finish()),
    });
  }
}

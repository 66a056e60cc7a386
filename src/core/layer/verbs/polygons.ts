import { closeAccount, counted } from '../../account.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { polygonsFromLines } from '../../geometry/overlay/polygons-from-lines.ts';
import { uniteAreas } from '../../geometry/overlay/unite.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import type { Field } from '../../table/schema.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { reshapeLayer } from './reshape.ts';
import { applyVerb } from './verb.ts';

const schema: Field[] = [{ name: 'number', type: 'integer', title: 'Number of the area' }];

/**
 * Areas from lines: all that the lines of a layer enclose together, wherever they meet or cross, one feature each and without
 * overlaps; or, with `each`, of every line that is closed, by itself, with its fields.
 */
export function polygonsOfLayer(layer: Layer, each = false): Layer {
  if (each) return closedLines(layer);
  return applyVerb('Polygons', layer, {
    schema,
    kinds: ['Polygon'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const made = polygonsFromLines(held.geometry);
      const numbers = new ColumnBuilder('integer');
      for (let k = 0; k < made.length; k++) numbers.number(k + 1);
      account.counts = { in: held.all, made: made.length };
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [made.length, `${made.length === 1 ? 'area' : 'areas'} enclosed`],
        ...held.leftOut(),
      );
      if (made.length > 0) yield* held.rows(schema, new Int32Array(made.length), made, [numbers.finish()]);
    },
  });
}

function closedLines(layer: Layer): Layer {
  let open = 0;
  return reshapeLayer(layer, {
    verb: 'Polygons',
    kinds: ['Polygon', 'MultiPolygon'],
    single: true,
    begin() {
      open = 0;
      return ({ geometry }, i, builder) => {
        const array = geometry!;
        const rings = new GeometryMaker();
        rings.feature(Kind.MultiPolygon);
        let parts = 0;
        for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
          for (let r = array.ringStart[p]; r < array.ringStart[p + 1]; r++) {
            const [first, end] = [array.vertexStart[r], array.vertexStart[r + 1]];
            const closed =
              array.kindOfPart(i, p) === Kind.LineString &&
              end - first > 3 &&
              array.xy[2 * first] === array.xy[2 * end - 2] &&
              array.xy[2 * first + 1] === array.xy[2 * end - 1];
            if (!closed) {
              open++;
              continue;
            }
            rings.part();
            rings.ring();
            rings.run(array.xy, first, end - first);
            parts++;
          }
        // A ring within another is a hole of it.
        if (parts > 0) uniteAreas(rings.finish(), [0], builder, 'even-odd');
      };
    },
    words: ({ made, nothing }) => [
      [made, made === 1 ? 'area' : 'areas'],
      ...(nothing > 0 ? [[nothing, 'without a closed line dropped'] as const] : []),
    ],
    notes: () => (open > 0 ? [`${counted(open, 'path is', 'paths are')} not closed.`] : []),
  });
}

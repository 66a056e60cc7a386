import { emptyBox, Kind } from '../../geometry/geometry-array.ts';
import { BoxTree } from '../../geometry/noding/box-tree.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import { splitArea } from '../../geometry/overlay/polygons-from-lines.ts';
import { splitLine } from '../../geometry/overlay/split-lines.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { reshapeLayer } from './reshape.ts';
import { inCrsOf } from './snap.ts';

/**
 * Cuts areas and lines of a layer along another: areas along its lines and borders, lines wherever it crosses or touches them
 * (points of it included). One feature for each piece, with its number; points stay. The other layer is held in memory.
 */
export function splitLayer(layer: Layer, by: Layer, rule?: FillRule): Layer {
  const own = inCrsOf(layer, by);
  let cut = 0;
  return reshapeLayer(layer, {
    verb: 'Split',
    kinds: undefined,
    single: false,
    added: [{ type: 'integer', title: 'Number of the piece' }],
    names: ['piece'],
    async begin() {
      cut = 0;
      const held = await HeldLayer.of(by.name, own.batches(), []);
      const tree = treeOf(held);
      const box = emptyBox();
      return ({ geometry }, i, builder, [column]) => {
        const array = geometry!;
        array.boxOf(i, box);
        const near: number[] = [];
        tree.search(box[0], box[1], box[2], box[3], (k) => {
          near.push(k);
        });
        near.sort((a, b) => a - b);
        const kind = array.kind[i];
        let made = 0;
        const mark = builder.mark();
        if (kind === Kind.Polygon || kind === Kind.MultiPolygon) {
          const lines = near.filter((k) => held.geometry.kind[k] !== Kind.Point);
          if (lines.length > 0) made = splitArea(array, i, held.geometry, lines, builder, rule);
        } else if ((kind === Kind.LineString || kind === Kind.MultiLineString) && near.length > 0)
          made = splitLine(array, i, held.geometry, near, builder);
        if (made < 2) {
          // Nothing was cut: it stays as it is, vertex for vertex.
          builder.back(mark);
          builder.copy(array, i);
          made = 1;
        } else cut++;
        for (let k = 1; k <= made; k++) column.number(k);
      };
    },
    words: ({ made, features }) => [
      [cut, `split by ${by.name}`],
      [features - cut, 'whole'],
      [made, made === 1 ? 'piece' : 'pieces'],
    ],
  });
}

/** The boxes of all features held. */
export function treeOf({ geometry }: Pick<HeldLayer, 'geometry'>): BoxTree {
  const boxes = new Float64Array(4 * geometry.length);
  const box = emptyBox();
  for (let k = 0; k < geometry.length; k++) boxes.set(geometry.boxOf(k, box), 4 * k);
  return new BoxTree(boxes);
}

import { closeAccount, counted } from '../../account.ts';
import { crsLabel } from '../../crs/crs.ts';
import { IsomericError } from '../../errors.ts';
import { type Box, emptyBox, type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { geometriesFrom } from '../../geometry/object-view.ts';
import { AreaIndex } from '../../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../../geometry/overlay/clipping.ts';
import { delaunay } from '../../geometry/shape/delaunay.ts';
import { voronoiCells } from '../../geometry/shape/voronoi.ts';
import { ColumnBuilder } from '../../table/column-builder.ts';
import type { Field } from '../../table/schema.ts';
import type { Area } from '../area.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/** Cells need distances, and degrees are none. */
function checkProjected({ name, crs }: Layer, what: string): void {
  if (crs?.kind !== 'geographic') return;
  throw new IsomericError(
    'cells-degrees',
    `${name} is in ${crsLabel(crs)}, whose coordinates are degrees: ${what} in it would be none on the ground.`,
    { blame: 'usage', advice: 'Reproject the layer first, for example to the best CRS for distances.' },
  );
}

/** The first points of features, in turn x, y, and the number of the feature of each. */
function pointsOf({ geometry }: HeldLayer): { xy: Float64Array; of: number[] } {
  const of: number[] = [];
  const xy: number[] = [];
  for (let k = 0; k < geometry.length; k++)
    for (let p = geometry.partStart[k]; p < geometry.partStart[k + 1]; p++) {
      if (geometry.kindOfPart(k, p) !== Kind.Point) continue;
      const v = geometry.vertexStart[geometry.ringStart[p]];
      xy.push(geometry.xy[2 * v], geometry.xy[2 * v + 1]);
      of.push(k);
    }
  return { xy: Float64Array.from(xy), of };
}

/**
 * Voronoi cells: of each point, all that lies nearer to it than to any other one, cut to an area (to the box of the points, a tenth
 * larger, without one). Fields go with the points. Of points at one place, the first has the cell. All points are held in memory.
 */
export function cellsOfLayer(layer: Layer, area?: Area): Layer {
  checkProjected(layer, 'what is nearest');
  return applyVerb('Cells', layer, {
    kinds: ['Polygon', 'MultiPolygon'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const { xy, of } = pointsOf(held);
      const made = area === undefined ? null : await area.in(layer);
      const reach = made === null ? around(held.geometry) : made.index.geometry.box();
      const cells = voronoiCells(xy, reach);
      const index = made?.index ?? rectangle(reach);
      const builder = new GeometryMaker(cells.vertexCount);
      const from: number[] = [];
      let twice = 0;
      let outside = 0;
      const box = emptyBox();
      for (let k = 0; k < cells.length; k++) {
        if (cells.kind[k] === Kind.None) {
          twice++;
          continue;
        }
        cells.boxOf(k, box);
        let fate = settleByBox(index, box);
        if (fate === Clipped.Whole) builder.copy(cells, k);
        else if (fate === Clipped.Undecided) fate = clipFeature(cells, k, box, index, builder);
        if (fate === Clipped.Outside) outside++;
        else from.push(of[k]);
      }
      account.counts = { in: held.all, points: of.length, cells: from.length, twice, outside };
      if (made?.note !== undefined) account.notes.push(made.note);
      const others = held.length - new Set(of).size;
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [from.length, from.length === 1 ? 'cell' : 'cells'],
        ...(twice > 0 ? ([[twice, 'at the place of another point']] as const) : []),
        ...(outside > 0 ? ([[outside, 'with nothing of the area']] as const) : []),
        ...(others > 0 ? ([[others, 'without points left out']] as const) : []),
        ...held.leftOut(),
      );
      if (from.length > 0)
        yield* held.rows(layer.schema, from, builder.finish(), [], of.length === held.length);
    },
  });
}

function around(geometry: GeometryArray): Box {
  const [x0, y0, x1, y1] = geometry.box();
  const margin = 0.1 * Math.max(x1 - x0, y1 - y0, Number.MIN_VALUE) || 1;
  return [x0 - margin, y0 - margin, x1 + margin, y1 + margin];
}

function rectangle([x0, y0, x1, y1]: Box): AreaIndex {
  const ring = [
    [x0, y0],
    [x1, y0],
    [x1, y1],
    [x0, y1],
    [x0, y0],
  ];
  return new AreaIndex(geometriesFrom([{ type: 'Polygon', coordinates: [ring] }]));
}

const corners: Field[] = [
  { name: 'first', type: 'text', title: 'First corner' },
  { name: 'second', type: 'text', title: 'Second corner' },
  { name: 'third', type: 'text', title: 'Third corner' },
];

/** The Delaunay triangles of the points of a layer, with the ids of their corners. All points are held in memory. */
export function trianglesOfLayer(layer: Layer): Layer {
  checkProjected(layer, 'circles');
  return applyVerb('Triangles', layer, {
    schema: corners,
    kinds: ['Polygon'],
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const { xy, of } = pointsOf(held);
      const { corners: points } = delaunay(xy);
      const builder = new GeometryMaker((4 * points.length) / 3);
      const columns = corners.map(() => new ColumnBuilder('text'));
      for (let t = 0; t < points.length; t += 3) {
        builder.feature(Kind.Polygon);
        builder.part();
        builder.ring();
        for (let k = 0; k < 4; k++) builder.run(xy, points[t + (k % 3)], 1);
        columns.forEach((column, k) => {
          column.text(String(held.id(of[points[t + k]])));
        });
      }
      const made = points.length / 3;
      account.counts = { in: held.all, points: of.length, triangles: made };
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [made, made === 1 ? 'triangle' : 'triangles'],
        ...held.leftOut(),
      );
      if (made === 0 && of.length > 0)
        account.notes.push(
          `${counted(of.length, 'point has', 'points have')} no triangle: all lie on one line.`,
        );
      if (made > 0)
        yield* held.rows(
          corners,
          new Int32Array(made),
          builder.finish(),
          columns.map((column) => column.finish()),
        );
    },
  });
}

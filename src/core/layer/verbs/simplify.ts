import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { type GeometryArray, Kind } from '../../geometry/geometry-array.ts';
import { GeometryMaker } from '../../geometry/geometry-maker.ts';
import { ringDoubleArea } from '../../geometry/measures.ts';
import { type Ruler, rulerFor } from '../../geometry/ruler.ts';
import { simplify } from '../../geometry/shape/simplify.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/** What `simplifyLayer` leaves out, and until when: one of `within`, `effectiveArea`, `vertices`, `scale`. */
export interface SimplifyOptions {
  /** Metres that a line may lie off what was there. */
  within?: number;
  /** Square metres of the triangle that a vertex forms with its neighbours (effective area). */
  effectiveArea?: number;
  /** Different vertices that are left, at most; the least effective areas go first. */
  vertices?: number;
  /** Denominator of the scale of a map: what is finer than a quarter of a millimetre on it may go. */
  scale?: number;
  /** Islands and holes of less than so many square metres are dropped first; the largest part of a feature stays. */
  islands?: number;
}

/** Metres on paper that a line of a map may lie off. */
const onPaper = 0.00025;

/**
 * Simplifies all lines and areas of a layer together: borders that features share stay the same on both sides, nothing
 * crosses that did not before, and no feature vanishes. The layer is held in memory.
 */
export function simplifyLayer(layer: Layer, options: SimplifyOptions): Layer {
  const ways = (['within', 'effectiveArea', 'vertices', 'scale'] as const).filter(
    (way) => options[way] !== undefined,
  );
  if (ways.length !== 1)
    throw new IsomericError(
      'simplify-until',
      'Say how far to simplify: metres (within), square metres (effective area), vertices that are left, or the scale of a map; one of the four.',
      { blame: 'usage' },
    );
  return applyVerb('Simplify', layer, {
    async *run(account, source) {
      const ruler = await rulerFor(layer);
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const work = new Simplifying(held, options, ruler, account);
      const geometry = work.run();
      yield* held.rows(
        layer.schema,
        Uint32Array.from({ length: held.length }, (_, k) => k),
        geometry,
        [],
        true,
      );
    },
  });
}

class Simplifying {
  private droppedIslands = 0;

  constructor(
    private readonly held: HeldLayer,
    private readonly options: SimplifyOptions,
    private readonly ruler: Ruler,
    private readonly account: Account,
  ) {}

  run(): GeometryArray {
    const { held, options, ruler, account } = this;
    const given =
      options.islands === undefined ? held.geometry : this.withoutIslands(held.geometry, options.islands);
    const within = options.scale === undefined ? options.within : options.scale * onPaper;
    const {
      geometry,
      before,
      after,
      held: stayed,
    } = simplify(given, {
      by: within === undefined ? 'area' : 'distance',
      upTo: within ?? options.effectiveArea ?? Number.POSITIVE_INFINITY,
      vertices: options.vertices,
      ruler,
    });
    account.counts = {
      in: held.all,
      simplified: held.length,
      verticesBefore: before,
      verticesAfter: after,
      held: stayed,
      islands: this.droppedIslands,
      without: held.without,
      unusable: held.unusable,
    };
    const counts: Count[] = [
      [before, before === 1 ? 'different vertex' : 'different vertices'],
      [after, `left (${before === 0 ? 0 : Math.round((1000 * after) / before) / 10} %)`],
      ...held.leftOut(),
    ];
    if (this.droppedIslands > 0)
      account.notes.push(
        `${counted(this.droppedIslands, 'island or hole', 'islands and holes')} of less than ${grouped(options.islands!)} m² went.`,
      );
    if (within !== undefined)
      account.notes.push(
        `No vertex lay further than ${grouped(Math.round(within * 1000) / 1000)} m from the line that took its place.`,
      );
    if (stayed > 0)
      account.notes.push(
        `${counted(stayed, 'vertex', 'vertices')} that might have gone stayed, since lines would have crossed or rings vanished.`,
      );
    if (options.vertices !== undefined && after > options.vertices)
      account.findings.push({
        code: 'simplify-target',
        severity: 'warning',
        layer: held.name,
        words: `${grouped(after)} vertices are left, more than the ${grouped(options.vertices)} asked for: no more can go without crossings or features that vanish.`,
      });
    closeAccount(account, [held.all, `${held.name} in`], ...counts);
    return geometry;
  }

  /** The same without small islands and holes; each feature keeps its largest part. */
  private withoutIslands(array: GeometryArray, least: number): GeometryArray {
    const builder = new GeometryMaker(array.vertexCount);
    const scale = new Float64Array(2);
    for (let i = 0; i < array.length; i++) {
      if (array.kind[i] !== Kind.Polygon && array.kind[i] !== Kind.MultiPolygon) {
        builder.copy(array, i);
        continue;
      }
      const { xy, vertexStart, ringStart } = array;
      const size = (r: number) => {
        const v = vertexStart[r];
        this.ruler.metresPerUnit(xy[2 * v], xy[2 * v + 1], scale);
        return (Math.abs(ringDoubleArea(xy, v, vertexStart[r + 1])) / 2) * scale[0] * scale[1];
      };
      let largest = array.partStart[i];
      for (let p = largest + 1; p < array.partStart[i + 1]; p++)
        if (size(ringStart[p]) > size(ringStart[largest])) largest = p;
      const kept: number[] = [];
      for (let p = array.partStart[i]; p < array.partStart[i + 1]; p++)
        if (p === largest || size(ringStart[p]) >= least) kept.push(p);
        else this.droppedIslands++;
      builder.feature(kept.length === 1 ? Kind.Polygon : Kind.MultiPolygon);
      for (const p of kept) {
        builder.part();
        for (let r = ringStart[p]; r < ringStart[p + 1]; r++) {
          if (r > ringStart[p] && size(r) < least) {
            this.droppedIslands++;
            continue;
          }
          builder.ring();
          for (let v = vertexStart[r]; v < vertexStart[r + 1]; v++) {
            builder.vertex(xy[2 * v], xy[2 * v + 1]);
            if (array.z !== null) builder.height(array.z[v]);
            if (array.m !== null) builder.measure(array.m[v]);
          }
        }
      }
    }
    return builder.finish();
  }
}

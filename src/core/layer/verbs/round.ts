import { closeAccount, counted } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { Kind } from '../../geometry/geometry-array.ts';
import { takeGeometries } from '../../geometry/geometry-maker.ts';
import type { FillRule } from '../../geometry/overlay/fill-rule.ts';
import { snapRound } from '../../geometry/overlay/snap-rounding.ts';
import type { Layer } from '../layer.ts';
import { HeldLayer } from './held.ts';
import { applyVerb } from './verb.ts';

/** Coordinates of so many cells and more cannot be counted one by one. */
const mostCells = 2 ** 50;

/**
 * Puts the coordinates of a layer on a grid, all features together: nothing crosses afterwards that did not before, shared borders
 * stay the same, areas come out valid. What is smaller than a cell vanishes, and is dropped and counted. The layer is held in memory.
 *
 * @param cell width of the grid in units of the coordinates: 0.01 for centimetres, 0.000001 for millionths of a degree
 */
export function roundLayer(layer: Layer, cell: number, rule?: FillRule): Layer {
  if (!(cell > 0) || !Number.isFinite(cell))
    throw new IsomericError('round-cell', `A grid has cells of more than 0, not of ${cell}.`, {
      blame: 'usage',
    });
  return applyVerb('Round', layer, {
    kinds: undefined,
    async *run(account, source) {
      const held = await HeldLayer.of(layer.name, source, account.findings);
      const [x0, y0, x1, y1] = held.geometry.box();
      if (held.length > 0 && Math.max(-x0, -y0, x1, y1) / cell > mostCells)
        throw new IsomericError(
          'round-cell',
          `A grid of ${cell} is finer than the coordinates of ${layer.name} are.`,
          {
            place: { layer: layer.name },
            blame: 'usage',
            advice: 'Choose a coarser one.',
          },
        );
      const { geometry, moved, added, vanished } = snapRound(held.geometry, cell, rule);
      const kept: number[] = [];
      for (let k = 0; k < geometry.length; k++) if (geometry.kind[k] !== Kind.None) kept.push(k);
      account.counts = { in: held.all, out: kept.length, moved, added, vanished };
      if (added > 0)
        account.notes.push(
          `${counted(added, 'vertex', 'vertices')} came where edges pass the cells of others.`,
        );
      closeAccount(
        account,
        [held.all, `${layer.name} in`],
        [kept.length, `on a grid of ${cell}`],
        ...(vanished > 0 ? ([[vanished, 'smaller than a cell dropped']] as const) : []),
        ...held.leftOut(),
      );
      yield* held.rows(
        layer.schema,
        kept,
        vanished === 0 ? geometry : takeGeometries(geometry, kept),
        [],
        true,
      );
    },
  });
}

import { openAccount } from '../core/account.ts';
import type { Crs } from '../core/crs/crs.ts';
import type { GridShift } from '../core/crs/ntv2.ts';
import { IsomericError } from '../core/errors.ts';
import type { Layer } from '../core/layer/layer.ts';
import type { Densify } from '../core/layer/verbs/densify.ts';
import { type EdgePath, edgePaths } from '../core/layer/verbs/edge-paths.ts';
import { type BestFor, describeVerb } from './description.ts';
import { type LayerStep, stepOf } from './step.ts';

export const reprojectVerb = describeVerb({
  name: 'reproject',
  words: 'bring a layer into another CRS',
  takes: 'layer',
  done: 'brought into a CRS',
  own: 'crs',
  // A study says its CRS once, for all layers.
  inStudy: false,
  options: {
    crs: {
      kind: 'crs',
      words:
        'the CRS wanted: EPSG:32626, a name, WKT, a .prj file; or best, best for densities, best for distances',
      sign: 'crs',
      required: true,
    },
    grid: {
      kind: 'grids',
      words: 'a grid of datum shifts (NTv2, .gsb); used where it leads between the two datums',
      sign: 'file...',
    },
    steps: { kind: 'flag', words: 'tell each step of the way, and what else there would be' },
    edges: {
      kind: 'choice',
      words:
        'add vertices to long edges, so that they keep their course: straight in the CRS of the layer, the shortest way, or one bearing',
      sign: 'course',
      choices: edgePaths,
    },
    within: {
      kind: 'number',
      words: 'with edges: how far they may lie off their course',
      sign: 'metres',
      usual: 1,
    },
  },
  examples: [
    {
      command: 'isomeric reproject data/boundary-office/wards-2024.geojson --crs EPSG:32626 --out utm.gpkg',
      program: "reproject('EPSG:32626')",
    },
  ],
  async apply(given, { crs, grid = [], steps, edges, within = 1 }) {
    const densify: Densify | undefined =
      edges === undefined ? undefined : { path: edges as EdgePath, within };
    // Projections are loaded when one is asked for.
    const { reprojectLayer } = await import('../core/layer/verbs/reproject.ts');
    const { target, from } = 'best' in crs ? await bestFor(given, crs) : { target: crs, from: given };
    return reprojectLayer(from, target, { grids: grid, densify, steps });
  },
});

/** The best CRS for where a layer lies, and the layer with the reason among its accounts. Reads the layer once. */
async function bestFor(given: Layer, { best }: BestFor): Promise<{ target: Crs; from: Layer }> {
  const [{ bestCrs, choiceWords }, { degreesOfLayer }] = await Promise.all([
    import('../core/crs/best-crs.ts'),
    import('../core/layer/degrees.ts'),
  ]);
  const [choice] = bestCrs(await degreesOfLayer(given), best, 1);
  if (choice === undefined)
    throw new IsomericError('crs-unknown', `No CRS was found that shows the whole of ${given.name}.`, {
      advice: 'Name one.',
      blame: 'usage',
    });
  const account = openAccount('CRS', given.name);
  account.closed = true;
  account.sentence = choiceWords(choice, best);
  return { target: choice.crs, from: { ...given, accounts: [...given.accounts, account] } };
}

/** How `reproject` goes about it. */
export interface ReprojectSettings {
  /** Grids of datum shifts, as `openGrid` reads them; each is used where it leads between the two datums. */
  grids?: readonly GridShift[];
  /** Tells each step of the way in the account. */
  steps?: boolean;
  /** Adds vertices to long edges so that they keep their course; `within` metres, 1 when left out. */
  edges?: EdgePath;
  within?: number;
}

/**
 * Brings a layer into another CRS.
 *
 * @param crs a CRS, or its code (`EPSG:32626`), name or WKT; or `best`, `best for densities`, `best for distances`
 * @throws IsomericError `crs-unknown`, `crs-missing`, `datum-shift-unknown`; at the end of reading `nothing-brought`
 */
export function reproject(crs: Crs | string, options: ReprojectSettings = {}): LayerStep {
  return stepOf(reprojectVerb, async () => {
    const { grids: grid, ...more } = options;
    if (typeof crs !== 'string') return { crs, grid, ...more };
    // The registry of all CRSs is loaded only when a text asks for one.
    const { crsFromWords } = await import('./crs-from-words.ts');
    return { crs: crsFromWords(crs), grid, ...more };
  });
}

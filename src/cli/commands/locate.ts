import {
  type Crs,
  crsLabel,
  grouped,
  IsomericError,
  isEmptyBox,
  isLayer,
  type Layer,
  locate,
  locationWords,
  sameCrs,
} from '../../core/index.ts';
import { coordinatesOf } from '../../core/layer/degrees.ts';
import { openPath } from '../../node/index.ts';
import { degreesOfAreaText } from '../areas.ts';
import { crsArgument, openLayerAt } from '../opening.ts';
import { printJson, sentenceText } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';

/** CRSs that are likely without looking anywhere: those named, and those of the other layers that came with it. */
async function likelyFor(path: string, layer: Layer, named: readonly string[]): Promise<Crs[]> {
  const likely: Crs[] = [];
  const add = (crs: Crs | null) => {
    if (crs !== null && !likely.some((each) => sameCrs(each, crs))) likely.push(crs);
  };
  for (const text of named) add(await crsArgument(text));
  if (layer.crs === null) for (const { table } of await openPath(path)) if (isLayer(table)) add(table.crs);
  return likely;
}

export const addLocate: AddCommand = (program) => {
  program
    .command('locate')
    .description('find the CRS that the coordinates of a layer may have; nothing is changed')
    .argument('<in>', 'the layer')
    .option('--layer <name>', 'which layer, when there are several')
    .option(
      '--near <area>',
      'the area where it should lie: a layer with a CRS, a folder with a study, WKT, or words as in a study',
    )
    .option('--near-layer <name>', 'which layer of that file')
    .option(
      '--among <crs...>',
      'CRSs that are likely: codes, names, .prj or .wkt files; those of other layers beside it are tried too',
    )
    .action(
      async (
        path: string,
        options: { layer?: string; near?: string; nearLayer?: string; among?: string[] },
        command,
      ) => {
        const output = outputOf(command);
        const layer = await openLayerAt(path, { layer: options.layer });
        const also = await likelyFor(path, layer, options.among ?? []);
        const coordinates = await coordinatesOf(layer);
        if (isEmptyBox(coordinates.box))
          throw new IsomericError('layer-empty', `The layer ${layer.name} holds no coordinates.`, {
            blame: 'input',
          });
        const near =
          options.near === undefined ? undefined : await degreesOfAreaText(options.near, options.nearLayer);
        const found = locate(coordinates, near, 10, also);
        const stated = layer.crs === null ? null : crsLabel(layer.crs);
        if (output.json) {
          printJson({
            path,
            layer: layer.name,
            stated,
            box: coordinates.box,
            near: near ?? null,
            candidates: found.map(({ crs, ...each }) => ({
              code: crs.code ?? null,
              name: crs.name,
              ...each,
            })),
          });
          return;
        }
        const box = coordinates.box.map((value) => Number(value.toPrecision(9))).join(', ');
        output.line(
          sentenceText(
            output,
            `Locate: ${grouped(coordinates.count)} features of ${layer.name}, coordinates ${box}; ${stated === null ? 'no CRS is stated' : `stated is ${stated}`}.`,
          ),
        );
        found.forEach((each, k) => {
          output.line(`${String(k + 1).padStart(3)}  ${locationWords(each)}`);
        });
        if (found.length === 0)
          output.line(
            near === undefined
              ? 'No CRS of the registry has them in its area of use.'
              : 'No CRS of the registry brings them to the area, also not with exchanged axes, feet or turned signs.',
          );
        else if (near === undefined)
          output.line(
            output.colours.dim(
              'Many grids share such numbers: name an area where it should lie with --near.',
            ),
          );
        else
          output.line(
            output.colours.dim(
              'Nothing was changed. Choose by what you know of the source, then say it: --from CRS, or “crs:” in a study.',
            ),
          );
      },
    );
};

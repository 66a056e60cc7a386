import type { CatalogueEntry } from '../../core/catalogue/entry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Lister } from './lister.ts';
import { withoutEmpty } from './records.ts';

/** Parts of files of several parts that are found with their first, and what is no data. */
const besides =
  /(^\.)|\.(shx|dbf|prj|cpg|sbn|sbx|qix|qmd|aux|tfw|wld|csvt|ovr|md|part-\d+.*)$|-metadata\.json$|~$/i;
const isAddress = (text: string) => /^https?:\/\//i.test(text);

/** A folder of this machine: every file is looked into once, and remembered by its checksum. */
export const filesLister: Lister = {
  kind: 'files',
  async *list(source, context) {
    if (isAddress(source.at))
      throw new IsomericError(
        'catalogue-none',
        `${source.name} is a folder on the web, which does not list its files.`,
        {
          advice: 'Name the catalogue that tells of them under “catalogues:”.',
          blame: 'usage',
        },
      );
    const folder = source.at.replace(/[/\\]+$/, '');
    const names = (await source.localNames?.(folder)) ?? [];
    // A .dbf by itself is a table.
    const shapes = new Set(
      names.filter((name) => /\.shp$/i.test(name)).map((name) => name.slice(0, -4).toLowerCase()),
    );
    const wanted = names.filter(
      (name) => !besides.test(name) || (/\.dbf$/i.test(name) && !shapes.has(name.slice(0, -4).toLowerCase())),
    );
    context.meter.totalFeatures = wanted.length;
    for (const name of wanted) {
      const look = await source.look?.(`${folder}/${name}`);
      if (look === undefined) continue;
      const format = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? 'file';
      if (look.trouble !== undefined || look.found.length === 0) {
        yield withoutEmpty({
          source: source.name,
          id: name,
          title: name,
          holds: 'other',
          licence: source.licence,
          ways: [{ format, bytes: look.bytes, dead: look.trouble ?? 'it holds no layer and no table' }],
          dead: look.trouble ?? 'it holds no layer and no table',
        });
        continue;
      }
      for (const [k, found] of look.found.entries()) {
        const layer = look.layers[k];
        yield withoutEmpty({
          ...found,
          source: source.name,
          id: layer === null ? name : `${name}/${layer}`,
          licence: found.licence ?? source.licence,
          ways: [
            {
              format,
              source: { kind: 'files', at: source.at },
              dataset: { file: name, ...(layer === null ? {} : { layer }) },
              bytes: look.bytes,
            },
          ],
        } as CatalogueEntry);
      }
    }
  },
};

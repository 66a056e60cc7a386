import { counted, grouped } from '../../core/account.ts';
import { chooseUnits } from '../../core/area/choose-units.ts';
import { Hierarchy, type ParentRule } from '../../core/area/hierarchy.ts';
import { withoutLeaps } from '../../core/area/leaps.ts';
import { lengthText, metresFromText } from '../../core/area/length-text.ts';
import { brought, disc, type Shape, united, within, without } from '../../core/area/shape.ts';
import { plainBoxes } from '../../core/crs/area-extent.ts';
import type { Crs } from '../../core/crs/crs.ts';
import type { GridShift } from '../../core/crs/ntv2.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import { type Box, dimensionOf, type GeometryArray } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker, takeGeometries } from '../../core/geometry/geometry-maker.ts';
import { geometriesFrom } from '../../core/geometry/object-view.ts';
import { Batch } from '../../core/layer/batch.ts';
import { isLayer, type Layer, layerOf, type Table } from '../../core/layer/layer.ts';
import { filterRows } from '../../core/layer/verbs/filter.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { CodeReader } from '../../core/sheets/reading-codes.ts';
import type { SheetScheme } from '../../core/sheets/sheet-scheme.ts';
import type { AreaPart, AreaText } from './schema.ts';

/** What an area needs of where it is made: layers and files by name. */
export interface AreaSurroundings {
  /** A gathered layer by its name, or a layer of a file. */
  open(name: string): Promise<Layer | Table>;
  crs(text: string): Promise<Crs>;
  scheme(name: string): Promise<SheetScheme>;
  /** Polygons that were drawn by hand: their text, or the file that holds them; their CRS null where they do not say it. */
  drawn(
    polygon: string | Record<string, unknown>,
  ): Promise<{ geometry: GeometryArray; crs: Crs | null; words: string }>;
  grids: readonly GridShift[];
  /** What to call a layer in sentences; its name when left out. */
  label?(name: string): string;
  /** Names of sources that have units of a level which is not gathered. */
  elsewhere?(level: string): readonly string[];
}

/** An area that is made. */
export interface MadeArea {
  /** One feature. */
  shape: Shape;
  /** The same without the margin of the whole. */
  core: Shape;
  /** What it is made of: `2 districts (T204, T205) with 500 m around`. */
  words: string;
  notes: string[];
  /** Sides in degrees, of an area that is nothing but a box in them. */
  degrees?: Box;
}

/** A part of an area that is made. */
type MadePart = Omit<MadeArea, 'core'>;

/** Where a part stands, for errors. */
export type Within = <T>(path: readonly (string | number)[], work: () => Promise<T>) => Promise<T>;

const anywhere: Within = (_, work) => work();

/**
 * Makes an area of what was said of it.
 *
 * @param target the CRS it is wanted in; null: that of the first layer it is made of, WGS 84 where there is none
 */
export async function makeArea(
  area: AreaText,
  target: Crs | null,
  by: AreaSurroundings,
  within_: Within = anywhere,
): Promise<MadeArea> {
  const crs = target ?? (await ownCrs(area, by));
  const { together: several, without: taken = [] } = area;
  const parts = several ?? [area as AreaPart];
  const made: MadePart[] = [];
  for (const [k, part] of parts.entries())
    made.push(
      await within_(several === undefined ? [] : ['together', k], () =>
        new Making(crs, by, within_, several === undefined ? [] : ['together', k]).part(
          part,
          several !== undefined,
        ),
      ),
    );
  let shape: Shape = { geometry: united(made.map((each) => each.shape.geometry)), crs };
  let words = made.map((each) => each.words).join(', and ');
  const notes = made.flatMap((each) => each.notes);
  if (taken.length > 0) {
    const away: MadePart[] = [];
    for (const [k, part] of taken.entries())
      away.push(
        await within_(['without', k], () => new Making(crs, by, within_, ['without', k]).part(part, true)),
      );
    const geometry = without(
      shape.geometry,
      away.map((each) => each.shape.geometry),
      words,
    );
    shape = { geometry, crs };
    words += `, without ${away.map((each) => each.words).join(' and ')}`;
    notes.push(...away.flatMap((each) => each.notes));
  }
  if (shape.geometry.length === 0)
    throw new IsomericError('area-empty', `${words} hold no area.`, { blame: 'usage' });
  const core = shape;
  if (area.margin !== undefined) {
    const metres = metresFromText(area.margin);
    shape = await within_(['margin'], () => within(shape, metres, words));
    words += marginWords(metres);
  }
  const plain =
    made.length === 1 && taken.length === 0 && area.margin === undefined ? made[0].degrees : undefined;
  return { shape, core, words, notes, ...(plain === undefined ? {} : { degrees: plain }) };
}

const marginWords = (metres: number) =>
  metres === 0
    ? ''
    : metres > 0
      ? `, with ${lengthText(metres)} around`
      : `, ${lengthText(-metres)} within its border`;

/** The CRS of the first layer or scheme that an area is made of. */
async function ownCrs(area: AreaText, by: AreaSurroundings): Promise<Crs> {
  for (const part of area.together ?? [area as AreaPart]) {
    const name = part.units?.of[part.units.of.length - 1] ?? part.layer;
    if (name !== undefined) {
      const table = await by.open(name);
      if (isLayer(table) && table.crs !== null) return table.crs;
    }
    if (part.sheets !== undefined) return (await by.scheme(part.sheets.of)).rules.crs;
    if (part['in crs'] !== undefined) return by.crs(part['in crs']);
  }
  return wgs84();
}

class Making {
  /** What there is to tell of how it went. */
  private readonly notes: string[] = [];

  constructor(
    private readonly crs: Crs,
    private readonly by: AreaSurroundings,
    private readonly within: Within,
    private readonly path: readonly (string | number)[],
  ) {}

  /** @param own true where the part's margin is its own, not that of the whole */
  async part(part: AreaPart, own: boolean): Promise<MadePart> {
    const way = await this.way(part);
    const made = { ...way, notes: [...way.notes, ...this.notes] };
    if (!own || part.margin === undefined) return made;
    const metres = metresFromText(part.margin);
    const shape = await this.at(['margin'], () => within(made.shape, metres, made.words));
    return { shape, words: `${made.words}${marginWords(metres)}`, notes: made.notes };
  }

  private at<T>(keys: readonly string[], work: () => Promise<T>): Promise<T> {
    return this.within([...this.path, ...keys], work);
  }

  private way(part: AreaPart): Promise<MadePart> {
    if (part.units !== undefined) return this.units(part.units);
    if (part.layer !== undefined) return this.layer(part.layer, part.where);
    if (part.box !== undefined) return this.box(part.box, part['in crs']);
    if (part.point !== undefined) return this.point(part.point, part.radius!, part['in crs']);
    if (part.place !== undefined) return this.place(part.place, part.radius!);
    if (part.sheets !== undefined) return this.sheets(part.sheets);
    return this.polygon(part.polygon!, part['in crs']);
  }

  private label(name: string): string {
    return this.by.label?.(name) ?? name;
  }

  private async open(name: string): Promise<Layer> {
    const table = await this.by.open(name);
    if (!isLayer(table))
      throw new IsomericError('geometry-missing', `The area is made of ${name}, which has no geometry.`, {
        blame: 'usage',
        wrong: name,
      });
    if (table.crs === null)
      throw new IsomericError('crs-missing', `${name} has no CRS, and one is never assumed.`, {
        advice: 'Say which one it has; “isomeric locate” helps to find it.',
        blame: 'usage',
        wrong: name,
      });
    return table;
  }

  /** Areas of a layer as they are brought there with all other layers: vertex by vertex. */
  private async asLayers(name: string, given: GeometryArray, crs: Crs): Promise<GeometryArray[]> {
    const { geometry, cut } = await withoutLeaps(given, crs);
    if (cut > 0)
      this.notes.push(
        `${counted(cut, 'area of', 'areas of')} ${this.label(name)} crossed the antimeridian or went around a pole uncut; they were cut and closed there.`,
      );
    const batch = new Batch({ length: geometry.length, first: 0, geometry, columns: [] });
    const layer = layerOf({ name, schema: [], crs, batches: [batch] });
    const found: GeometryArray[] = [];
    for await (const made of reprojectLayer(layer, this.crs, { grids: this.by.grids }).batches())
      found.push(made.geometry!);
    return found;
  }

  private async hierarchy(units: NonNullable<AreaPart['units']>): Promise<Hierarchy> {
    const layers: Layer[] = [];
    for (const name of units.of) layers.push(await this.at(['units', 'of'], () => this.open(name)));
    if (units.where !== undefined) {
      const last = layers.length - 1;
      const { where } = units;
      layers[last] = await this.at(['units', 'where'], async () => filterRows(layers[last], where));
    }
    const each = (told: string | Record<string, string> | undefined, usual: string) =>
      units.of.map((name) => (typeof told === 'string' ? told : (told?.[name] ?? usual)));
    const parents = each(units.parent, '').map((rule) => parentRule(rule));
    return this.at(['units'], () =>
      Hierarchy.read({
        levels: layers.map((layer, k) => ({ ...layer, name: this.label(units.of[k]) })),
        keys: each(units.by, 'code'),
        names: each(units['named by'], 'name'),
        parents,
      }),
    );
  }

  private async units(units: NonNullable<AreaPart['units']>): Promise<MadePart> {
    const hierarchy = await this.hierarchy(units);
    const down = units['down to'];
    const chosen = await this.at(['units'], async () => {
      try {
        return chooseUnits(hierarchy, {
          codes: units.code,
          names: units.name,
          level: units.level,
          downTo: down,
        });
      } catch (error) {
        throw error instanceof IsomericError && error.code === 'level-unknown' && down !== undefined
          ? this.finerElsewhere(error, down)
          : error;
      }
    });
    const { held, plan } = hierarchy;
    const arrays: GeometryArray[] = [];
    for (let level = 0; level < plan.levels.length; level++) {
      const features = chosen.units
        .filter((n) => hierarchy.units[n].level === level)
        .flatMap((n) => hierarchy.units[n].features);
      if (features.length === 0) continue;
      const geometry = takeGeometries(held[level].geometry, features);
      arrays.push(...(await this.asLayers(units.of[level], geometry, plan.levels[level].crs!)));
    }
    const labels = chosen.units.slice(0, 6).map((n) => hierarchy.units[n].code);
    const more = chosen.units.length > 6 ? ` and ${grouped(chosen.units.length - 6)} more` : '';
    const levels = [...new Set(chosen.units.map((n) => this.label(units.of[hierarchy.units[n].level])))];
    const notes = [...chosen.notes];
    if (down !== undefined && hierarchy.words.length > 0) notes.unshift(`${hierarchy.words.join('; ')}.`);
    if (chosen.finest && down === 'finest') {
      const sources = this.by.elsewhere?.('') ?? [];
      if (sources.length > 0) notes.push(`Finer units are said to be at ${sources.join(', ')}.`);
    }
    return {
      shape: { geometry: united(arrays), crs: this.crs },
      words: `${chosen.units.length === 1 ? '1 unit of' : grouped(chosen.units.length)} ${levels.join(' and ')} (${labels.join(', ')}${more})`,
      notes,
    };
  }

  /** The level that was asked for is not gathered: who has it is told, where the study says so. */
  private finerElsewhere(error: IsomericError, level: string): IsomericError {
    const sources = this.by.elsewhere?.(level) ?? [];
    if (sources.length === 0) return error;
    return new IsomericError(error.code, error.message, {
      advice: `The source ${sources.join(' or ')} has ${level}: gather them, and name them as the last layer of “of:”.`,
      blame: 'usage',
      wrong: error.wrong,
    });
  }

  private async layer(name: string, where: string | undefined): Promise<MadePart> {
    const opened = await this.at(['layer'], () => this.open(name));
    const layer =
      where === undefined ? opened : await this.at(['where'], async () => filterRows(opened, where));
    const maker = new GeometryMaker();
    let all = 0;
    for await (const batch of layer.batches()) {
      for (let i = 0; i < batch.length; i++) maker.copy(batch.geometry!, i);
      all += batch.length;
    }
    const geometry = all === 0 ? geometriesFrom([]) : maker.finish();
    if (!geometry.kind.some((kind) => dimensionOf(kind) >= 2))
      throw new IsomericError(
        'area-empty',
        all === 0 && where !== undefined
          ? `No feature of ${name} is left to make the area of.`
          : `${name} holds no polygon to make the area of.`,
        {
          advice: all === 0 && where !== undefined ? 'Look at the condition.' : 'Name a layer with polygons.',
          blame: 'usage',
          wrong: name,
        },
      );
    return {
      shape: { geometry: united(await this.asLayers(name, geometry, layer.crs!)), crs: this.crs },
      words: `${where === undefined ? 'all ' : ''}${grouped(all)} ${this.label(name)}${where === undefined ? '' : ` where ${where}`}`,
      notes: [],
    };
  }

  private async box(box: NonNullable<AreaPart['box']>, inCrs: string | undefined): Promise<MadePart> {
    const crs = inCrs === undefined ? wgs84() : await this.at(['in crs'], () => this.by.crs(inCrs));
    const sides: Box = [box.west, box.south, box.east, box.north];
    const degrees = crs.kind === 'geographic';
    if (!(box.south < box.north) || (!degrees && !(box.west < box.east)))
      throw new IsomericError(
        'area-value',
        `The box ${sides.join(', ')} has no extent: its sides are west, south, east, north.`,
        {
          blame: 'usage',
        },
      );
    const plain = degrees ? plainBoxes(sides) : [sides];
    const geometry = geometriesFrom([
      {
        type: 'MultiPolygon',
        coordinates: plain.map(([x0, y0, x1, y1]) => [
          [
            [x0, y0],
            [x1, y0],
            [x1, y1],
            [x0, y1],
            [x0, y0],
          ],
        ]),
      },
    ]);
    const words = `the box ${sides.join(', ')}${inCrs === undefined ? '' : ` in ${inCrs}`}`;
    const { grids } = this.by;
    const shape = await this.at(['box'], () => brought({ geometry, crs }, this.crs, words, { grids }));
    return {
      shape: { geometry: united([shape.geometry]), crs: this.crs },
      words,
      notes: [],
      ...(inCrs === undefined ? { degrees: sides } : {}),
    };
  }

  private async point(point: [number, number], radius: string, inCrs: string | undefined): Promise<MadePart> {
    const crs = inCrs === undefined ? wgs84() : await this.at(['in crs'], () => this.by.crs(inCrs));
    if (crs.kind === 'geographic' && (Math.abs(point[0]) > 360 || Math.abs(point[1]) > 90))
      throw new IsomericError('area-degrees', `${point.join(', ')} are no longitude and latitude.`, {
        advice: 'Longitude stands first; say with “in crs” which CRS they are in, when it is another one.',
        blame: 'usage',
      });
    const metres = metresOf(radius);
    const words = `${lengthText(metres)} around ${point.join(', ')}${inCrs === undefined ? '' : ` in ${inCrs}`}`;
    const { grids } = this.by;
    return { shape: await disc(point, crs, metres, this.crs, words, { grids }), words, notes: [] };
  }

  private async place(place: NonNullable<AreaPart['place']>, radius: string): Promise<MadePart> {
    const hierarchy = await this.hierarchy({
      of: [place.of],
      by: place.by,
      'named by': place['named by'],
    } as NonNullable<AreaPart['units']>);
    const { units } = await this.at(['place'], async () =>
      chooseUnits(hierarchy, { codes: place.code, names: place.name }),
    );
    const metres = metresOf(radius);
    const [held] = hierarchy.held;
    const { crs } = hierarchy.plan.levels[0];
    const features = units.flatMap((n) => hierarchy.units[n].features);
    const labels = units.map((n) => hierarchy.units[n].name || hierarchy.units[n].code);
    const words = `${lengthText(metres)} around ${labels.join(', ')} (${this.label(place.of)})`;
    const found: GeometryArray[] = [];
    for (const k of features) {
      const { geometry } = held;
      if (geometry.kind[k] === 1) {
        const v = geometry.firstVertex(k);
        const at = [geometry.xy[2 * v], geometry.xy[2 * v + 1]] as [number, number];
        found.push((await disc(at, crs!, metres, this.crs, words, { grids: this.by.grids })).geometry);
      } else
        for (const array of await this.asLayers(place.of, takeGeometries(geometry, [k]), crs!))
          found.push((await within({ geometry: array, crs: this.crs }, metres, words)).geometry);
    }
    const notes =
      features.length > units.length
        ? [`${counted(features.length, 'feature is', 'features are')} called so, and all of them count.`]
        : [];
    return { shape: { geometry: united(found), crs: this.crs }, words, notes };
  }

  private async polygon(
    polygon: string | Record<string, unknown>,
    inCrs: string | undefined,
  ): Promise<MadePart> {
    const told = inCrs === undefined ? undefined : await this.at(['in crs'], () => this.by.crs(inCrs));
    const drawn = await this.at(['polygon'], () => this.by.drawn(polygon));
    const crs = told ?? drawn.crs ?? wgs84();
    const { geometry, words } = drawn;
    const box = geometry.box();
    if (crs.kind === 'geographic' && (Math.max(-box[0], box[2]) > 360 || Math.max(-box[1], box[3]) > 90))
      throw new IsomericError(
        'area-degrees',
        `The coordinates of ${words} are no longitudes and latitudes.`,
        {
          advice: 'Say with “in crs” which CRS they are in.',
          blame: 'usage',
        },
      );
    const whole = united([geometry]);
    if (whole.length === 0)
      throw new IsomericError('area-empty', `${words} encloses nothing.`, {
        advice: 'An area is a polygon of at least three corners.',
        blame: 'usage',
      });
    const shape = await brought({ geometry: whole, crs }, this.crs, words, { grids: this.by.grids });
    return { shape: { geometry: united([shape.geometry]), crs: this.crs }, words, notes: [] };
  }

  private async sheets({ of, code }: NonNullable<AreaPart['sheets']>): Promise<MadePart> {
    const scheme = await this.at(['sheets', 'of'], () => this.by.scheme(of));
    const reader = new CodeReader(scheme);
    const found: GeometryArray[] = [];
    let sheets = 0;
    for (const text of code) {
      const read = await this.at(['sheets', 'code'], async () => reader.read(text));
      sheets += read.sheets.length;
      for (const sheet of read.sheets) found.push(scheme.footprint(sheet));
    }
    const words = `${counted(sheets, 'sheet', 'sheets')} of ${scheme.rules.title} (${code.slice(0, 6).join(', ')}${code.length > 6 ? ' …' : ''})`;
    const shape = await brought({ geometry: united(found), crs: scheme.rules.crs }, this.crs, words, {
      grids: this.by.grids,
    });
    return { shape: { geometry: united([shape.geometry]), crs: this.crs }, words, notes: [] };
  }
}

function metresOf(radius: string): number {
  const metres = metresFromText(radius);
  if (metres > 0) return metres;
  throw new IsomericError('area-value', `A radius is a length above zero, not ${radius}.`, {
    blame: 'usage',
    wrong: radius,
  });
}

/** `field district`, `codes`, `place`; nothing: found out. */
function parentRule(text: string): ParentRule | undefined {
  if (text === '') return undefined;
  if (text === 'codes' || text === 'place') return text;
  const field = /^field\s+(.+)$/.exec(text)?.[1];
  if (field !== undefined) return { field };
  throw new IsomericError('area-value', `“${text}” does not say how units know the one above.`, {
    advice: 'Write “field NAME”, “codes” or “place”.',
    blame: 'usage',
    wrong: text,
  });
}

import { dictionary } from '../../../core/dictionary.ts';

/**
 * How closed ways are to be taken, and which tags say nothing: the usual conventions of open map data as one table. A
 * closed way is an area when one of its tags says so below; `area=yes` and `area=no` go before everything.
 */

type Values = { only: readonly string[] } | { except: readonly string[] };

const all: Values = { except: [] };

/** Keys whose value makes a closed way an area: any value, some values only, or all but some. `no` never does. */
export const areaKeys: Readonly<Record<string, Values>> = dictionary({
  building: all,
  'building:part': all,
  landuse: all,
  leisure: { except: ['track', 'slipway'] },
  natural: {
    except: ['arete', 'cliff', 'coastline', 'earth_bank', 'gully', 'ridge', 'tree_row', 'valley'],
  },
  landcover: all,
  amenity: { except: ['bench'] },
  shop: all,
  craft: all,
  office: all,
  healthcare: all,
  emergency: { except: ['fire_hydrant', 'phone'] },
  tourism: { except: ['artwork'] },
  historic: { except: ['aqueduct', 'citywalls', 'railway', 'tank_trap', 'wall'] },
  place: all,
  boundary: all,
  military: { except: ['trench'] },
  man_made: {
    except: ['breakwater', 'cutline', 'dyke', 'embankment', 'groyne', 'pipeline', 'snow_fence'],
  },
  power: { only: ['generator', 'plant', 'substation', 'transformer'] },
  waterway: { only: ['boatyard', 'dam', 'dock', 'fuel', 'riverbank'] },
  water: all,
  wetland: all,
  highway: { only: ['elevator', 'platform', 'rest_area', 'services'] },
  'area:highway': all,
  railway: { only: ['platform', 'roundhouse', 'station', 'traverser', 'turntable', 'wash'] },
  public_transport: { only: ['platform', 'station', 'stop_area'] },
  aeroway: { except: ['jet_bridge', 'parking_position', 'runway', 'taxiway'] },
  barrier: { only: ['block', 'toll_booth'] },
  golf: { except: ['cartpath', 'hole', 'path'] },
  playground: all,
  cemetery: all,
  indoor: { except: ['wall'] },
});

/** Keys that speak of an object's making, not of the thing: alone they make no feature. */
export const silentKeys: ReadonlySet<string> = new Set([
  'attribution',
  'comment',
  'created_by',
  'fixme',
  'FIXME',
  'import',
  'note',
  'odbl',
  'source',
  'todo',
]);
const silentBeginnings = ['source:', 'note:', 'import:', 'survey:'];

/** Keys that name, number and date a thing of any kind: they never say what it is. */
const plainKeys = new Set([
  'alt_name',
  'ele',
  'height',
  'image',
  'int_name',
  'layer',
  'loc_name',
  'name',
  'official_name',
  'old_name',
  'opening_hours',
  'operator',
  'phone',
  'ref',
  'short_name',
  'start_date',
  'type',
  'url',
  'website',
  'wikidata',
  'wikipedia',
]);
const plainBeginnings = ['addr:', 'name:', 'contact:', 'ref:', 'is_in', 'old_name:', 'check_date'];

/** Kinds of relations that are assembled, and to what; all others have members but no shape of their own. */
export const shapedRelations: Readonly<Record<string, 'area' | 'line'>> = dictionary({
  multipolygon: 'area',
  boundary: 'area',
  route: 'line',
  waterway: 'line',
});

/** Roles of ways that take no part in the shape of an area. */
export const rolesBesideArea: ReadonlySet<string> = new Set([
  'subarea',
  'label',
  'admin_centre',
  'land_area',
]);
/** Roles of ways that take no part in the shape of a line. */
export const rolesBesideLine: ReadonlySet<string> = new Set([
  'platform',
  'platform_entry_only',
  'platform_exit_only',
  'stop',
  'side_stream',
]);

/** Does the key say something of the thing itself? */
export function isSilent(key: string): boolean {
  return silentKeys.has(key) || silentBeginnings.some((beginning) => key.startsWith(beginning));
}

/** Could a rule be made of this key: does it say what a thing is? */
export function isTelling(key: string): boolean {
  return (
    !isSilent(key) && !plainKeys.has(key) && !plainBeginnings.some((beginning) => key.startsWith(beginning))
  );
}

/** Does this tag make a closed way an area? */
export function makesArea(key: string, value: string): boolean {
  if (!Object.hasOwn(areaKeys, key) || value === 'no') return false;
  const values = areaKeys[key];
  return 'only' in values ? values.only.includes(value) : !values.except.includes(value);
}

/** Keys that hardly ever stand on anything but areas: an open way that carries one is told. */
export const onlyAreas: ReadonlySet<string> = new Set(['building', 'landuse']);

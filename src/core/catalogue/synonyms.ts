/**
 * Words of the trade that mean the same to who searches, bare and in the singular. A word finds what any other of its line finds,
 * one step further down in the order.
 */
const lines: readonly (readonly string[])[] = [
  ['population', 'resident', 'inhabitant', 'people', 'person', 'demography', 'demographic'],
  ['household', 'dwelling', 'home', 'housing'],
  ['boundary', 'border', 'limit', 'administrative', 'unit'],
  ['car', 'vehicle', 'motor', 'automobile'],
  ['road', 'street', 'highway'],
  ['path', 'footway', 'footpath', 'trail'],
  ['river', 'stream', 'watercourse', 'waterway'],
  ['lake', 'pond', 'waterbody', 'reservoir'],
  ['flood', 'inundation', 'flooding'],
  ['embankment', 'dyke', 'levee', 'dike'],
  ['building', 'footprint', 'structure'],
  ['elevation', 'height', 'terrain', 'relief', 'dem'],
  ['landcover', 'landuse', 'vegetation'],
  ['school', 'education', 'pupil'],
  ['health', 'hospital', 'clinic', 'medical'],
  ['income', 'earnings', 'wage'],
  ['employment', 'job', 'work', 'labour', 'labor', 'occupation'],
  ['unemployment', 'jobless'],
  ['poverty', 'deprivation'],
  ['sex', 'gender'],
  ['woman', 'women', 'female'],
  ['man', 'men', 'male'],
  ['old', 'elderly', 'senior', 'aged'],
  ['child', 'children', 'young'],
  ['birth', 'fertility', 'natality'],
  ['death', 'mortality'],
  ['mobility', 'commuting', 'travel', 'transport'],
  ['disability', 'disabled', 'impairment'],
  ['shelter', 'refuge', 'evacuation'],
  ['bridge', 'crossing', 'footbridge'],
  ['soil', 'ground'],
  ['parcel', 'cadastre', 'cadastral', 'plot'],
  ['address', 'gazetteer'],
  ['census', 'enumeration'],
  ['map', 'sheet', 'topographic', 'topography'],
  ['rain', 'precipitation', 'rainfall'],
  ['railway', 'rail', 'train'],
  ['forest', 'wood', 'woodland'],
];

const byWord = new Map<string, Set<string>>();
for (const line of lines)
  for (const word of line) {
    const others = byWord.get(word) ?? new Set<string>();
    for (const other of line) if (other !== word) others.add(other);
    byWord.set(word, others);
  }

/** The other words for a word, bare and in the singular; none for most. */
export function synonymsOf(word: string): readonly string[] {
  return [...(byWord.get(word) ?? [])];
}

/** A word without the ending of its plural: `wards` → `ward`, `boundaries` → `boundary`. */
export function singular(word: string): string {
  if (word.length > 4 && word.endsWith('ies')) return `${word.slice(0, -3)}y`;
  if (word.length > 4 && /(?:ss|x|ch|sh)es$/.test(word)) return word.slice(0, -2);
  if (word.length > 3 && word.endsWith('s') && !word.endsWith('ss') && !word.endsWith('us'))
    return word.slice(0, -1);
  return word;
}

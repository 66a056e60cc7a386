/** What a licence asks of who hands data on. */
export const obligations = [
  'attribution',
  'share alike',
  'state changes',
  'no commerce',
  'no changes',
] as const;
/** One of them. */
export type Obligation = (typeof obligations)[number];

/** What each asks, in a sentence. */
export const obligationWords: Readonly<Record<Obligation, string>> = {
  attribution: 'Name the source wherever the data, or what is made of them, are shown.',
  'share alike': 'What is made of the data is handed on under the same licence.',
  'state changes': 'Say that the data were changed.',
  'no commerce': 'Not for commercial use.',
  'no changes': 'What is made of the data must not be handed on.',
};

interface KnownLicence {
  /** How it is recognised in what providers write. */
  pattern: RegExp;
  /** By its identifier in the SPDX list of licences. */
  spdx: string;
  asks: readonly Obligation[];
}

/** Open licences of data, and what they ask: the deed of each, as its makers publish it. The more special ones first. */
const known: readonly KnownLicence[] = [
  { pattern: /\bCC0\b|creative commons zero|publicdomain\/zero/i, spdx: 'CC0-1.0', asks: [] },
  { pattern: /\bPDDL\b|public domain dedication and licen[cs]e/i, spdx: 'PDDL-1.0', asks: [] },
  {
    pattern: /\bCC[ -]BY[ -]NC[ -]SA\b|by-nc-sa/i,
    spdx: 'CC-BY-NC-SA-4.0',
    asks: ['attribution', 'state changes', 'no commerce', 'share alike'],
  },
  {
    pattern: /\bCC[ -]BY[ -]NC[ -]ND\b|by-nc-nd/i,
    spdx: 'CC-BY-NC-ND-4.0',
    asks: ['attribution', 'no commerce', 'no changes'],
  },
  {
    pattern: /\bCC[ -]BY[ -]NC\b|by-nc\b/i,
    spdx: 'CC-BY-NC-4.0',
    asks: ['attribution', 'state changes', 'no commerce'],
  },
  { pattern: /\bCC[ -]BY[ -]ND\b|by-nd/i, spdx: 'CC-BY-ND-4.0', asks: ['attribution', 'no changes'] },
  {
    pattern: /\bCC[ -]BY[ -]SA\b|by-sa/i,
    spdx: 'CC-BY-SA-4.0',
    asks: ['attribution', 'state changes', 'share alike'],
  },
  { pattern: /\bCC[ -]BY\b|licenses\/by\//i, spdx: 'CC-BY-4.0', asks: ['attribution', 'state changes'] },
  { pattern: /\bODbL\b|open database licen[cs]e/i, spdx: 'ODbL-1.0', asks: ['attribution', 'share alike'] },
  { pattern: /\bODC[ -]?By\b|open data commons attribution/i, spdx: 'ODC-By-1.0', asks: ['attribution'] },
];

/** What is known of a licence by its name; null where it is none of those that everybody uses. */
export function knownLicence(name: string): { spdx: string; asks: readonly Obligation[] } | null {
  return known.find(({ pattern }) => pattern.test(name)) ?? null;
}

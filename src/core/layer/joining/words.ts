/** What happens to a column whose name the layer has already. */
export const clashRules = ['number', 'table', 'keep', 'replace'] as const;
/** What happens to a column whose name the layer has already. */
export type ClashRule = (typeof clashRules)[number];

/** What a join gives: the features with their columns, or the leftovers of one side. */
export const gives = ['joined', 'features without a row', 'rows without a feature'] as const;
/** What a join gives. */
export type Give = (typeof gives)[number];

/** What an edge between two vertices is: straight in the CRS of the layer, the shortest way on the ellipsoid, or one bearing. */
export const edgePaths = ['straight', 'great circle', 'rhumb'] as const;
/** What an edge between two vertices is. */
export type EdgePath = (typeof edgePaths)[number];

/** Where points can be put. */
export const pointPlaces = [
  'inside areas',
  'deep inside',
  'centroids',
  'vertices',
  'ends',
  'middles',
  'along lines',
] as const;
/** Where the points of a layer are to lie. */
export type PointPlace = (typeof pointPlaces)[number];

/** Kinds of catalogues: they tell of data that are elsewhere. */
export const catalogueKinds = ['records', 'dcat', 'folder'] as const;

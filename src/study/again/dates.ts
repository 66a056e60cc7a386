/**
 * The date that files of a study are given which must say when their contents last changed (GeoPackage, some tables): always the
 * same, since neither the hour of a run nor what a server says of its files may change a byte of the results. What is of when
 * stands in the ledger.
 */
export const dateInFiles = '2000-01-01T00:00:00.000Z';

/** `a/b/wards.2024.geojson` → `wards.2024` */
export function baseName(path: string): string {
  const file = path.slice(Math.max(path.lastIndexOf('/'), path.lastIndexOf('\\')) + 1);
  const dot = file.lastIndexOf('.');
  return dot > 0 ? file.slice(0, dot) : file;
}

/** `a/b/wards.SHP` → `shp`; empty when there is none. */
export function ending(path: string): string {
  const dot = path.lastIndexOf('.');
  return dot > path.lastIndexOf('/') ? path.slice(dot + 1).toLowerCase() : '';
}

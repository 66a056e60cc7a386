import { quoteName } from '../bytes/sqlite.ts';

/** The triggers that keep the R-tree in step with its layer (GeoPackage 1.3, extension “RTree Spatial Indexes”, F.3). */
export function rtreeTriggers(table: string, column: string, id: string): [suffix: string, sql: string][] {
  const t = quoteName(table);
  const c = quoteName(column);
  const i = quoteName(id);
  const r = quoteName(`rtree_${table}_${column}`);
  const name = (suffix: string) => quoteName(`rtree_${table}_${column}_${suffix}`);
  const box = `ST_MinX(NEW.${c}), ST_MaxX(NEW.${c}), ST_MinY(NEW.${c}), ST_MaxY(NEW.${c})`;
  const filled = `(NEW.${c} NOTNULL AND NOT ST_IsEmpty(NEW.${c}))`;
  const blank = `(NEW.${c} ISNULL OR ST_IsEmpty(NEW.${c}))`;
  return [
    [
      'insert',
      `CREATE TRIGGER ${name('insert')} AFTER INSERT ON ${t} WHEN ${filled} BEGIN INSERT OR REPLACE INTO ${r} VALUES (NEW.${i}, ${box}); END`,
    ],
    [
      'update1',
      `CREATE TRIGGER ${name('update1')} AFTER UPDATE OF ${c} ON ${t} WHEN OLD.${i} = NEW.${i} AND ${filled} BEGIN INSERT OR REPLACE INTO ${r} VALUES (NEW.${i}, ${box}); END`,
    ],
    [
      'update2',
      `CREATE TRIGGER ${name('update2')} AFTER UPDATE OF ${c} ON ${t} WHEN OLD.${i} = NEW.${i} AND ${blank} BEGIN DELETE FROM ${r} WHERE id = OLD.${i}; END`,
    ],
    [
      'update3',
      `CREATE TRIGGER ${name('update3')} AFTER UPDATE ON ${t} WHEN OLD.${i} != NEW.${i} AND ${filled} BEGIN DELETE FROM ${r} WHERE id = OLD.${i}; INSERT OR REPLACE INTO ${r} VALUES (NEW.${i}, ${box}); END`,
    ],
    [
      'update4',
      `CREATE TRIGGER ${name('update4')} AFTER UPDATE ON ${t} WHEN OLD.${i} != NEW.${i} AND ${blank} BEGIN DELETE FROM ${r} WHERE id IN (OLD.${i}, NEW.${i}); END`,
    ],
    [
      'delete',
      `CREATE TRIGGER ${name('delete')} AFTER DELETE ON ${t} WHEN OLD.${c} NOTNULL BEGIN DELETE FROM ${r} WHERE id = OLD.${i}; END`,
    ],
  ];
}
